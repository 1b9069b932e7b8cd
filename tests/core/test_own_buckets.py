"""Buckets of the job's own: charge, schedule, clock and calls tell of the batches that the forecast pours."""

from __future__ import annotations

import numpy as np
import pytest

from bibulon.core.drawing.graphs.timeline import clock_height, draw_clock, strip_for
from bibulon.core.drawing.kit.scene import Area, Label
from bibulon.core.drawing.kit.tokens import DAY
from bibulon.core.edit.edit import change
from bibulon.core.edit.plumb import add_bucket, begin_batch, change_bucket, fill_bucket
from bibulon.core.flow.forecast import Forecast, Resolution, forecast
from bibulon.core.library.demo import demo_job
from bibulon.core.model.job import AtTime, Bucket, Job, OnEmpty, PouredBatch
from bibulon.core.resin.charge import charge
from bibulon.core.resin.need import need_of
from bibulon.core.run.calls import calls
from bibulon.core.run.journal import run_state
from bibulon.core.run.schedule import schedule_of

SMALL = Resolution(400, 1, 12)


def with_batches(*batches: PouredBatch, heel: float = 0.4) -> tuple[Job, Forecast]:
    """Return the demo with one bucket, and its forecast."""
    job = change(demo_job(), buckets=(Bucket(id="B1", heel=heel, batches=batches),))
    return job, forecast(job, SMALL)


@pytest.fixture(scope="module")
def two() -> tuple[Job, Forecast]:
    """Three kilograms first, six poured at five minutes."""
    return with_batches(
        PouredBatch(mass=3.0, mixed=-240.0), PouredBatch(mass=6.0, mixed=60.0, poured=AtTime(time=300.0))
    )


def test_the_charge_is_what_the_buckets_hold(two):
    job, _ = two
    plan = charge(job)
    assert [b.mass for b in plan.batches] == [3.0, 6.0]
    assert plan.total == pytest.approx(9.0)
    assert plan.part_a + plan.part_b == pytest.approx(9.0)
    usual = charge(demo_job())
    drunk = sum(s.mass for s in usual.sinks if s.name != "Margin")
    margin = next(s for s in plan.sinks if s.name == "Margin")
    assert margin.mass == pytest.approx(9.0 - drunk)
    assert plan.wanted == pytest.approx(9.0)


def test_the_heel_is_that_of_the_buckets():
    usual = demo_job()
    assert usual.heel == usual.charge.heel == 0.4
    one = change(usual, buckets=(Bucket(id="B1", heel=0.7, batches=(PouredBatch(mass=9.0),)),))
    assert next(s.mass for s in charge(one).sinks if s.name == "Heel") == one.heel == 0.7
    head = Bucket(id="H", heel=0.4, feeds=("F2",), batches=(PouredBatch(mass=9.0, mixed=None),))
    assert change(one, buckets=(one.buckets[0].replaced(feeds=("F1",)), head)).heel == 0.7  # a head has none


def test_too_little_in_the_buckets_is_short():
    job = change(demo_job(), buckets=(Bucket(id="B1", batches=(PouredBatch(mass=4.0),)),))
    plan = charge(job)
    assert plan.total == 4.0
    assert plan.wanted > 7.0  # what its places take is as it was
    assert need_of(plan).short > 0.99


def test_a_mixing_head_mixes_what_is_wanted_as_far_as_it_holds():
    usual = demo_job()
    wanted = charge(usual).total - usual.charge.heel * (1 + usual.charge.margin)  # nothing stays in a bucket
    for holds, mixed in ((100.0, wanted), (5.0, 5.0)):
        job = change(demo_job(), buckets=(Bucket(id="H", batches=(PouredBatch(mass=holds, mixed=None),)),))
        assert charge(job).total == pytest.approx(mixed)


def test_batches_are_poured_when_the_forecast_pours_them(two):
    job, result = two
    first, second = schedule_of(job, charge(job), result).batches
    assert (first.pour, second.pour) == (0.0, 300.0)
    assert (first.start, second.start) == (-240.0, 60.0)
    # The first is gone when three kilograms less the heel are drawn; by the frames of the forecast.
    drawn = np.array([sum(f.fed) for f in result.history.frames]) * result.density
    times = np.array([f.time for f in result.history.frames])
    assert np.interp(first.gone, times, drawn) == pytest.approx(3.0 - 0.4, abs=1e-6)
    assert second.used


def test_what_waits_for_an_empty_bucket_is_poured_then():
    job, result = with_batches(
        PouredBatch(mass=3.0, mixed=-180.0), PouredBatch(mass=6.0, mixed=0.0, poured=OnEmpty(bucket="B1"))
    )
    made = schedule_of(job, charge(job), result)
    (emptied,) = [e.time for e in result.history.emptied[:1]]
    assert made.batches[1].pour == pytest.approx(emptied)
    assert made.batches[1].pour == pytest.approx(made.batches[0].gone, rel=0.02)


