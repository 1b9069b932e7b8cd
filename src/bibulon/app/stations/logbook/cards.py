"""The jobs of the log as cards: a small plan of each, its name, when it was shot and what came of it."""

from __future__ import annotations

import time
from collections.abc import Sequence

import numpy as np
from PySide6.QtCore import QAbstractListModel, QModelIndex, QPersistentModelIndex, QRect, QSize, Qt
from PySide6.QtGui import QFontMetricsF, QPainter
from PySide6.QtWidgets import QListView, QStyle, QStyledItemDelegate, QStyleOptionViewItem

from bibulon.app.kit.paint import font, paint
from bibulon.core.drawing.kit.scene import Area, Item, Label
from bibulon.core.drawing.kit.tokens import DAY, SIZE, WEIGHT, Theme
from bibulon.core.drawing.plan.thumb import draw_thumb
from bibulon.core.units.words import tr
from bibulon.store.logbook import LogRow

__all__ = ["CardView", "day_of"]

WIDE, HIGH, PLAN = 216, 178, 104  # px of a card, and of the plan on it
Index = QModelIndex | QPersistentModelIndex


def day_of(row: LogRow) -> str:
    """Return when a job was shot."""
    return time.strftime("%Y-%m-%d", time.localtime(row.shot_at)) if row.shot_at else "not shot"


class _Rows(QAbstractListModel):
    def __init__(self) -> None:
        super().__init__()
        self.rows: Sequence[LogRow] = ()

    def set(self, rows: Sequence[LogRow]) -> None:
        self.beginResetModel()
        self.rows = rows
        self.endResetModel()

    def rowCount(self, parent: Index = QModelIndex()) -> int:  # noqa: B008 - Qt's own default
        return len(self.rows)

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        row = self.rows[index.row()]
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.AccessibleTextRole):
            return f"{row.name}, {day_of(row)}, {row.verdict}"
        if role == Qt.ItemDataRole.ToolTipRole:
            return row.problem or str(row.path)
        return None


class _Card(QStyledItemDelegate):
    def __init__(self) -> None:
        super().__init__()
        self.theme: Theme = DAY

    def sizeHint(self, option: QStyleOptionViewItem, index: Index) -> QSize:
        return QSize(WIDE, HIGH)

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        model = index.model()
        assert isinstance(model, _Rows)
        row, t = model.rows[index.row()], self.theme
        area: QRect = option.rect
        chosen = bool(option.state & QStyle.StateFlag.State_Selected)
        painter.save()
        painter.translate(area.x() + 6, area.y() + 6)
        paint(painter, self._items(row, float(area.width() - 12), float(area.height() - 12), chosen, t))
        painter.restore()

    def _items(self, row: LogRow, width: float, height: float, chosen: bool, t: Theme) -> list[Item]:
        items: list[Item] = [
            Area([_box(0, 0, width, height)], t.raised, t.accent if chosen else t.edge, WEIGHT["heavy" if chosen else "thin"])
        ]  # fmt: skip
        if row.problem:
            items.append(Label(width / 2, PLAN / 2, "cannot be read", t.alarm, SIZE["body"], True))
        items += draw_thumb(row.outline, row.lines, [(x, y) for _, x, y in row.pins], (width, PLAN), t)
        bold, plain = QFontMetricsF(font(SIZE["body"], True)), QFontMetricsF(font(SIZE["small"]))

        def fits(text: str, metrics: QFontMetricsF) -> str:
            return metrics.elidedText(text, Qt.TextElideMode.ElideMiddle, width - 20)

        bad = row.verdict not in ("good", "not shot", "running")
        items.append(Label(10, PLAN + 12, fits(row.name, bold), t.ink, SIZE["body"], True, "l"))
        items.append(
            Label(10, PLAN + 30, fits(" · ".join(filter(None, (row.mould, day_of(row)))), plain), t.soft, SIZE["small"], anchor="l")
        )  # fmt: skip
        told = (
            tr(row.verdict)
            if not row.defects
            else f"{tr(row.verdict)}: {', '.join(dict.fromkeys(row.defects))}"
        )
        items.append(
            Label(10, PLAN + 48, fits(told, plain), t.alarm if bad else t.accent, SIZE["small"], True, "l")
        )
        return items


def _box(x: float, y: float, width: float, height: float) -> np.ndarray:
    return np.array([[x, y], [x + width, y], [x + width, y + height], [x, y + height]])


class CardView(QListView):
    """Cards in rows, as many across as there is room; arrows move, Enter opens."""

    def __init__(self) -> None:
        super().__init__()
        self.setAccessibleName(tr("Jobs of the log"))
        self.setViewMode(QListView.ViewMode.IconMode)
        self.setResizeMode(QListView.ResizeMode.Adjust)
        self.setMovement(QListView.Movement.Static)
        self.setUniformItemSizes(True)
        self.setSpacing(2)
        self.setSelectionMode(QListView.SelectionMode.SingleSelection)
        self._rows, self._card = _Rows(), _Card()
        self.setModel(self._rows)
        self.setItemDelegate(self._card)

    def show_rows(self, rows: Sequence[LogRow]) -> None:
        """Show other rows; the one chosen stays chosen when it is among them."""
        before = self.chosen
        self._rows.set(rows)
        again = next((k for k, r in enumerate(rows) if before and r.path == before.path), 0)
        if rows:
            self.setCurrentIndex(self._rows.index(again))

    @property
    def chosen(self) -> LogRow | None:
        """Return the job that is chosen."""
        k = self.currentIndex().row()
        return self._rows.rows[k] if 0 <= k < len(self._rows.rows) else None

    def set_theme(self, theme: Theme) -> None:
        """Choose the theme."""
        self._card.theme = theme
        self.viewport().update()
