"""A hand that presses, types and clicks whatever it meets: no fault reaches the screen, and the job stays sound."""

from __future__ import annotations

import json
import logging
import os
import re
import sys
from pathlib import Path
from random import Random
from typing import Any

import pytest
import shiboken6
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import (
    QAbstractButton,
    QApplication,
    QComboBox,
    QDialog,
    QFileDialog,
    QInputDialog,
    QLineEdit,
    QListWidget,
    QMessageBox,
    QPlainTextEdit,
    QToolButton,
    QWidget,
)
from tests.written import written

from bibulon.app.kit import files
from bibulon.app.kit.drawing_view import DrawingView
from bibulon.app.kit.table import Table
from bibulon.app.plan.canvas import PlanCanvas
from bibulon.core.library.demo import demo_job
from bibulon.core.library.mould_demo import mould_demo_job
from bibulon.store.jobfile import load, save
from bibulon.store.raw import job_from

JOBS = {"bag": demo_job, "mould": mould_demo_job}
TYPED = (
    "", " ", "0", "-5", "1", "3", "12", "0.5", "1e99", "nan", "inf", "abc", "12 kg", "1.2 m", "5 mm", "20 °C", "40 mbar", "10 min", "1:30",
    "1,5", "1.234.567", "99999999", "=A1+1", "“quoted”", "Ünïcödé", "a" * 300, "5 mm 5 mm", "−3 in", "50 %", "2026-02-30",
)  # fmt: skip
KEYS = (
    Qt.Key.Key_Left, Qt.Key.Key_Right, Qt.Key.Key_Up, Qt.Key.Key_Down, Qt.Key.Key_Return, Qt.Key.Key_Space, Qt.Key.Key_Delete, Qt.Key.Key_Escape,
    Qt.Key.Key_Home, Qt.Key.Key_End, Qt.Key.Key_Plus, Qt.Key.Key_Minus, Qt.Key.Key_Tab, Qt.Key.Key_N, Qt.Key.Key_F,
)  # fmt: skip
STEPS = int(os.environ.get("HAND_STEPS", "110"))
SEEDS = [2, *range(100, 100 + int(os.environ.get("HANDS", "0")))]  # more by bin/bench hands
# What ends the program, hands over to another, or waits for a device that is not there.
LEFT_ALONE = ("Quit", "Close", "wall", "Full screen", "Print")
KINDS = (QAbstractButton, QComboBox, QLineEdit, QPlainTextEdit, QListWidget, Table, DrawingView, PlanCanvas)


@pytest.fixture
def answered_no(monkeypatch, tmp_path):
    """Every question is answered by going back: dialogs come up and are left."""
    monkeypatch.setattr(QDialog, "exec", lambda self: 0)
    for name in ("getOpenFileName", "getSaveFileName", "getOpenFileNames"):
        monkeypatch.setattr(QFileDialog, name, lambda *_, **__: ("", ""))
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *_, **__: "")
    monkeypatch.setattr(QMessageBox, "exec", lambda self: QMessageBox.StandardButton.Cancel)
    for name in ("question", "warning", "information", "critical"):
        monkeypatch.setattr(QMessageBox, name, lambda *_, **__: QMessageBox.StandardButton.Cancel)
    monkeypatch.setattr(QInputDialog, "getText", lambda *_, **__: ("", False))
    monkeypatch.chdir(tmp_path)


@pytest.fixture
def files_of_its_own(monkeypatch, tmp_path):
    """Files are written to a folder and read from there, or the hand goes back; some are not what was asked for."""
    rng, count = Random(1), iter(range(10_000))

    def to_write(_parent, _title, name, kinds):
        ending = re.findall(r"\*(\.\w+)", kinds)[0]
        return tmp_path / f"{files.name_of(name)[:40]}-{next(count)}{ending}" if rng.random() < 0.7 else None

    def to_read(_parent, _title, kinds):
        there = sorted(p for p in tmp_path.iterdir() if p.is_file())
        asked = [p for p in there if p.suffix in kinds]
        among = asked if asked and rng.random() < 0.8 else there
        return rng.choice(among) if among and rng.random() < 0.8 else None

    monkeypatch.setattr(files, "to_write", to_write)
    monkeypatch.setattr(files, "to_read", to_read)
    monkeypatch.setattr(files, "folder", lambda *_: tmp_path)


