"""Stages of a leak test against each other, and the schools that hold for a night, a day, or until gel."""

from __future__ import annotations

import math
from types import SimpleNamespace
from typing import Any

import numpy as np
import pytest

from bibulon.core.drawing.graphs.stages import draw_stages
from bibulon.core.drawing.kit.scene import Label
from bibulon.core.drawing.kit.tokens import DAY
from bibulon.core.leak.droptest import fit_drop, judge, lasting, school_of
from bibulon.core.library.demo import demo_job
from bibulon.core.model.drop_test import Reading
from bibulon.core.model.job import DropTest
from bibulon.core.model.rules import SCHOOLS
from bibulon.core.run.journal import Entry
from bibulon.core.run.recording import Recorded
from bibulon.core.run.shots import ShotRecorder, shots_of
from bibulon.core.run.stages import added_of, difference, last_of, leak_of

SMALL, LARGE = 0.002, 0.012  # m³: lines alone, and the whole bag


def readings(rng, rise, *, span=600.0, every=4.0, noise=5.0):
    time = np.arange(0, span + 1, every)
    p = 2500 + rise * time + rng.normal(0, noise, len(time))
    return tuple(Reading(time=float(t), pressure=float(q)) for t, q in zip(time, p, strict=True))


def recorded(stage, rise, volume, *, seed=1, run="", ended=True, span=600.0):
    rng = np.random.default_rng(seed)
    return Recorded(
        run or stage, stage, volume, 0.0, span if ended else None, "gauge", readings(rng, rise, span=span)
    )


def leaks(tests):
    found = {k: leak_of(t) for k, t in last_of(tests).items()}
    return {k: leak for k, leak in found.items() if leak is not None}


def school(name):
    return next(s for s in SCHOOLS if s.id == name)


def test_what_a_feed_adds_holds_as_often_as_it_says():
    """Two tests with volumes of their own, forty times: the range of their difference holds what was added."""
    inside = 0
    for seed in range(40):
        rng = np.random.default_rng([seed, 7])
        first, added = 10 ** rng.uniform(-4.5, -3), 10 ** rng.uniform(-5, -2.5)
        before = fit_drop(readings(rng, first / SMALL), SMALL)
        then = fit_drop(readings(rng, (first + added) / LARGE), LARGE)
        _, low, high = difference(before, then)
        inside += low <= added <= high
    assert inside >= 36  # 19 in 20 stated


def test_the_range_of_a_difference_is_that_of_both_ends_together():
    """The low end is missed by what the second may be less and the first more, as independent errors add; and the other way round."""
    first: Any = SimpleNamespace(leak=1.0, leak_interval=(0.9, 1.3))
    then: Any = SimpleNamespace(leak=3.0, leak_interval=(2.8, 3.5))
    middle, low, high = difference(first, then)
    assert middle == pytest.approx(2.0)
    assert low == pytest.approx(2.0 - math.hypot(0.2, 0.3))
    assert high == pytest.approx(2.0 + math.hypot(0.5, 0.1))


def test_a_leak_that_came_with_the_bag_is_put_on_the_bag():
    tests = [
        recorded("pump", 0.01, SMALL),
        recorded("lines", 0.01, SMALL, seed=2),
        recorded("bag", 1.2, LARGE),
    ]
    pump, lines, bag = added_of(leaks(tests))
    assert (pump.before, lines.before, bag.before) == ("", "pump", "lines")
    assert not lines.sure
    assert bag.sure
    assert bag.low <= 1.2 * LARGE - 0.01 * SMALL <= bag.high


def test_a_leak_that_the_lines_had_is_not_put_on_the_bag():
    """The same leak, behind a larger volume: the pressure rises less, the leak is the same."""
    leak = 1.2e-3
    tests = [recorded("lines", leak / SMALL, SMALL), recorded("bag", leak / LARGE, LARGE, seed=3)]
    lines, bag = added_of(leaks(tests))
    assert lines.sure
    assert not bag.sure


def test_only_the_last_ended_test_of_a_stage_counts():
    old, new = recorded("bag", 1.0, LARGE, run="a"), recorded("bag", 0.1, LARGE, run="b")
    runs = recorded("bag", 2.0, LARGE, run="c", ended=False)
    assert last_of([old, new, runs])["bag"].run == "b"
    assert last_of([recorded("overnight", 1.0, LARGE)]) == {}
    assert added_of({}) == ()


