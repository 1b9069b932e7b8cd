"""A table to read of rows of text: only what is seen of it costs anything, however many rows there are."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from PySide6.QtCore import QAbstractTableModel, QModelIndex, QPersistentModelIndex, Qt
from PySide6.QtWidgets import QTableView

from bibulon.app.kit.table_acts import give_acts
from bibulon.core.units.words import tr

__all__ = ["RowsView"]

Index = QModelIndex | QPersistentModelIndex


class _Rows(QAbstractTableModel):
    def __init__(self, columns: Sequence[str]) -> None:
        super().__init__()
        self.columns = tuple(columns)
        self.rows: list[list[str]] = []

    def rowCount(self, parent: Index = QModelIndex()) -> int:  # noqa: B008  (Qt's own signature)
        return 0 if parent.isValid() else len(self.rows)

    def columnCount(self, parent: Index = QModelIndex()) -> int:  # noqa: B008
        return 0 if parent.isValid() else len(self.columns)

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.ToolTipRole):
            return self.rows[index.row()][index.column()]
        return None

    def headerData(
        self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole
    ) -> Any:
        wanted = role == Qt.ItemDataRole.DisplayRole and orientation == Qt.Orientation.Horizontal
        return tr(self.columns[section]) if wanted else None


class RowsView(QTableView):
    """Rows of text under headings; ``show_rows`` puts others in."""

    def __init__(self, columns: Sequence[str], name: str) -> None:
        super().__init__()
        self._rows = _Rows(columns)
        self.setModel(self._rows)
        self.setTabKeyNavigation(False)  # Tab goes on to the next control, arrows from cell to cell
        self.setAccessibleName(tr(name))
        give_acts(self)
        self.verticalHeader().hide()
        self.verticalHeader().setDefaultSectionSize(28)
        self.horizontalHeader().setStretchLastSection(True)
        self.horizontalHeader().setDefaultAlignment(
            Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
        )

    def show_rows(self, rows: Sequence[Sequence[str]]) -> None:
        """Show rows, one text a column; where some are only added, what is scrolled to and chosen stays."""
        new, old = [list(row) for row in rows], self._rows.rows
        if new == old:
            return
        if old and new[: len(old)] == old:
            self._rows.beginInsertRows(QModelIndex(), len(old), len(new) - 1)
            self._rows.rows = new
            self._rows.endInsertRows()
        else:
            self._rows.beginResetModel()
            self._rows.rows = new
            self._rows.endResetModel()

    def row_texts(self) -> list[list[str]]:
        """Return what stands in the rows."""
        return self._rows.rows
