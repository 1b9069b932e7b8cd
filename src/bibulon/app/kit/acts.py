"""Acts: everything that can be done from a menu, a key or the palette, as rows of one table."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass

from PySide6.QtGui import QAction, QKeySequence
from PySide6.QtWidgets import QWidget

__all__ = ["KEYS_IN_PLACE", "Act", "install_acts"]


@dataclass(frozen=True)
class Act:
    """One act: what it is called, its keys, what it does, and whether it can be done now."""

    group: str
    title: str
    run: Callable[[], object]
    keys: tuple[str, ...] = ()
    can: Callable[[], bool] = lambda: True

    @property
    def shortcut(self) -> str:
        """Return its first keys as people read them."""
        return (
            QKeySequence(self.keys[0]).toString(QKeySequence.SequenceFormat.NativeText) if self.keys else ""
        )


KEYS_IN_PLACE: tuple[tuple[str, str, str], ...] = (
    ("On the plan", "Wheel, pinch, + and −", "zoom"),
    ("On the plan", "Arrow keys, drag", "pan"),
    ("On the plan", "F, Shift+F", "fit the part, what is chosen"),
    ("On the plan", "Click, Shift+click, Shift+drag", "choose one, more, all in a box"),
    ("On the plan", "I; Ctrl+arrows", "values at the hand; move it by keys"),
    ("On the plan", "Enter, Esc", "end or give up what is being drawn"),
    ("On the clock", "Left, Right, Home, End", "move the hand, to the start, to all wet"),
    ("On the clock", "Space, N", "play, next event"),
    ("On the clock", "Drag the end of a bar", "open or shut a feed at another moment"),
    ("Shoot", "Return", "start the clock"),
    ("Shoot", "Space", "mark the front where the pointer is"),
    ("Shoot", "1, 2, …", "open or shut a feed"),
    ("Shoot", "B, U, N, W, Q", "batch in, bubbles, note, all wet, stop"),
)


def install_acts(owner: QWidget, acts: Iterable[Act]) -> dict[str, QAction]:
    """Give a window its acts; they are found by title."""
    out: dict[str, QAction] = {}
    for act in acts:
        action = QAction(act.title, owner)
        if act.keys:
            action.setShortcuts([QKeySequence(k) for k in act.keys])
        action.triggered.connect(lambda _=False, a=act: a.run() if a.can() else None)
        owner.addAction(action)
        out[act.title] = action
    return out
