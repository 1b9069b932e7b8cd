"""Snapping, and edits of several things at once."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from bibulon.core.edit.arrange import aligned, bounds, deleted, duplicated, mirrored, moved, names, turned
from bibulon.core.edit.cuts import cut_across, cut_along, cut_through
from bibulon.core.edit.edit import change, open_on_front, remove_line
from bibulon.core.edit.valves import open_later, shut_later
from bibulon.core.geometry.outline import area, check
from bibulon.core.geometry.snap import nice_grid, snap, targets_of
from bibulon.core.model.job import AtTime, Corner, Drawn, OnFront, Zone

BOTH = ("F1", "V1")


@pytest.fixture(scope="module")
def targets(demo):
    return targets_of(demo)


@pytest.mark.parametrize(("place", "kind", "found"), [
    ((2.303, 0.557), "end", (2.3, 0.56)),  # the end of V1
    ((0.003, 0.702), "edge", (0.0, 0.702)),  # the left side of the outline
    ((1.098, 0.753), "centre", (1.1, 0.75)),  # the middle of F2
    ((0.507, 0.704), "grid", (0.505, 0.705)),
])  # fmt: skip
def test_the_hand_means_what_is_near(targets, place, kind, found):
    told = snap(place, targets, 0.008, 0.005)
    assert told.kind == kind
    assert told.place == pytest.approx(found, abs=2e-4)


def test_square_to_an_edge_when_something_is_being_drawn(targets):
    told = snap((0.002, 0.71), targets, 0.02, 0.0, start=(0.5, 0.7))
    assert told.kind == "perpendicular"
    assert told.place == pytest.approx((0.0, 0.7))


def test_what_is_held_is_no_target(demo):
    without = targets_of(demo, frozenset({"V1"}))
    assert snap((2.303, 0.557), without, 0.008, 0.0).place != pytest.approx((2.3, 0.56))


def test_with_no_grid_the_hand_is_free(targets):
    assert snap((0.5071, 0.7043), targets, 0.001, 0.0).kind == "free"


@given(st.floats(5, 50_000))
def test_grids_are_round_and_wide_enough(scale):
    for system, unit in (("metric", 1e-4), ("us", 0.0254 / 16)):
        step = nice_grid(scale, system)
        assert step * scale >= 28 or step >= 100 or (system == "us" and step >= 15)
        assert step / unit == pytest.approx(round(step / unit))


def test_names_of_edits(demo):
    assert names(demo, ["F2"]) == "F2"
    assert names(demo, ["F2", "zone:foot"]) == "F2 and Foot flange"
    assert names(demo, ["F1", "F2", "V1"]) == "3 things"


def path(job, name):
    return np.array(next(x for x in job.lines if x.id == name).path)


def test_moving_there_and_back(demo):
    job = moved(moved(demo, BOTH, 0.1, -0.2), BOTH, -0.1, 0.2)
    np.testing.assert_allclose(path(job, "F1"), path(demo, "F1"), atol=1e-9)


def test_four_quarter_turns_are_none(demo):
    job = demo
    for _ in range(4):
        job = turned(job, BOTH, 90)
    np.testing.assert_allclose(path(job, "V1"), path(demo, "V1"), atol=1e-5)
    once = turned(demo, ["F2"], 90)
    assert bounds(once, ["F2"])[2] - bounds(once, ["F2"])[0] == pytest.approx(1.06)


def test_mirrors_keep_areas_and_bows(demo):
    zone = Zone(id="z", name="Arc", area=Drawn(outline=(
        Corner(x=0.4, y=0.4, bow=0.05), Corner(x=0.9, y=0.5), Corner(x=0.6, y=1.0, bow=-0.02),
    )))  # fmt: skip
    job = change(demo, part=demo.part.replaced(zones=(*demo.part.zones, zone)))
    for axis in ("x", "y"):
        other = mirrored(job, ["zone:z"], axis)
        outline = other.part.zones[-1].area.outline
        assert area(outline) == pytest.approx(area(zone.area.outline), rel=1e-6)
        assert check(outline).area == pytest.approx(check(zone.area.outline).area, rel=1e-4)
        back = mirrored(other, ["zone:z"], axis)
        assert (
            check(back.part.zones[-1].area.outline).symmetric_difference(check(zone.area.outline)).area < 1e-9
        )


@pytest.mark.parametrize(("side", "index"), [("left", 0), ("bottom", 1), ("right", 2), ("top", 3)])
def test_aligned_boxes_share_a_side(demo, side, index):
    job = aligned(demo, ("F1", "F2", "V1"), side)
    sides = [bounds(job, [n])[index] for n in ("F1", "F2", "V1")]
    assert max(sides) - min(sides) < 1e-6


def test_copies_wait_for_their_own_front(demo):
    job, made = duplicated(open_on_front(demo, "F2"), ["F2"], 0.1, 0.0)
    assert made == ("F3",)
    copy = next(x for x in job.lines if x.id == "F3")
    assert copy.opens == OnFront(line="F3")
    np.testing.assert_allclose(path(job, "F3") - path(job, "F2"), [[0.1, 0], [0.1, 0]], atol=1e-9)


def test_what_waited_for_a_line_taken_away_opens_at_the_start(demo):
    waits = change(demo, lines=tuple(
        x.replaced(opens=OnFront(line="F1")) if x.id == "F2" else x for x in demo.lines
    ))  # fmt: skip
    assert next(x for x in deleted(waits, ["F1"]).lines if x.id == "F2").opens == AtTime()
    assert remove_line(waits, "F1") == deleted(waits, ["F1"])


def test_cuts_reach_over_the_part(demo):
    for job in (cut_along(demo), cut_across(demo), cut_through(demo, (1.1, 0.75), (1.0, 1.0))):
        assert job.cut is not None
        a, b = job.cut.path
        inside = check(demo.part.outline)
        from shapely.geometry import LineString, Point

        line = LineString([a, b])
        assert not inside.contains(Point(a))
        assert not inside.contains(Point(b))
        assert line.intersection(inside).length > 0.4


def test_a_bar_moved_changes_its_rule_in_kind(demo):
    assert open_later(demo, "F2", 600.0, 420.0).lines[1].opens == AtTime(time=600.0)
    front = open_on_front(demo, "F2", 30.0)
    assert open_later(front, "F2", 500.0, 440.0).lines[1].opens == OnFront(line="F2", delay=90.0)
    assert open_later(front, "F2", 0.0, 440.0).lines[1].opens == OnFront(line="F2", delay=0.0)
    shut = shut_later(demo, "F1", 900.0, 1500.0, 1500.0)
    assert shut.lines[0].shuts == AtTime(time=900.0)
    assert shut_later(shut, "F1", 1500.0, 900.0, 1500.0).lines[0].shuts is None
    assert math.isclose(shut_later(shut, "F1", 950.0, 900.0, 1500.0).lines[0].shuts.time, 950.0)
