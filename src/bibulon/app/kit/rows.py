"""A list with room around the words of its rows."""

from __future__ import annotations

from PySide6.QtCore import QModelIndex, QPersistentModelIndex, QSize
from PySide6.QtGui import QPainter
from PySide6.QtWidgets import QListWidget, QStyle, QStyledItemDelegate, QStyleOptionViewItem

__all__ = ["Rows"]

ACROSS, DOWN = 8, 6  # px

Index = QModelIndex | QPersistentModelIndex


class _Roomy(QStyledItemDelegate):
    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        if option.state & QStyle.StateFlag.State_Selected:
            painter.fillRect(option.rect, option.palette.highlight())
        super().paint(painter, _within(option), index)

    def sizeHint(self, option: QStyleOptionViewItem, index: Index) -> QSize:
        inner = super().sizeHint(_within(option), index)
        return QSize(inner.width() + 2 * ACROSS, inner.height() + 2 * DOWN)


def _within(option: QStyleOptionViewItem) -> QStyleOptionViewItem:
    inner = QStyleOptionViewItem(option)
    inner.rect = option.rect.adjusted(ACROSS, DOWN, -ACROSS, -DOWN)
    return inner


class Rows(QListWidget):
    """Rows of words to choose from."""

    def __init__(self) -> None:
        super().__init__()
        self.setItemDelegate(_Roomy(self))
