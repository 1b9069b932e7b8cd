"""Ports moved by a hand: a vent off the middle of a rim-fed lid is led back to it, and one in the middle stays."""

from __future__ import annotations

import math

import pytest
import shapely

from bibulon.core.drawing.kit.look import PlanLook
from bibulon.core.drawing.kit.scene import Label, View
from bibulon.core.drawing.kit.tokens import DAY
from bibulon.core.drawing.plan.portmap import draw_ports
from bibulon.core.flow.forecast import Resolution
from bibulon.core.geometry.zones import regions
from bibulon.core.library.mould_demo import LONG, WIDE, mould_demo_job
from bibulon.core.plans.ports import HAND, PortRow, best_port, moved, port_rows, ports_of, trials

ROUGH = Resolution(400, 1, 8)
MIDDLE = (LONG / 2, WIDE / 2)


def row(fill, dry=0.0, place=(0.0, 0.0)):
    return PortRow("V1", place, fill, dry, 0.0)


def test_the_vent_alone_is_a_port_of_a_lid_fed_by_its_rim():
    job = mould_demo_job()
    assert [p.id for p in ports_of(job)] == ["V1"]
    assert len(trials(job)) == 5
    beside = moved(job, "V1", (0.05, WIDE / 2))
    whole = regions(job.part).whole
    assert all(shapely.contains_xy(whole, *place) for _, place in trials(beside))
    assert len(trials(beside)) == 4  # one would lie off the part
    assert moved(job, "V1", MIDDLE) == job


@pytest.mark.parametrize(("off", "way"), [((HAND, 0.0), (-1, 0)), ((0.0, -HAND), (0, 1))])
def test_a_vent_off_the_middle_is_led_back(off, way):
    """By symmetry the fronts from the rim meet in the middle: a vent beside it is wet early and shuts air in."""
    job = moved(mould_demo_job(), "V1", (MIDDLE[0] + off[0], MIDDLE[1] + off[1]))
    rows = list(port_rows(job, HAND, ROUGH))
    best = best_port(rows, job.rules.smallest_dry)
    assert best is not None
    assert best.place == pytest.approx(MIDDLE, abs=1e-9)
    assert rows[0].dry > best.dry or rows[0].fill_time > best.fill_time
    assert (best.place[0] - rows[0].place[0], best.place[1] - rows[0].place[1]) == pytest.approx(
        (HAND * way[0], HAND * way[1])
    )


def test_a_vent_in_the_middle_stays_and_both_ways_cost_alike():
    rows = list(port_rows(mould_demo_job(), HAND, ROUGH))
    assert best_port(rows, 1e-3) is rows[0]
    right, left = rows[1], rows[2]
    assert right.dry + left.dry > 0 or min(right.fill_time, left.fill_time) > rows[0].fill_time
    assert right.dry == pytest.approx(left.dry, abs=0.3 * max(right.dry, left.dry) + 1e-3)


@pytest.mark.parametrize(
    ("rows", "best"),
    [
        ([row(1000.0), row(995.0)], 0),
        ([row(1000.0), row(900.0)], 1),
        ([row(1000.0), row(900.0, dry=0.02)], 0),
        ([row(1000.0, dry=0.02), row(1100.0)], 1),
        ([row(math.inf, dry=0.5), row(900.0)], 1),
        ([row(1000.0, dry=5e-4), row(1000.0)], 0),  # too small to count
    ],
)
def test_dry_goes_before_time_and_little_counts_as_nothing(rows, best):
    assert best_port(rows, 1e-3) is rows[best]


def test_trials_are_drawn_with_what_they_change():
    job = mould_demo_job()
    rows = [
        row(400.0, place=MIDDLE),
        row(412.0, place=(MIDDLE[0] + HAND, MIDDLE[1])),
        row(380.0, 0.03, (MIDDLE[0], MIDDLE[1] + HAND)),
    ]
    look = PlanLook(View.fit(regions(job.part).whole.bounds, 600, 500), DAY, "metric")
    words = [i.text for i in draw_ports(job, rows, rows[1], look) if isinstance(i, Label)]
    assert words == ["V1: 6:40", "+12 s", "+300 cm² dry"]
    bare = [
        i.text for i in draw_ports(job, [row(math.nan, place=MIDDLE)], None, look) if isinstance(i, Label)
    ]
    assert bare == ["V1"]
    assert best_port([], 1e-3) is None
