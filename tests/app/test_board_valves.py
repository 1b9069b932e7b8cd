"""Valves on the board: what the plan calls is done by one key, what nobody planned by a line, and both are on the record."""

from __future__ import annotations

import pytest
from PySide6.QtCore import QEvent, Qt
from PySide6.QtGui import QKeyEvent
from tests.app.hand import HandClock

from bibulon.app.kit.acts import KEYS_IN_PLACE
from bibulon.app.stations.shoot import refitting
from bibulon.core.edit.edit import change_line
from bibulon.core.model.job import AtTime, ValveTurn
from bibulon.store.jobfile import load

K = Qt.Key


@pytest.fixture
def board(window, qtbot, demo, monkeypatch):
    asked = []
    monkeypatch.setattr(refitting, "prior_of", lambda job, **_: asked.append(job))
    turns = (ValveTurn(when=AtTime(time=120.0), share=0.4),)
    with qtbot.waitSignal(window.session.forecaster.idle, timeout=60_000):
        window.session.new(change_line(demo, "V1", shuts=AtTime(time=300.0), turns=turns))
    clock = HandClock()
    window.session.run_clock.clock = clock
    window.session.run_clock._wall_less_up = 1e9 - 100.0
    window.go_to("Shoot")
    board = window.station("Shoot").board
    board.hand_clock, board.asked_jobs = clock, asked
    board._ticker.setInterval(10**7)
    board.setFocus()
    return board


def on(board, seconds):
    board.hand_clock.on(seconds)
    board.refresh()


def start(board, qtbot):
    qtbot.keyClick(board, K.Key_Return)
    qtbot.keyClick(board, K.Key_Return)  # gates before resin are still shut: asked twice
    board._ticker.stop()


def rows(board):
    return [
        (e.kind, e.data.get("line"), e.data.get("share")) for e in board.session.journal if "line" in e.data
    ]


def test_calls_at_a_vacuum_are_told_and_done_by_one_key_each(board, qtbot, tmp_path, window):
    path = tmp_path / "p.bibulon"
    assert window.session.save(path)
    start(board, qtbot)
    on(board, 125.0)
    assert board.next.big.text() == "Throttle V1 to 40 %"
    assert board.buttons["valve"].text() == "Throttle V1 to 40 %\nV"
    assert board.plan.states["V1"] == "open"
    qtbot.keyClick(board, K.Key_V)
    assert board.plan.states["V1"] == "40 %"
    assert board.buttons["valve"].text() == "Clamp V1\nV"
    on(board, 180.0)
    qtbot.mouseClick(board.buttons["valve"], Qt.MouseButton.LeftButton)
    assert board.plan.states["V1"] == "shut"
    assert "valve" not in board.buttons
    assert rows(board)[1:] == [("turned", "V1", 0.4), ("shut", "V1", None)]
    assert [e.kind for e in load(path).journal] == [e.kind for e in board.session.journal]


def test_a_vacuum_is_moved_by_judgement_by_its_name(board, qtbot, window):
    start(board, qtbot)
    on(board, 125.0)
    qtbot.keyClick(board, K.Key_V)
    on(board, 180.0)
    qtbot.keyClick(board, K.Key_V)
    for typed, stands in (("v1", "open"), ("V1 30 %", "30 %"), ("V1 100 %", "open"), ("V1 0%", "shut")):
        qtbot.keyClick(board, K.Key_V)
        assert board.line.isVisible()
        qtbot.keyClicks(board.typed, typed)
        qtbot.keyClick(board.typed, K.Key_Return)
        assert board.plan.states["V1"] == stands, typed
    before = len(board.session.journal)
    for wrong, told in (("F1", "There is no vacuum line “F1”; there are: V1."), ("V1 140 %", "at most")):
        qtbot.keyClick(board, K.Key_V)
        qtbot.keyClicks(board.typed, wrong)
        qtbot.keyClick(board.typed, K.Key_Return)
        assert told in window.message.text()
    assert len(board.session.journal) == before


def test_a_feed_that_is_to_stay_shut_makes_way_for_the_next_call(board, qtbot, tmp_path, window):
    path = tmp_path / "p.bibulon"
    assert window.session.save(path)
    start(board, qtbot)
    assert "stays" not in board.buttons
    on(board, 60.0)
    qtbot.keyClick(board, K.Key_1)
    assert board.next.big.text() == "Open F1"
    assert board.buttons["stays"].text() == "F1 stays shut\nS"
    qtbot.keyClick(board, K.Key_S)
    assert board.next.big.text() == "Throttle V1 to 40 %"
    assert "stays" not in board.buttons
    assert board.plan.states["F1"] == "shut"
    kept = load(path).journal  # on disk before the board shows it
    assert (kept[-1].kind, kept[-1].data["act"], kept[-1].data["text"]) == (
        "turned",
        "stays",
        "F1 stays shut",
    )
    qtbot.keyClick(board, K.Key_1)
    assert board.plan.states["F1"] == "open"
    qtbot.keyClick(board, K.Key_S)  # nothing stands shut that could stay so
    assert rows(board)[1:] == [("shut", "F1", None), ("turned", "F1", None), ("open", "F1", None)]


