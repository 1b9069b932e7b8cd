"""A list of things to do in order, ticked one by one, with gates that stand out."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QListWidget, QListWidgetItem

from bibulon.app.kit.rows import Rows
from bibulon.core.units.words import tr

__all__ = ["CheckList", "CheckRow"]


class CheckRow(NamedTuple):
    """A row: the stage that it belongs to, its words, whether it is a gate, and who did it and when; empty while nobody has."""

    stage: str
    words: str
    gate: bool
    done: str


class CheckList(Rows):
    """The rows with a box each; ``ticked`` tells which one a person ticks, or takes back.  The next one due is bold."""

    ticked = Signal(int, bool)

    def __init__(self, name: str) -> None:
        super().__init__()
        self._filling = False
        self.setAccessibleName(tr(name))
        self.setWordWrap(True)
        self.setSpacing(1)
        self.setResizeMode(QListWidget.ResizeMode.Adjust)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.itemChanged.connect(self._changed)

    def show_rows(self, rows: Sequence[CheckRow]) -> None:
        """Show rows; the one that is chosen stays so."""
        row, stage = self.currentRow(), ""
        due = next((k for k, r in enumerate(rows) if not r.done), -1)
        self._filling = True
        self.clear()
        for k, told in enumerate(rows):
            head = f"{told.stage}:  " if told.stage != stage else ""
            stage = told.stage
            done = f"   ·  {told.done}" if told.done else ""
            item = QListWidgetItem(f"{head}{'GATE  ' if told.gate else ''}{told.words}{done}")
            item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
            item.setCheckState(Qt.CheckState.Checked if told.done else Qt.CheckState.Unchecked)
            font = item.font()
            font.setBold(told.gate or k == due)
            item.setFont(font)
            self.addItem(item)
        self.setCurrentRow(min(max(row, 0), self.count() - 1))
        self._filling = False

    def _changed(self, item: QListWidgetItem) -> None:
        if not self._filling:
            self.ticked.emit(self.row(item), item.checkState() == Qt.CheckState.Checked)
