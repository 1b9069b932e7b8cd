"""Runs look-aheads on worker threads: coarse first, then fine; the newest request wins."""

from __future__ import annotations

import logging
from threading import Event

from PySide6.QtCore import QObject, QRunnable, QThreadPool, Signal

from bibulon.core.flow.fill.filling import Cancelled
from bibulon.core.flow.forecast import Resolution
from bibulon.core.model.job import Job
from bibulon.core.outlook.outlook import FINE, Outlook, flow_key, look_ahead

__all__ = ["FINE_ON_SCREEN", "PREVIEW", "Forecaster"]

log = logging.getLogger(__name__)

PREVIEW = Resolution(500, 1, 8, air=False)
FINE_ON_SCREEN = FINE


class _Signals(QObject):
    ready = Signal(int, object)
    progress = Signal(int, float)
    failed = Signal(int, str)


class _Task(QRunnable):
    """One request: a preview, then the fine answer."""

    def __init__(self, number: int, job: Job, before: Outlook | None, signals: _Signals) -> None:
        super().__init__()
        self.number, self.job, self.before, self.signals = number, job, before, signals
        self.stop = Event()
        self.previewed = False

    def run(self) -> None:
        try:
            same = (
                self.before is not None
                and self.before.fine
                and flow_key(self.before.job) == flow_key(self.job)
            )
            if not same:
                coarse = look_ahead(
                    self.job, PREVIEW, fine=False, before=self.before, cancelled=self.stop.is_set
                )
                if self.stop.is_set():
                    return
                self.signals.ready.emit(self.number, coarse)
                if coarse.problem:
                    return
            fine = look_ahead(
                self.job, FINE_ON_SCREEN, fine=True, before=self.before, cancelled=self.stop.is_set,
                progress=lambda share: self.signals.progress.emit(self.number, share),
            )  # fmt: skip
            if not self.stop.is_set():
                self.signals.ready.emit(self.number, fine)
        except Cancelled:
            pass
        except Exception as error:  # the last door before the user: log the trace, say one sentence
            log.exception("look-ahead failed")
            self.signals.failed.emit(self.number, f"The forecast stopped: {error}")


class Forecaster(QObject):
    """Answers ``request`` with ``ready`` signals; answers to older requests are dropped."""

    ready = Signal(object)  # Outlook
    progress = Signal(float)
    failed = Signal(str)
    idle = Signal()

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._pool = QThreadPool(self)
        self._pool.setMaxThreadCount(2)
        self._signals = _Signals(self)
        self._signals.ready.connect(self._on_ready)
        self._signals.progress.connect(self._on_progress)
        self._signals.failed.connect(self._on_failed)
        self._task: _Task | None = None
        self._waiting: Job | None = None
        self._number = 0
        self._last: Outlook | None = None
        self.busy = False

    def request(self, job: Job) -> None:
        """Work out a job.

        An earlier request's fine answer is cancelled.  Its preview, while under way, is let come to
        its end, with only the newest job waiting behind it: else a hand that moves without a stop
        would never see a front.
        """
        if self._task is not None and not self._task.previewed:
            self._waiting = job
            return
        self._begin(job)

    def _begin(self, job: Job) -> None:
        self.cancel()
        self._number += 1
        self._task = _Task(self._number, job, self._last, self._signals)
        self._task.setAutoDelete(True)
        self.busy = True
        self._pool.start(self._task)

    def cancel(self) -> None:
        """Stop the running request, if any; its answer is dropped."""
        if self._task is not None:
            self._task.stop.set()
            self._task = None
        self._waiting = None
        self._number += 1
        self.busy = False

    def forget(self) -> None:
        """Begin with another job: nothing of the one before is kept."""
        self.cancel()
        self._last = None

    def close(self) -> None:
        """Cancel and wait for the workers."""
        self.cancel()
        self._pool.waitForDone()

    def _on_ready(self, number: int, outlook: Outlook) -> None:
        if number != self._number:
            return
        done = outlook.fine or bool(outlook.problem)
        if outlook.fine:
            self._last = outlook
        if self._task is not None:
            self._task.previewed = True
        waiting, self._waiting = self._waiting, None
        self.ready.emit(outlook)
        if waiting is not None:
            self._begin(waiting)
            return
        if done:
            self._task, self.busy = None, False
            self.idle.emit()

    def _on_progress(self, number: int, share: float) -> None:
        if number == self._number:
            self.progress.emit(share)

    def _on_failed(self, number: int, text: str) -> None:
        if number == self._number:
            waiting, self._waiting = self._waiting, None
            self._task, self.busy = None, False
            self.failed.emit(text)
            if waiting is not None:
                self._begin(waiting)
            else:
                self.idle.emit()
