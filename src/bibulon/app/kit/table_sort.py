"""Rows of a table put into another order to look at: by a press on a heading, or by key; the rows themselves stay what they are."""

from __future__ import annotations

import re

from PySide6.QtCore import QObject, Qt, QTimer
from PySide6.QtGui import QAction, QKeySequence
from PySide6.QtWidgets import QHeaderView, QTableView

from bibulon.app.kit.table_acts import cell_text
from bibulon.core.units.units import parse
from bibulon.core.units.words import tr

__all__ = ["Sorter", "sort_key"]

_CLOCK = re.compile(r"[−-]?\d+(?: h |:)\d\d")
_NUMBER = re.compile(r"[−-]?\d+(?:[.,]\d+)?")
Key = tuple[int, float, str]


def sort_key(text: str) -> Key:
    """Return by what a cell is sorted: times and figures by their size, then words, and what says nothing last.

    >>> sort_key("9:30") < sort_key("1 h 45") and sort_key("2.5 kg") < sort_key("11 kg") < sort_key("shell") < sort_key("—")
    True
    """
    words = text.strip()
    if not words.strip("—–- "):
        return 2, 0.0, ""
    if found := _CLOCK.match(words):
        return 0, parse(found[0], "time"), words.casefold()
    if found := _NUMBER.match(words):
        return 0, float(found[0].replace("−", "-").replace(",", ".")), words.casefold()
    return 1, 0.0, words.casefold()


class Sorter(QObject):
    """Lets a table be sorted.  Only the order of what is seen changes, so that a row's number means the same to all else.

    The first press on a heading sorts upwards, the second downwards, the third gives the table's own order back.
    """

    def __init__(self, view: QTableView) -> None:
        super().__init__(view)
        self.view = view
        self.column: int | None = None
        self.down = False
        heads = view.horizontalHeader()
        heads.setSectionsClickable(True)
        heads.setHighlightSections(False)
        heads.sectionClicked.connect(self.press)
        heads.setToolTip(tr("Press to sort by it; a third press gives the table's own order back"))
        action = QAction(tr("Sort by this column"), view)
        action.setShortcut(QKeySequence("F3"))
        action.setShortcutContext(Qt.ShortcutContext.WidgetShortcut)
        action.triggered.connect(lambda _=False: self.press(max(view.currentIndex().column(), 0)))
        view.addAction(action)
        self._again = QTimer(self)
        self._again.setSingleShot(True)
        self._again.setInterval(0)
        self._again.timeout.connect(self._arrange)
        model = view.model()
        for signal in (model.rowsInserted, model.rowsRemoved, model.modelReset, model.dataChanged):
            signal.connect(lambda *_: self._again.start() if self.column is not None else None)

    def press(self, column: int) -> None:
        """Sort by a column, turn the order, or give it up."""
        if column != self.column:
            self.column, self.down = column, False
        elif not self.down:
            self.down = True
        else:
            self.column, self.down = None, False
        heads = self.view.horizontalHeader()
        heads.setSortIndicatorShown(self.column is not None)
        way = Qt.SortOrder.DescendingOrder if self.down else Qt.SortOrder.AscendingOrder
        heads.setSortIndicator(-1 if self.column is None else self.column, way)
        self._arrange()

    def _arrange(self) -> None:
        rows: list[int] = list(range(self.view.model().rowCount()))
        column = self.column
        if column is not None:
            keys = [sort_key(cell_text(self.view, row, column)) for row in rows]
            said = sorted((r for r in rows if keys[r][0] < 2), key=lambda r: keys[r], reverse=self.down)
            rows = said + [r for r in rows if keys[r][0] == 2]  # what says nothing stays last either way
        _show_in(self.view.verticalHeader(), rows)


def _show_in(header: QHeaderView, rows: list[int]) -> None:
    """Let a header show its sections in an order."""
    for place, row in enumerate(rows):
        now = header.visualIndex(row)
        if now != place:
            header.moveSection(now, place)
