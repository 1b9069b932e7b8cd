"""Makes stations ready while nobody waits: a window stands sooner without them, and one first shown is there at once."""

from __future__ import annotations

import pkgutil
import sys
from importlib import import_module

from PySide6.QtCore import QObject, QTimer, Signal

from bibulon.app import stations
from bibulon.app.shell.window import Window

__all__ = ["PageLoader"]

LARGE = ("asyncio", "ssl", "signal")  # what a page's module loads that would be long in one go with it


class PageLoader(QObject):
    """One module or one station at a time, each when the window has nothing else to do."""

    done = Signal()

    def __init__(self, window: Window) -> None:
        super().__init__(window)
        self._window = window
        found = pkgutil.walk_packages(stations.__path__, f"{stations.__name__}.")
        self._names = [name for name in (*(m.name for m in found), *LARGE) if name not in sys.modules]
        self._timer = QTimer(self)
        self._timer.setInterval(0)
        self._timer.timeout.connect(self._next)
        self._timer.start()

    def _next(self) -> None:
        if self._names:
            import_module(self._names.pop())
        elif not self._window.build_one():
            self._timer.stop()
            self.done.emit()