class Hand:
    """What it does is drawn from a seed, and kept to be told when something goes wrong."""

    def __init__(self, window: Any, seed: int) -> None:
        self.window, self.rng, self.done = window, Random(seed), [f"seed {seed}"]

    def step(self) -> None:
        """Do one thing to one of the widgets that are seen."""
        match self.rng.random():
            case r if r < 0.10:
                self.go()
            case r if r < 0.14:
                self.turn_back()
            case r if r < 0.22:
                self.do_act()
            case _:
                self.touch()

    def go(self) -> None:
        stations = [s.name for s in self.window.stations if s.stands(self.window.session.job)]
        name = self.rng.choice(stations)
        self.done.append(f"go to {name}")
        self.window.go_to(name)

    def turn_back(self) -> None:
        stack = self.window.session.undo_stack
        act = self.rng.choice((stack.undo, stack.redo, self.window.turn_units))
        self.done.append(act.__name__)
        act()

    def do_act(self) -> None:
        """Do one of the acts that the list of acts and the menus hold."""
        acts = [a for a in self.window.acts if not any(w.lower() in a.title.lower() for w in LEFT_ALONE)]
        act = self.rng.choice(acts)
        if act.can():
            self.done.append(f"act {act.title}")
            act.run()

    def touch(self) -> None:
        kind = self.rng.choice(KINDS)
        seen = [
            w
            for w in self.window.findChildren(kind)
            if w.isVisible() and w.isEnabled() and w.width() > 4 and w.height() > 4 and self.may(w)
        ]
        if not seen:
            return
        widget = self.rng.choice(seen)
        self.done.append(
            f"{type(widget).__name__} “{widget.accessibleName() or getattr(widget, 'text', str)()}”"
        )
        self.act_on(widget)

    def may(self, widget: QWidget) -> bool:
        words = f"{widget.accessibleName()} {widget.toolTip()} {getattr(widget, 'text', str)()}"
        if isinstance(widget, QToolButton) and widget.menu() is not None:
            return False  # a menu waits for its own answer
        if isinstance(widget, QLineEdit) and (widget.isReadOnly() or isinstance(widget.parent(), QComboBox)):
            return False
        return not any(word.lower() in words.lower() for word in LEFT_ALONE)

    def act_on(self, widget: QWidget) -> None:
        rng = self.rng
        match widget:
            case QAbstractButton():
                QTest.mouseClick(widget, Qt.MouseButton.LeftButton)
            case QComboBox() if widget.count():
                k = rng.randrange(widget.count())
                widget.setCurrentIndex(k)
                widget.activated.emit(k)
            case QLineEdit():
                widget.setFocus()
                widget.selectAll()
                text = rng.choice(TYPED)
                self.done[-1] += f" ← {text[:20]!r}"
                QTest.keyClicks(widget, text) if text.isascii() and len(text) < 40 else widget.insert(text)
                QTest.keyClick(widget, Qt.Key.Key_Return)
            case QPlainTextEdit():
                widget.insertPlainText(rng.choice(TYPED))
            case QListWidget() if widget.count():
                item = widget.item(rng.randrange(widget.count()))
                widget.setCurrentItem(item)
                if (
                    item.flags() & Qt.ItemFlag.ItemIsUserCheckable
                    and item.flags() & Qt.ItemFlag.ItemIsEnabled
                ):
                    on = item.checkState() == Qt.CheckState.Checked
                    item.setCheckState(Qt.CheckState.Unchecked if on else Qt.CheckState.Checked)
            case Table() if widget.row_count():
                self.in_table(widget)
            case DrawingView() | PlanCanvas():
                self.on_drawing(widget)

    def in_table(self, table: Table) -> None:
        row, column = self.rng.randrange(table.row_count()), self.rng.randrange(len(table.rows.columns))
        table.choose(row, column)
        words = list(table.rows.columns[column].words())
        text = self.rng.choice(words) if words and self.rng.random() < 0.7 else self.rng.choice(TYPED)
        self.done[-1] += f" at {row}, {column} ← {text[:20]!r}"
        cell = table.rows.at(row, column)
        if cell.isValid() and self.rng.random() < 0.5:
            self.type_over(table, text)
        elif cell.isValid():
            table.rows.setData(cell, text)
        if not shiboken6.isValid(table):
            return  # another job was opened, or the page made anew
        QApplication.clipboard().setText(
            "\n".join("\t".join(self.rng.choices(TYPED[:12], k=2)) for _ in range(2))
        )
        table.sort(column) if self.rng.random() < 0.2 else table.paste() if self.rng.random() < 0.2 else None

    def type_over(self, table: Table, text: str) -> None:
        """Open the cell's editor by its key, type, and hand it on as people do."""
        table.setFocus()
        QTest.keyClick(table, Qt.Key.Key_F2)
        field = QApplication.focusWidget()
        if field is None or not table.isAncestorOf(field):
            return
        box = field.lineEdit() if isinstance(field, QComboBox) else field
        if isinstance(box, QLineEdit):
            box.selectAll()
            box.insert(text)
        QTest.keyPress(field, self.rng.choice((Qt.Key.Key_Return, Qt.Key.Key_Tab, Qt.Key.Key_Escape)))

    def on_drawing(self, drawing: QWidget) -> None:
        rng = self.rng
        drawing.setFocus()
        for _ in range(rng.randint(1, 3)):
            spot = QPoint(rng.randrange(drawing.width()), rng.randrange(drawing.height()))
            if rng.random() < 0.5:
                QTest.mouseClick(drawing, Qt.MouseButton.LeftButton, pos=spot)
            else:
                QTest.mousePress(drawing, Qt.MouseButton.LeftButton, pos=spot)
                QTest.mouseMove(drawing, spot + QPoint(rng.randint(-80, 80), rng.randint(-60, 60)))
                QTest.mouseRelease(
                    drawing, Qt.MouseButton.LeftButton, pos=spot + QPoint(rng.randint(-80, 80), 20)
                )
        QTest.keyClick(drawing, rng.choice(KEYS))


