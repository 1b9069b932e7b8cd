"""A post-cure under the glass transition, the slowing of cure at it, and findings on cure at both sides of their limits."""

from __future__ import annotations

import math

import numpy as np
import pytest
from scipy.integrate import solve_ivp
from shapely.geometry import LineString, Point

from bibulon.core.cure.field import field_of
from bibulon.core.cure.heat import COOLING, di_benedetto, glass_transition, kinetic_rate
from bibulon.core.cure.places import cure_of
from bibulon.core.cure.postcure import SERVICE, after_oven, schedule_end, suggested_steps
from bibulon.core.drawing.sheets.oven import oven_pages, oven_table
from bibulon.core.findings.judge import evidence_of, find
from bibulon.core.flow.build.orders import part_temperature
from bibulon.core.flow.forecast import Resolution, forecast
from bibulon.core.geometry.zones import regions
from bibulon.core.library.catalogue import library
from bibulon.core.library.demo import demo_job
from bibulon.core.model.cure import CurePlan, CureStep
from bibulon.core.resin.charge import charge
from bibulon.core.resin.clock import cure_course
from bibulon.core.run.schedule import schedule_of
from bibulon.core.run.youngest import out_last, vacuum_until, youngest_cure, youngest_gel

GAS = 8.314462618
JOB = demo_job()
RESIN = JOB.resin
KELVIN = 273.15


@pytest.fixture(scope="module")
def flow():
    return forecast(JOB, Resolution(600, 1, 12))


def test_the_rate_is_half_where_the_resin_turns_to_glass_and_whole_far_below():
    """Chern and Poehlein: 1/(1 + e^(C(α − α_c))) is a half at α_c, where DiBenedetto's line meets the temperature."""
    bare = RESIN.replaced(glass_cured=None)
    for warm in (290.0, 310.0, 330.0):
        grid = np.linspace(0, 1, 200_001)
        line = di_benedetto(RESIN.glass_uncured, RESIN.glass_cured, RESIN.glass_lambda, grid)
        critical = float(grid[np.argmin(np.abs(line - warm))])
        there = np.array([0.05, critical])
        both = kinetic_rate(RESIN, there, np.array(warm)) / kinetic_rate(bare, there, np.array(warm))
        assert both[1] == pytest.approx(0.5, abs=2e-3)
        assert both[0] > 0.999
    k = RESIN.viscosity.cure
    by_hand = (k.a1 + k.a2 * 0.3**k.m) * math.exp(-k.e1 / GAS / 300.0) * 0.7**k.n
    assert float(kinetic_rate(bare, np.array(0.3), np.array(300.0))) == pytest.approx(by_hand)


def test_the_end_of_a_schedule_is_the_sum_of_its_rises_and_holds():
    plan = CurePlan(
        oven_after=3600.0,
        steps=(CureStep(temperature=313.15, ramp=10 / 3600, hold=1800.0), CureStep(temperature=333.15, ramp=20 / 3600, hold=7200.0)),
    )  # fmt: skip
    assert schedule_end(plan, 293.15) == pytest.approx(3600 + 7200 + 1800 + 3600 + 7200 + 40 / COOLING)
    job = JOB.replaced(cure=plan)
    rows = [line.split(",") for line in oven_table(job, 293.15).splitlines()[1:]]
    assert [r[2] for r in rows] == ["rise", "hold", "rise", "hold", "cool", "open"]
    assert [float(r[0]) for r in rows] == [0, 7200, 9000, 12600, 19800, 27000]
    assert [float(r[1]) for r in rows] == [20.0, 40.0, 40.0, 60.0, 60.0, 20.0]


@pytest.mark.parametrize("over", [0.0, 6.0])
@pytest.mark.parametrize("name", ["epoxy-slow", "epoxy-extra-slow", "vinylester", "polyester-iso"])
def test_a_laid_schedule_stays_under_the_line_by_another_solver(name, over):
    """The part taken as warm as the oven, its cure followed by scipy's own solver: never over its glass transition, ready at the end."""
    resin = library()[name]
    start, alpha, service = 296.15, 0.80, resin.glass_cured - SERVICE - 8
    steps = suggested_steps(resin, alpha, start, service, resin.glass_cured + 20, over)
    assert steps, "it is not ready as it is"
    times, temps = [0.0], [start]
    for step in steps:
        times += [times[-1] + abs(step.temperature - temps[-1]) / step.ramp]
        temps += [step.temperature]
        times += [times[-1] + step.hold]
        temps += [step.temperature]
    assert max(np.abs(np.diff(temps)) / np.maximum(np.diff(times), 1e-9)) <= 20 / 3600 * 1.001

    def warm(t):
        return np.interp(t, times, temps)

    found = solve_ivp(
        lambda t, a: kinetic_rate(resin, a, np.array(warm(t))),
        (0, times[-1]),
        [alpha],
        max_step=120,
        rtol=1e-8,
    )
    glass = glass_transition(resin, found.y[0])
    assert (glass - warm(found.t)).min() > -over - 0.5
    assert glass[-1] >= service + SERVICE - 0.2


