"""Pages as they will print, one below another."""

from __future__ import annotations

from PySide6.QtCore import QRectF, QSize
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QWidget

from bibulon.app.kit.paint import paint, tell
from bibulon.core.drawing.kit.pages import PAGE, Page
from bibulon.core.drawing.kit.tokens import PAPER
from bibulon.core.units.words import tr

__all__ = ["PageView"]

GAP = 16


class PageView(QWidget):
    """The pages of a document."""

    def __init__(self, name: str) -> None:
        super().__init__()
        self.pages: list[Page] = []
        self.scale = 0.82
        self.setAccessibleName(tr(name))

    def set_pages(self, pages: list[Page]) -> None:
        """Show pages."""
        self.pages = pages
        width, height = (int(v * self.scale) for v in PAGE)
        self.setFixedSize(QSize(width + 2 * GAP, (height + GAP) * max(len(pages), 1) + GAP))
        tell(self, pages[0].items if pages else ())
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        for k, page in enumerate(self.pages):
            top = GAP + k * (int(PAGE[1] * self.scale) + GAP)
            if not event.rect().intersects(QRectF(0, top, self.width(), PAGE[1] * self.scale).toRect()):
                continue
            painter.save()
            painter.translate(GAP, top)
            painter.scale(self.scale, self.scale)
            painter.fillRect(QRectF(0, 0, *PAGE), PAPER.ground)
            painter.setClipRect(QRectF(0, 0, *PAGE))
            paint(painter, page.items)
            painter.restore()
        painter.end()
