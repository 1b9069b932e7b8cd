"""A small view of the mould that the hand turns."""

from __future__ import annotations

from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter

from bibulon.app.kit.drawn import Drawn
from bibulon.app.kit.paint import paint
from bibulon.app.kit.turns import wait_again
from bibulon.core.drawing.kit.scene import Label
from bibulon.core.drawing.plan.solid import Solid, draw_solid, solid_of
from bibulon.core.model.job import Surface
from bibulon.core.units.words import tr

__all__ = ["SurfaceView"]


class SurfaceView(Drawn):
    """Shows a surface; dragging or the arrow keys turn it."""

    def __init__(self) -> None:
        super().__init__()
        self.round_, self.tilt = 30.0, 30.0
        self.surface: Surface | None = None
        self._solid: Solid | None = None
        self._from: QPointF | None = None
        self.setMinimumSize(160, 130)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(tr("The mould: drag or use the arrows to turn it"))
        self.setCursor(Qt.CursorShape.OpenHandCursor)

    def show_surface(self, surface: Surface | None) -> None:
        """Show a surface, or none."""
        if surface is self.surface:
            return
        self.surface, self._solid = surface, solid_of(surface) if surface is not None else None
        wait_again(self)
        self.update()

    def draw(self, painter: QPainter) -> None:
        painter.fillRect(self.rect(), self.theme.raised)
        width, height = float(self.width()), float(self.height())
        if self._solid is not None:
            paint(painter, draw_solid(self._solid, self.round_, self.tilt, width, height, self.theme))
            paint(painter, [Label(8, height - 10, "drag to turn", self.theme.soft, 11, anchor="l")])
        painter.setPen(self.theme.edge)
        painter.drawRect(self.rect().adjusted(0, 0, -1, -1))

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._from = event.position()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._from is not None:
            step = event.position() - self._from
            self._from = event.position()
            self._turn(step.x() * 0.6, step.y() * 0.6)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self._from = None

    def keyPressEvent(self, event: QKeyEvent) -> None:
        keys = {
            Qt.Key.Key_Left: (-8, 0),
            Qt.Key.Key_Right: (8, 0),
            Qt.Key.Key_Up: (0, -8),
            Qt.Key.Key_Down: (0, 8),
        }
        if event.key() in keys:
            self._turn(*keys[Qt.Key(event.key())])
        else:
            super().keyPressEvent(event)

    def _turn(self, round_: float, tilt: float) -> None:
        self.round_ = (self.round_ + round_) % 360
        self.tilt = min(max(self.tilt + tilt, -90.0), 90.0)
        self.update()
