"""A widget that is a drawing."""

from __future__ import annotations

from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QWidget

from bibulon.app.kit.turns import first_seen
from bibulon.app.kit.whole import paint_whole
from bibulon.core.drawing.kit.tokens import DAY, Theme

__all__ = ["Drawn"]


class Drawn(QWidget):
    """``draw`` paints it on the theme's ground; the first time in a turn of its own."""

    def __init__(self) -> None:
        super().__init__()
        self.theme: Theme = DAY

    def set_theme(self, theme: Theme) -> None:
        """Choose the theme."""
        self.theme = theme
        self.update()

    def draw(self, painter: QPainter) -> None:
        """Paint what it shows now."""
        raise NotImplementedError

    def paintEvent(self, event: QPaintEvent) -> None:
        paint_whole(self, self._draw_seen)

    def _draw_seen(self, painter: QPainter) -> None:
        painter.fillRect(self.rect(), self.theme.ground)
        if not first_seen(self):
            self.draw(painter)
