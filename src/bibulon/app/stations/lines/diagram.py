"""The line diagram as it is pressed and walked through."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent

from bibulon.app.kit.drawing_view import DrawingView
from bibulon.app.session.session import Session
from bibulon.core.drawing.graphs.diagram import Node, diagram_nodes, draw_diagram, node_at
from bibulon.core.drawing.kit.scene import Item
from bibulon.core.drawing.kit.tokens import Theme

__all__ = ["Diagram"]


class Diagram(DrawingView):
    """The drawing, which can be pressed and walked through by keys."""

    picked = Signal(str)

    def __init__(self, session: Session, chosen: Callable[[], str]) -> None:
        super().__init__("Line diagram: choose a part of it to set it below", self._draw, 260)
        self.session, self.chosen = session, chosen
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)

    def nodes(self) -> list[Node]:
        """Return what is drawn."""
        return diagram_nodes(self.session.job, float(self.width()), float(self.height()))

    def _draw(self, width: float, height: float, theme: Theme) -> list[Item]:
        return list(draw_diagram(self.session.job, width, height, theme, self.session.system, self.chosen()))

    def mousePressEvent(self, event: QMouseEvent) -> None:
        found = node_at(self.nodes(), event.position().x(), event.position().y())
        self.picked.emit(found.key if found else "")

    def keyPressEvent(self, event: QKeyEvent) -> None:
        keys = [n.key for n in self.nodes()]
        step = {Qt.Key.Key_Right: 1, Qt.Key.Key_Down: 1, Qt.Key.Key_Left: -1, Qt.Key.Key_Up: -1}.get(
            Qt.Key(event.key()), 0
        )
        if keys and step:
            here = keys.index(self.chosen()) if self.chosen() in keys else -step if step > 0 else 0
            self.picked.emit(keys[(here + step) % len(keys)])
        else:
            super().keyPressEvent(event)
