"""Verdicts while a test records, what is kept of it, and the list before resin."""

from __future__ import annotations

import math
from itertools import pairwise

import numpy as np
import pytest
from benchmarks.looks import KINDS, LIMIT, played
from hypothesis import given, settings
from hypothesis import strategies as st

from bibulon.core.drawing.graphs.proof import Known, Proof, draw_proof
from bibulon.core.drawing.graphs.pumpdown import draw_pump_down
from bibulon.core.drawing.kit.scene import Label
from bibulon.core.drawing.kit.tokens import DAY
from bibulon.core.leak.droptest import Verdict, fit_drop
from bibulon.core.leak.fades import fading
from bibulon.core.leak.interval import BLOCKS, _blocks, spread_of
from bibulon.core.leak.looks import FIRST, air_limit, limit_of, look_times, standing, what_tells
from bibulon.core.leak.pumpdown import fit_pump_down
from bibulon.core.library.demo import demo_job
from bibulon.core.model.drop_test import Reading
from bibulon.core.model.job import DropTest
from bibulon.core.model.rules import SCHOOLS
from bibulon.core.run.before import overridden, proof_entry, proof_steps, proven_steps, stale
from bibulon.core.run.journal import Entry
from bibulon.core.run.layup import next_gate
from bibulon.core.run.recording import KEPT, Recorder, is_reading, recordings, thinned


def record(rise, *, noise=5.0, length=900.0, step=2.0, fade=0.0, tau=90.0, seed=1, start=2500.0):
    t = np.arange(0, length + 1e-9, step)
    p = start + rise * t - fade * np.expm1(-t / tau) + np.random.default_rng(seed).normal(0, noise, len(t))
    return DropTest(
        readings=tuple(Reading(time=float(a), pressure=float(b)) for a, b in zip(t, p, strict=True)),
        volume=0.01,
    )


# -- looks


@pytest.mark.parametrize("kind", list(KINDS))
def test_a_verdict_taken_early_is_seldom_wrong(kind):
    """A few of what ``bin/bench looks`` plays 300 of."""
    ends = [played(kind, 1000 + seed) for seed in range(4)]
    wrong = {"tight": "leaks", "leaky": "good"}[kind]
    assert [e for e in ends if e.outcome == wrong] == []
    assert sum(e.decided_at is not None for e in ends) >= 2


@pytest.mark.parametrize("every", [15.0, 30.0, 45.0, 60.0])
def test_a_gauge_that_is_read_by_hand_is_looked_at_from_the_first_few_readings(every):
    """Three to seven readings by the first looks: they say nothing yet, and do not fail."""
    rows = tuple(Reading(time=float(t), pressure=2000 + 0.02 * t) for t in np.arange(0.0, 900.0, every))
    found = standing(DropTest(readings=rows, volume=0.01), 1.0)
    assert found.looks[0].time < 160.0
    assert found.outcome in ("good", "")


def test_a_look_once_made_is_not_made_again():
    test = record(0.3, length=400)
    early = standing(test.replaced(readings=test.readings[:100]), 5.0)
    late = standing(test, 5.0, early.looks)
    assert late.looks[: len(early.looks)] == early.looks
    assert [x.time for x in late.looks] == look_times(400.0)
    assert standing(test, 5.0).looks == late.looks


def test_what_is_decided_stays_whatever_comes_after():
    test = record(0.02, noise=2.0, length=300)
    good = standing(test, 1.0)
    assert good.outcome == "good"
    worse = [Reading(time=r.time + 300, pressure=r.pressure + 10 * r.time) for r in test.readings[1:]]
    later = standing(test.replaced(readings=(*test.readings, *worse)), 1.0, good.looks)
    assert later.outcome == "good"
    assert later.decided_at == good.decided_at


def test_before_the_first_look_nothing_is_said():
    test = record(20.0, length=FIRST - 20)
    now = standing(test, 0.1)
    assert now.outcome == "not yet"
    assert now.more == pytest.approx(20.0)
    assert standing(DropTest(), 0.1).outcome == "not yet"


def test_a_falling_pressure_is_never_good():
    test = record(-0.5, noise=1.0, length=600, start=20_000.0)
    assert standing(test, 1.0).outcome == "not yet"


