"""Loads the modules of pages while nobody waits: a window stands sooner without them, and a station first shown has them."""

from __future__ import annotations

import pkgutil
import sys
from importlib import import_module

from PySide6.QtCore import QObject, QTimer, Signal

from bibulon.app import stations

__all__ = ["PageLoader"]


class PageLoader(QObject):
    """One module at a time, each when the window has nothing else to do."""

    done = Signal()

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        found = pkgutil.walk_packages(stations.__path__, f"{stations.__name__}.")
        self._names = [m.name for m in found if m.name not in sys.modules]
        self._timer = QTimer(self)
        self._timer.setInterval(0)
        self._timer.timeout.connect(self._next)
        self._timer.start()

    def _next(self) -> None:
        if self._names:
            import_module(self._names.pop())
        else:
            self._timer.stop()
            self.done.emit()