def test_once_all_is_wet_and_the_feeds_are_shut_nothing_is_opened(board, qtbot):
    start(board, qtbot)
    on(board, 1500.0)
    for key in (K.Key_V, K.Key_V, K.Key_2, K.Key_W):
        qtbot.keyClick(board, key)
    assert board.next.big.text() == "Shut the feeds, hold the vacuum"
    for key in (K.Key_1, K.Key_2):
        qtbot.keyClick(board, key)
    assert board.next.big.text() == "Hold the vacuum until gel"


def test_the_plan_bars_a_vacuum_from_when_it_is_clamped(board, window):
    plan = window.station("Lines").plan
    window.go_to("Lines")
    for moment, shut in ((290.0, False), (310.0, True)):
        window.session.set_moment(moment)
        assert ("V1" in plan.look().shut) is shut


def test_many_feeds_have_a_target_each_that_is_whole(window, qtbot, demo, monkeypatch):
    """A deck of twelve feeds: two rows of targets as long as each other, nothing cut off."""
    monkeypatch.setattr(refitting, "prior_of", lambda *_, **__: None)
    feed = demo.lines[0]
    feeds = tuple(
        feed.replaced(id=f"F{k}", label=f"F{k}", path=((0.1 + 0.15 * k, 0.5), (0.1 + 0.15 * k, 0.9)))
        for k in range(1, 13)
    )
    with qtbot.waitSignal(window.session.forecaster.idle, timeout=60_000):
        window.session.new(demo.replaced(lines=(*feeds, demo.lines[-1])))
    window.resize(1280, 800)
    window.go_to("Shoot")
    board = window.station("Shoot").board
    board.setFocus()
    start(board, qtbot)
    qtbot.waitUntil(lambda: all(b.width() >= b.minimumSizeHint().width() for b in board.buttons.values()))
    rows_of = [b.y() for b in board.buttons.values()]
    assert sorted(rows_of.count(y) for y in set(rows_of)) in ([9, 10], [8, 11])
    qtbot.mouseClick(board.buttons["F12"], Qt.MouseButton.LeftButton)
    assert board.state().open == {f"F{k}" for k in range(1, 12)}
    assert board.buttons["F12"].text().strip() == "F12 open"


def test_a_valve_moved_off_its_plan_asks_for_what_may_come_of_that(board, qtbot):
    qtbot.waitUntil(lambda: len(board.asked_jobs) == 1 and not board.refitting.ask.busy)
    start(board, qtbot)
    on(board, 121.0)
    qtbot.keyClick(board, K.Key_V)  # throttled in time
    assert not board.refitting.ask.busy
    on(board, 30.0)
    qtbot.keyClick(board, K.Key_V)  # clamped two and a half minutes early
    qtbot.waitUntil(lambda: len(board.asked_jobs) == 2 and not board.refitting.ask.busy)
    vacuum = next(x for x in board.asked_jobs[1].lines if x.id == "V1")
    assert vacuum.shuts is None
    assert [(round(t.when.time), t.share) for t in vacuum.turns] == [(121, 0.4), (151, 0.0)]
    on(board, 400.0)
    qtbot.keyClick(board, K.Key_2)  # the second feed, planned at 7:00, two minutes late
    qtbot.waitUntil(lambda: len(board.asked_jobs) == 3)
    assert next(x for x in board.asked_jobs[2].lines if x.id == "F2").opens.time == pytest.approx(551, abs=1)


def test_every_letter_that_the_board_takes_is_on_the_sheet_of_keys(board, qtbot):
    start(board, qtbot)
    on(board, 5.0)
    taken = set()
    for letter in "ABCDEFGHIJKLMNOPQRSTUVWXYZ":
        event = QKeyEvent(
            QEvent.Type.KeyPress, getattr(K, f"Key_{letter}"), Qt.KeyboardModifier.NoModifier, letter.lower()
        )
        board.keyPressEvent(event)
        if event.isAccepted():
            taken.add(letter)
        board._put_away()
        board._leave()
    listed = {w for group, keys, _ in KEYS_IN_PLACE if group == "Shoot" for w in keys.split(", ")}
    assert taken <= listed
    assert {"V", "G", "P", "B"} <= taken


@pytest.mark.parametrize(
    ("error", "told"),
    [
        (
            RuntimeError("\n  An attempt has been made to\n  start a process"),
            "no ranges: their forecasts failed",
        ),
        (ValueError("the gauge leaves no drive"), "the gauge leaves no drive"),
    ],
)
def test_a_librarys_words_are_for_the_log_and_ours_for_the_board(board, qtbot, error, told, caplog):
    start(board, qtbot)
    board.refitting._on_failure(error)
    assert told in board.told.text()
    assert "attempt" not in board.told.text()
    assert any("attempt" in (r.exc_text or str(r.exc_info)) for r in caplog.records) is isinstance(
        error, RuntimeError
    )
