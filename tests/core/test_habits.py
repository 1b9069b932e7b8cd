"""A shop's own record: spans of stages, ranges that hold, leaks by kind of place, and when service is due."""

from __future__ import annotations

import math

import numpy as np
import pytest

from bibulon.core.bag.bag import bag_of
from bibulon.core.drawing.graphs.habits import draw_habits, habits_height
from bibulon.core.drawing.kit.scene import Label
from bibulon.core.drawing.kit.tokens import DAY
from bibulon.core.leak.hunt import places_of
from bibulon.core.library.demo import demo_job
from bibulon.core.plans.routes import compare
from bibulon.core.run.hunting import mended_entry
from bibulon.core.run.journal import Entry
from bibulon.core.series.habits import hours_by_process, leaks_of, leaks_told, spans_of, stages_told
from bibulon.core.series.service import due, serviced_entry, serviced_of

JOB = demo_job()


def test_spans_are_those_between_the_first_and_the_last_row_of_a_stage():
    rows = [
        Entry("lay", 0, "laid", {}, 1000.0), Entry("lay", 0, "laid", {}, 4600.0), Entry("draw", 0, "drawn", {}, 5000.0),
        Entry("r", 0, "start", {"began": 9000.0}, 9000.0), Entry("r", 1500, "wet", {}, 10500.0),
        Entry("record", 0, "weighed", {"demould": 7200.0}, 20000.0),
    ]  # fmt: skip
    assert spans_of(rows) == {"laying up": 3600.0, "filling": 1500.0, "until it left the mould": 7200.0}
    left_over_a_weekend = [Entry("lay", 0, "laid", {}, 1.0), Entry("lay", 0, "laid", {}, 400_000.0)]
    assert spans_of(left_over_a_weekend) == {}


def test_the_next_job_takes_as_long_as_is_said_nine_times_in_ten():
    rng = np.random.default_rng(3)
    held = 0
    for _ in range(1000):
        jobs = np.exp(rng.normal(8.0, 0.3, 6))
        (stage,) = stages_told({"laying up": float(t)} for t in jobs[:5])
        held += stage.time.low < jobs[5] < stage.time.high
    assert 0.875 < held / 1000 < 0.925
    (one,) = stages_told([{"laying up": 3600.0}])
    assert one.time.middle == pytest.approx(3600.0)
    assert one.time.low == 0.0


def test_a_leak_belongs_to_the_kind_of_place_it_was_at():
    places = places_of(JOB, bag_of(JOB))
    tube = next(p for p in places if p.kind == "tube")
    ((kind, shares),) = leaks_of(JOB, [mended_entry(tube.x, tube.y, "tape", "Ana", 1.0)])
    assert kind == "tube"
    assert sum(shares.values()) == pytest.approx(1.0, abs=1e-3)
    assert leaks_of(JOB, []) == ()


def test_leaks_as_usual_change_nothing_and_many_at_one_kind_weigh_it():
    usual = {"tube": 0.5, "tape": 0.5}
    even = leaks_told([("tube", usual), ("tape", usual)] * 20)
    for x in even:
        assert x.factor.middle == pytest.approx(1.0)
        assert x.factor.low < 1 < x.factor.high
    first, second = leaks_told([("tape", usual)] * 10)
    assert (first.kind, second.kind) == ("tape", "tube")
    assert first.factor.middle == pytest.approx((5 + 10) / (5 + 5))
    assert second.factor.middle == pytest.approx(5 / 10)
    assert leaks_told([]) == ()


def test_ranges_of_a_kinds_rate_hold_it_nine_times_in_ten():
    """Shops whose rate is drawn from the prior itself, a gamma about one."""
    rng = np.random.default_rng(8)
    held = 0
    share = {"tube": 1.0}
    for _ in range(1500):
        rate = rng.gamma(10.0) / 10.0
        found = int(rng.poisson(rate * 12))
        told = leaks_told([("tube", share)] * 12)[0] if found == 12 else _told(found, 12)
        held += told.factor.low < rate < told.factor.high
    assert 0.875 < held / 1500 < 0.925