def test_a_leak_on_the_limit_asks_for_no_endless_test():
    test = record(1.0, noise=1.0, length=600)
    now = standing(test, float(standing(test, 1e-9).looks[-1].middle))
    assert now.outcome == "not yet"
    assert now.more is None


def test_what_a_part_can_bear_is_two_per_cent_of_its_pores():
    job = demo_job()
    pores, gel = 0.006, 1800.0
    limit = air_limit(job, pores, gel)
    held = (job.conditions.atmosphere + job.conditions.vacuum) / 2
    assert limit * gel / held == pytest.approx(job.rules.air_share * pores)
    assert limit_of(SCHOOLS[0], 0.01, limit) == pytest.approx(limit / 0.01)
    assert limit_of(SCHOOLS[0], 0.01, None) == pytest.approx(3000 / 300)
    assert limit_of(SCHOOLS[3], 0.01, None) == pytest.approx(SCHOOLS[3].leak_limit / 0.01)


def test_words_say_what_a_record_cannot_tell_apart():
    slow = standing(record(0.5, noise=6.0, length=200, fade=600, tau=220), 0.6).latest
    assert any("looks like a leak" in w for w in what_tells(slow))
    coarse = record(0.6, noise=1.0, length=300)
    rounded = coarse.replaced(
        gauge_step=100.0,
        readings=tuple(Reading(time=r.time, pressure=round(r.pressure, -2)) for r in coarse.readings),
    )
    assert any("gauge's step" in w for w in what_tells(standing(rounded, 0.6).latest))


@given(st.floats(1.0, 500.0), st.integers(0, 2))
def test_every_fade_begins_at_nothing_and_rises(tau, shape):
    t = np.linspace(0, 1000, 50)
    f = fading(t, tau, shape)
    assert f[0] == 0
    assert np.all(np.diff(f) >= 0)


def test_a_known_step_and_a_dial_make_it_wider():
    from bibulon.core.leak.droptest import fit_test

    test = record(0.2, noise=2.0, length=300)
    plain, dial = fit_test(test), fit_test(test.replaced(gauge="dial"))
    assert (
        dial.rise_high - dial.rise_low > plain.rise_high - plain.rise_low + 0.1
    )  # 3 mbar an hour are 0.083 Pa/s each way
    coarse = fit_test(test.replaced(gauge_step=100.0))
    assert coarse.rise_high - coarse.rise_low > 2 * (plain.rise_high - plain.rise_low)


# -- kept


def recorded(seconds, every, rise=0.3):
    recorder, rows = Recorder.begun("a"), []
    rows.append(recorder.start("bag", 0.01, "a gauge", 0.0))
    for k in range(int(seconds / every)):
        row = recorder.take(k * every, 2000 + rise * k * every, k * every)
        if row is not None:
            rows.append(row)
    return recorder, rows


def test_a_row_a_second_and_nothing_acknowledged_is_lost():
    recorder, rows = recorded(60.0, 0.1)
    assert 55 <= sum(is_reading(r) for r in rows) <= 61
    (cut,) = recordings(rows)  # as after a kill: no row ends it
    assert cut.ended is None
    assert len(recorder.kept) - len(cut.readings) <= 12
    (whole,) = recordings([*rows, *recorder.end("good", 60.0)])
    assert len(whole.readings) == len(recorder.kept) == 600
    assert whole.verdict == "good"
    assert [r.time for r in whole.readings] == pytest.approx([r.time for r in recorder.kept], abs=0.006)


def test_a_night_takes_no_more_room_than_its_logarithm():
    recorder, rows = recorded(72 * 3600.0, 1.0)
    most = KEPT * (1 + math.log(72 * 3600 / KEPT))
    assert len(recorder.kept) < 1.05 * most
    assert len(rows) < 1.05 * most
    last = recorder.kept[-1]
    assert last.pressure == pytest.approx(2000 + 0.3 * last.time, rel=1e-9)  # means of a line lie on it


def test_a_log_of_three_days_is_thinned_and_tells_the_same_leak():
    """A straight line stays one: the mean of its values lies at the mean of its times."""
    time = np.arange(1.0, 72 * 3600.0)
    kept = thinned(time, 2000 + 0.01 * time)
    assert 7200 < len(kept) < 7200 * (1 + np.log(72 * 3600 / 7200)) + 10
    at, told = (np.array([getattr(r, f) for r in kept]) for f in ("time", "pressure"))
    assert told == pytest.approx(2000 + 0.01 * at, rel=1e-9)
    assert (np.diff(at) > 0).all()
    assert np.diff(at).max() <= 72 * 3600 / KEPT + 1
    noisy = 2000 + 0.01 * time + np.random.default_rng(5).normal(0, 10, len(time))
    low, high = fit_drop(thinned(time, noisy), 0.01).spread.quantiles(0.03, 0.96)
    assert low < 0.01 < high
    assert high - low < 0.002