def test_a_batch_that_is_never_poured_is_not_used():
    job, result = with_batches(
        PouredBatch(mass=9.0, mixed=-180.0), PouredBatch(mass=2.0, poured=AtTime(time=90_000.0))
    )
    made = schedule_of(job, charge(job), result)
    assert [b.used for b in made.batches] == [True, False]
    assert made.left == pytest.approx(9.0 - made.draw.total)


def test_a_forecast_and_a_charge_of_a_moment_ago_are_borne(two):
    """While a batch is added the window still has what was worked out before it."""
    job, result = two
    plan = charge(job)
    (bucket,) = job.buckets
    more = change_bucket(
        job, "B1", batches=(*bucket.batches, PouredBatch(mass=1.0, poured=AtTime(time=600.0)))
    )
    made = schedule_of(more, plan, result)
    assert [b.mass for b in made.batches] == [3.0, 6.0, 1.0]
    assert [b.used for b in made.batches] == [True, True, False]


def test_resin_past_its_life_is_told(two):
    job, result = two
    assert job.resin is not None
    old = change(job, resin=job.resin.replaced(pot_life=300.0))
    assert schedule_of(old, charge(old), result).batches[1].troubles
    assert not schedule_of(job, charge(job), result).batches[1].troubles


def test_a_batch_that_is_poured_before_it_is_mixed_is_told():
    job, result = with_batches(
        PouredBatch(mass=3.0, mixed=-240.0), PouredBatch(mass=6.0, mixed=400.0, poured=AtTime(time=300.0))
    )
    first, second = schedule_of(job, charge(job), result).batches
    assert first.troubles == ()
    assert second.troubles == ("poured before it is mixed",)


def test_the_clock_and_the_calls_tell_of_them(two):
    job, result = two
    strip = strip_for(1280, result)
    drawn = list(draw_clock(job, result, charge(job), 0.0, strip, 128, DAY, "metric", ()))
    texts = {i.text: i for i in drawn if isinstance(i, Label)}
    assert "batch 2 · 6.00 kg" in texts
    assert texts["batch 2 · 6.00 kg"].x == pytest.approx(strip.x(300.0) + 6)
    assert not any(
        t.startswith("batch 1") for t in texts
    )  # the box of the second's mixing leaves no room for words
    said = calls(job, result, charge(job), run_state([]), "metric")
    (mix,) = [c for c in said if c.text == "Mix batch 2"]
    assert mix.time == 60.0
    assert mix.why.startswith("6.00 kg")


def test_two_buckets_share_the_lane():
    job = demo_job()
    buckets = (
        Bucket(id="B1", feeds=("F1",), batches=(PouredBatch(mass=6.0),)),
        Bucket(id="B2", feeds=("F2",), batches=(PouredBatch(mass=5.0),)),
    )
    job = change(job, buckets=buckets)
    result = forecast(job, SMALL)
    made = schedule_of(job, charge(job), result)
    fed = np.array(result.history.frames[-1].fed) * result.density
    assert made.draw.total == pytest.approx(fed.sum(), rel=0.05)
    strip = strip_for(1280, result)
    drawn = list(draw_clock(job, result, charge(job), 0.0, strip, 128, DAY, "metric", ()))
    bars = [i for i in drawn if isinstance(i, Label) and i.text.startswith("batch")]
    assert [b.text for b in bars] == ["batch 1 · 6.00 kg", "batch 2 · 5.00 kg"]
    assert bars[1].y - bars[0].y > 11  # each can be read
    assert clock_height(job) > clock_height(demo_job())
    named = {i.text: i.y for i in drawn if isinstance(i, Label)}
    assert bars[1].y < named["front"] - 12
    assert any(isinstance(i, Area) for i in drawn)


def test_a_schedule_fills_the_only_bucket_and_batches_move():
    job = add_bucket(demo_job())
    filled = fill_bucket(job, [(4.0, -240.0, 0.0), (5.0, 100.0, 400.0)])
    assert [(b.mass, b.mixed) for b in filled.buckets[0].batches] == [(4.0, -240.0), (5.0, 100.0)]
    assert filled.buckets[0].batches[1].poured == AtTime(time=400.0)
    moved = begin_batch(filled, 1, 200.0, 460.0)
    assert moved.buckets[0].batches[1].mixed == 200.0
    assert moved.buckets[0].batches[1].poured == AtTime(time=460.0)
    early = begin_batch(filled, 0, -500.0, -240.0)
    assert early.buckets[0].batches[0].poured == filled.buckets[0].batches[0].poured  # when the feed opens
    assert change_bucket(filled, "B1", heel=1.0).buckets[0].heel == 1.0
    several = change(
        job, buckets=(*job.buckets, Bucket(id="B9", feeds=("F2",), batches=(PouredBatch(mass=1.0),)))
    )
    with pytest.raises(ValueError, match="2 buckets"):
        fill_bucket(several, [(4.0, 0.0, 0.0)])
