"""Findings just inside and just outside their limits, by figures worked out here."""

from __future__ import annotations

import math

import numpy as np
import pytest
from msgspec.structs import replace
from tests.validation import layouts
from tests.validation.layouts import LONG, WIDE, box, feed, foam, job, ring, stack, vacuum, with_core

from bibulon.core.drawing.graphs.timeline import milestones
from bibulon.core.edit.edit import change
from bibulon.core.findings.base import Evidence, Finding
from bibulon.core.findings.feeds import front_passes
from bibulon.core.findings.judge import acceptance_of, evidence_of, find, is_accepted
from bibulon.core.flow.forecast import Resolution, forecast
from bibulon.core.model.job import Accepted, AtTime, Conditions, Drawn, Layer, MeshExtent, Part, Spot, Zone
from bibulon.core.model.materials import ConstantViscosity
from bibulon.core.stack.laid import layer_region
from bibulon.core.stack.laminate import zone_stack

QUICK = Resolution(900, 1, 16)


def kinds(made, flow=False):
    return {f.kind for f in find(evidence_of(made, forecast(made, QUICK) if flow else None))}


@pytest.mark.parametrize(("past", "found"), [(0.004, False), (0.006, True)])
def test_a_line_may_lie_five_millimetres_past_the_edge(past, found):
    made = job(lines=(feed(path=((0.02, 0.02), (0.02, WIDE + past))), vacuum()))
    assert ("outside" in kinds(made)) is found


@pytest.mark.parametrize(("share", "found"), [(0.97, False), (1.03, True)])
def test_a_vacuum_hose_draws_the_bag_down_in_the_rule_s_time(share, found):
    # V / (π d⁴ p / 128 η L) = 120 s for the test's 4 L, 1.5 m and 20 mbar, solved for the bore.
    wanted = (128 * 1.8e-5 * 1.5 * 0.004 / (math.pi * 2000 * 120.0)) ** 0.25
    made = job(lines=(feed(), vacuum(hose_bore=wanted / share**0.25)))
    assert ("thin-vacuum" in kinds(made)) is found


@pytest.mark.parametrize(("below", "found"), [(0.51, False), (0.49, True)])
def test_the_bucket_is_measured_against_the_low_end_of_an_upright_part(below, found):
    assert ("above" in kinds(layouts.upright(below))) is found


def test_heights_that_are_all_above_the_datum_raise_the_low_end_too():
    made = layouts.upright(0.0)
    high = made.part.replaced(heights=(Spot(x=0, y=0.25, z=0.3), Spot(x=LONG, y=0.25, z=0.3)))
    assert "above" not in kinds(change(made, part=high, conditions=Conditions(bucket_below=-0.25)))


@pytest.mark.parametrize(("width", "found"), [(0.0011, False), (0.0009, True)])
def test_a_part_is_wider_than_a_millimetre(width, found):
    # Twice the area over the perimeter of a long strip is its width, but for its ends.
    made = job(part=job().part.replaced(outline=box(0, 0, 5.0, width)), mesh=None, lines=())
    assert ("outline" in kinds(made)) is found


@pytest.mark.parametrize(("end", "found"), [(LONG - 0.06 - 0.0101, False), (LONG - 0.06 - 0.0301, True)])
def test_peel_ply_may_end_ten_millimetres_short_of_the_mesh(end, found):
    # 30 mm short leaves 20 mm by 0.5 m bare, ten times what counts; 10 mm is the allowance.
    made = job(
        stack=(*stack(*layouts.PLIES), Layer(id="P", material="peel-85", outline=box(0, 0, end, WIDE)))
    )
    assert ("sticks" in kinds(made)) is found


def test_a_batch_is_drawn_within_its_pot_life():
    made = job()
    before = max(made.conditions.mixed_before_start, made.resin.mixing_time + made.charge.rest)
    age = forecast(made, QUICK).fill_time + before
    for share, found in ((1.01, False), (0.99, True)):
        assert (
            "past-life" in kinds(change(made, resin=layouts.resin(pot_life=age * share)), flow=True)
        ) is found


@pytest.mark.parametrize(("ratio", "found"), [(1.15, False), (1.6, True)])
def test_a_shape_widens_by_its_width_across_the_way_not_by_the_length_of_its_lines(ratio, found):
    # A trapezium of 0.3 m at the feed; the widths looked at stand 12 and 88 % along.
    far = 0.3 * ratio
    part = job().part.replaced(outline=layouts.ring((0, -0.15), (LONG, -far / 2), (LONG, far / 2), (0, 0.15)))
    lines = (feed(path=((0, -0.15), (0, 0.15))), vacuum(path=((LONG, -0.02), (LONG, 0.02))))
    assert ("widens" in kinds(job(part=part, mesh=None, lines=lines))) is found