def test_a_short_log_and_one_with_gaps_are_kept_reading_by_reading():
    time = np.r_[np.arange(0.0, 600.0, 5.0), np.arange(3000.0, 3600.0, 5.0)]
    kept = thinned(time, 2000 + time)
    assert [r.time for r in kept] == pytest.approx(time.tolist())
    assert [r.pressure for r in kept] == pytest.approx((2000 + time).tolist())
    assert thinned(np.zeros(0), np.zeros(0)) == ()


def test_a_night_at_ten_readings_a_second_is_fitted_from_a_handful_of_blocks():
    """As the recorder keeps it: most of it in the first minutes, then ever more thinly, none of which is a gap."""
    rng = np.random.default_rng(4)
    recorder = Recorder.begun("night")
    time = np.arange(1, 36_000) / 1.0
    for t, noise in zip(time, rng.normal(0, 5.0, len(time)), strict=True):
        recorder.take(float(t), 2500 + 0.02 * float(t) + float(noise), 0.0)
    kept = recorder.kept
    assert len(kept) > 10_000
    at = np.array([r.time for r in kept])
    pressure = np.array([r.pressure for r in kept])
    blocks = _blocks(at - at[0], pressure)[0]
    assert len(blocks) <= 2 * BLOCKS
    low, high = spread_of(at - at[0], pressure).quantiles(0.012, 0.988)
    assert low <= 0.02 <= high
    assert high - low < 0.004
    holes = np.r_[np.arange(0.0, 100.0), np.arange(400.0, 900.0)]
    assert (
        _blocks(holes, holes)[0][np.searchsorted(_blocks(holes, holes)[0], 250.0)] > 400.0
    )  # no block lies across a gap


@settings(max_examples=40)
@given(st.lists(st.tuples(st.floats(0, 1e4), st.floats(0, 1e5)), max_size=60))
def test_times_that_go_back_are_passed_over(said):
    recorder = Recorder.begun("b")
    rows = [recorder.start("pump", 0.01, "g", 0.0)]
    for t, p in said:
        if (row := recorder.take(t, p, 0.0)) is not None:
            rows.append(row)
    rows += recorder.end("", 0.0)
    (back,) = recordings(rows)
    times = [r.time for r in back.readings]
    assert all(b > a for a, b in pairwise(times))


def test_a_gap_is_told_once_and_no_value_is_made_up():
    recorder, rows = recorded(10.0, 0.5)
    rows += recorder.lost(10.0, "it was pulled out", 10.0)
    assert recorder.lost(11.0, "it was pulled out", 11.0) == []
    for k in range(40, 60):
        if (row := recorder.take(k * 0.5, 2020.0, k)) is not None:
            rows.append(row)
    (back,) = recordings([*rows, *recorder.end("", 30.0)])
    assert back.gaps == ((10.0, "it was pulled out"),)
    assert not any(9.6 < r.time < 20.0 for r in back.readings)


def test_rows_that_lack_figures_are_passed_over():
    rows = [
        Entry("test-x", 0.0, "test", {}, 1.0), Entry("test-x", 1.0, "readings", {"t": [0, "a", 2], "p": [1, 2]}, 1.0),
        Entry("test-x", 2.0, "readings", {"t": 3}, 1.0), Entry("test-y", 0.0, "readings", {"t": [0], "p": [1]}, 1.0),
    ]  # fmt: skip
    (only,) = recordings(rows)
    assert [(r.time, r.pressure) for r in only.readings] == [(0.0, 1.0)]


# -- before resin


def tick(steps, journal, upto):
    for step in steps:
        if step.key == upto:
            return
        journal.append(proof_entry(step, step.words, "Ada", 1.0))


