"""The plan on screen, and the mouse on it."""

from __future__ import annotations

from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QContextMenuEvent, QMouseEvent
from PySide6.QtWidgets import QMenu

from bibulon.app.plan.handles import Handle
from bibulon.app.plan.keys import PlanKeys
from bibulon.core.drawing.kit.scene import View

__all__ = ["PlanView"]


class PlanView(PlanKeys):
    """The plan: drawn, and edited in place by mouse and keys."""

    def mousePressEvent(self, event: QMouseEvent) -> None:
        position = event.position()
        more = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        if event.button() == Qt.MouseButton.MiddleButton:
            self._pan_from = position
        if event.button() != Qt.MouseButton.LeftButton:
            return
        if self._drawing:
            if self._drawing == "measure" and len(self._points) > 1:
                self._points = []
            self._points.append(self._snap(position))
            self.update()
            return
        self._hold = self._handle_at(position)
        if self._hold is not None:
            self._set_active(self._hold)
        else:
            self._set_active(None)
            self._press_thing(position, more)
        self.update()

    def _press_thing(self, position: QPointF, more: bool) -> None:
        """Choose what is under the hand and hold it; on empty ground pan, or with Shift draw a box."""
        thing = self._thing_at(position)
        if thing is not None:
            if more or thing not in self.session.selection:
                self.session.select(thing, more)
            if self.session.selection:
                self._hold = Handle("things", " ".join(self.session.selection), -1, self._snap(position))
        elif more and self.editable:
            self._rubber = (position, position)
        else:
            if self.editable & {"lines", "zones"}:
                self.session.select(None)
            self._pan_from = position
            self.clicked_at.emit(*self.view.back(position.x(), position.y()))

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        position = event.position()
        self._hand_px = (position.x(), position.y())
        self._hand = self._snap(position)
        if self._rubber is not None:
            self._rubber = (self._rubber[0], position)
        elif self._hold is not None:
            self._drag(self._hand)
        elif self._pan_from is not None:
            step = position - self._pan_from
            self.view = View(self.view.scale, self.view.dx + step.x(), self.view.dy + step.y())
            self._pan_from = position
            self._set_active(None)
        elif not self._drawing:
            near = self._handle_at(position) is not None or self._thing_at(position) is not None
            self.setCursor(
                Qt.CursorShape.SizeAllCursor if near and self.editable else Qt.CursorShape.ArrowCursor
            )
        self.hand_moved.emit(self._hand)
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self._pan_from = None
        if self._rubber is not None:
            self._choose_inside(*self._rubber)
            self._rubber = None
        if self._hold is not None:
            self._hold = None
            self.session.end_gesture()
            if self._active is not None:
                self._set_active(
                    next((h for h in self._handles() if self._active and h.key == self._active.key), None)
                )
        self.update()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        if self._drawing:
            self.end_drawing(take=True)

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        if self.menu_acts is None or self._drawing:
            return
        by_key = event.reason() == QContextMenuEvent.Reason.Keyboard
        position = QPointF(*self._hand_px) if by_key else QPointF(event.pos())
        thing = self._thing_at(position)
        if thing is not None and thing not in self.session.selection:
            self.session.select(thing)
        menu = QMenu(self)
        self.menu_acts(menu, self.view.back(position.x(), position.y()))
        if not menu.isEmpty():
            menu.popup(self.mapToGlobal(position.toPoint()) if by_key else event.globalPos())

    def leaveEvent(self, event: object) -> None:
        self._hand = self.pointed = None
        self.hand_moved.emit(None)
        self.update()