def test_gas_in_a_ring_without_a_vent_is_pressed_until_pressures_balance():
    made = layouts.perimeter_in(vent=False)
    result = forecast(made, Resolution(900, 1, 16))
    c, resin = made.conditions, made.resin
    drive = c.atmosphere - resin.density * 9.80665 * c.bucket_below  # absolute, at the level of the part
    # p V = const from the vacuum that the bag was drawn to, to the feed's pressure.
    left = 1 - float(result.history.fraction @ result.model.network.volume) / float(
        result.model.network.volume.sum()
    )
    assert left == pytest.approx(c.vacuum / drive, rel=0.02)
    assert result.history.reason == "held by gas"


def test_flow_to_a_vent_is_counted_while_only_a_valve_is_awaited():
    """A strip that bleeds into a vent in its middle, while the far half waits for its own feed: Darcy's flow."""
    plain = {"bore": 0.0, "hose_length": 0.0}
    strip = job(
        part=job().part.replaced(outline=box(0, 0, 0.2, 0.1)), mesh=None, stack=stack("biax-600"),
        lines=(
            feed(path=((0, 0), (0, 0.1)), **plain),
            vacuum(path=((0.1, 0), (0.1, 0.1))).replaced(**plain),
            feed("F2", ((0.2, 0), (0.2, 0.1)), opens=AtTime(time=3000), **plain),
        ),
    )  # fmt: skip
    strip = change(strip, resin=strip.resin.replaced(viscosity=ConstantViscosity(value=0.2)))
    result = forecast(strip, Resolution(800, 1, 16))
    k = float(result.model.columns[0].transmissivity[0][0, 0])  # K h
    pull = strip.conditions.atmosphere - strip.conditions.vacuum - strip.resin.density * 9.80665 * 0.4
    bled = result.bled_by(2900.0) - result.bled_by(1000.0)
    assert bled == pytest.approx(k * (0.1 / 0.1) * pull / 0.2 * 1900, rel=0.02)


# -- acceptances


def pocket(place=(0.5, 0.5), size=0.01, rank=1):
    return Finding(f"pocket:{rank}", "warning", "t", "n", "l", "w", "m", "Lines", places=(place,), size=size)


def accepted(made, finding):
    mine = Accepted(
        key=finding.key,
        by="Ada",
        reason="trimmed off",
        when="today",
        place=finding.places[0],
        size=finding.size,
    )
    return change(made, accepted=(mine,))


@pytest.mark.parametrize(
    ("other", "covered"),
    [
        (pocket(rank=3), True),  # the same pocket, ranked otherwise
        (pocket(place=(0.549, 0.5)), True),
        (pocket(place=(0.551, 0.5)), False),  # moved by more than 50 mm
        (pocket(size=0.0124), True),
        (pocket(size=0.0126), False),  # grown by more than a quarter
        (pocket(size=0.002), True),
        (pocket(place=(0.1, 0.1)), False),  # another pocket of the same rank
        (replace(pocket(), weight="blocking"), False),
        (replace(pocket(), key="gap:1"), False),
    ],
)
def test_an_acceptance_belongs_to_a_place_and_a_size(other, covered):
    made = accepted(job(), pocket())
    assert is_accepted(made, other) is covered
    assert (acceptance_of(made, other) is not None) is covered


def test_an_acceptance_without_a_place_does_not_cover_what_has_one():
    made = change(job(), accepted=(Accepted(key="pocket:1", by="Ada", reason="x", when="then"),))
    assert not is_accepted(made, pocket())


def test_a_pocket_that_is_still_joined_to_a_vent_when_the_resin_gels_is_no_pocket():
    made = job(mesh=None, resin=layouts.resin(gel_time=400.0))
    result = forecast(made, QUICK)
    assert result.history.reason == "gelled"
    assert result.pockets == ()
    assert kinds(made, flow=True) >= {"gel"}


def test_evidence_is_told_without_a_forecast():
    assert "no-feed" in kinds(
        job(lines=(vacuum(),), mesh=MeshExtent(material="net-green", outline=box(0, 0, 0.9, WIDE)))
    )
    assert Evidence(job()).forecast is None


