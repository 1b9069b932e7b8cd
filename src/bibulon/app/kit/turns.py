"""Drawings that are long to make wait for a turn of their own, so that a window shown with many of them answers between."""

from __future__ import annotations

from collections import deque

import shiboken6
from PySide6.QtCore import QObject, QTimer
from PySide6.QtWidgets import QWidget

__all__ = ["first_seen", "paint_waiting", "wait_again"]


class _Turns(QObject):
    """One drawing a turn of the loop, in the order in which they were first seen."""

    def __init__(self) -> None:
        super().__init__()
        self._waiting: deque[QWidget] = deque()
        self._same_turn = False  # that in which the window about it is painted: timers come last in it
        self._timer = QTimer(self)
        self._timer.setInterval(0)
        self._timer.timeout.connect(self._next)

    def put(self, widget: QWidget) -> None:
        self._waiting.append(widget)
        self._same_turn = True
        self._timer.start()

    def holds(self, widget: QWidget) -> bool:
        """Whether a drawing still waits: the turn of another paints all that is out of date in the window, and it with them."""
        return any(w is widget for w in self._waiting)

    def _next(self) -> None:
        if self._same_turn:
            self._same_turn = False
        else:
            self.paint_one()

    def paint_one(self) -> bool:
        """Paint what waits longest; tell whether anything did."""
        if not self._waiting:
            return False
        widget = self._waiting.popleft()
        if not self._waiting:
            self._timer.stop()
        if shiboken6.isValid(widget):
            widget.repaint()
        return True


_turns: list[_Turns] = []  # made with the first drawing: it wants an application


def paint_waiting() -> None:
    """Paint now all that waits for its turn: a picture is taken of the window."""
    while _turns and _turns[0].paint_one():
        pass


def wait_again(widget: QWidget) -> None:
    """Let a drawing wait for a turn of its own once more: the window about it is dressed anew."""
    widget.setProperty("seen", None)


def first_seen(widget: QWidget) -> bool:
    """Whether a drawing is painted for the first time, or waits since; then it should paint its ground alone: its turn comes at once."""
    if widget.property("seen"):
        return bool(_turns) and _turns[0].holds(widget)
    widget.setProperty("seen", True)
    if not _turns:
        _turns.append(_Turns())
    _turns[0].put(widget)
    return True
