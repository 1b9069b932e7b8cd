"""The stack drawn as a stack: layers are chosen and dragged into order."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter

from bibulon.app.kit.drawn import Drawn
from bibulon.app.kit.paint import paint_told
from bibulon.app.session.session import Session
from bibulon.core.drawing.section.stackdraw import StackLook, StackRow, draw_stack, stack_rows
from bibulon.core.edit.edit import move_layer
from bibulon.core.model.job import RIM
from bibulon.core.run.layup import laid_layers
from bibulon.core.units.words import tr

__all__ = ["StackView"]

LOOSE = 6  # px that the hand moves before it drags


class StackView(Drawn):
    """One zone's stack.  ``chosen`` tells a layer's place in the job's stack; Delete asks to remove it."""

    chosen = Signal(int)
    removed = Signal(int)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session, self.zone = session, RIM
        self.current: int | None = None
        self._from: float | None = None
        self._drop: tuple[float, int] | None = None
        self.setMinimumHeight(150)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(tr("Stack drawing: drag a layer to another place, or Ctrl with the arrows"))

    def rows(self) -> list[StackRow]:
        """Return the layers as they are drawn."""
        return stack_rows(self.session.job, self.zone, float(self.height()))

    def show_layer(self, index: int | None) -> None:
        """Mark a layer."""
        if index != self.current:
            self.current = index
            self.update()

    def draw(self, painter: QPainter) -> None:
        look = StackLook(
            self.theme, self.session.system, self.current, self._drop[0] if self._drop else None,
            frozenset(laid_layers(self.session.journal)),
        )  # fmt: skip
        paint_told(
            self,
            painter,
            draw_stack(self.session.job, self.zone, float(self.width()), float(self.height()), look),
        )

    def _row_at(self, y: float) -> StackRow | None:
        return next((r for r in self.rows() if r.top <= y <= r.base), None)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() != Qt.MouseButton.LeftButton:
            return
        row = self._row_at(event.position().y())
        if row is not None:
            self._from = event.position().y()
            self._choose(row.index)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        y = event.position().y()
        if self._from is None or abs(y - self._from) < LOOSE:
            return
        self.setCursor(Qt.CursorShape.ClosedHandCursor)
        rows = self.rows()
        # Between which two layers the hand is: the edge nearest to it.
        edges = [(rows[0].base, rows[0].index)] + [(r.top, r.index + 1) for r in rows]
        self._drop = min(edges, key=lambda e: abs(e[0] - y))
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        drop, self._drop, self._from = self._drop, None, None
        self.unsetCursor()
        if drop is not None and self.current is not None:
            to = drop[1] - (1 if drop[1] > self.current else 0)
            self.move_to(to)
        self.update()

    def move_to(self, to: int) -> None:
        """Move the chosen layer to another place in the job's stack."""
        at = self.current
        if at is None or to == at or not 0 <= to < len(self.session.job.stack):
            return
        if self.session.edit("Move layer", lambda j: move_layer(j, at, to)):
            self._choose(to)

    def _choose(self, index: int) -> None:
        self.show_layer(index)
        self.chosen.emit(index)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        rows = self.rows()
        up, down = event.key() == Qt.Key.Key_Up, event.key() == Qt.Key.Key_Down
        if not rows or not (up or down or event.key() == Qt.Key.Key_Delete):
            super().keyPressEvent(event)
            return
        here = next((k for k, r in enumerate(rows) if r.index == self.current), None)
        if event.key() == Qt.Key.Key_Delete:
            if here is not None:
                self.removed.emit(rows[here].index)
            return
        there = 0 if here is None else min(max(here + (1 if up else -1), 0), len(rows) - 1)
        if event.modifiers() & Qt.KeyboardModifier.ControlModifier and here is not None:
            self.move_to(rows[there].index)
        else:
            self._choose(rows[there].index)
