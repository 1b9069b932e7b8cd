"""What stands in a table: columns, cells, and the order in which the rows are seen."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import lru_cache
from typing import Any

from msgspec import Struct
from PySide6.QtCore import QAbstractTableModel, QModelIndex, QPersistentModelIndex, Qt, Signal

from bibulon.app.kit.table_sort import order_of
from bibulon.core.units.words import tr

__all__ = ["Cell", "Column", "Index", "TableModel", "cell_of"]

Index = QModelIndex | QPersistentModelIndex
NONE = QModelIndex()

# By whether a cell is typed over, and whether it is ticked; joined once, since each | takes as long as painting a cell.
_FLAGS = {
    (typed, ticked): Qt.ItemFlag.ItemIsSelectable
    | Qt.ItemFlag.ItemIsEnabled
    | (Qt.ItemFlag.ItemIsEditable if typed else Qt.ItemFlag.NoItemFlags)
    | (Qt.ItemFlag.ItemIsUserCheckable if ticked else Qt.ItemFlag.NoItemFlags)
    for typed in (False, True)
    for ticked in (False, True)
}


class Column(Struct, frozen=True):
    """A heading, and what holds for the cells below it.

    width : px; as wide as it comes where None.  typed : its cells can be typed over.  right : figures stand
    at the right.  choices : the words that a cell may hold, told in the reader's language; open : any other
    may be typed as well.
    """

    head: str
    width: int | None = None
    typed: bool = False
    right: bool = False
    choices: Sequence[str] | Callable[[], Sequence[str]] = ()
    open: bool = False

    def words(self) -> Sequence[str]:
        """Return the words to choose from; none where there is no choice."""
        return self.choices() if callable(self.choices) else self.choices


class Cell(Struct, frozen=True):
    """A text with more to it: a tip, a tick (None: no box), or ``fixed`` where the rest of its column is typed over."""

    text: str
    tip: str = ""
    tick: bool | None = None
    fixed: bool = False


_plain = lru_cache(maxsize=4096)(Cell)


def cell_of(told: Cell | str) -> Cell:
    """Return a cell, also of a bare text."""
    return told if isinstance(told, Cell) else _plain(told)


class TableModel(QAbstractTableModel):
    """Rows of cells.  What a person types or ticks is told, and stands once the rows are shown with it.

    A row's number is its place in what was shown, in whatever order it is seen.
    """

    typed = Signal(int, int, str)  # row, column, text
    ticked = Signal(int, bool)  # row, whether it is

    def __init__(self, columns: Sequence[Column]) -> None:
        super().__init__()
        self.columns = tuple(columns)
        self.heads = [tr(c.head) for c in columns]
        self.rows: list[tuple[Cell | str, ...]] = []
        self._order: list[int] = []  # by place seen
        self.by: tuple[int, bool] | None = None  # column, whether downwards

    # -- rows

    def show(self, rows: Sequence[Sequence[Cell | str]]) -> None:
        """Show rows: those that stay the same are not touched, so that what is chosen, scrolled to or typed at stays."""
        new, old = [tuple(row) for row in rows], self.rows
        if new == old:
            return
        self._arrange(range(len(old)))
        both = min(len(new), len(old))
        changed = [k for k in range(both) if new[k] != old[k]]
        if len(new) < len(old):
            self.beginRemoveRows(NONE, both, len(old) - 1)
            self.rows, self._order = new, list(range(both))
            self.endRemoveRows()
        elif len(new) > len(old):
            self.beginInsertRows(NONE, both, len(new) - 1)
            self.rows, self._order = new, list(range(len(new)))
            self.endInsertRows()
        else:
            self.rows = new
        if changed:
            self.dataChanged.emit(self.index(changed[0], 0), self.index(changed[-1], len(self.columns) - 1))
        self.sort_by(self.by)

    def sort_by(self, by: tuple[int, bool] | None) -> None:
        """See the rows by a column, upwards or downwards, or in their own order."""
        self.by = by
        if by is None:
            self._arrange(range(len(self.rows)))
        else:
            column, down = by
            self._arrange(order_of([cell_of(row[column]).text for row in self.rows], down))

    def _arrange(self, order: Sequence[int]) -> None:
        if list(order) == self._order:
            return
        self.layoutAboutToBeChanged.emit()
        kept = self.persistentIndexList()
        places = [(self._order[i.row()], i.column()) for i in kept]
        self._order = list(order)
        seen = {row: k for k, row in enumerate(self._order)}
        self.changePersistentIndexList(kept, [self.index(seen[row], c) for row, c in places])
        self.layoutChanged.emit()

    def row_of(self, index: Index) -> int:
        """Return the row that an index shows; -1 of none."""
        return self._order[index.row()] if index.isValid() and index.row() < len(self._order) else -1

    def at(self, row: int, column: int) -> QModelIndex:
        """Return where a row is seen; no index when there is none."""
        return self.index(self._order.index(row), column) if 0 <= row < len(self.rows) else QModelIndex()

    def cell(self, index: Index) -> Cell:
        """Return what stands at an index."""
        return cell_of(self.rows[self._order[index.row()]][index.column()])

    def seen(self, column: int, cell: Cell) -> str:
        """Return what a person reads in a cell of a column."""
        return tr(cell.text) if self.columns[column].choices else cell.text

    # -- what Qt asks

    def rowCount(self, parent: Index = NONE) -> int:
        return 0 if parent.isValid() else len(self.rows)

    def columnCount(self, parent: Index = NONE) -> int:
        return 0 if parent.isValid() else len(self.columns)

    def headerData(
        self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole
    ) -> Any:
        if role != Qt.ItemDataRole.DisplayRole:
            return None
        if orientation == Qt.Orientation.Horizontal:
            return self.heads[section]
        return str(self._order[section] + 1)

    def flags(self, index: Index) -> Qt.ItemFlag:
        if not index.isValid():
            return _FLAGS[False, False]
        column, cell = self.columns[index.column()], self.cell(index)
        return _FLAGS[bool(column.typed or column.choices) and not cell.fixed, cell.tick is not None]

    def is_choice(self, index: Index) -> bool:
        """Whether a cell holds a word to be chosen."""
        return index.isValid() and self.chooses(index.column(), self.cell(index))

    def chooses(self, column: int, cell: Cell) -> bool:
        """Whether a cell of a column holds a word to be chosen."""
        return bool(self.columns[column].choices) and not cell.fixed

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        column, cell = self.columns[index.column()], self.cell(index)
        match role:
            case Qt.ItemDataRole.DisplayRole:
                return self.seen(index.column(), cell)
            case Qt.ItemDataRole.EditRole:
                return cell.text
            case Qt.ItemDataRole.ToolTipRole:
                return cell.tip or cell.text
            case Qt.ItemDataRole.CheckStateRole if cell.tick is not None:
                return Qt.CheckState.Checked if cell.tick else Qt.CheckState.Unchecked
            case Qt.ItemDataRole.TextAlignmentRole if column.right:
                return Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        return None

    def setData(self, index: Index, value: Any, role: int = Qt.ItemDataRole.EditRole) -> bool:
        if not index.isValid():
            return False
        row, cell = self.row_of(index), self.cell(index)
        if role == Qt.ItemDataRole.CheckStateRole and cell.tick is not None:
            self.ticked.emit(row, Qt.CheckState(value) == Qt.CheckState.Checked)
            return True
        if role != Qt.ItemDataRole.EditRole or not self.flags(index) & Qt.ItemFlag.ItemIsEditable:
            return False
        text = str(value).strip()
        if text != cell.text:
            self.typed.emit(row, index.column(), text)
        return True
