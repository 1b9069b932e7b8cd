"""Tables are sorted to look at: by a press, by key, and back; a row stays the row that it is."""

from __future__ import annotations

import itertools

import pytest
from hypothesis import given
from hypothesis import strategies as st
from PySide6.QtCore import QPoint, Qt
from PySide6.QtWidgets import QApplication, QTableWidgetItem
from tests.app.hand import answered

from bibulon.app.kit.fields import plain_table
from bibulon.app.kit.table_acts import all_cells, chosen_cells
from bibulon.app.kit.table_sort import Sorter, sort_key
from bibulon.core.units.units import clock, show

ROWS = (
    ("rim", "11.0 kg", "1 h 45"),
    ("shell", "2.5 kg", "9:30"),
    ("flange", "—", "59:34"),
    ("Core", "0.6 kg", "12:00"),
)


@pytest.fixture
def table(qtbot):
    made = plain_table(("part", "mass", "time"), "Weights")
    Sorter(made)
    fill(made, ROWS)
    qtbot.addWidget(made)
    made.resize(500, 260)
    made.show()
    return made


def fill(table, rows):
    table.setRowCount(0)
    table.setRowCount(len(rows))
    for r, cells in enumerate(rows):
        for c, text in enumerate(cells):
            table.setItem(r, c, QTableWidgetItem(text))
    QApplication.processEvents()


def press_heading(qtbot, table, column):
    heads = table.horizontalHeader()
    at = QPoint(heads.sectionViewportPosition(column) + 12, heads.height() // 2)
    qtbot.mouseClick(heads.viewport(), Qt.MouseButton.LeftButton, pos=at)


def seen(table):
    """The first column from the top down, as it lies on the screen."""
    return sorted(
        (table.visualItemRect(table.item(r, 0)).y(), table.item(r, 0).text()) for r in range(table.rowCount())
    )


def names(table):
    return [name for _, name in seen(table)]


def test_three_presses_sort_up_down_and_back(table, qtbot):
    own = names(table)
    press_heading(qtbot, table, 1)
    assert names(table) == ["Core", "shell", "rim", "flange"]
    press_heading(qtbot, table, 1)
    assert names(table) == ["rim", "shell", "Core", "flange"]  # what says nothing stays last
    assert table.horizontalHeader().sortIndicatorOrder() == Qt.SortOrder.DescendingOrder
    press_heading(qtbot, table, 1)
    assert names(table) == own
    assert not table.horizontalHeader().isSortIndicatorShown()


def test_a_row_keeps_its_number_and_copies_as_it_is_seen(table, qtbot):
    press_heading(qtbot, table, 2)
    assert names(table) == ["shell", "Core", "flange", "rim"]
    assert [table.item(r, 0).text() for r in range(4)] == [row[0] for row in ROWS]
    assert [row[0] for row in all_cells(table)[1:]] == names(table)
    table.clearSelection()
    for row in (0, 1):
        table.item(row, 0).setSelected(True)
    assert chosen_cells(table) == [["shell"], ["rim"]]


def test_keys_sort_by_the_column_of_the_cell_and_arrows_follow_what_is_seen(table, qtbot):
    table.setFocus()
    table.setCurrentCell(0, 1)
    qtbot.keyClick(table, Qt.Key.Key_F3)
    assert names(table)[0] == "Core"
    table.setCurrentCell(3, 0)
    qtbot.keyClick(table, Qt.Key.Key_Down)
    assert table.currentItem().text() == "shell"


def test_rows_that_come_or_change_find_their_places(table, qtbot):
    press_heading(qtbot, table, 1)
    fill(table, (*ROWS, ("skin", "1.5 kg", "2:00")))
    assert names(table) == ["Core", "skin", "shell", "rim", "flange"]
    table.item(0, 1).setText("0.1 kg")
    QApplication.processEvents()
    assert names(table)[0] == "rim"


@given(st.lists(st.floats(0, 2e5, allow_nan=False), min_size=2, max_size=12))
def test_times_as_they_are_told_sort_as_they_are(times):
    for a, b in itertools.pairwise(sorted(times)):
        if b - a > 60:  # told to the minute from 100 minutes on
            assert sort_key(clock(a)) < sort_key(clock(b))


@given(
    st.lists(st.floats(-500, 5000, allow_nan=False), min_size=2, max_size=12),
    st.sampled_from(["metric", "us"]),
)
def test_figures_sort_by_their_size(values, system):
    for a, b in itertools.pairwise(sorted(values)):
        if b - a > 1:
            assert sort_key(show(a + 273.15, "temperature", system)) <= sort_key(
                show(b + 273.15, "temperature", system)
            )


def test_the_kit_is_sorted_and_ticks_what_is_seen(petal, qtbot):
    bag = petal.station("Bag")
    petal.go_to("Bag")
    qtbot.waitUntil(lambda: bag.laid.bag is not None, timeout=20_000)
    answered(qtbot, bag.kit.ask, lambda: bag.tabs.go("Kit"))
    table = bag.kit.table
    assert table.rowCount() > 5
    for column in (2, 4):
        press_heading(qtbot, table, column)
        cells = [row[column] for row in all_cells(table)[1:]]
        assert cells == sorted(cells, key=sort_key)
    first = next(r for r in range(table.rowCount()) if table.verticalHeader().visualIndex(r) == 0)
    name = table.item(first, 0).text()
    answered(qtbot, bag.kit.ask, lambda: table.item(first, 0).setCheckState(Qt.CheckState.Checked))
    checked = [
        table.item(r, 0).text()
        for r in range(table.rowCount())
        if table.item(r, 0).checkState() == Qt.CheckState.Checked
    ]
    assert checked == [name]
    assert len(petal.session.job.bag.laid_out) == 1
