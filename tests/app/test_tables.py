"""Every table gives its cells to a spreadsheet: by the clipboard, by a file, by keys and by its menu."""

from __future__ import annotations

import csv
from contextlib import contextmanager

import pytest
from PySide6.QtCore import QItemSelectionModel, Qt
from PySide6.QtGui import QGuiApplication
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QComboBox, QFileDialog, QLineEdit, QTableView, QVBoxLayout, QWidget
from tests.app.hand import pick_cell, press

from bibulon.app.kit.table import Cell, Column, Table
from bibulon.app.kit.tabs import Tabs


def clipboard():
    return QGuiApplication.clipboard().text()


@pytest.fixture
def table(qtbot):
    made = Table(("part", "mass, kg"), "Weights")
    made.show_rows((("shell", "4.2"), ("flange,\ncored", "1.1"), ("rim", "0.6")))
    qtbot.addWidget(made)
    made.show()
    made.setFocus()
    return made


def act(view, title):
    next(a for a in view.actions() if a.text() == title).trigger()


def test_chosen_cells_are_copied_as_a_block(table):
    table.choose(0, 1)
    table.clearSelection()
    for place in ((0, 1), (2, 0)):
        table.selectionModel().select(table.rows.at(*place), QItemSelectionModel.SelectionFlag.Select)
    QTest.keyClick(table, Qt.Key.Key_C, Qt.KeyboardModifier.ControlModifier)
    assert clipboard() == "\t4.2\nrim\t"


def test_nothing_chosen_copies_all_and_a_line_break_in_a_cell_stays_in_it(table):
    table.clearSelection()
    act(table, "Copy")
    assert clipboard() == "part\tmass, kg\nshell\t4.2\nflange, cored\t1.1\nrim\t0.6"
    QGuiApplication.clipboard().setText("")
    QTest.keyClick(
        table, Qt.Key.Key_C, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier
    )
    assert clipboard().startswith("part\t")


def test_what_is_hidden_is_left_out(table):
    table.setRowHidden(1, True)
    table.setColumnHidden(1, True)
    act(table, "Copy the table with its headings")
    assert clipboard() == "part\nshell\nrim"


def test_a_table_is_saved_as_csv_and_read_back(table, tmp_path, monkeypatch):
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_, **__: (str(tmp_path / "weights"), ""))
    act(table, "Save the table as CSV…")
    with open(tmp_path / "weights.csv", newline="") as file:
        assert list(csv.reader(file)) == [
            ["part", "mass, kg"], ["shell", "4.2"], ["flange,\ncored", "1.1"], ["rim", "0.6"],
        ]  # fmt: skip
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_, **__: ("", ""))
    act(table, "Save the table as CSV…")  # given up
    assert [p.name for p in tmp_path.iterdir()] == ["weights.csv"]


def test_a_table_of_many_rows_copies_too(qtbot):
    view = Table(("time", "what"), "Rows")
    qtbot.addWidget(view)
    view.show_rows([["0:00", "start"], ["1:00", "front"]])
    act(view, "Copy the table with its headings")
    assert clipboard() == "time\twhat\n0:00\tstart\n1:00\tfront"


def test_boxes_in_cells_are_told_by_their_words_and_a_place_that_refuses_is_named(
    petal, qtbot, tmp_path, monkeypatch
):
    petal.go_to("Part")
    part = petal.station("Part")
    press(qtbot, petal.side, "Zones")
    table = part.zones.table
    act(table, "Copy the table with its headings")
    rows = [line.split("\t") for line in clipboard().split("\n")]
    assert {"cored", "flange"} <= {cell for row in rows for cell in row}
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_, **__: (str(tmp_path / "no" / "z.csv"), ""))
    act(table, "Save the table as CSV…")
    assert petal.message.text() == "z.csv could not be written: No such file or directory."


def test_every_table_of_every_station_is_the_one_table(petal):
    for station in (s for s in petal.stations if s.stands(petal.session.job)):
        petal.go_to(station.name)
        for tabs in (*station.bench.parentWidget().findChildren(Tabs), *petal.side.findChildren(Tabs)):
            for name in tabs.names:
                tabs.go(name)
    tables = petal.findChildren(QTableView)
    assert len(tables) > 8
    others = [t.accessibleName() for t in tables if not isinstance(t, Table)]
    assert others == []
    for table in tables:
        acts = {a.text() for a in table.actions()}
        assert {"Copy", "Copy the table with its headings", "Save the table as CSV…"} <= acts
        assert table.accessibleName()
        assert not table.tabKeyNavigation()


