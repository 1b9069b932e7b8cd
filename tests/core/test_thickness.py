"""Fibre share from thickness at points: exact without error, nine in ten ranges hold, wrong figures are named."""

from __future__ import annotations

import numpy as np
import pytest

from bibulon.core.drawing.kit.look import PlanLook
from bibulon.core.drawing.kit.scene import Label, View
from bibulon.core.drawing.kit.tokens import DAY
from bibulon.core.drawing.plan.thickplan import draw_shares, draw_thickness
from bibulon.core.geometry.zones import regions
from bibulon.core.library.demo import demo_job
from bibulon.core.series.record import outcome_of, record_json
from bibulon.core.series.thickness import (
    AS_IF,
    CALIPER,
    CORE_SCATTER,
    SCATTER,
    Measured,
    measured_of,
    share_of,
    thickness_entry,
    unmeasured_entry,
    zone_shares,
)
from bibulon.core.series.weighed import USUAL
from bibulon.core.stack.laminate import zone_stack

JOB = demo_job()


def place(zone):
    p = regions(JOB.part).zones[zone].representative_point()
    return p.x, p.y


def measured(zone, thickness):
    x, y = place(zone)
    return Measured("a", x, y, thickness)


def test_a_zone_as_thick_as_planned_has_the_planned_share():
    for zone in regions(JOB.part).zones:
        planned = zone_stack(JOB, zone).thickness
        (told,) = zone_shares(JOB, [measured(zone, planned)])
        assert told.vf is not None
        assert told.vf.middle == pytest.approx(told.vf_planned, rel=1e-9)
        assert told.vf.low < told.vf.middle < told.vf.high


def test_fibre_over_thickness_without_a_core():
    assert share_of([0.004, 0.004], 0.002).middle == pytest.approx(0.5)
    assert share_of([0.005, 0.003], 0.002).middle == pytest.approx(0.5)
    wide = share_of([0.005, 0.003], 0.002)
    tight = share_of([0.004, 0.004], 0.002)
    assert wide.high - wide.low > tight.high - tight.low


@pytest.mark.parametrize("count", [1, 3, 8])
def test_nine_in_ten_ranges_hold_the_share(count):
    """A thousand parts whose points scatter as zones do: by a χ² of spreads about the usual one."""
    rng = np.random.default_rng(count)
    held = 0
    for _ in range(1000):
        share = rng.uniform(0.4, 0.6)
        true = 0.004
        spread = SCATTER * np.sqrt(AS_IF / rng.chisquare(AS_IF)) * true
        fibre = share * true / (1 + np.hypot(USUAL["fibre"], USUAL["fibre_density"]) * rng.standard_normal())
        read = (true + spread * rng.standard_normal(count)) * (1 + CALIPER * rng.standard_normal())
        told = share_of(read, fibre)
        held += told.low < share < told.high
    assert 0.875 < held / 1000 < 0.925


@pytest.mark.parametrize(("core", "count"), [(0.005, 3), (0.015, 1), (0.015, 8)])
def test_nine_in_ten_ranges_hold_the_share_over_a_core(core, count):
    """A core is as thick as its lot was cut, and scatters from point to point as foam does."""
    rng = np.random.default_rng(7 * count)
    held = 0
    for _ in range(1500):
        share = rng.uniform(0.45, 0.55)
        plies = 0.004
        spread = np.hypot(SCATTER * plies, CORE_SCATTER * core) * np.sqrt(AS_IF / rng.chisquare(AS_IF))
        fibre = share * plies / (1 + np.hypot(USUAL["fibre"], USUAL["fibre_density"]) * rng.standard_normal())
        lot = core * (1 + USUAL["core"] * rng.standard_normal())
        read = (plies + lot + spread * rng.standard_normal(count)) * (1 + CALIPER * rng.standard_normal())
        told = share_of(read, fibre, core)
        held += told.low < share < told.high
    assert 0.87 < held / 1500 < 0.93


def test_points_are_changed_and_taken_off_by_rows():
    rows = [
        thickness_entry("a", 0.1, 0.2, 0.003, "3 mm", 1.0),
        thickness_entry("b", 0.3, 0.2, 0.004, "4 mm", 2.0),
        thickness_entry("a", 0.1, 0.2, 0.0035, "3.5 mm", 3.0),
    ]
    assert [p.thickness for p in measured_of(rows)] == [0.0035, 0.004]
    assert [p.uid for p in measured_of([*rows, unmeasured_entry(measured_of(rows)[0], 4.0)])] == ["b"]
    with pytest.raises(ValueError, match="no 600 mm thick"):
        thickness_entry("c", 0, 0, 0.6, "", 1.0)


def test_a_thickness_that_cannot_be_says_what_to_look_at():
    zone = next(iter(regions(JOB.part).zones))
    (told,) = zone_shares(JOB, [measured(zone, 0.0001)])
    assert told.vf is None
    assert "caliper" in told.problem


def test_it_stands_in_the_record_under_its_zone():
    zone = list(regions(JOB.part).zones)[1]
    x, y = place(zone)
    planned = zone_stack(JOB, zone).thickness
    rows = [thickness_entry(str(k), x + k * 1e-3, y, planned * 1.05, "", 1.0) for k in range(3)]
    (told,) = record_json(outcome_of(JOB, rows))["zones"]
    assert told["points"] == 3
    assert told["thickness_mm"] == pytest.approx(planned * 1050)
    assert told["vf_actual"]["low"] < told["vf_actual"]["mid"] < told["vf_planned"]


def test_the_drawings_tell_points_and_shares_in_both_units():
    zone = next(iter(regions(JOB.part).zones))
    points = [measured(zone, zone_stack(JOB, zone).thickness * 0.95)]
    zones = zone_shares(JOB, points)
    for system, unit in (("metric", "mm"), ("us", "in")):
        look = PlanLook(View.fit(regions(JOB.part).whole.bounds, 600, 400, 20), DAY, system)
        words = [i.text for i in draw_thickness(JOB, zones, points, None, "a", look) if isinstance(i, Label)]
        assert any(unit in w for w in words)
        words = [i.text for i in draw_shares(zones, 700, DAY, system) if isinstance(i, Label)]
        assert any("1 point" in w and unit in w for w in words)
        assert any(w.startswith(f"{zones[0].vf.middle * 100:.1f} %") for w in words)