def test_stages_are_drawn_in_colours_that_tell_a_leak_beyond_what_is_borne():
    tests = [recorded("lines", 0.01, SMALL), recorded("bag", 1.2, LARGE)]
    added = added_of(leaks(tests))
    items = list(draw_stages(added, 2e-3, (400.0, 120.0), DAY))
    words = [i.text for i in items if isinstance(i, Label)]
    assert "the lines and their joints" in words
    assert "+ the bag, its feed and its fittings" in words
    bars = [
        i for i in items if getattr(i, "stroke", None) == DAY.alarm or getattr(i, "color", None) == DAY.alarm
    ]
    assert len(bars) == 2  # the limit, and the bag's row
    rows = [i for i in items if not isinstance(i, Label)]
    for row in rows:
        for path in row.paths:
            assert (path[:, 0] >= 0).all()
            assert (path[:, 0] <= 400).all()


@pytest.mark.parametrize(
    ("name", "hours", "rise", "outcome"),
    [
        ("overnight", 10.0, 2000 / 36000, "pass"),
        ("overnight", 10.0, 9000 / 36000, "fail"),
        ("overnight", 2.0, 500 / 7200, "cannot tell"),
        ("day", 24.0, 4000 / 86400, "pass"),
        ("day", 24.0, 15000 / 86400, "fail"),
    ],
)
def test_a_night_and_a_day_pass_what_the_shop_passes(name, hours, rise, outcome):
    rng = np.random.default_rng(3)
    test = DropTest(readings=readings(rng, rise, span=hours * 3600, every=30.0), volume=0.01, school=name)
    told = judge(test, fit_drop(test.readings, test.volume), school(name))
    assert told.outcome == outcome
    if outcome == "cannot tell":
        assert told.limit == "10 h"
        assert told.wait == pytest.approx(8 * 3600, rel=0.01)


def test_as_long_as_gel_lasts_what_the_jobs_resin_takes():
    job = demo_job()
    job = job.replaced(test=job.test.replaced(school="as-long-as-gel"))
    assert job.resin is not None
    own = school_of(job)
    warm = job.replaced(
        conditions=job.conditions.replaced(resin_temperature=job.conditions.resin_temperature + 8)
    )
    assert own.minutes != school("as-long-as-gel").minutes
    assert school_of(warm).minutes < own.minutes  # warm resin gels sooner
    assert school_of(job.replaced(resin=None)).minutes == school("as-long-as-gel").minutes
    assert lasting(school("overnight"), 60.0).minutes == 600
    assert lasting(school("as-long-as-gel"), 5400.0).lasts == "90 min"


def test_rows_of_a_shot_that_lack_a_figure_or_go_back_are_passed_over():
    recorder = ShotRecorder.begun("a")
    rows = [recorder.start("m 1", 2e-5, 9e4, 3.0, 100.0)]
    for k in range(13):
        row = recorder.take(float(k), 8e4, 2e-5, 0.02 * k, 100.0 + k)
        rows += [row] if row else []
    assert recorder.take(3.0, 8e4, 2e-5, 0.1, 200.0) is None  # a clock that went back
    rows += recorder.end(13.0, "full", 0.26, 113.0)
    rows += [
        Entry(recorder.run, 14.0, "machine", {"t": [14.0], "p": None, "q": [0.0], "m": [0.2]}, 114.0),
        Entry(recorder.run, 15.0, "machine", {"t": [15.0], "p": ["x"], "q": [0.0], "m": [0.2]}, 115.0),
        Entry("shot-other", 1.0, "machine", {"t": [1.0], "p": [1.0], "q": [0.0], "m": [0.2]}, 116.0),
    ]
    (found,) = shots_of(rows)
    assert found.time.tolist() == [float(k) for k in range(13)]
    assert (found.ended, found.device, found.mass, found.began) == ("full", "m 1", 3.0, 100.0)
    course = found.course(1100.0)
    assert course is not None
    assert course.flow == pytest.approx(np.full(13, 2e-5 * 1100))
    assert shots_of([recorder.start("m 1", 2e-5, 9e4, 3.0, 1.0)])[0].course(1100.0) is None