# -- typed, ticked, chosen and pasted

KINDS = ("cored", "solid")


class Owner(QWidget):
    """Who shows a table and takes what is typed; figures must be figures."""

    def __init__(self, qtbot):
        super().__init__()
        self.rows: list[list] = [
            ["rim", "0.6", "solid", False],
            ["shell", "4.2", "cored", True],
            ["foot", "1.1", "solid", False],
        ]
        self.steps, self.chosen, self.said = [], [], []
        columns = (Column("part"), Column("mass", typed=True), Column("kind", choices=KINDS))
        self.table = Table(columns, "Weights", together=self.together)
        self.table.typed.connect(self.type)
        self.table.ticked.connect(self.tick)
        self.table.row_chosen.connect(self.chosen.append)
        layout, self.after = QVBoxLayout(self), QLineEdit()
        layout.addWidget(self.table)
        layout.addWidget(self.after)
        qtbot.addWidget(self)
        self.fill()
        self.resize(500, 240)
        self.show()
        self.table.setFocus()

    def say(self, text, alarm):
        self.said.append(text)

    def fill(self):
        self.table.show_rows([(Cell(p, tick=t), m, k) for p, m, k, t in self.rows])

    def type(self, row, column, text):
        if column == 1:
            try:
                float(text)
            except ValueError:
                self.said.append(f"{text} is no mass")
                return
        self.rows[row][column] = text
        self.fill()

    def tick(self, row, ticked):
        self.rows[row][3] = ticked
        self.fill()

    @contextmanager
    def together(self, name):
        self.steps.append(name)
        yield

    def column(self, k):
        return [row[k] for row in self.rows]


@pytest.fixture
def owner(qtbot):
    return Owner(qtbot)


def editor(table, kind=QLineEdit):
    (found,) = [e for e in table.viewport().findChildren(kind) if e.isVisible()]
    return found


def test_return_opens_a_cell_and_hands_it_on_and_tab_leaves_the_table(owner, qtbot):
    table = owner.table
    table.choose(1, 1)
    qtbot.keyClick(table, Qt.Key.Key_Return)
    editor(table).selectAll()
    qtbot.keyClicks(editor(table), "4.4")
    qtbot.keyClick(editor(table), Qt.Key.Key_Return)
    qtbot.waitUntil(lambda: owner.column(1) == ["0.6", "4.4", "1.1"])
    qtbot.waitUntil(lambda: not table.viewport().findChildren(QLineEdit))
    assert table.current_row() == 1
    at = table.currentIndex()
    qtbot.keyClick(table, Qt.Key.Key_Tab)
    assert table.currentIndex() == at  # it moves the focus, not the cell
    assert owner.after.hasFocus()


def test_what_is_refused_leaves_the_cell_as_it_was(owner, qtbot):
    table = owner.table
    table.choose(0, 1)
    qtbot.keyClick(table, Qt.Key.Key_F2)
    editor(table).selectAll()
    qtbot.keyClicks(editor(table), "heavy")
    qtbot.keyClick(editor(table), Qt.Key.Key_Return)
    qtbot.waitUntil(lambda: owner.said == ["heavy is no mass"])
    assert table.text_at(0, 1) == "0.6"


def test_a_name_is_read_not_typed_over(owner, qtbot):
    owner.table.choose(0, 0)
    qtbot.keyClick(owner.table, Qt.Key.Key_F2)
    qtbot.keyClick(owner.table, Qt.Key.Key_Return)
    assert owner.table.viewport().findChildren(QLineEdit) == []


def test_space_ticks_the_row_that_is_seen_there(owner, qtbot):
    table = owner.table
    table.sort(1)  # rim, foot, shell
    table.setCurrentIndex(table.rows.index(1, 0))
    qtbot.keyClick(table, Qt.Key.Key_Space)
    assert owner.column(3) == [False, True, True]
    qtbot.keyClick(table, Qt.Key.Key_Space)
    assert owner.column(3) == [False, True, False]