def _told(found, expected):
    """So many leaks at tubes where so many are usual."""
    extra = max(found - expected, 0)
    rows = [("tube", {"tube": 1.0})] * min(found, expected)
    rows += [("other", {"tube": 1.0})] * max(expected - found, 0)
    rows += [("tube", {})] * extra
    told = next(x for x in leaks_told(rows) if x.kind == "tube")
    assert told.found == found
    return told


def test_the_hunt_goes_by_the_shops_places():
    bag = bag_of(JOB)
    usual, own = places_of(JOB, bag), places_of(JOB, bag, {"tape": 3.0})
    for a, b in zip(usual, own, strict=True):
        assert b.weight == pytest.approx(a.weight * (3.0 if a.kind == "tape" else 1.0))


def test_a_steady_line_is_due_where_it_crosses():
    told = due([1.0, 1.1, 1.2, 1.3, 1.4, 1.5], 2.0)
    assert told is not None
    assert told.middle == pytest.approx(5.0)
    falling = due([5.0, 4.9, 4.8, 4.7, 4.6, 4.5], 4.0, -1)
    assert falling is not None
    assert falling.middle == pytest.approx(5.0)
    past = due([1.0, 1.1, 1.2, 1.3, 1.4], 1.2)
    assert past is not None
    assert past.middle == 0.0


def test_noise_without_drift_is_due_in_one_series_of_twenty_at_most():
    rng = np.random.default_rng(1)
    told = [due(list(rng.normal(size=10)), 3.0) for _ in range(600)]
    assert sum(x is not None for x in told) / 600 < 0.07
    assert due([1.0, 2.0, 3.0], 9.0) is None
    assert due([1.0] * 10, math.nan) is None


def test_service_falls_due_within_the_range_nine_times_in_ten():
    rng = np.random.default_rng(2)
    held = asked = 0
    for _ in range(1000):
        slope = rng.uniform(0.3, 0.6)
        told = due(list(slope * np.arange(10) + rng.normal(size=10)), slope * 9 + 3.0)
        if told is not None:
            asked += 1
            held += told.low <= 3.0 / slope <= told.high
    assert asked > 950
    assert 0.87 < held / asked < 0.93


def test_what_was_serviced_is_told():
    assert serviced_of([serviced_entry("outer seal", "Ana", 1.0)]) == ("outer seal",)


def test_the_drawing_tells_counts_and_times():
    stages = stages_told([{"filling": 600.0}, {"filling": 660.0}])
    leaks = leaks_told([("tube", {"tube": 1.0})])
    words = [i.text for i in draw_habits(stages, leaks, 800, 0, DAY) if isinstance(i, Label)]
    assert "where tubes enter" in words
    assert "10:29" in words
    assert any("2 jobs" in w for w in words)
    assert habits_height(stages, leaks) > habits_height(stages, ())


def test_hours_of_a_process_are_the_usual_times_of_what_hands_do():
    jobs = [
        ("light RTM", {"laying up": 3600.0, "filling": 600.0, "until it left the mould": 7200.0}),
        ("light RTM", {"laying up": 3600.0, "filling": 600.0}),
        ("infusion", {"filling": 1500.0}),  # nobody noted when it was laid up
    ]
    assert hours_by_process(jobs) == {"light RTM": (pytest.approx(4200 / 3600, abs=0.01), 2)}
    own = {c.route.name: c for c in compare(JOB, {"infusion": 9.0})}
    usual = {c.route.name: c for c in compare(JOB)}
    assert own["infusion"].hours == 9.0
    assert own["infusion"].labour == pytest.approx(9.0 * JOB.rates.labour)
    assert own["RTM"].hours == usual["RTM"].hours
