"""The drawing of a mistake, as a widget."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QSize
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QWidget

from bibulon.app.kit.paint import paint
from bibulon.app.kit.whole import paint_whole
from bibulon.core.drawing.graphs.mishaps import HIGH, WIDE, draw_mishap
from bibulon.core.drawing.kit.tokens import Theme

__all__ = ["MishapPicture"]


class MishapPicture(QWidget):
    """What goes wrong, in the theme of the moment, at a share of its size."""

    def __init__(self, kind: str, theme: Callable[[], Theme], size: float = 1.0) -> None:
        super().__init__()
        self.kind, self._theme_of, self._size = kind, theme, size
        self.setFixedSize(QSize(int(WIDE * size), int(HIGH * size)))

    def paintEvent(self, event: QPaintEvent) -> None:
        paint_whole(self, self._draw)

    def _draw(self, painter: QPainter) -> None:
        painter.scale(self._size, self._size)
        paint(painter, draw_mishap(self.kind, self._theme_of()))