@pytest.mark.parametrize(
    ("cuts", "ways"),
    [
        ({}, set()),  # plain: nothing passes, from skin to skin either
        ({"grooves": layouts.GROOVES}, {("core", "upper skin")}),
        ({"grooves": layouts.GROOVES.replaced(face="lower")}, {("lower skin", "core")}),
        ({"scores": layouts.THROUGH}, {("lower skin", "core"), ("core", "upper skin")}),
        ({"hole_diameter": 0.002, "hole_pitch": 0.02}, {("lower skin", "core"), ("core", "upper skin")}),
    ],
)
def test_a_core_is_open_where_it_is_cut(cuts, ways):
    made = layouts.with_core(layouts.foam(**cuts))
    model = forecast(made, Resolution(400, 1, 8)).model
    cored = model.columns[2 * list(model.plan.zones).index("core")]  # zone by zone, first without mesh
    slots = [s.slot for s in model.sheets]
    assert {(slots[a], slots[b]) for a, b, _ in cored.joints()} - {("upper skin", "mesh")} == ways


def test_slots_cut_through_pass_what_parallel_plates_do():
    # w³/12 a metre of slot, both ways at the pitch: 2 · 0.001³ / 12 / 0.03.
    made = layouts.with_core(layouts.foam(scores=layouts.THROUGH))
    state = next(s for s in zone_stack(made, "core").layers if s.kind == "core")
    assert state.k_through == pytest.approx(2 * 0.001**3 / 12 / 0.03, rel=1e-9)


def overlaid(area):
    """The panel with a core in a zone that another, drawn after it, lies over; and whether a forecast of it is judged."""
    made = with_core(foam(hole_diameter=0.002, hole_pitch=0.02))
    over = Zone(id="over", name="Over", area=Drawn(outline=area))
    return made.replaced(part=made.part.replaced(zones=(*made.part.zones, over)))


def test_a_zone_that_another_covers_wholly_leaves_its_core_nowhere_and_the_rest_judged():
    made = overlaid(box(0.1, 0.02, 0.9, WIDE - 0.02))
    assert layer_region(made, made.stack[2]).is_empty
    assert "bevel" not in kinds(made, flow=True)
    assert kinds(made, flow=True) == kinds(made.replaced(stack=(*made.stack[:2], *made.stack[3:])), flow=True)


def test_a_ply_that_only_touches_the_part_lies_nowhere():
    """Its outline meets the part's in a line: that is no place for cloth, nor a border to end at."""
    made = with_core(foam(hole_diameter=0.002, hole_pitch=0.02))
    beside = made.stack[3].replaced(outline=box(LONG, 0.1, LONG + 0.3, 0.4))
    made = made.replaced(stack=(*made.stack[:3], beside, *made.stack[4:]))
    region = layer_region(made, beside)
    assert region.is_empty
    assert region.area == region.boundary.length == 0
    kinds(made)


def test_a_ply_that_overlaps_in_one_place_and_touches_in_another_lies_where_it_overlaps():
    notched = ring(
        (0, 0), (LONG, 0), (LONG, 0.2), (0.8, 0.2), (0.8, 0.3), (LONG, 0.3), (LONG, WIDE), (0, WIDE)
    )
    made = job(part=Part(outline=notched), mesh=None)
    odd = made.stack[0].replaced(
        outline=ring((0.8, 0.2), (0.9, 0.2), (0.9, 0.1), (0.95, 0.1), (0.95, 0.3), (0.8, 0.3))
    )
    region = layer_region(made.replaced(stack=(odd, *made.stack[1:])), odd)
    assert region.geom_type == "Polygon"
    assert region.area == pytest.approx(0.05 * 0.1)


def half_bare(edge=0.4):
    """The plies end at y = ``edge``; feed and vacuum run on over the bare part beside them."""
    made = job()
    return made.replaced(stack=tuple(x.replaced(outline=box(0, 0, LONG, edge)) for x in made.stack))


def test_a_line_that_runs_on_over_a_bare_place_is_followed_where_cloth_lies():
    made = half_bare()
    result = forecast(made, QUICK)
    model = result.model
    bare = ~(model.node_at[model.lines["V1"]] >= 0).any(axis=1)
    assert bare.any()
    times = result.line_wet_at("V1")
    assert len(times) == np.count_nonzero(~bare)
    tops = [max(np.flatnonzero(model.node_at[v] >= 0)) for v in model.lines["V1"][~bare]]
    assert times.tolist() == [
        result.wet_at[v, s] for v, s in zip(model.lines["V1"][~bare], tops, strict=True)
    ]
    (reached, *_) = [m.time for m in milestones(made, result) if m.text == "reaches V1"]
    assert reached == pytest.approx(times.min())
    assert front_passes(result, made.lines[1]) <= times.max()
    find(evidence_of(made, result))


def test_a_line_with_nothing_under_it_is_never_passed_by_the_front():
    result = forecast(half_bare(), QUICK)
    aside = replace(
        result, model=replace(result.model, lines={**result.model.lines, "V9": np.zeros(0, dtype=np.int64)})
    )
    assert aside.line_wet_at("V9").shape == (0,)
    assert front_passes(aside, vacuum("V9")) == math.inf
