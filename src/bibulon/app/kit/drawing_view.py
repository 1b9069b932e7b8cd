"""A widget that shows one drawing made of plain shapes."""

from __future__ import annotations

from collections.abc import Callable, Iterable

from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QWidget

from bibulon.app.kit.paint import paint_told
from bibulon.core.drawing.kit.scene import Item
from bibulon.core.drawing.kit.tokens import DAY, Theme
from bibulon.core.units.words import tr

__all__ = ["DrawingView"]


class DrawingView(QWidget):
    """Paints what ``items`` gives for its width, height and theme."""

    def __init__(
        self, name: str, items: Callable[[float, float, Theme], Iterable[Item]], height: int = 150
    ) -> None:
        super().__init__()
        self.items, self.theme = items, DAY
        self.setMinimumHeight(height)
        self.setAccessibleName(tr(name))

    def set_theme(self, theme: Theme) -> None:
        """Choose the theme."""
        self.theme = theme
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), self.theme.ground)
        paint_told(self, painter, self.items(float(self.width()), float(self.height()), self.theme))
        painter.end()
