"""Makes stations ready while nobody waits: a window stands sooner without them, and one first shown is there at once."""

from __future__ import annotations

import pkgutil
import sys
from importlib import import_module

from PySide6.QtCore import QObject, QTimer, Signal

from bibulon.app import stations
from bibulon.app.shell.window import Window

__all__ = ["PageLoader"]


class PageLoader(QObject):
    """One module or one station at a time, each when the window has nothing else to do."""

    done = Signal()

    def __init__(self, window: Window) -> None:
        super().__init__(window)
        self._window = window
        found = pkgutil.walk_packages(stations.__path__, f"{stations.__name__}.")
        self._names = [m.name for m in found if m.name not in sys.modules]
        self._timer = QTimer(self)
        self._timer.setInterval(0)
        self._timer.timeout.connect(self._next)
        window.session.forecaster.idle.connect(self._timer.start)
        self._timer.start()

    def _next(self) -> None:
        if self._names:
            import_module(self._names.pop())
        elif self._window.session.forecaster.busy:
            self._timer.stop()  # both would be slower for it
        elif not self._window.build_one():
            self._timer.stop()
            self._window.session.forecaster.idle.disconnect(self._timer.start)
            self.done.emit()
