"""What happened is kept, and nothing of one job lands in another: the real window, driven."""

from __future__ import annotations

import logging
import sys
from pathlib import Path
from threading import Event

import pytest
from PySide6.QtCore import QSettings, Qt
from PySide6.QtWidgets import QFileDialog, QMessageBox
from tests.app.hand import LEFT

from bibulon.app.shell import last_door
from bibulon.app.shell.recover_dialog import RecoverDialog
from bibulon.app.start import guard, make_window
from bibulon.core.edit.edit import change
from bibulon.core.library.demo import demo_job
from bibulon.core.run.clock import Instant, RunClock
from bibulon.core.run.journal import Entry
from bibulon.store.jobfile import load


class Hand:
    """A clock that is set by hand."""

    def __init__(self) -> None:
        self.wall, self.up = 1_000_000.0, 500.0

    def now(self) -> Instant:
        return Instant(self.wall, self.up, "boot")


def go(window, name):
    window.go([s.name for s in window.stations].index(name))
    return window.station(name)


def shoot(window, qtbot):
    board = go(window, "Shoot").board
    board.setFocus()
    qtbot.keyClick(board, Qt.Key.Key_Return)
    return board


@pytest.fixture
def asked(window, monkeypatch):
    """The question on leaving is asked again, and answered by the button that is named."""
    told = {"text": "", "press": "Stay"}
    del window._may_leave

    def answer(box):
        told["text"] = f"{box.text()} {box.informativeText()}"
        told["button"] = next(b for b in box.buttons() if b.text().startswith(told["press"]))
        return 0

    monkeypatch.setattr(QMessageBox, "exec", answer)
    monkeypatch.setattr(QMessageBox, "clickedButton", lambda box: told["button"])
    yield told
    window._may_leave = lambda: True


def second_window(tmp_path, qtbot):
    made = make_window(QSettings(str(tmp_path / "s2.ini"), QSettings.Format.IniFormat), tmp_path / "state")
    made._may_leave = lambda: True
    qtbot.addWidget(made)
    made.show()
    return made


def test_a_run_of_a_new_job_is_never_closed_unasked(petal, qtbot, asked):
    assert not petal.session.modified
    shoot(petal, qtbot)
    assert petal.session.modified
    petal.close()
    assert "2 rows of what happened" in asked["text"]
    assert petal.isVisible()
    asked["press"] = "Discard"
    petal.close()
    assert not petal.isVisible()
    assert [(x.rows, x.asked) for x in petal.session.leftovers()] == [(2, True)]


def test_a_run_in_json_is_in_the_file_row_by_row(petal, qtbot, tmp_path):
    path = tmp_path / "petal.json"
    assert petal.session.save(path)
    board = shoot(petal, qtbot)
    qtbot.keyClick(board, Qt.Key.Key_U)
    assert [e.kind for e in load(path).journal] == ["start", "open", "bubbles"]
    assert petal.session.save(tmp_path / "petal.bibulon")
    qtbot.keyClick(board, Qt.Key.Key_B)
    assert [e.kind for e in load(tmp_path / "petal.bibulon").journal] == ["start", "open", "bubbles", "batch"]
    assert not petal.session.modified


def test_what_stands_in_the_field_is_handed_on_before_the_question_and_before_saving(
    petal, qtbot, asked, tmp_path, monkeypatch
):
    record = go(petal, "Record")
    record.tabs.go("Card and weighing")
    field = record.fields["mould"]
    field.setFocus()
    field.selectAll()
    qtbot.keyClicks(field, "M-77")
    petal.close()
    assert "changes that are not saved" in asked["text"]
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: (str(tmp_path / "p.bibulon"), ""))
    field.selectAll()
    qtbot.keyClicks(field, "M-78")
    assert petal.save()
    assert load(tmp_path / "p.bibulon").job.mould == "M-78"


