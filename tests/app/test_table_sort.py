"""Tables are sorted to look at: by a press, by key, and back; a row stays the row that it is."""

from __future__ import annotations

import itertools

import pytest
from hypothesis import given
from hypothesis import strategies as st
from PySide6.QtCore import QItemSelectionModel, QPersistentModelIndex, QPoint, Qt
from tests.app.hand import answered, tick_cell

from bibulon.app.kit.table import Column, Table
from bibulon.app.kit.table_acts import all_cells, chosen_cells
from bibulon.app.kit.table_model import TableModel
from bibulon.app.kit.table_sort import order_of, sort_key
from bibulon.core.units.units import clock, show

ROWS = (
    ("rim", "11.0 kg", "1 h 45"),
    ("shell", "2.5 kg", "9:30"),
    ("flange", "—", "59:34"),
    ("Core", "0.6 kg", "12:00"),
)


@pytest.fixture
def table(qtbot):
    made = Table(("part", "mass", "time"), "Weights")
    made.show_rows(ROWS)
    qtbot.addWidget(made)
    made.resize(500, 260)
    made.show()
    return made


def press_heading(qtbot, table, column):
    heads = table.horizontalHeader()
    at = QPoint(heads.sectionViewportPosition(column) + 12, heads.height() // 2)
    qtbot.mouseClick(heads.viewport(), Qt.MouseButton.LeftButton, pos=at)


def seen(table):
    """The first column from the top down, as it lies on the screen."""
    places = [table.rows.at(r, 0) for r in range(table.row_count())]
    return sorted((table.visualRect(place).y(), place.data()) for place in places)


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
    assert [table.text_at(r, 0) for r in range(4)] == [row[0] for row in ROWS]
    assert [row[0] for row in all_cells(table)[1:]] == names(table)
    table.clearSelection()
    for row in (0, 1):
        table.selectionModel().select(table.rows.at(row, 0), QItemSelectionModel.SelectionFlag.Select)
    assert chosen_cells(table) == [["shell"], ["rim"]]


def test_keys_sort_by_the_column_of_the_cell_and_arrows_follow_what_is_seen(table, qtbot):
    table.setFocus()
    table.choose(0, 1)
    qtbot.keyClick(table, Qt.Key.Key_F3)
    assert names(table)[0] == "Core"
    table.choose(3, 0)
    qtbot.keyClick(table, Qt.Key.Key_Down)
    assert table.text_at(table.current_row(), 0) == "shell"


def test_rows_that_come_or_change_find_their_places(table, qtbot):
    press_heading(qtbot, table, 1)
    skin = ("skin", "1.5 kg", "2:00")
    table.show_rows((*ROWS, skin))
    assert names(table) == ["Core", "skin", "shell", "rim", "flange"]
    table.show_rows((("rim", "0.1 kg", "1 h 45"), *ROWS[1:], skin))
    assert names(table)[0] == "rim"
    table.show_rows(ROWS[:2])
    assert names(table) == ["shell", "rim"]
    press_heading(qtbot, table, 1)
    press_heading(qtbot, table, 1)
    assert names(table) == ["rim", "shell"]


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
    assert table.row_count() > 5
    for column in (2, 4):
        press_heading(qtbot, table, column)
        cells = [row[column] for row in all_cells(table)[1:]]
        assert cells == sorted(cells, key=sort_key)
    first = table.rows.row_of(table.rows.index(0, 0))
    name = table.text_at(first, 0)
    answered(qtbot, bag.kit.ask, lambda: tick_cell(table, first))
    checked = [cell.text for cell, *_ in table.rows.rows if cell.tick]
    assert checked == [name]
    assert len(petal.session.job.bag.laid_out) == 1


@given(
    st.lists(st.tuples(st.text("ab—", max_size=3), st.integers(0, 50)), max_size=12),
    st.lists(st.integers(0, 1), max_size=6),
)
def test_whatever_is_shown_and_sorted_a_row_is_found_where_it_is_seen(rows, presses):
    """The places of rows are a turning of their numbers, and what is chosen stays the row that it was."""
    model = TableModel([Column("a"), Column("b")])
    model.show([("z", "1"), ("y", "2")])
    for column in presses:
        model.sort_by((column, column == 1))
    cells = [(a, str(b)) for a, b in rows]
    model.show(cells)
    held = QPersistentModelIndex(model.at(len(cells) - 1, 1)) if cells else None
    for by in (*((c, False) for c in presses), None, (1, True)):
        model.sort_by(by)
        assert sorted(model.row_of(model.index(k, 0)) for k in range(model.rowCount())) == list(
            range(len(cells))
        )
        for r, row in enumerate(cells):
            assert model.at(r, 0).data() == row[0]
        assert held is None or (model.row_of(held), held.data()) == (len(cells) - 1, cells[-1][1])
    shown = [int(model.index(k, 1).data()) for k in range(model.rowCount())]
    assert shown == sorted(shown, reverse=True)


def test_what_says_nothing_comes_last_both_ways():
    texts = ["—", "2", "", "1"]
    assert order_of(texts, down=False) == [3, 1, 0, 2]
    assert order_of(texts, down=True) == [1, 3, 0, 2]
