"""What is chosen on the plan, and the moment that plan, cut and clock share."""

from __future__ import annotations

from PySide6.QtCore import QObject, Signal

__all__ = ["Choice"]


class Choice(QObject):
    """Things chosen (lines, and zones as "zone:…"), and the hand of the clock [s]."""

    moment_changed = Signal(float)
    selection_changed = Signal(object)  # str | None

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.moment = 0.0
        self.selection: tuple[str, ...] = ()

    @property
    def selected(self) -> str | None:
        """Return the line chosen, when it is just one."""
        lines = [t for t in self.selection if not t.startswith("zone:")]
        return lines[0] if len(self.selection) == 1 and lines else None

    def select(self, thing: str | None, more: bool = False) -> None:
        """Choose a line or "zone:…", or nothing; with ``more`` add it, or take it off again."""
        if thing is None:
            self.set_selection(())
        elif not more:
            self.set_selection((thing,))
        elif thing in self.selection:
            self.set_selection(tuple(t for t in self.selection if t != thing))
        else:
            self.set_selection((*self.selection, thing))

    def set_selection(self, things: tuple[str, ...]) -> None:
        """Choose several things."""
        if things != self.selection:
            self.selection = things
            self.selection_changed.emit(self.selected)

    def set_moment(self, seconds: float) -> None:
        """Move the hand of the clock."""
        if seconds != self.moment:
            self.moment = seconds
            self.moment_changed.emit(seconds)