def test_a_cell_that_is_being_typed_is_handed_on_before_saving(petal, qtbot, tmp_path, monkeypatch):
    part = go(petal, "Part")
    table = part.outline.table
    table.choose(1, 0)
    table.edit(table.rows.at(1, 0))
    editor = table.focusWidget() or petal.focusWidget()
    assert editor is not None
    editor.selectAll()
    qtbot.keyClicks(editor, "2301")
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: (str(tmp_path / "p.bibulon"), ""))
    assert petal.save_as()
    assert load(tmp_path / "p.bibulon").job.part.outline[1].x == pytest.approx(2.301)


@pytest.mark.parametrize(
    ("typed", "kept"),
    [
        ("hull", "hull.bibulon"),
        ("hull 2.5", "hull 2.5.bibulon"),
        ("job.pdf", "job.pdf.bibulon"),
        ("a.JSON", "a.JSON"),
    ],
)
def test_a_name_gets_the_ending_of_a_job(petal, tmp_path, monkeypatch, typed, kept):
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: (str(tmp_path / typed), ""))
    assert petal.save_as()
    assert load(tmp_path / kept).job == petal.session.job
    assert petal.session.path.name == kept


def test_a_name_that_was_completed_asks_before_it_replaces(petal, tmp_path, monkeypatch):
    (tmp_path / "hull.bibulon").write_text("something")
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: (str(tmp_path / "hull"), ""))
    monkeypatch.setattr(QMessageBox, "question", lambda *a, **k: QMessageBox.StandardButton.No)
    assert not petal.save_as()
    assert (tmp_path / "hull.bibulon").read_text() == "something"


def test_a_second_window_is_a_wall_display(petal, qtbot, tmp_path):
    path = tmp_path / "petal.bibulon"
    petal.session.save(path)
    wall = second_window(tmp_path, qtbot)
    assert wall.session.open(path)
    assert "Opened to read" in wall.message.text()
    assert "read only" in wall.saved.text()
    shoot(petal, qtbot)
    petal.session.edit("Rename", lambda j: change(j, name="Petal 9"))
    petal.session.save()
    qtbot.waitUntil(lambda: wall.session.job.name == "Petal 9", timeout=20_000)
    assert [e.kind for e in wall.session.journal] == ["start", "open"]
    assert go(wall, "Shoot").board.state().running
    before = wall.session.job
    assert not wall.session.edit("Rename", lambda j: change(j, name="Mine"))
    assert "only reads the file" in wall.message.text()
    assert wall.session.job == before
    assert not wall.session.stamp(Entry("r", 1.0, "note"))
    assert not wall.session.save()
    wall.session.close()
    assert [e.kind for e in load(path).journal] == ["start", "open"]
    assert petal.session.stamp(Entry("r", 1.0, "note", {"text": "still mine"}))


def test_a_file_taken_away_in_the_midst_comes_home_by_itself(petal, qtbot, tmp_path):
    path = tmp_path / "petal.bibulon"
    petal.session.save(path)
    board = shoot(petal, qtbot)
    path.rename(tmp_path / "away")
    qtbot.keyClick(board, Qt.Key.Key_U)
    assert "is gone" in petal.message.text()
    assert [e.kind for e in petal.session.journal] == ["start", "open", "bubbles"]
    assert petal.session.modified
    (tmp_path / "away").rename(path)
    qtbot.waitUntil(lambda: not petal.session.modified, timeout=20_000)
    assert "again" in petal.message.text()
    assert [e.kind for e in load(path).journal] == ["start", "open", "bubbles"]


def test_the_machines_clock_set_back_is_told_and_changes_no_time(petal, qtbot):
    hand = Hand()
    petal.session.run_clock = RunClock(hand)
    board = shoot(petal, qtbot)

    def wait(seconds):
        hand.wall += seconds
        hand.up += seconds

    wait(600)
    qtbot.keyClick(board, Qt.Key.Key_U)
    hand.wall -= 3600
    wait(60)
    board.refresh()
    assert "set 60:00 back" in petal.message.text()
    qtbot.keyClick(board, Qt.Key.Key_U)
    wait(240)
    qtbot.keyClick(board, Qt.Key.Key_U)
    assert [e.clock for e in petal.session.journal if e.kind == "bubbles"] == [600, 660, 900]
    assert [e.data["by"] for e in petal.session.journal if e.kind == "clock"] == [-3600]
    assert board.clock.text() == "15:00"


