"""What a hand does in tests: press, type, choose, draw."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPoint, Qt
from PySide6.QtWidgets import QComboBox, QLineEdit, QPushButton

from bibulon.core.run.clock import Instant

LEFT = Qt.MouseButton.LeftButton


class HandClock:
    """A clock that a test turns: by the wall, and since the machine started."""

    def __init__(self):
        self.at = Instant(1e9, 100.0, "boot")

    def now(self):
        return self.at

    def on(self, seconds):
        self.at = Instant(self.at.wall + seconds, self.at.up + seconds, "boot")


def press(qtbot, widget, text):
    """Press the button that reads so and is seen."""
    button = next(b for b in widget.findChildren(QPushButton) if b.text() == text and b.isVisible())
    qtbot.mouseClick(button, LEFT)


def answered(qtbot, ask, act):
    """Do an act that asks for work off the interface thread, and wait until nothing of it runs any more."""
    with qtbot.waitSignal(ask.rested, timeout=60_000):
        act()


def type_into(qtbot, field: QLineEdit, text: str):
    """Type over what a field holds, and end with Return."""
    field.setFocus()
    field.selectAll()
    qtbot.keyClicks(field, text)
    qtbot.keyClick(field, Qt.Key.Key_Return)


def choose(box: QComboBox, text: str):
    """Choose an entry of a box."""
    k = box.findText(text)
    assert k >= 0, [box.itemText(i) for i in range(box.count())]
    box.setCurrentIndex(k)
    box.activated.emit(k)


def draw(qtbot, plan, *points):
    """Click places of the plan [m] and end with Return."""
    for place in points:
        x, y = plan.view.to(np.array([place]))[0]
        qtbot.mouseClick(plan, LEFT, pos=QPoint(round(x), round(y)))
    qtbot.keyClick(plan, Qt.Key.Key_Return)


def type_cell(table, row: int, column: int, text: str):
    """Type over a cell: what its editor hands on when Return is pressed."""
    assert table.rows.setData(table.rows.at(row, column), text)


def tick_cell(table, row: int, ticked: bool = True):
    """Tick the first cell of a row, or take the tick back."""
    state = Qt.CheckState.Checked if ticked else Qt.CheckState.Unchecked
    assert table.rows.setData(table.rows.at(row, 0), state, Qt.ItemDataRole.CheckStateRole)


def pick_cell(qtbot, table, row: int, column: int, text: str):
    """Press a cell that holds a choice, and choose from the box that opens."""
    place = table.rows.at(row, column)
    table.scrollTo(place)
    qtbot.mouseClick(table.viewport(), LEFT, pos=table.visualRect(place).center())
    (box,) = [b for b in table.viewport().findChildren(QComboBox) if b.isVisible()]
    choose(box, text)
