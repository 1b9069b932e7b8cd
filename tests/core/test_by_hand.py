"""Figures that pages print in passing, each against a sum by hand."""

from __future__ import annotations

import math

import numpy as np
import pytest
from tests.core.test_stack_and_part import UNI, panel

from bibulon.core.bag.bag import bag_of
from bibulon.core.cure.field import cure_field
from bibulon.core.flow.forecast import COARSE, forecast
from bibulon.core.library.demo import demo_job
from bibulon.core.library.mould_demo import mould_demo_job
from bibulon.core.lines.kit import kit_of
from bibulon.core.model.drop_test import DropTest, Reading
from bibulon.core.model.job import CatchPot, Corner, Part
from bibulon.core.model.part import Drawn, Zone
from bibulon.core.mould.flange import flange_of
from bibulon.core.resin.charge import charge
from bibulon.core.resin.clock import thickened
from bibulon.core.run.before import proof_steps, stale
from bibulon.core.run.callsheet import front_words
from bibulon.core.series.like import likeness
from bibulon.core.series.record import _in_lines, outcome_of, weighed_entry
from bibulon.core.series.settled import settled_of
from bibulon.core.series.table import read_series
from bibulon.core.series.thickness import thickness_entry
from bibulon.core.stack.totals import part_totals
from bibulon.core.units.figures import worded


def corners(*points):
    return tuple(Corner(x=x, y=y) for x, y in points)


def test_a_resin_thickens_as_castro_and_macosko_wrote():
    """At half of the cure at gel: 2 to the power c1 + c2 α."""
    law = demo_job().resin.viscosity.replaced(alpha_gel=0.6, c1=1.5, c2=1.0)
    fresh, half = thickened(law, 300.0, np.array([0.0, 0.3]))
    assert fresh == pytest.approx(law.mu0 * math.exp(law.energy / (8.314462618 * 300.0)))
    assert half / fresh == pytest.approx(2**1.8)


def test_areas_of_a_flange_are_those_of_rings_round_a_rectangle():
    """A ring out by b round L × W encloses LW + 2(L + W) b + π b²; half of each seal counts to either side."""
    job = mould_demo_job()
    long, wide = 0.9, 0.5
    part = Part(outline=corners((0, 0), (long, 0), (long, wide), (0, wide)), cavity=job.part.cavity)
    seal = job.closed.inner
    closed = job.closed.replaced(
        land=0.02, inner=seal.replaced(width=0.01), chamber=0.03, outer=seal.replaced(width=0.015)
    )
    flange = flange_of(job.replaced(part=part, closed=closed, lines=(), variants=()))

    def within(by):
        return long * wide + 2 * (long + wide) * by + math.pi * by**2

    land, inner, chamber, outer = (within(b) for b in (0.02, 0.03, 0.06, 0.075))
    assert flange.pressed_area == pytest.approx(land + (inner - land) / 2, rel=1e-4)
    half_seals = (inner - land) / 2 + (outer - chamber) / 2
    assert flange.chamber_area == pytest.approx(chamber - inner + half_seals, rel=1e-3)
    assert flange.whole.area == pytest.approx(outer, rel=1e-4)


def test_a_record_tells_the_leak_by_its_ends_and_the_share_that_was_planned():
    """From 20 to 32 mbar in ten minutes behind 20 L: 2 Pa/s × 0.02 m³; V_f 0.5 as laid."""
    job = panel(("uni", 0, {}), ("uni", 90, {}))
    readings = (
        Reading(time=30.0, pressure=2000.0),
        Reading(time=330.0, pressure=2900.0),
        Reading(time=630.0, pressure=3200.0),
    )
    came = outcome_of(job.replaced(test=DropTest(volume=0.02, readings=readings)), ())
    assert came.figures["leak"] == pytest.approx(0.04)
    assert came.planned_vf == pytest.approx(0.5)


def test_the_resins_balance_counts_the_heel_where_it_was_planned_to_stay():
    """What was mixed is in plies and core, in tubes, mesh, peel ply and the heel, in the pot, and what was left beyond the heel."""
    job = demo_job()
    plan = charge(job)
    sinks = {s.name: s.mass for s in plan.sinks}
    assert _in_lines(job) == pytest.approx(
        sinks["Peel ply and film"] + sinks["Mesh"] + sinks["Lines"] + sinks["Heel"]
    )
    totals = part_totals(job)
    spare = sinks["Margin"]  # all of it is left
    rows = [
        weighed_entry(1e9, "Ada", part=totals.mass, caught=sinks["Catch pot"], left=spare, mixed=plan.total)
    ]
    came = outcome_of(job, rows)
    assert came.balance.gap == pytest.approx(0.0, abs=1e-9)
    assert came.balance.closes
    with_heel = outcome_of(
        job,
        [
            weighed_entry(
                1e9,
                "Ada",
                part=totals.mass,
                caught=sinks["Catch pot"],
                left=spare + job.heel,
                mixed=plan.total,
            )
        ],
    )
    assert with_heel.balance.gap == pytest.approx(came.balance.gap - job.heel)


