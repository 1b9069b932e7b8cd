"""Time in a run: whatever is done to the wall's clock, order and intervals hold."""

from __future__ import annotations

import pytest

from bibulon.core.run.clock import Instant, RunClock
from bibulon.core.run.journal import Entry, rows_of, run_state


class Hand:
    """A clock that is set by hand."""

    def __init__(self) -> None:
        self.wall, self.up, self.boot = 1_000_000.0, 500.0, "first"

    def now(self) -> Instant:
        return Instant(self.wall, self.up, self.boot)

    def wait(self, seconds: float) -> None:
        self.wall += seconds
        self.up += seconds

    def restart(self, off: float) -> None:
        self.wall += off
        self.up, self.boot = 20.0, self.boot + "x"


@pytest.fixture
def hand():
    return Hand()


@pytest.fixture
def running(hand):
    clock = RunClock(hand)
    return clock, [Entry("r", 0.0, "start", clock.began(), hand.wall)]


def mark(clock, journal):
    journal.append(Entry("r", clock.elapsed(run_state(journal)), "front", {"x": 0, "y": 0}))


def test_marks_keep_their_times_though_the_clock_is_set_back_an_hour(hand, running):
    clock, journal = running
    for wait, jump in ((600, 0), (60, -3600), (240, 0)):
        hand.wait(wait)
        hand.wall += jump
        mark(clock, journal)
    assert [e.clock for e in journal[1:]] == [600, 660, 900]


@pytest.mark.parametrize("jump", [-3600.0, 7200.0, 3.0])
def test_a_jump_is_seen_once_and_by_how_much(hand, running, jump):
    clock, _ = running
    hand.wait(100)
    assert clock.jump() == 0
    hand.wall += jump
    assert clock.jump() == pytest.approx(jump)
    assert clock.jump() == 0


def test_a_slow_drift_is_no_jump(hand, running):
    clock, _ = running
    hand.wait(3600)
    hand.wall += 0.5
    assert clock.jump() == 0


def test_a_run_taken_up_in_the_same_start_of_the_machine_ignores_the_wall(hand, running):
    clock, journal = running
    hand.wait(300)
    mark(clock, journal)
    hand.wall -= 7200
    hand.wait(60)
    assert RunClock(hand).elapsed(run_state(journal)) == 360


def test_after_a_restart_the_wall_ties_it_anew(hand, running):
    clock, journal = running
    hand.wait(300)
    mark(clock, journal)
    hand.restart(off=400)
    again = RunClock(hand)
    assert again.elapsed(run_state(journal)) == 700
    hand.wait(10)
    assert again.elapsed(run_state(journal)) == 710


def test_after_a_restart_with_a_clock_that_went_back_time_goes_on_from_the_last_row(hand, running):
    clock, journal = running
    hand.wait(300)
    mark(clock, journal)
    hand.restart(off=-5000)
    again = RunClock(hand)
    assert again.elapsed(run_state(journal)) == 300
    hand.wait(45)
    mark(again, journal)
    assert journal[-1].clock == 345


def test_a_stopped_run_stands_and_the_next_begins_at_nought(hand, running):
    clock, journal = running
    hand.wait(300)
    journal.append(Entry("r", clock.elapsed(run_state(journal)), "stop"))
    hand.wait(1000)
    assert clock.elapsed(run_state(journal)) == 300
    journal.append(Entry("s", 0.0, "start", clock.began(), hand.wall))
    hand.wait(7)
    assert clock.elapsed(run_state(journal)) == 7
    assert clock.elapsed(run_state([])) == 0


def test_a_run_of_an_older_file_counts_by_the_wall(hand):
    journal = [Entry("r", 0.0, "start", {"began": hand.wall - 90}, hand.wall - 90)]
    clock = RunClock(hand)
    assert clock.elapsed(run_state(journal)) == 90
    hand.wall -= 3600
    hand.wait(5)
    assert clock.elapsed(run_state(journal)) == 95


@pytest.mark.parametrize("kind", [list, tuple])
def test_rows_of_some_kinds_come_in_the_order_of_the_journal(kind):
    kinds = ["note", "open", "shut", "open", "front", "shut", "note"]
    journal = kind(Entry("r", float(k), name, {"line": f"F{k}"}) for k, name in enumerate(kinds))
    assert [e.clock for e in rows_of(journal, "shut", "open")] == [1.0, 2.0, 3.0, 5.0]
    assert [e.clock for e in rows_of(journal, "front")] == [4.0]
    assert rows_of(journal, "start") == []


@pytest.mark.parametrize("kind", [list, tuple])
def test_thousands_of_readings_change_nothing_of_what_a_run_came_to(kind):
    acts = [
        Entry("r", 0.0, "start", {"began": 5.0}),
        Entry("r", 2.0, "open", {"line": "F1"}),
        Entry("r", 9.0, "batch"),
    ]
    other = [
        Entry("before", 50.0, "start", {"began": 1.0}),
        Entry("before", 99.0, "gauge", {"pressure": 1.0}),
    ]
    plain = run_state(kind([*other, *acts]))
    readings = [Entry("r", 10.0 + k, "gauge", {"pressure": 900.0}) for k in range(3000)]
    full = run_state(kind([*other, *acts[:2], *readings, acts[2]]))
    assert (full.run, full.open, full.batches, full.began) == ("r", {"F1"}, (9.0,), 5.0)
    assert plain.last == 9.0
    assert full.last == 3009.0


def test_a_journal_that_goes_on_and_one_that_was_changed_are_both_told_as_they_are():
    first = tuple(Entry("r", float(k), "note" if k % 2 else "open", {"line": f"F{k}"}) for k in range(6))
    assert len(rows_of(first, "open")) == 3
    longer = (*first, Entry("r", 9.0, "open", {"line": "F9"}), Entry("r", 9.5, "shut", {"line": "F9"}))
    assert [e.clock for e in rows_of(longer, "open", "shut")] == [0.0, 2.0, 4.0, 9.0, 9.5]
    assert len(rows_of(first, "open")) == 3  # what was known of it is still so
    changed = (first[0], *longer[2:])
    assert [e.clock for e in rows_of(changed, "note")] == [3.0, 5.0]
    assert [e.clock for e in rows_of(first[:2], "open", "note")] == [0.0, 1.0]
