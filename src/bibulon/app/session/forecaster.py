"""Looks ahead off the interface thread: coarse first, then fine; the newest request wins."""

from __future__ import annotations

import logging
from functools import partial

from PySide6.QtCore import QObject, Signal

from bibulon.app.work.ask import Ask, Progress, Stopped
from bibulon.core.flow.fill.filling import Cancelled
from bibulon.core.flow.forecast import Resolution
from bibulon.core.model.job import Job
from bibulon.core.outlook.outlook import FINE, Outlook, flow_key, look_ahead

__all__ = ["FINE_ON_SCREEN", "PREVIEW", "Forecaster"]

log = logging.getLogger(__name__)

PREVIEW = Resolution(500, 1, 8, air=False)
FINE_ON_SCREEN = FINE
STEPS = 1000  # of a whole forecast, in which its progress is told


class Forecaster(QObject):
    """Answers ``request`` with ``ready`` signals; answers to older requests are dropped.

    An earlier request's fine answer is stopped.  Its preview, while under way, is let come to its end, with only the newest job
    waiting behind it: else a hand that moves without a stop would never see a front.
    """

    ready = Signal(object)  # Outlook
    progress = Signal(float)
    failed = Signal(str)
    idle = Signal()

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._job: Job | None = None  # the newest that is asked for
        self._last: Outlook | None = None  # the last fine answer
        self._coarse = Ask(self, lambda: None, between=True)
        self._fine = Ask(self, lambda: self._job)
        self._coarse.ready.connect(self._on_coarse)
        self._fine.ready.connect(self._on_fine)
        self._fine.progress.connect(lambda done, of: self.progress.emit(done / of))
        for ask in (self._coarse, self._fine):
            ask.failed.connect(self._on_failed)

    @property
    def busy(self) -> bool:
        """Whether an answer is still to come."""
        return self._job is not None

    def request(self, job: Job) -> None:
        """Work out a job."""
        self._fine.drop()
        self._job = job
        before = self._last
        if before is not None and flow_key(before.job) == flow_key(job) and not self._coarse.busy:
            self._look_closer()
        else:
            self._coarse.start(partial(_look, job, before, False))

    def _look_closer(self) -> None:
        assert self._job is not None
        self._fine.start(partial(_look, self._job, self._last, True))

    def _on_coarse(self, answer: tuple[Job, Outlook]) -> None:
        job, outlook = answer
        self.ready.emit(outlook)
        if self._job is not job:
            return  # a newer one waits, or none is wanted any more
        if outlook.problem:
            self._rest()
        else:
            self._look_closer()

    def _on_fine(self, answer: tuple[Job, Outlook]) -> None:
        job, self._last = answer
        self.ready.emit(self._last)
        if self._job is job:  # else what heard of it asked for the next
            self._rest()

    def _on_failed(self, error: Exception) -> None:
        if isinstance(error, Cancelled):
            return
        self.failed.emit(f"The forecast stopped: {error}")
        if not self._coarse.busy and not self._fine.busy:
            self._rest()

    def _rest(self) -> None:
        self._job = None
        self.idle.emit()

    def cancel(self) -> None:
        """Stop the running request, if any; its answer is dropped."""
        self._job = None
        self._coarse.drop()
        self._fine.drop()

    def forget(self) -> None:
        """Begin with another job: nothing of the one before is kept."""
        self.cancel()
        self._last = None

    def close(self) -> None:
        """Cancel and wait for the workers."""
        self._job = None
        self._coarse.close()
        self._fine.close()


def _look(
    job: Job, before: Outlook | None, fine: bool, progress: Progress, stopped: Stopped
) -> tuple[Job, Outlook]:
    """Look ahead, on a worker; return the job with its answer.

    Raises
    ------
    Cancelled : when it was stopped on the way.
    """
    try:
        return job, look_ahead(
            job, FINE_ON_SCREEN if fine else PREVIEW, fine=fine, before=before, cancelled=stopped,
            progress=lambda share: progress(round(share * STEPS), STEPS),
        )  # fmt: skip
    except Cancelled:
        raise
    except Exception:  # the last door before the user: the trace goes to the log, one sentence to who asked
        log.exception("look-ahead failed")
        raise
