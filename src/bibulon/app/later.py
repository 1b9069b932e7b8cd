"""Work off the interface thread for a panel: short wishes, of which the newest counts, and long runs with a stop."""

from __future__ import annotations

from collections.abc import Callable
from threading import Event
from typing import Any

from PySide6.QtCore import QObject, QRunnable, QThreadPool, Signal

__all__ = ["Later", "LongRun"]


class _Signals(QObject):
    done = Signal(object, object, object)  # wish, answer, error


class _Task(QRunnable):
    def __init__(self, wish: object, work: Callable[[], Any], signals: _Signals) -> None:
        super().__init__()
        self.wish, self.work, self.signals = wish, work, signals

    def run(self) -> None:
        try:
            answer, error = self.work(), None
        except Exception as problem:  # the panel tells it where it stands
            answer, error = None, problem
        self.signals.done.emit(self.wish, answer, error)


class Later(QObject):
    """``want`` a piece of work; ``ready`` brings its answer, ``failed`` its error.

    With ``between`` an answer comes even when a newer wish waits: what moves with the hand is then
    seen while it moves.
    """

    ready = Signal(object)
    failed = Signal(object)

    def __init__(self, parent: QObject | None = None, between: bool = False) -> None:
        super().__init__(parent)
        self._between = between
        self._pool = QThreadPool(self)
        self._pool.setMaxThreadCount(1)
        self._signals = _Signals(self)
        self._signals.done.connect(self._on_done)
        self._running: object | None = None
        self._waiting: tuple[object, Callable[[], Any]] | None = None

    @property
    def busy(self) -> bool:
        """Whether an answer is still to come."""
        return self._running is not None

    def want(self, work: Callable[[], Any]) -> None:
        """Ask for work on what cannot change; an older wish that has not begun is forgotten."""
        wish = object()
        if self._running is not None:
            self._waiting = (wish, work)
        else:
            self._begin(wish, work)

    def _begin(self, wish: object, work: Callable[[], Any]) -> None:
        self._running = wish
        self._pool.start(_Task(wish, work, self._signals))

    def _on_done(self, wish: object, answer: Any, error: Exception | None) -> None:
        self._running = None
        newer, self._waiting = self._waiting, None
        if newer is None or self._between:
            if error is not None:
                self.failed.emit(error)
            else:
                self.ready.emit(answer)
        if newer is not None:
            self.want(newer[1])

    def close(self) -> None:
        """Wait for the worker."""
        self._waiting = None
        self._pool.waitForDone()


Progress = Callable[[int, int], None]
Stopped = Callable[[], bool]


class _RunSignals(QObject):
    progress = Signal(int, int)
    done = Signal(object, object)  # answer, error


class _Run(QRunnable):
    def __init__(self, work: Callable[[Progress, Stopped], Any], stop: Event, signals: _RunSignals) -> None:
        super().__init__()
        self.work, self.stop, self.signals = work, stop, signals

    def run(self) -> None:
        try:
            answer, error = self.work(self.signals.progress.emit, self.stop.is_set), None
        except Exception as problem:  # the panel tells it where it stands
            answer, error = None, problem
        self.signals.done.emit(answer, error)


class LongRun(QObject):
    """One run at a time that tells its progress (done, of) and can be stopped; ``ready`` brings what it came to."""

    progress = Signal(int, int)
    ready = Signal(object)
    failed = Signal(object)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._pool = QThreadPool(self)
        self._signals = _RunSignals(self)
        self._signals.progress.connect(self.progress)
        self._signals.done.connect(self._on_done)
        self._stop: Event | None = None
        self.stopped = False

    @property
    def busy(self) -> bool:
        """Whether it runs."""
        return self._stop is not None

    def start(self, work: Callable[[Progress, Stopped], Any]) -> None:
        """Start; what is running must have ended."""
        self._stop, self.stopped = Event(), False
        self._pool.start(_Run(work, self._stop, self._signals))

    def cancel(self) -> None:
        """Ask it to stop: it comes back with what it has."""
        if self._stop is not None:
            self._stop.set()
            self.stopped = True

    def _on_done(self, answer: Any, error: Exception | None) -> None:
        self._stop = None
        if error is not None:
            self.failed.emit(error)
        else:
            self.ready.emit(answer)

    def close(self) -> None:
        """Stop, and wait for it."""
        self.cancel()
        self._pool.waitForDone()
