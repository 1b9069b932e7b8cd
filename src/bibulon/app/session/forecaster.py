"""Looks ahead off the interface thread: coarse first, then fine; the newest request wins."""

from __future__ import annotations

import logging
from functools import partial

from PySide6.QtCore import QObject, QTimer, Signal

from bibulon.app.work.ask import Ask, Progress, Stopped
from bibulon.core.flow.fill.filling import Cancelled
from bibulon.core.flow.forecast import FINE, Resolution
from bibulon.core.model.job import Job
from bibulon.core.outlook.outlook import Outlook, look_ahead
from bibulon.core.units.words import tr

__all__ = ["FINE_ON_SCREEN", "PREVIEW", "Forecaster"]

log = logging.getLogger(__name__)

PREVIEW = Resolution(500, 1, 5, air=False, lead=False, spill=0.1)
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
        self._begun = False
        self._coarse = Ask(self, lambda: None, between=True)
        self._fine = Ask(self, lambda: self._job)
        self._coarse.ready.connect(self._on_answer)
        self._fine.ready.connect(self._on_answer)
        self._fine.progress.connect(lambda done, of: self.progress.emit(done / of))

    @property
    def busy(self) -> bool:
        """Whether an answer is still to come."""
        return self._job is not None

    def request(self, job: Job) -> None:
        """Work out a job."""
        self._fine.drop()
        self._job = job
        if self._begun:
            self._coarse.start(partial(_look, job, self._last, False))
        else:  # the window is painted first: the first forecast loads half of SciPy
            QTimer.singleShot(0, self, self._begin)

    def _begin(self) -> None:
        self._begun = True
        if self._job is not None:
            self._coarse.start(partial(_look, self._job, self._last, False))

    def _on_answer(self, answer: tuple[Job, Outlook | Exception]) -> None:
        job, told = answer
        if isinstance(told, Exception):
            self.failed.emit(tr("The forecast stopped: {}", told))
        else:
            self.ready.emit(told)
            if told.fine:
                self._last = told
        if self._job is not job:
            return  # a newer one waits, or none is wanted any more
        if isinstance(told, Exception) or told.fine or told.problem:
            self._job = None
            self.idle.emit()
        else:
            self._fine.start(partial(_look, job, self._last, True))

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
) -> tuple[Job, Outlook | Exception]:
    """Look ahead, on a worker; return the job with its answer, a fine one at once where nothing flows otherwise, or with what went wrong.

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
    except (
        Exception
    ) as error:  # the last door before the user: the trace goes to the log, one sentence to who asked
        log.exception("look-ahead failed")
        return job, error