def test_resin_waits_for_the_leak_test_or_for_a_name_and_a_reason():
    job, journal = demo_job(), []
    fails = Verdict("fail", "It loses too much.", "40 mbar", "30 mbar")
    steps = proof_steps(job, fails, None, "")
    leak = next(x for x in steps if x.key == "leak")
    mix = steps[-1]
    assert leak.needs == "It loses too much."
    tick(steps, journal, "leak")
    assert next_gate(steps, proven_steps(journal), mix) is leak
    journal.append(proof_entry(leak, leak.words, "Ada", 2.0, reason="thin part, gels in ten minutes"))
    assert overridden(journal) == {"leak": "thin part, gels in ten minutes"}
    assert next_gate(steps, proven_steps(journal), mix) is None
    journal.append(proof_entry(leak, leak.words, "Ada", 3.0, done=False))
    assert overridden(journal) == {}
    passes = proof_steps(job, Verdict("pass", "", "", ""), None, "")
    assert not any(x.needs for x in passes)
    assert "no leak test" in next(x for x in proof_steps(job, None, None, "") if x.key == "leak").needs


def test_a_test_that_is_old_or_of_a_bag_touched_since_counts_no_more():
    job = demo_job()
    job = job.replaced(test=job.test.replaced(recorded_at=1000.0))
    lasts = job.rules.test_lasts
    assert stale(job, [], 1000 + lasts - 1) == ""
    assert "old" in stale(job, [], 1000 + lasts + 1)
    mended = Entry("hunt", 0.0, "mended", {"x": 0, "y": 0}, 1100.0)
    assert "touched" in stale(job, [mended], 1200.0)
    assert stale(job, [Entry("hunt", 0.0, "mended", {"x": 0, "y": 0}, 900.0)], 1200.0) == ""
    assert stale(demo_job(), [mended], 1e9) == ""  # typed in: nobody knows when


# -- drawn


def words_of(items):
    return [i.text for i in items if isinstance(i, Label)]


@pytest.mark.parametrize("system", ["metric", "us"])
def test_the_proof_is_drawn_with_its_limit_and_its_range(system):
    test = record(0.3, length=400, fade=300)
    now = standing(test, 0.5)
    low, high = now.latest.spread.quantiles(0.02, 0.97)
    known = [Known(200.0, low - 0.1, 0.3, high + 0.1), Known(400.0, low, now.latest.rise, high)]
    proof = Proof(
        test.readings,
        now.latest,
        known,
        now.looks,
        0.5,
        "30 mbar in 5 min",
        (300.0, 3000.0),
        [(120.0, "silent")],
    )
    items = list(draw_proof(proof, 700, 520, DAY, system))
    told = words_of(items)
    # 0.5 Pa/s are 30 Pa, 0.3 mbar, 0.00886 inHg a minute.
    assert {"metric": "this part can bear 0.3 mbar", "us": "this part can bear 0.009 inHg"}[system] in told
    unit = 60 / {"metric": 100.0, "us": 3386.389}[system]
    (ranges,) = [t for t in told if " to " in t and ", " in t]
    middle, rest = ranges.split(", ")
    for text, value in zip((middle, *rest.split(" to ")), (now.latest.rise, low, high), strict=True):
        assert float(text) == pytest.approx(
            max(value, 0.0) * unit, abs={"metric": 0.0051, "us": 0.00051}[system]
        )
    assert "gap" in told
    labels = [i for i in items if isinstance(i, Label)]
    assert all(0 <= i.x <= 700 and 0 <= i.y <= 520 for i in labels)
    assert words_of(draw_proof(Proof((), None, (), (), 1.0, "", None), 700, 520, DAY, system))[0].startswith(
        "Pump down"
    )


def test_a_pump_down_is_drawn_to_its_floor():
    t = np.arange(0, 200, 5.0)
    readings = [Reading(time=float(a), pressure=float(800 + 1e5 * np.exp(-a / 20))) for a in t]
    pumping = fit_pump_down(readings, 0.01)
    told = words_of(draw_pump_down(readings, pumping, 2000.0, 600, 400, DAY, "metric"))
    assert any(t.startswith("ends at 8") for t in told)
    assert "vacuum wanted" in told
    assert len(words_of(draw_pump_down([], None, 2000.0, 600, 400, DAY, "metric"))) == 1


def test_limit_of_the_bench_is_between_its_kinds():
    rng = np.random.default_rng(0)
    assert all(KINDS["tight"](rng) < LIMIT < KINDS["leaky"](rng) for _ in range(50))