def test_two_runs_in_one_file_are_both_shown(petal, qtbot, tmp_path):
    board = shoot(petal, qtbot)
    qtbot.keyClick(board, Qt.Key.Key_Q)
    qtbot.keyClick(board, Qt.Key.Key_Q)
    qtbot.keyClick(board, Qt.Key.Key_Return)
    petal.session.save(tmp_path / "p.bibulon")
    petal.session.open(tmp_path / "p.bibulon")
    record = go(petal, "Record")
    record.tabs.go("Card and weighing")

    def runs():
        return [where for _, what, where in record.journal.rows.rows if what == "clock started"]

    qtbot.waitUntil(lambda: runs() == ["run 1 of 2", "run 2 of 2"])


# -- leftovers


def test_leftovers_are_listed_taken_up_and_removed(petal, qtbot, tmp_path, demo):
    from bibulon.store.keeper import Keeper

    for name, rows in (("First lid", 0), ("Second lid", 2)):
        keeper = Keeper(petal.session.state_folder)
        keeper.begin(change(demo, name=name))
        for k in range(rows):
            keeper.stamp(Entry("r", float(k), "note", {"text": "x"}))
        keeper.autosave(change(demo, name=name))
        keeper._forget()
    dialog = RecoverDialog(petal.session, petal.session.leftovers(), petal)
    qtbot.addWidget(dialog)
    texts = {dialog.table.text_at(r, 0): dialog.table.text_at(r, 3) for r in range(dialog.table.row_count())}
    assert texts == {"First lid": "none", "Second lid": "2"}
    r = next(r for r in range(2) if dialog.table.text_at(r, 0) == "Second lid")
    dialog.table.choose(r)
    qtbot.mouseClick(dialog.buttons["Remove for good"], LEFT)
    assert "2 rows of a run that stand nowhere else" in dialog.words.text()
    assert dialog.table.row_count() == 2
    qtbot.mouseClick(dialog.buttons["Take up"], LEFT)
    assert dialog.taken.name == "Second lid"
    assert petal.session.recover(dialog.taken.path)
    assert petal.title.text() == "Second lid"
    assert len(petal.session.journal) == 2
    assert petal.session.modified
    again = RecoverDialog(petal.session, petal.session.leftovers(), petal)
    qtbot.addWidget(again)
    qtbot.mouseClick(again.buttons["Remove for good"], LEFT)
    assert petal.session.leftovers() == []


def test_leftovers_are_offered_by_the_menu_and_asked_for_only_once_left(petal, qtbot, demo, monkeypatch):
    from bibulon.store.keeper import Keeper

    keeper = Keeper(petal.session.state_folder)
    keeper.begin(change(demo, name="A lid"))
    keeper.stamp(Entry("r", 0.0, "note", {"text": "x"}))
    keeper.end()  # somebody chose to leave it
    seen = []
    monkeypatch.setattr(RecoverDialog, "exec", lambda self: seen.append([x.name for x in self.left]) or 0)
    petal.offer_leftovers()
    assert seen == []
    petal.actions_by_title["Left without saving…"].trigger()
    assert seen == [["A lid"]]


# -- nothing of one job in another


def test_what_was_worked_out_for_the_last_job_is_gone_in_the_next(petal, qtbot):
    lines = go(petal, "Lines")
    view = lines.calls
    lines.tabs.go("Calls")
    qtbot.waitUntil(lambda: view.table.row_count() > 0, timeout=30_000)
    petal.session.new()
    assert view.table.row_count() == 0
    assert lines.suggest.table.row_count() == 0
    assert lines.suggest.found == ()
    assert lines.what_if.sure is None