def test_a_part_that_may_be_over_the_line_is_in_the_oven_for_less_long():
    """Of a resin that is held at each step until its glass transition has risen."""
    resin = library()["epoxy-extra-slow"]
    spans = []
    for over in (0.0, 3.0, 6.0):
        steps = suggested_steps(
            resin, 0.80, 296.15, resin.glass_cured - SERVICE - 8, resin.glass_cured + 20, over
        )
        spans.append(schedule_end(CurePlan(oven_after=0.0, steps=steps), 296.15))
    assert spans[0] > spans[1] > spans[2]


def test_what_no_oven_can_reach_is_said():
    with pytest.raises(ValueError, match="turns soft at"):
        suggested_steps(RESIN, 0.8, 296.15, RESIN.glass_cured, 400.0)
    with pytest.raises(ValueError, match="no glass transition"):
        suggested_steps(RESIN.replaced(glass_cured=None), 0.8, 296.15, 318.15, 400.0)
    with pytest.raises(ValueError, match="h to go on"):
        suggested_steps(RESIN, 0.60, 283.15, 333.15, 285.15)
    assert suggested_steps(RESIN, 0.99, 296.15, 300.15, 400.0) == ()


def test_an_oven_that_runs_ahead_is_seen_and_one_that_waits_is_not(flow):
    def told(*steps):
        job = JOB.replaced(cure=JOB.cure.replaced(oven_after=6 * 3600.0, steps=steps))
        place = cure_of(
            job, flow, [(1.0, 0.75)], ranges=False, until=schedule_end(job.cure, part_temperature(job))
        )[0]
        return after_oven(job.cure, job.resin, place)

    quick = told(CureStep(temperature=343.15, ramp=400 / 3600, hold=3600.0))
    slow = told(
        CureStep(temperature=318.15, ramp=10 / 3600, hold=7200.0),
        CureStep(temperature=333.15, ramp=10 / 3600, hold=7200.0),
    )
    assert quick.margin < 0 < slow.margin
    assert quick.margin_at > 6 * 3600
    assert slow.reached > 333.15
    assert slow.alpha > 0.9


# -- findings, each on both sides


def kinds(flow, **cure):
    job = flow.job.replaced(cure=flow.job.cure.replaced(**cure))
    return {f.kind: f for f in find(evidence_of(job, flow)) if f.station == "Cure"}


def test_too_hot_at_its_limit(flow):
    peak = field_of(flow, JOB.cure).hottest.peak
    assert "cure-hot" in kinds(flow, part_limit=peak - 0.5, demould_below=300.0)
    assert kinds(flow, part_limit=peak - 0.5, demould_below=300.0)["cure-hot"].weight == "warning"
    assert kinds(flow, part_limit=peak - 26.0, demould_below=290.0)["cure-hot"].weight == "blocking"
    assert "cure-hot" not in kinds(flow, part_limit=peak + 0.5, demould_below=300.0)


def test_core_that_bears_less_than_the_peak(flow):
    peak = field_of(flow, JOB.cure).hottest.peak
    foam = next(k for k, m in JOB.materials.items() if m.kind == "core")

    def with_core(bears):
        job = JOB.replaced(materials={**JOB.materials, foam: JOB.materials[foam].replaced(bears=bears)})
        return {f.kind for f in find(evidence_of(job, flow))}

    assert "core-hot" in with_core(peak - 0.5)
    assert "core-hot" not in with_core(peak + 0.5)
    assert "core-hot" not in with_core(None)


def test_taken_out_before_gel_blocks_and_green_warns(flow):
    field = field_of(flow, JOB.cure)
    until = vacuum_until(JOB, flow, field)
    assert kinds(flow, taken_out=until - 30)["released"].weight == "blocking"
    assert "released" not in kinds(flow, taken_out=until + 30)
    assert "green" in kinds(flow, taken_out=until + 30)
    out = out_last(JOB, flow, field).demould[1]
    assert "green" in kinds(flow, taken_out=out - 30)
    assert "green" not in kinds(flow, taken_out=out + 30)
    assert not {"green", "released"} & set(kinds(flow))


def test_too_cold_to_cure(flow):
    assert "cure-cold" in kinds(flow, demould_alpha=0.97)
    assert "cure-cold" not in kinds(flow, demould_alpha=0.80)


def test_the_oven_against_line_core_and_service(flow):
    gentle = (
        CureStep(temperature=318.15, ramp=10 / 3600, hold=14400.0),
        CureStep(temperature=333.15, ramp=10 / 3600, hold=14400.0),
    )
    fierce = (CureStep(temperature=363.15, ramp=60 / 3600, hold=3600.0),)
    assert not {"post-over", "post-core", "post-short"} & set(kinds(flow, steps=gentle, service=313.15))
    assert {"post-over", "post-core"} <= set(kinds(flow, steps=fierce, service=313.15))
    assert "post-short" in kinds(flow, steps=gentle, service=345.15)