def test_likeness_is_of_size_slenderness_roundness_material_and_process():
    one = ((0, 0), (2, 0), (2, 1), (0, 1))
    turned = ((0, 0), (1, 0), (1, 2), (0, 2))
    longer = ((0, 0), (4, 0), (4, 1), (0, 1))
    assert likeness((one, ["a"], "infusion"), (turned, ["a"], "infusion")) == pytest.approx(1.0)
    roundness = 4 * math.pi * (2 / 36 - 4 / 100)
    off = math.log(2) + math.log(2) + 2 * roundness
    alike = likeness((one, ["a", "b"], "infusion"), (longer, ["b", "c"], "RTM"))
    assert alike == pytest.approx(0.5 * math.exp(-off) + 0.33 / 3)


def test_a_series_from_a_table_has_names_where_it_gives_them():
    parts = read_series("Part,mass_kg\nHatch 1,2.5\n,2.6\n ,2.7\n")
    assert parts == [("Hatch 1", {"mass": 2.5}), ("part 2", {"mass": 2.6}), ("part 3", {"mass": 2.7})]
    assert [name for name, _ in read_series("mass_kg\n2.5\n2.6\n")] == ["part 1", "part 2"]


def test_a_leak_test_is_as_old_as_the_clock_says():
    job = demo_job()
    job = job.replaced(test=job.test.replaced(recorded_at=1e9), rules=job.rules.replaced(test_lasts=3600.0))
    assert stale(job, (), 1e9 + 3600.0) == ""
    assert stale(job, (), 1e9 + 3661.0) == "The leak test is 61:01 old; it holds good for 60:00."


def test_the_largest_catch_pot_is_asked_for():
    job = demo_job().replaced(
        pots=(CatchPot(id="P1", label="P1", volume=0.002), CatchPot(id="P2", label="P2", volume=0.0045))
    )
    (pot,) = [s for s in proof_steps(job, None, None, "") if "Catch pot" in s.words]
    assert worded(pot.words).endswith(", 4.5 L")
    assert worded(pot.words, "us").endswith(", 1.2 gal")


def test_hoses_are_told_by_their_bore():
    job = demo_job()
    job = job.replaced(lines=tuple(x.replaced(hose_bore=0.012, hose_length=1.0) for x in job.lines))
    hoses = [x.name for x in kit_of(job, bag_of(job)) if x.key.startswith("hose:")]
    assert hoses == [f"{x.label}: hose, bore 12 mm" for x in job.lines] + ["pot 1: hose, bore 10 mm"]


@pytest.fixture(scope="module")
def shot():
    job = demo_job()
    return job, forecast(job, COARSE)


def test_the_sheet_tells_how_much_is_wet_through(shot):
    job, flow = shot
    time = 0.5 * flow.fill_time
    mesh = flow.model.mesh
    wet = (flow.wet_through <= time)[mesh.triangles].mean(axis=1)
    share = float((wet * mesh.areas).sum() / mesh.areas.sum())
    assert 0.2 < share < 0.9
    told = front_words(job, flow, time, "metric")
    assert float(told.split(" %")[0].split()[-1]) == pytest.approx(100 * share, abs=1)


def test_the_worst_places_of_a_cure_are_worse_than_the_rest_of_its_map(shot):
    job, flow = shot
    field = cure_field(job, flow)
    assert field.hottest.peak >= np.nanmax(field.peak) - 1e-6
    assert field.slowest.gel >= np.nanmax(field.gel) - 1e-6
    assert field.last.demould[1] >= np.nanmax(field.demould) - 1e-6


def test_the_surer_zone_weighs_more_in_what_a_run_says_of_a_cloth():
    """Many points a twentieth thinner in one zone, one a twentieth thicker in the other: the cloth packs more than planned."""
    half = Zone(id="left", name="Left", area=Drawn(outline=corners((0, 0), (0.5, 0), (0.5, 0.5), (0, 0.5))))
    job = panel(("uni", 0, {}), ("uni", 0, {}), zones=(half,))
    planned = 2 * 0.5 / UNI.fibre_density / 0.5
    rows = [thickness_entry(f"a{k}", 0.1 + 0.03 * k, 0.25, 0.95 * planned, "", 1e9 + k) for k in range(9)]
    rows.append(thickness_entry("b", 0.8, 0.25, 1.05 * planned, "", 2e9))
    (told,) = [s for s in settled_of(job, rows) if s[0] == "packing"]
    assert 0 < told[2] < math.log(1 / 0.95)
