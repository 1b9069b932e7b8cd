"""A widget that shows one drawing made of plain shapes."""

from __future__ import annotations

from collections.abc import Callable, Iterable

from PySide6.QtGui import QPainter

from bibulon.app.kit.drawn import Drawn
from bibulon.app.kit.paint import paint_told
from bibulon.core.drawing.kit.scene import Item
from bibulon.core.drawing.kit.tokens import Theme
from bibulon.core.units.words import tr

__all__ = ["DrawingView"]


class DrawingView(Drawn):
    """Paints what ``items`` gives for its width, height and theme."""

    def __init__(
        self, name: str, items: Callable[[float, float, Theme], Iterable[Item]], height: int = 150
    ) -> None:
        super().__init__()
        self.items = items
        self.setMinimumHeight(height)
        self.setAccessibleName(tr(name))

    def draw(self, painter: QPainter) -> None:
        paint_told(self, painter, self.items(float(self.width()), float(self.height()), self.theme))