def test_the_oven_prints(flow):
    job = JOB.replaced(cure=JOB.cure.replaced(steps=(CureStep(temperature=323.15, hold=7200.0),)))
    pages = oven_pages(job, None, 295.15)
    words = " ".join(i.text for p in pages for i in p.items if hasattr(i, "text"))
    assert "50.0 °C" in words
    assert "data sheet comes first" in words


def test_a_dry_edge_does_not_take_the_cure_of_the_rest_away(flow):
    """A place whose triangle is not wet all over is passed over; the rest is reckoned."""
    job = flow.job.replaced(
        lines=tuple(x for x in flow.job.lines if x.id != "F2"),
        conditions=flow.job.conditions.replaced(vacuum=60_000.0),
    )
    thick = forecast(job, Resolution(600, 1, 8))
    wet = np.isfinite(thick.wet_through)
    assert 0 < wet.mean() < 1
    field = field_of(thick, job.cure)
    assert not isinstance(field, str)
    assert np.isfinite(field.gel[wet]).mean() > 0.5


def test_the_youngest_resin_is_that_of_the_last_batch_and_the_vacuum_waits_for_it(flow):
    """By hand: the last batch's mixing ends, and the law's own time to gel at the part's temperature passes."""
    job = flow.job
    made = schedule_of(job, charge(job), flow)
    assert len(made.batches) == 2
    warm = part_temperature(job)
    law = job.resin.viscosity
    times, alpha = cure_course(law, warm, 7 * 86400.0)
    mixed = made.batches[-1].start + job.resin.mixing_time
    assert youngest_gel(job, flow) == pytest.approx(mixed + times[-1], rel=1e-3)
    assert alpha[-1] == pytest.approx(law.alpha_gel, rel=2e-3)
    field = field_of(flow, job.cure)
    until = vacuum_until(job, flow, field)
    assert until == pytest.approx(max(field.slowest.gel, mixed + times[-1]), rel=1e-3)
    one = job.replaced(charge=job.charge.replaced(count=1), resin=job.resin.replaced(largest_batch=50.0))
    assert youngest_gel(one, flow) is None
    assert kinds(flow, taken_out=until - 30)["released"].weight == "blocking"
    assert "released" not in kinds(flow, taken_out=until + 30)


def test_the_part_leaves_the_mould_when_its_youngest_resin_is_hard(flow):
    job = flow.job
    young, field = youngest_cure(job, flow), field_of(flow, job.cure)
    made = schedule_of(job, charge(job), flow)
    mixed = made.batches[-1].start + job.resin.mixing_time
    later = mixed + job.conditions.mixed_before_start
    place = [(young.x, young.y)]
    (first,) = cure_of(job, flow, place, came=(-job.conditions.mixed_before_start, flow.end), ranges=False)
    # Mixed so much later it is hard later by no more than that: what it has yet to give off warms the part.
    assert 0.2 * later < young.demould[1] - first.demould[1] <= 1.001 * later
    assert young.demould[0] < young.demould[1] < young.demould[2]
    assert out_last(job, flow, field).demould[1] == max(young.demould[1], field.last.demould[1])
    feed = next(x for x in job.lines if x.id == "F2")  # which feeds in the end
    assert LineString(feed.path).distance(Point(place[0])) < 0.02
    one = job.replaced(charge=job.charge.replaced(count=1), resin=job.resin.replaced(largest_batch=50.0))
    assert youngest_cure(one, flow) is None
    assert out_last(one, flow, field) is field.last


def test_late_gel_and_print_through_at_their_limits(flow, monkeypatch):
    field = field_of(flow, JOB.cure)
    first, last = field.quickest, field.slowest
    assert first.zone != last.zone
    ratio = (last.gel - last.arrived) / (first.gel - first.arrived) - 1
    for off, there in ((-0.02, True), (0.02, False)):
        monkeypatch.setattr("bibulon.core.findings.cure.LATE_GEL", ratio + off)
        assert ("gel-late" in kinds(flow)) is there
    plan = regions(JOB.part)
    of = plan.zone_at(flow.model.mesh.points)
    peaks = [float(np.nanmax(field.peak[of == k])) for k in range(len(plan.zones))]
    zones = list(plan.zones.values())
    apart = max(
        peaks[a] - peaks[b]
        for a in range(len(zones))
        for b in range(len(zones))
        if a != b and zones[a].distance(zones[b]) <= 1e-6
    )
    for off, there in ((-0.05, True), (0.05, False)):
        monkeypatch.setattr("bibulon.core.findings.cure.PRINTS", apart + off)
        assert ("print" in kinds(flow)) is there