def test_an_answer_that_comes_after_another_job_was_opened_is_dropped(petal, qtbot, monkeypatch):
    stack = go(petal, "Stack")
    gate = Event()
    panel = stack.library.sheet
    before = petal.session.own_materials
    fits = []
    panel.fitted.connect(fits.append)
    panel.show_resin(petal.session.job.resin)
    monkeypatch.setattr(
        "bibulon.app.stations.stack.sheet_panel.fit_sheet", lambda sheet: gate.wait(20) and 1 / 0
    )
    panel.fit()
    assert panel.words.text() == "Fitting…"
    petal.session.new()
    gate.set()
    panel.later.close()
    qtbot.waitUntil(lambda: not panel.later._dropped, timeout=20_000)
    assert fits == []
    assert panel.words.text() != "Fitting…"
    assert petal.session.own_materials == before


def test_a_search_ends_when_another_job_is_opened(petal, qtbot, monkeypatch):
    lines = go(petal, "Lines")
    began, ended = Event(), Event()

    def endless(job, *, cancelled, **_):
        began.set()
        while not cancelled():
            pass
        ended.set()

    monkeypatch.setattr("bibulon.app.stations.lines.suggest_view.suggest", endless)
    lines.tabs.go("Suggest")
    lines.suggest.begin()
    qtbot.waitUntil(began.is_set, timeout=20_000)
    petal.session.new(demo_job())
    qtbot.waitUntil(ended.is_set, timeout=20_000)
    assert not lines.suggest.bar.busy
    assert lines.suggest.bar.start.isEnabled()


def test_closing_does_not_wait_for_variants_to_be_compared(petal, qtbot, monkeypatch):
    lines = go(petal, "Lines")
    began = Event()

    def slow(job, known, stopped):
        began.set()
        while not stopped():
            pass
        return ()

    monkeypatch.setattr("bibulon.app.stations.shared.variants_view.compared", slow)
    view = lines.variants
    view._asked = None
    view.fill()
    qtbot.waitUntil(began.is_set, timeout=20_000)
    petal.session.close()  # hangs for good when the stop is not heard
    assert view.rows == ()


def test_a_damaged_library_is_told_at_the_start(window, qtbot, tmp_path, demo):
    window.session.library_path.write_text("{")
    made = make_window(window.session.settings, tmp_path / "state2")
    qtbot.addWidget(made)
    assert "own materials cannot be read" in made.message.text()
    key, material = next(iter(demo.materials.items()))
    assert made.session.keep_materials({key: material})
    assert any(p.read_text() == "{" for p in Path(window.session.library_path).parent.glob("library-*.json"))
    made.session.close()


# -- the last door


@pytest.fixture
def door(petal):
    hooks = sys.excepthook, last_door.threading.excepthook
    root = logging.getLogger()
    handlers, level, raising = list(root.handlers), root.level, logging.raiseExceptions
    yield guard(petal)
    sys.excepthook, last_door.threading.excepthook = hooks
    last_door.qInstallMessageHandler(None)
    for handler in set(root.handlers) - set(handlers):
        root.removeHandler(handler)
        handler.close()
    root.setLevel(level)
    logging.raiseExceptions = raising


def test_an_error_that_nobody_expected_is_logged_told_and_keeps_the_job(petal, door):
    petal.session.edit("Rename", lambda j: change(j, name="Half done"))
    try:
        raise RuntimeError("secret detail")
    except RuntimeError as error:
        sys.excepthook(type(error), error, error.__traceback__)
    assert "Your job is kept" in petal.message.text()
    assert str(door.place) in petal.message.text()
    assert "secret detail" not in petal.message.text()
    assert "RuntimeError: secret detail" in door.place.read_text()
    assert load(petal.session.keeper.working).job.name == "Half done"


def test_a_log_that_cannot_be_written_hinders_nothing(tmp_path):
    (tmp_path / "log").write_text("no folder")
    assert last_door.open_log(tmp_path / "log") is None
