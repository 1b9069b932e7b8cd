"""The one table: rows under headings that are read, typed over, ticked, chosen from, sorted, copied, pasted and saved."""

from __future__ import annotations

import csv
from collections.abc import Callable, Sequence
from contextlib import AbstractContextManager, nullcontext

from PySide6.QtCore import (
    QAbstractItemModel,
    QEvent,
    QModelIndex,
    QObject,
    QPersistentModelIndex,
    QPointF,
    Qt,
    QTimer,
    Signal,
)
from PySide6.QtGui import QGuiApplication, QKeyEvent, QKeySequence, QPainter, QPaintEvent, QPolygonF
from PySide6.QtWidgets import (
    QAbstractItemView,
    QComboBox,
    QSizePolicy,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QTableView,
    QWidget,
)

from bibulon.app.kit.appearance import EDGE
from bibulon.app.kit.table_acts import add_act, give_acts, tell
from bibulon.app.kit.table_model import Cell, Column, Index, TableModel, cell_of
from bibulon.app.kit.turns import first_seen
from bibulon.core.units.words import tr

__all__ = ["Cell", "Column", "Table", "high_as_rows"]

ARROW = 8  # px, beside the words of a cell that holds a choice
SELECTED, FOCUSED, ENABLED = (
    QStyle.StateFlag[f"State_{name}"].value for name in ("Selected", "HasFocus", "Enabled")
)
LEFT = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter | Qt.TextFlag.TextSingleLine
RIGHT = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter | Qt.TextFlag.TextSingleLine
KEPT = 4096  # words
RETURNS = (Qt.Key.Key_Return, Qt.Key.Key_Enter)
MARGIN = 3  # px, at both sides of a cell's words


class _Cells(QStyledItemDelegate):
    """Draws words, and a small arrow where a cell holds a choice, and opens a box there."""

    def __init__(self, table: Table) -> None:
        super().__init__(table)
        self.table = table
        self._seen: dict[tuple[str, int], str] = {}  # by text and width

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        rows, column = self.table.rows, index.column()
        box, colours, state = option.rect, option.palette, option.state.value
        cell, chosen = rows.cell(index), bool(state & SELECTED)
        choice = rows.chooses(column, cell)
        ground = colours.highlight() if chosen else colours.base()
        ink = colours.highlightedText() if chosen else colours.text()
        usual = cell.tick is None and state & (FOCUSED | ENABLED) == ENABLED
        if not usual or box.height() >= 2 * option.fontMetrics.height():
            super().paint(painter, option, index)
        else:  # a line of words alone: Qt would ask for seven things and the style for four, each through Python
            if chosen:
                painter.fillRect(box, ground)
            room = box.adjusted(MARGIN, 0, -(ARROW + 8 if choice else MARGIN), 0)
            painter.setPen(ink.color())
            text = self._within(rows.seen(column, cell), room.width(), option)
            painter.drawText(room, RIGHT if rows.columns[column].right else LEFT, text)
        x, y, edge = box.right(), box.bottom(), colours.color(EDGE)
        painter.fillRect(box.left(), y, box.width(), 1, edge)
        painter.fillRect(x, box.top(), 1, box.height(), edge)
        if choice:
            x, y = x - ARROW - 4, box.center().y() - 1
            painter.save()
            painter.fillRect(x - 3, box.top() + 2, ARROW + 6, box.height() - 4, ground)  # over a long word
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(ink)
            painter.drawPolygon(
                QPolygonF([QPointF(x, y), QPointF(x + ARROW, y), QPointF(x + ARROW / 2, y + 5)])
            )
            painter.restore()

    def _within(self, text: str, width: int, option: QStyleOptionViewItem) -> str:
        """Return what is seen of a text in a width [px]; to shape it takes longer than to draw a cell."""
        if (text, width) not in self._seen:
            if len(self._seen) > KEPT:
                self._seen.clear()
            self._seen[text, width] = option.fontMetrics.elidedText(text, option.textElideMode, width)
        return self._seen[text, width]

    def createEditor(self, parent: QWidget, option: QStyleOptionViewItem, index: Index) -> QWidget:
        if not self.table.rows.is_choice(index):
            return super().createEditor(parent, option, index)
        column = self.table.rows.columns[index.column()]
        box = QComboBox(parent)
        box.setEditable(column.open)
        box.setInsertPolicy(QComboBox.InsertPolicy.NoInsert)  # what is typed is no new word to choose from
        for word in column.words():
            box.addItem(tr(word), word)
        first = self.table.rows.cell(index.sibling(index.row(), 0)).text
        box.setAccessibleName(tr("{0} of {1}", self.table.rows.heads[index.column()], first))
        box.activated.connect(lambda _: self._done(box))
        if not column.open:
            QTimer.singleShot(0, box, box.showPopup)
        return box

    def eventFilter(self, editor: QObject, event: QEvent) -> bool:
        if isinstance(editor, QComboBox) and isinstance(event, QKeyEvent) and event.key() in RETURNS:
            # Once, here: the box would tell of it too where the words are in its list.
            if event.type() == QEvent.Type.KeyPress:
                self._done(editor)
            return True
        return super().eventFilter(editor, event)

    def _done(self, box: QComboBox) -> None:
        self.commitData.emit(box)
        self.closeEditor.emit(box)

    def setEditorData(self, editor: QWidget, index: Index) -> None:
        if not isinstance(editor, QComboBox):
            super().setEditorData(editor, index)
            return
        word = self.table.rows.cell(index).text
        at = editor.findData(word)
        if at >= 0:
            editor.setCurrentIndex(at)
        elif editor.isEditable():
            editor.setEditText(word)

    def setModelData(self, editor: QWidget, model: QAbstractItemModel, index: Index) -> None:
        if not isinstance(editor, QComboBox):
            super().setModelData(editor, model, index)
            return
        at = editor.findText(editor.currentText())
        model.setData(index, editor.itemData(at) if at >= 0 else editor.currentText())


