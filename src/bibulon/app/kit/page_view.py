"""Pages as they will print, one below another."""

from __future__ import annotations

from PySide6.QtCore import QRect, QRectF, QSize
from PySide6.QtGui import QPainter, QPaintEvent, QPixmap
from PySide6.QtWidgets import QWidget

from bibulon.app.kit.paint import paint, tell
from bibulon.app.kit.turns import first_seen
from bibulon.app.kit.whole import paint_whole
from bibulon.core.drawing.kit.pages import PAGE, Page
from bibulon.core.drawing.kit.tokens import PAPER
from bibulon.core.units.words import tr

__all__ = ["PageView"]

GAP = 16


class PageView(QWidget):
    """The pages of a document, each kept as a picture from when it is first seen."""

    def __init__(self, name: str) -> None:
        super().__init__()
        self.pages: list[Page] = []
        self.scale = 0.82
        self._pictures: dict[int, QPixmap] = {}
        self.setAccessibleName(tr(name))

    def set_pages(self, pages: list[Page]) -> None:
        """Show pages."""
        self.pages = pages
        self._pictures.clear()
        width, height = (int(v * self.scale) for v in PAGE)
        self.setFixedSize(QSize(width + 2 * GAP, (height + GAP) * max(len(pages), 1) + GAP))
        tell(self, pages[0].items if pages else ())
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        if first_seen(self):
            return
        seen = event.rect()
        paint_whole(self, lambda painter: self._draw(painter, seen))

    def _draw(self, painter: QPainter, seen: QRect) -> None:
        width, height = (int(v * self.scale) for v in PAGE)
        for k in range(len(self.pages)):
            place = QRect(GAP, GAP + k * (height + GAP), width, height)
            if seen.intersects(place):
                painter.drawPixmap(place.topLeft(), self._picture(k, place.size()))

    def _picture(self, k: int, size: QSize) -> QPixmap:
        ratio = self.devicePixelRatioF()
        known = self._pictures.get(k)
        if known is not None and known.devicePixelRatio() == ratio:
            return known
        picture = self._pictures[k] = QPixmap(size * ratio)
        picture.setDevicePixelRatio(ratio)
        picture.fill(PAPER.ground)
        with QPainter(picture) as painter:
            painter.scale(self.scale, self.scale)
            painter.setClipRect(QRectF(0, 0, *PAGE))
            paint(painter, self.pages[k].items)
        return picture
