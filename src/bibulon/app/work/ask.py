"""Work off the interface thread: asked with a key, answered only while the key is still the same."""

from __future__ import annotations

import logging
from collections.abc import Callable
from threading import Event, Thread
from typing import Any

from PySide6.QtCore import QObject, Signal

__all__ = ["Ask", "Progress", "Stopped", "drop_all", "end_all"]

log = logging.getLogger(__name__)

Progress = Callable[[int, int], None]
Stopped = Callable[[], bool]


_NEVER_BEGUN = object()  # what was stopped while it waited for its thread


class _Signals(QObject):
    progress = Signal(object, int, int)
    done = Signal(object, object, object)  # task, answer, error


class _Task:
    """One question; a plain thread runs it, since what Qt's pool is given it never lets go of, nor of what the work holds."""

    def __init__(self, work: Callable[[Progress, Stopped], Any], key: object, signals: _Signals) -> None:
        self.work, self.key, self.signals, self.stop = work, key, signals, Event()

    def run(self, before: Thread | None) -> None:
        """Do the work once the thread before is done, and tell what came of it."""
        if before is not None:
            before.join()
        answer: Any = _NEVER_BEGUN
        error: Exception | None = None
        try:
            if not self.stop.is_set():
                answer = self.work(
                    lambda done, of: self.signals.progress.emit(self, done, of), self.stop.is_set
                )
        except Exception as problem:  # who asked tells it where it stands
            answer, error = None, problem
            log.info("work ended with %s: %s", type(problem).__name__, problem)
        self.signals.done.emit(self, answer, error)


class Ask(QObject):
    """One question at a time; ``ready`` brings its answer, ``failed`` its error, ``progress`` (done, of).

    key : what the answer will belong to, asked when the work is wanted and again when the answer comes;
        an answer whose key has changed meanwhile is dropped.  The work itself gets a snapshot.
    between : an answer comes even when a newer question waits, so that what moves with the hand is seen
        while it moves; else only the newest counts, and the one that runs is asked to stop.
    """

    ready = Signal(object)
    failed = Signal(object)
    progress = Signal(int, int)
    rested = Signal()  # nothing runs any more, whatever came of it

    def __init__(self, parent: QObject, key: Callable[[], object], *, between: bool = False) -> None:
        super().__init__(parent)
        self._key, self._between = key, between
        self._thread: Thread | None = None  # the newest: each waits for the one before
        self._signals = _Signals(self)
        self._signals.done.connect(self._on_done)
        self._signals.progress.connect(self._on_progress)
        self._running: _Task | None = None
        self._waiting: _Task | None = None
        self._dropped: list[_Task] = []  # kept until their thread is done with them
        self.stopped = self._closed = False

    @property
    def busy(self) -> bool:
        """Whether an answer is still to come."""
        return self._running is not None

    def want(self, work: Callable[[], Any]) -> None:
        """Ask for short work on what cannot change; an older question that has not begun is forgotten."""
        self.start(lambda _progress, _stopped: work())

    def start(self, work: Callable[[Progress, Stopped], Any]) -> None:
        """Ask for work that tells its progress and can be stopped."""
        if self._closed:
            return
        task = _Task(work, self._key(), self._signals)
        if self._running is None:
            self._begin(task)
            return
        self._waiting = task
        if not self._between:
            self._running.stop.set()

    def _begin(self, task: _Task) -> None:
        self._running, self.stopped = task, False
        before = self._thread if self._thread is not None and self._thread.is_alive() else None
        self._thread = Thread(target=task.run, args=(before,), name="ask")
        self._thread.start()

    def cancel(self) -> None:
        """Ask what runs to stop: it comes back with what it has."""
        if self._running is not None:
            self._running.stop.set()
            self.stopped = True

    def drop(self) -> None:
        """Stop what runs, and forget it and what waits: no answer comes."""
        self._waiting = None
        if self._running is not None:
            self._running.stop.set()
            self._dropped.append(self._running)
            self._running = None
            self.rested.emit()

    def _on_progress(self, task: _Task, done: int, of: int) -> None:
        if task is self._running:
            self.progress.emit(done, of)

    def _on_done(self, task: _Task, answer: Any, error: Exception | None) -> None:
        if task in self._dropped:
            self._dropped.remove(task)
            return
        self._running = None
        newer, self._waiting = self._waiting, None
        begun = answer is not _NEVER_BEGUN
        if begun and (newer is None or self._between) and task.key == self._key():
            if error is not None:
                self.failed.emit(error)
            else:
                self.ready.emit(answer)
        if newer is not None and self._running is None:
            self._begin(newer)
        elif self._running is None:
            self.rested.emit()

    def close(self) -> None:
        """Stop, and wait for the worker: a thread must not outlive the program, nor its answer the window."""
        self._closed = True
        self.cancel()
        self.drop()
        if self._thread is not None:
            self._thread.join()


def end_all(*owners: QObject) -> None:
    """End what anything of these owners still works out, and wait for it."""
    for owner in owners:
        for ask in owner.findChildren(Ask):
            ask.close()


def drop_all(*owners: QObject) -> None:
    """Another job is open: what still works on the last one stops, and nothing of it comes."""
    for owner in owners:
        for ask in owner.findChildren(Ask):
            ask.drop()