class Table(QTableView):
    """Cells in columns; ``show_rows`` puts rows in, ``typed``, ``ticked`` and ``row_chosen`` tell what a person does.

    whole : a press chooses the row.  ordered : the rows' order means something, and they can't be sorted.
    copying, pasting : what copies and pastes in the table's own way; else its cells do, one by one, each as
    if typed, all under ``together`` of the undo list.
    Rows are told by their place in what was shown, in whatever order they are seen.
    """

    typed = Signal(int, int, str)  # row, column, text
    ticked = Signal(int, bool)  # row, whether it is
    row_chosen = Signal(int)

    def __init__(
        self,
        columns: Sequence[Column | str],
        name: str,
        *,
        whole: bool = False,
        ordered: bool = False,
        copying: Callable[[], None] | None = None,
        pasting: Callable[[], None] | None = None,
        together: Callable[[str], AbstractContextManager[None]] | None = None,
    ) -> None:
        super().__init__()
        self._showing = False
        self.rows = TableModel([c if isinstance(c, Column) else Column(c) for c in columns])
        self.setModel(self.rows)
        self.rows.typed.connect(self.typed)
        self.rows.ticked.connect(self.ticked)
        self._together = together or (lambda _name: nullcontext())
        self.setItemDelegate(_Cells(self))
        self.setShowGrid(False)  # the cells draw it, in the colour of edges
        self.setAccessibleName(tr(name))
        self.setTabKeyNavigation(False)  # Tab goes on to the next control, arrows from cell to cell
        if whole:
            self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.clicked.connect(lambda index: self.edit(index) if self.rows.is_choice(index) else None)
        for c, column in enumerate(self.rows.columns):
            if column.width is not None:
                self.setColumnWidth(c, column.width)
        self.verticalHeader().hide()
        self.verticalHeader().setDefaultSectionSize(28)
        heads, last = self.horizontalHeader(), len(self.rows.columns) - 1
        if self.rows.columns[last].width is None:
            self.setColumnWidth(last, heads.sectionSizeHint(last))  # it takes what is left, but no less
        heads.setStretchLastSection(True)
        heads.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        heads.setHighlightSections(False)
        give_acts(self, copying)
        if pasting is not None or any(c.typed or c.choices for c in self.rows.columns):
            add_act(self, "Paste", QKeySequence(QKeySequence.StandardKey.Paste), pasting or self.paste)
        if not ordered:
            heads.setSectionsClickable(True)
            heads.sectionClicked.connect(self.sort)
            heads.setToolTip(tr("Press to sort by it; a third press gives the table's own order back"))
            add_act(
                self,
                "Sort by this column",
                QKeySequence("F3"),
                lambda: self.sort(max(self.currentIndex().column(), 0)),
            )

    # -- rows

    def show_rows(self, rows: Sequence[Sequence[Cell | str]]) -> None:
        """Show rows, one cell a column; what is chosen and scrolled to stays, and is told by nobody."""
        self._showing = True
        self.rows.show(rows)
        self._showing = False

    def fit_columns(self) -> None:
        """Let each column be as wide as what stands in it."""
        heads, metrics = self.horizontalHeader(), self.fontMetrics()
        tick = self.style().pixelMetric(QStyle.PixelMetric.PM_IndicatorWidth) + 2 * MARGIN
        for c in range(len(self.rows.columns)):
            cells = {cell_of(row[c]) for row in self.rows.rows}
            wide = [
                metrics.horizontalAdvance(self.rows.seen(c, cell))
                + (tick if cell.tick is not None else 0)
                + (ARROW + MARGIN if self.rows.chooses(c, cell) else 0)
                for cell in cells
            ]
            self.setColumnWidth(c, max([heads.sectionSizeHint(c), *(w + 3 * MARGIN for w in wide)]))

    def set_heads(self, heads: Sequence[str]) -> None:
        """Change the headings, where they tell a unit."""
        if list(heads) != self.rows.heads:
            self.rows.heads = list(heads)
            self.rows.headerDataChanged.emit(Qt.Orientation.Horizontal, 0, len(heads) - 1)

    def row_count(self) -> int:
        """Return how many rows there are."""
        return len(self.rows.rows)

    def current_row(self) -> int:
        """Return the row that is chosen; -1 when none is."""
        return self.rows.row_of(self.currentIndex())

    def choose(self, row: int, column: int | None = None) -> None:
        """Choose a row, at a column; without one, a row that is chosen already stays where it is."""
        if column is not None or row != self.current_row():
            self.setCurrentIndex(self.rows.at(row, column or 0))

    def text_at(self, row: int, column: int) -> str:
        """Return what a cell says."""
        return str(self.rows.at(row, column).data() or "")

    # -- acts

    def sort(self, column: int) -> None:
        """Sort by a column, turn the order, or give it up: only the order of what is seen changes."""
        now, heads = self.rows.by, self.horizontalHeader()
        by = (column, False) if now is None or now[0] != column else None if now[1] else (column, True)
        heads.setSortIndicatorShown(by is not None)
        if by is not None:
            way = Qt.SortOrder.DescendingOrder if by[1] else Qt.SortOrder.AscendingOrder
            heads.setSortIndicator(column, way)
        self._showing = True
        self.rows.sort_by(by)
        self._showing = False

    def paste(self) -> None:
        """Type the cells of the clipboard over those from the chosen one on; what can't be typed over is passed by."""
        lines = list(csv.reader(QGuiApplication.clipboard().text().splitlines(), delimiter="\t"))
        at = self.currentIndex()
        row, column = max(at.row(), 0), max(at.column(), 0)
        cells = [
            (self.rows.row_of(index), index.column(), self._word(index.column(), text.strip()))
            for r, line in enumerate(lines)
            for c, text in enumerate(line)
            if (index := self.rows.index(row + r, column + c)).isValid()
            and self.rows.flags(index) & Qt.ItemFlag.ItemIsEditable
            and text.strip()
        ]
        if not cells:
            tell(self, tr("Nothing of the clipboard can be put here."), True)
            return
        with self._together(tr("Paste into {}", self.accessibleName())):
            for cell in cells:
                self.typed.emit(*cell)
        if (over := row + len(lines) - self.rows.rowCount()) > 0:
            tell(self, tr("{} rows of the clipboard lie beyond the table's end.", over), True)

    def _word(self, column: int, text: str) -> str:
        """Return the word by which a choice is known, of how it is told."""
        return next((w for w in self.rows.columns[column].words() if tr(w) == text), text)

    # -- Qt

    def paintEvent(self, event: QPaintEvent) -> None:
        if not first_seen(self.viewport()):
            super().paintEvent(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        index, keys = self.currentIndex(), {Qt.Key.Key_Return, Qt.Key.Key_Enter}
        opens = keys | {Qt.Key.Key_Space} if self.rows.is_choice(index) else keys
        editable = bool(index.isValid() and self.rows.flags(index) & Qt.ItemFlag.ItemIsEditable)
        if event.key() in opens and editable and self.state() != QAbstractItemView.State.EditingState:
            self.edit(index)
        else:
            super().keyPressEvent(event)

    def currentChanged(
        self, current: QModelIndex | QPersistentModelIndex, previous: QModelIndex | QPersistentModelIndex
    ) -> None:
        super().currentChanged(current, previous)
        if not self._showing and self.rows.row_of(current) != self.rows.row_of(previous):
            self.row_chosen.emit(self.rows.row_of(current))


def high_as_rows(table: QTableView, least: int, most: int) -> None:
    """Let a table be as high as its rows, between two heights [px], where buttons follow it."""
    table.setSizeAdjustPolicy(QTableView.SizeAdjustPolicy.AdjustToContents)
    table.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Maximum)
    table.setMinimumSize(0, least)
    table.setMaximumHeight(most)