# A table that is filled anew by what was typed into it lets go of the editor; Qt tells that and goes on.
@pytest.mark.qt_log_ignore("(commitData|closeEditor) called with an editor that does not belong", extend=True)
@pytest.mark.parametrize("seed", SEEDS)
@pytest.mark.parametrize("kind", ["bag", pytest.param("mould", marks=pytest.mark.slow)])
def test_whatever_is_pressed_no_fault_comes_and_the_job_stays_sound(
    window, qtbot, answered_no, files_of_its_own, kind, seed, tmp_path: Path, monkeypatch, caplog
):
    with qtbot.waitSignal(window.session.forecaster.idle, timeout=60_000):
        window.session.new(JOBS[kind]())
    hand, faults, number = Hand(window, seed), [], window.session.number
    hook = sys.excepthook
    monkeypatch.setattr(sys, "excepthook", lambda *told: (faults.append(told[1]), hook(*told)))
    for _ in range(STEPS):
        hand.step()
        QApplication.processEvents()
        assert "Traceback" not in window.message.text(), hand.done[-6:]
        assert faults == [], hand.done[-6:]
        assert [r.getMessage() for r in caplog.records if r.levelno >= logging.ERROR] == [], hand.done[-6:]
    job = window.session.job
    assert job_from(json.loads(written(job))) == job, hand.done[-6:]
    save(job, tmp_path / "after.json")
    assert load(tmp_path / "after.json").job == job
    for station in (s for s in window.stations if s.stands(job)):
        window.go_to(station.name)
        QApplication.processEvents()
    while window.session.undo_stack.canUndo():
        window.session.undo_stack.undo()
    if window.session.number == number:  # the hand began no other job
        assert window.session.job == JOBS[kind]()