def test_a_choice_is_taken_by_press_and_by_key(owner, qtbot):
    pick_cell(qtbot, owner.table, 0, 2, "cored")
    assert owner.column(2) == ["cored", "cored", "solid"]
    owner.table.choose(2, 2)
    qtbot.keyClick(owner.table, Qt.Key.Key_Space)
    box = editor(owner.table, QComboBox)
    assert box.accessibleName() == "kind of foot"
    qtbot.keyClick(box, Qt.Key.Key_Up)
    qtbot.keyClick(box, Qt.Key.Key_Return)
    qtbot.keyClick(owner.table, Qt.Key.Key_Tab)
    assert owner.table.text_at(2, 2) in KINDS


def test_rows_chosen_by_hand_are_told_once_and_those_shown_anew_are_not(owner, qtbot):
    table = owner.table
    table.choose(0, 0)
    owner.chosen.clear()
    qtbot.keyClick(table, Qt.Key.Key_Down)
    qtbot.keyClick(table, Qt.Key.Key_Right)  # the same row
    assert owner.chosen == [1]
    table.sort(1)
    owner.rows.pop(0)
    owner.fill()
    assert owner.chosen == [1]


def paste(table, text):
    QGuiApplication.clipboard().setText(text)
    QTest.keyClick(table, Qt.Key.Key_V, Qt.KeyboardModifier.ControlModifier)


def test_a_block_is_pasted_as_one_step_over_what_can_be_typed(owner):
    owner.table.choose(0, 0)
    paste(owner.table, "edge\t0.7\tcored\nhull\t5\tsolid\n")
    assert owner.column(0) == ["rim", "shell", "foot"]  # names are not typed over
    assert owner.column(1) == ["0.7", "5", "1.1"]
    assert owner.column(2) == ["cored", "solid", "solid"]
    assert owner.steps == ["Paste into Weights"]
    assert owner.said == []


def test_a_block_goes_to_the_rows_as_they_are_seen(owner):
    owner.table.sort(1)
    owner.table.sort(1)  # shell, foot, rim
    owner.table.setCurrentIndex(owner.table.rows.index(0, 1))
    paste(owner.table, "1\n2\n3")
    assert owner.column(1) == ["3", "1", "2"]


def test_what_a_paste_cannot_place_is_told(owner):
    owner.table.choose(2, 1)
    paste(owner.table, "1.5\nheavy\n9")
    assert owner.column(1) == ["0.6", "4.2", "1.5"]
    assert owner.said == ["2 rows of the clipboard lie beyond the table's end."]
    paste(owner.table, "heavy")
    assert owner.said[-1] == "heavy is no mass"
    owner.table.choose(0, 0)
    paste(owner.table, "a name")
    assert owner.said[-1] == "Nothing of the clipboard can be put here."


def test_a_paste_into_zones_is_one_step_of_undo(petal, qtbot):
    petal.go_to("Part")
    part = petal.station("Part")
    press(qtbot, petal.side, "Zones")
    before, count = petal.session.job, petal.session.undo_stack.count()
    table = part.zones.table
    table.setFocus()
    table.choose(0, 3)
    paste(table, "1.1\t\n1.2\t5 mm")
    zones = petal.session.job.part.zones
    assert [z.draw_factor for z in zones[:2]] == [1.1, 1.2]
    assert zones[1].depth == pytest.approx(0.005)
    assert petal.session.undo_stack.count() == count + 1
    assert petal.session.undo_stack.undoText() == "Paste into Zones"
    petal.session.undo_stack.undo()
    assert petal.session.job == before
    table.choose(0, 3)
    paste(table, "0.2")  # refused: nothing to undo is left behind
    assert petal.session.job == before
    assert not petal.session.undo_stack.canUndo() or petal.session.undo_stack.undoText() != "Paste into Zones"


def test_readings_are_pasted_from_a_spreadsheet(petal, qtbot):
    petal.go_to("Prove")
    page = petal.station("Prove").readings
    petal.station("Prove").tabs.go("Readings")
    page.table.setFocus()
    paste(page.table, "time\tpressure\n10\t42 mbar\n0\t40 mbar\n")
    told = [(r.time, round(r.pressure)) for r in petal.session.job.test.readings]
    assert told == [(0.0, 4000), (600.0, 4200)]
    paste(page.table, "time\tpressure\n0\tlow\n")
    assert "low" in petal.message.text()
    assert len(petal.session.job.test.readings) == 2
