"""Batches against the curve that the part draws: nothing past its life, never below the heel, no more than is needed."""

from __future__ import annotations

import numpy as np
import pytest

from bibulon.core.flow.forecast import COARSE, forecast
from bibulon.core.library.demo import demo_job
from bibulon.core.resin.charge import charge
from bibulon.core.run.schedule import Draw, Terms, draw_of, fewest, schedule, schedule_of


def even(total=8.0, end=1600.0):
    """A part that draws evenly."""
    return Draw(np.array([0.0, end]), np.array([0.0, total]))


def test_times_follow_from_an_even_draw():
    """8 kg in 1,600 s are 5 g a second; batches of 3 kg, heel 0.4, reserve 0.3, made in 200 s."""
    terms = Terms(0.4, 0.3, 150.0, 50.0, life=2000.0)
    made = schedule(even(), (3.0, 3.0, 3.0), terms)
    pours = [b.pour for b in made.batches]
    assert pours == pytest.approx([0.0, (3 - 0.7) / 0.005, (6 - 0.7) / 0.005])
    assert [b.start for b in made.batches] == pytest.approx([p - 200 for p in pours])
    assert [b.gone for b in made.batches] == pytest.approx([2.6 / 0.005, 5.6 / 0.005, 1600.0])
    assert made.left == pytest.approx(1.0)
    assert made.lowest == pytest.approx(0.7)
    assert made.troubles == ()


def test_a_slower_front_is_the_same_curve_drawn_out():
    terms = Terms(0.4, 0.3, 150.0, 50.0, life=2000.0)
    slow = schedule(even().slower(1.5), (3.0, 3.0, 3.0), terms)
    assert slow.batches[1].pour == pytest.approx(1.5 * 2.3 / 0.005)
    assert slow.batches[2].gone == pytest.approx(2400.0)


def test_each_trouble_comes_at_its_limit_and_not_before():
    base = Terms(0.4, 0.3, 150.0, 50.0, life=2000.0)
    made = schedule(even(), (4.5, 4.5), base)
    age = made.batches[0].gone - made.batches[0].start
    for life, told in ((age + 1, ()), (age - 1, ("past its life before it is drawn",))):
        found = schedule(even(), (4.5, 4.5), Terms(0.4, 0.3, 150.0, 50.0, life=life)).batches[0]
        assert found.troubles == told
    heel_at = (4.5 - 0.4) / 0.005
    for late, told in ((-1.0, ()), (1.0, ("the bucket is at its heel before it is poured",))):
        found = schedule(even(), (4.5, 4.5), base, starts=(-200.0, heel_at - 200 + late)).batches[1]
        assert found.troubles == told
    for gap, told in ((201.0, ()), (199.0, ("nobody is free to mix it",))):
        found = schedule(even(), (4.5, 4.5), base, starts=(-200.0, -200.0 + gap)).batches[1]
        assert found.troubles == told
    assert schedule(even(), (9.0,), base, starts=(-199.0,)).batches[0].troubles == (
        "not ready when the feed opens",
    )
    two = Terms(0.4, 0.3, 150.0, 50.0, life=2000.0, people=2)
    assert schedule(even(), (4.5, 4.5), two, starts=(-200.0, -150.0)).troubles == ()


def test_a_batch_that_the_part_does_not_need_is_not_mixed():
    made = schedule(even(4.0), (3.0, 3.0, 3.0), Terms(0.4, 0.3, 150.0, 50.0, life=2000.0))
    assert [b.used for b in made.batches] == [True, True, False]
    assert made.left == pytest.approx(2.0)


@pytest.mark.parametrize(
    "seed", [*range(250), *(pytest.param(k, marks=pytest.mark.slow) for k in range(250, 500))]
)
def test_random_jobs(seed):
    rng = np.random.default_rng(seed)
    n = int(rng.integers(2, 30))
    time = np.concatenate([[0.0], np.cumsum(rng.uniform(1, 200, n))])
    mass = np.concatenate([[0.0], np.cumsum(rng.exponential(1.0, n) ** 2)])
    mass *= rng.uniform(0.5, 40) / mass[-1]
    draw = Draw(time, mass)
    heel, reserve = rng.uniform(0.05, 0.6), rng.uniform(0.0, 0.5)
    total = draw.total + heel + rng.uniform(0.01, 1.0)
    terms = Terms(
        heel,
        reserve,
        rng.uniform(30, 300),
        rng.uniform(0, 120),
        rng.uniform(400, 6000),
        int(rng.integers(1, 4)),
    )
    made, sound = fewest(draw, total, rng.uniform(0.8, 12), terms)
    assert sum(b.mass for b in made.batches) == pytest.approx(total, rel=1e-9)
    assert sound == (made.troubles == ())
    if not sound:
        return
    for b in made.batches:
        if b.used:
            assert b.gone <= b.life_end + 1e-6
            assert b.start + terms.making <= b.pour + 1e-6
    # The level, worked out apart from the plan's own course.
    for t in np.linspace(0, draw.end, 400):
        poured = sum(b.mass for b in made.batches if b.used and b.pour <= t)
        assert poured - np.interp(t, time, mass) >= heel - 1e-6
    for k, b in enumerate(made.batches):
        at_once = sum(
            q.used and q.start <= b.start + 1e-9 and q.ready > b.start + 1e-6 for q in made.batches[: k + 1]
        )
        assert not b.used or at_once <= terms.people
    mixed = sum(b.mass for b in made.batches if b.used)
    assert mixed <= total + 1e-9
    assert mixed >= draw.total + heel - 1e-9


def test_the_demo_is_scheduled_by_its_forecast():
    job = demo_job()
    result = forecast(job, COARSE)
    plan = charge(job)
    made = schedule_of(job, plan, result)
    draw = draw_of(result)
    assert draw.end == result.fill_time
    assert len(made.batches) == len(plan.batches)
    assert made.left == pytest.approx(plan.total - draw.total)
    assert made.batches[0].start == -job.conditions.mixed_before_start or made.batches[0].ready <= 0
