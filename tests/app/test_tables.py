"""Every table gives its cells to a spreadsheet: by the clipboard, by a file, by keys and by its menu."""

from __future__ import annotations

import csv

import pytest
from PySide6.QtCore import Qt
from PySide6.QtGui import QGuiApplication
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QFileDialog, QTableView, QTableWidgetItem, QWidget
from tests.app.hand import press

from bibulon.app.kit.fields import plain_table
from bibulon.app.kit.rows_view import RowsView


def clipboard():
    return QGuiApplication.clipboard().text()


@pytest.fixture
def table(qtbot):
    made = plain_table(("part", "mass, kg"), "Weights")
    made.setRowCount(3)
    for r, cells in enumerate((("shell", "4.2"), ("flange,\ncored", "1.1"), ("rim", "0.6"))):
        for c, text in enumerate(cells):
            made.setItem(r, c, QTableWidgetItem(text))
    qtbot.addWidget(made)
    made.show()
    made.setFocus()
    return made


def act(view, title):
    next(a for a in view.actions() if a.text() == title).trigger()


def test_chosen_cells_are_copied_as_a_block(table):
    table.setCurrentCell(0, 1)
    table.clearSelection()
    table.item(0, 1).setSelected(True)
    table.item(2, 0).setSelected(True)
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
    view = RowsView(("time", "what"), "Rows")
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


def test_every_table_of_every_station_can_be_copied(petal):
    for station in petal.stations:
        petal.station(station.name)
    tables = [
        t for t in petal.findChildren(QTableView) if type(t).__module__.startswith(("bibulon", "PySide6"))
    ]
    assert len(tables) > 8
    silent = [t.accessibleName() for t in tables if not copies(t)]
    assert silent == []


def copies(view: QWidget) -> bool:
    """Whether Ctrl+C on a table is answered: by an act of its own, or by its own key."""
    return any(a.text() == "Copy" for a in view.actions()) or "keyPressEvent" in type(view).__dict__
