"""The hand on the plan, moved by keys alone: by the grid, by what it snaps to, by coordinates, from thing to thing."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QEvent, QPointF, Qt
from PySide6.QtGui import QKeyEvent

from bibulon.app.plan.handling import PlanHandling
from bibulon.core.drawing.kit.scene import View
from bibulon.core.geometry.snap import nice_grid

__all__ = ["PlanKeys"]

NUDGE = 40  # px that an arrow key pans
STEP = 10.0  # px that the hand moves at least where there is no grid
ARROWS = {
    Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Up: (0, -1), Qt.Key.Key_Down: (0, 1),
}  # fmt: skip


class PlanKeys(PlanHandling):
    """The plan that can be worked by keyboard."""

    def event(self, event: QEvent) -> bool:
        """Keep Backspace for the drawing that is under way: else it would delete what is chosen."""
        drawing = self._drawing is not None and event.type() == QEvent.Type.ShortcutOverride
        if drawing and isinstance(event, QKeyEvent) and event.key() == Qt.Key.Key_Backspace:
            event.accept()
            return True
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if not self._key(event.key(), event.modifiers()):
            super().keyPressEvent(event)

    def _key(self, key: int, modifiers: Qt.KeyboardModifier) -> bool:
        """Act on a key; False when it means nothing here."""
        shift = bool(modifiers & Qt.KeyboardModifier.ShiftModifier)
        control = bool(modifiers & Qt.KeyboardModifier.ControlModifier)
        if key in ARROWS:
            self._arrow(*ARROWS[Qt.Key(key)], control, shift)
        elif control or modifiers & Qt.KeyboardModifier.AltModifier:
            return False
        elif key in (Qt.Key.Key_Plus, Qt.Key.Key_Equal):
            self.zoom(1.2)
        elif key == Qt.Key.Key_Minus:
            self.zoom(1 / 1.2)
        elif key == Qt.Key.Key_F:
            self.fit_selection() if shift else self.fit()
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self._drawing:
            self.end_drawing(take=True)
        elif key == Qt.Key.Key_Escape:
            if self._drawing:
                self.end_drawing(take=False)
            self._set_active(None)
            self.session.select(None)
        elif key == Qt.Key.Key_I:
            self.session.view.set_probes(not self.session.view.probes)
        else:
            return self._hand_key(key)
        return True

    def _hand_key(self, key: int) -> bool:
        """Act on a key that stands for the hand itself."""
        if not self.editable and not self._drawing and self._hand is None:
            return False  # a plan that only shows has no hand until it is called
        if key == Qt.Key.Key_Space:
            self._press_here()
        elif key == Qt.Key.Key_Backspace and self._drawing and self._points:
            self._points.pop()
        elif key == Qt.Key.Key_C:
            self._type_place()
        elif key in (Qt.Key.Key_N, Qt.Key.Key_P) and self.editable:
            self._next_thing(1 if key == Qt.Key.Key_N else -1)
        elif key == Qt.Key.Key_H and self.editable:
            self._next_handle()
        else:
            return False
        self.update()
        return True

    def _arrow(self, right: int, down: int, control: bool, shift: bool) -> None:
        if control:
            self._move_hand(right, down, shift)
            return
        self.view = View(self.view.scale, self.view.dx - NUDGE * right, self.view.dy - NUDGE * down)
        self._set_active(None)
        self.update()

    def _move_hand(self, right: int, down: int, to_snap: bool) -> None:
        """Move the hand by a step of the grid, or to the next place that it snaps to; it begins in the middle."""
        exact: tuple[float, float] | None = None
        if self._hand is None:
            self._hand_px = (self.width() / 2, self.height() / 2)
        elif to_snap:
            exact = self._next_snap(right, down) or self._hand
            x, y = self.view.to(np.array([exact]))[0]
            self._hand_px = (float(x), float(y))
        else:
            grid = nice_grid(self.view.scale, self.session.system, STEP) * self.view.scale
            step = max(grid, STEP)
            self._hand_px = (self._hand_px[0] + step * right, self._hand_px[1] + step * down)
        self._hand_px = (
            min(max(self._hand_px[0], 0.0), float(self.width())),
            min(max(self._hand_px[1], 0.0), float(self.height())),
        )
        self._hand = exact or self._snap(QPointF(*self._hand_px))
        self.pointed = self._hand
        self.hand_moved.emit(self._hand)
        self.update()

    def _next_snap(self, right: int, down: int) -> tuple[float, float] | None:
        """Return the nearest corner, end or handle [m] on that side of the hand."""
        job = self.session.job
        places = [h.place for h in self._handles()] + [p for line in job.lines for p in line.path]
        places += [(c.x, c.y) for c in job.part.outline]
        px = self.view.to(np.array(places))
        ahead = (px - np.array(self._hand_px)) @ np.array([right, down])
        aside = np.abs((px - np.array(self._hand_px)) @ np.array([down, right]))
        far = np.where(ahead > 2.0, ahead + 2 * aside, np.inf)
        best = int(np.argmin(far))
        return places[best] if np.isfinite(far[best]) else None

    def _press_here(self) -> None:
        """Do at the hand what a click does there."""
        if self._hand is None:
            self._move_hand(0, 0, False)
        place = self._hand
        assert place is not None
        if self._drawing:
            if self._drawing == "measure" and len(self._points) > 1:
                self._points = []
            self._points.append(place)
            return
        position = QPointF(*self._hand_px)
        handle = self._handle_at(position)
        thing = self._thing_at(position)
        if handle is not None:
            self._set_active(handle)
            self.place_edit.x_field.setFocus()
        elif thing is not None:
            self.session.select(thing)
        else:
            self.clicked_at.emit(*place)

    def _type_place(self) -> None:
        """Offer fields for the hand's coordinates."""
        if self._hand is None:
            self._move_hand(0, 0, False)
        assert self._hand is not None
        self._set_active(None)
        self._typing = True
        x, y = self._hand_px
        self.place_edit.offer(self._hand, False, self.session.system, (int(x), int(y)))
        self.place_edit.x_field.setFocus()

    def _next_thing(self, step: int) -> None:
        things = self._things()
        if not things:
            return
        chosen = [t for t in self.session.selection if t in things]
        k = things.index(chosen[-1]) + step if chosen else (0 if step > 0 else -1)
        self.session.select(things[k % len(things)])

    def _next_handle(self) -> None:
        """Take the next handle of what is chosen, or of the part, and offer its numbers."""
        handles = self._handles()
        if not handles:
            return
        keys = [h.key for h in handles]
        k = keys.index(self._active.key) + 1 if self._active and self._active.key in keys else 0
        self._set_active(handles[k % len(handles)])
        self.place_edit.x_field.setFocus()
