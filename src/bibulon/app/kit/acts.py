"""Acts: everything that can be done from a menu, a key or the palette, as rows of one table."""

from __future__ import annotations

from collections.abc import Callable, Iterable

from msgspec import Struct
from PySide6.QtCore import Qt
from PySide6.QtGui import QAction, QKeySequence
from PySide6.QtWidgets import QWidget

from bibulon.core.units.words import tr

__all__ = ["KEYS_IN_PLACE", "Act", "install_acts", "install_keys"]


class Act(Struct, frozen=True):
    """One act: what it is called, its keys, what it does, and whether it can be done now.

    ``of`` names the place that must have the focus for its keys to count; without it they count in the whole
    window.  ``told`` says what it would do it to.
    """

    group: str
    title: str
    run: Callable[[], object]
    keys: tuple[str, ...] = ()
    can: Callable[[], bool] = lambda: True
    of: str = ""
    told: Callable[[], str] = lambda: ""

    @property
    def words(self) -> str:
        """Return its title with what it would be done to."""
        told = self.told()
        return f"{tr(self.title)}: {told}" if told else tr(self.title)

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
    ("On the plan", "I", "values at the hand"),
    (
        "On the plan",
        "Ctrl+arrows; with Shift",
        "move the hand by the grid; to the next place that it snaps to",
    ),
    ("On the plan", "Space, C", "press at the hand; type its coordinates"),
    ("On the plan", "N, P, H", "next thing, the one before, its next handle with numbers"),
    ("On the plan", "Backspace", "take back the last point of what is being drawn"),
    ("On the plan", "Enter, Esc", "end or give up what is being drawn"),
    ("On the clock", "Left, Right, Home, End", "move the hand, to the start, to all wet"),
    ("On the clock", "Space, N", "play, next event"),
    ("On the clock", "Drag the end of a bar", "open or shut a feed at another moment"),
    ("In a list", "F3", "sort by the column of the cell, turn the order, give its own back"),
    ("In a list", "Ctrl+C, Ctrl+Shift+C", "copy the cells chosen, the whole list with its headings"),
    ("Shoot", "Return", "start the clock"),
    ("Shoot", "Space", "mark the front where the pointer is"),
    ("Shoot", "1, 2, …", "open or shut a feed"),
    ("Shoot", "S", "a feed that was shut stays so: it is called no more"),
    ("Shoot", "V", "what is called at another valve; else a vacuum line by its name"),
    ("Shoot", "B, U, N, W, Q", "batch in, bubbles, note, all wet, stop"),
    ("Shoot", "D, G", "still dry where the pointer is; the front at a place by its name"),
    ("Shoot", "T, Backspace", "the next mark some seconds back; withdraw the last one"),
    ("Shoot", "P, K, R", "what the gauge reads, what is in the bucket, how warm the resin is"),
    ("Shoot", "A, X, Y", "what now; withdraw the mark that is odd, take what explains it"),
)


def install_acts(owner: QWidget, acts: Iterable[Act]) -> dict[str, QAction]:
    """Give a window its acts, found by title; keys of an act ``of`` a place are for ``install_keys``."""
    out: dict[str, QAction] = {}
    for act in acts:
        action = _action(act, owner)
        owner.addAction(action)
        out[act.title] = action
        if not act.of:
            action.setShortcuts([QKeySequence(k) for k in act.keys])
    return out


def install_keys(widget: QWidget, place: str, acts: Iterable[Act]) -> None:
    """Give a widget the keys of the acts that are of its place."""
    for act in acts:
        if act.of == place:
            here = _action(act, widget)
            here.setShortcuts([QKeySequence(k) for k in act.keys])
            here.setShortcutContext(Qt.ShortcutContext.WidgetWithChildrenShortcut)
            widget.addAction(here)


def _action(act: Act, owner: QWidget) -> QAction:
    action = QAction(tr(act.title), owner)
    action.triggered.connect(lambda _=False: act.run() if act.can() else None)
    return action
