"""Findings on batches, on both sides of their limits; weighing to a step."""

from __future__ import annotations

import pytest
from tests.validation import layouts
from tests.validation.layouts import job

from bibulon.core.findings.judge import evidence_of, find
from bibulon.core.flow.forecast import COARSE, forecast
from bibulon.core.model.job import ChargePlan
from bibulon.core.resin.charge import charge
from bibulon.core.resin.mix import mix_of, weighed
from bibulon.core.resin.need import need_of
from bibulon.core.run.schedule import draw_of, schedule_of


def kinds(made, flow=True):
    return {
        f.kind
        for f in find(evidence_of(made, forecast(made, COARSE) if flow else None))
        if f.station == "Charge"
    }


def planned(**fields):
    made = job()
    return made.replaced(charge=made.charge.replaced(**fields))


def test_the_first_batch_is_ready_when_the_feed_opens():
    making = job().resin.mixing_time + job().charge.rest
    one = len(charge(job()).batches)
    rest = (1e4,) * (one - 1)
    assert "batch-first" not in kinds(planned(starts=(-making - 1, *rest)))
    assert "batch-first" in kinds(planned(starts=(-making + 1, *rest)))


def test_a_batch_is_poured_before_the_heel():
    made = planned(count=2)
    result, plan = forecast(made, COARSE), charge(made)
    draw = draw_of(result)
    heel_at = draw.when(plan.batches[0].mass - made.charge.heel)
    making = made.resin.mixing_time + made.charge.rest
    first = schedule_of(made, plan, result).batches[0].start
    assert heel_at < draw.end
    for late, told in ((-2.0, False), (2.0, True)):
        starts = (first, heel_at - making + late)
        found = kinds(planned(count=2, starts=starts))
        assert ("batch-heel" in found) is told


def test_one_pair_of_hands_mixes_one_batch():
    made = planned(count=2)
    making = made.resin.mixing_time + made.charge.rest
    for gap, told in ((1.0, False), (-1.0, True)):
        assert ("batch-hands" in kinds(planned(count=2, starts=(-making, gap)))) is told
    assert "batch-hands" not in kinds(planned(count=2, starts=(-making, -1.0), people=2))


def test_short_and_wasteful_by_the_margin():
    def chance(margin):
        return need_of(charge(planned(margin=margin))).short

    low, high = 0.0, 0.3
    for _ in range(40):
        middle = (low + high) / 2
        low, high = (middle, high) if chance(middle) > 0.10 else (low, middle)
    assert "likely-short" in kinds(planned(margin=low - 0.002), flow=False)
    assert "likely-short" not in kinds(planned(margin=high + 0.002), flow=False)
    assert "wasteful" not in kinds(planned(margin=0.349), flow=False)
    assert "wasteful" in kinds(planned(margin=0.351), flow=False)


def test_the_scale_is_fine_enough_for_the_smallest_batch():
    mass = min(b.mass for b in charge(job()).batches)
    ratio = job().resin.parts_b_per_100 / 100
    a, b = mass / (1 + ratio), mass * ratio / (1 + ratio)
    limit = 0.02 * 2 / (1 / a + 1 / b)
    assert "scale-coarse" not in kinds(planned(scale_step=limit * 0.99), flow=False)
    assert "scale-coarse" in kinds(planned(scale_step=limit * 1.01), flow=False)


def test_a_need_varies_as_its_sinks_do():
    """Independent normal sinks: the variance is the sum of theirs; half of all jobs need more than the middle."""
    plan = charge(job())
    need = need_of(plan)
    assert need.low < need.middle < need.high < 1.3 * need.middle
    bare = charge(planned(margin=0.0))
    assert need_of(bare).short == pytest.approx(0.5)


def test_masses_are_kept_and_rounded_to_the_step():
    mix = weighed(4.4217, 0.3, 1165.0, 960.0, 0.002)
    assert mix.mass_a + mix.mass_b == pytest.approx(4.4217, rel=1e-12)
    assert mix.mass_b / mix.mass_a == pytest.approx(0.3)
    assert round(mix.shown_a / 0.002) * 0.002 == pytest.approx(mix.shown_a)
    assert abs(mix.shown_a - mix.mass_a) <= 0.001 + 1e-12
    assert mix.off <= mix.worst
    assert mix.worst == pytest.approx(0.001 / mix.mass_a + 0.001 / mix.mass_b)


def test_volumes_of_both_parts_add_up_to_that_of_the_mix():
    resin = layouts.resin()
    mix = mix_of(resin, ChargePlan(scale_step=0.002), 3.0)
    assert mix.volume_a + mix.volume_b == pytest.approx(3.0 / resin.density, rel=1e-9)
