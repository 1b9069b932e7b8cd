"""The ensemble of the shot, worked out in the background, and what the marks make of it at once."""

from __future__ import annotations

import logging
from collections.abc import Callable

from PySide6.QtCore import QObject, Signal

from bibulon.app.session.session import Session
from bibulon.app.work.ask import Ask, Progress, Stopped
from bibulon.core.drawing.plan.refitplan import RefitPicture, picture_of
from bibulon.core.flow.fill.filling import Cancelled
from bibulon.core.flow.fill.step import FillError
from bibulon.core.model.job import Job
from bibulon.core.plans.refit.live import as_opened, off_plan, refit_of_run
from bibulon.core.plans.refit.prior import Prior, prior_of
from bibulon.core.plans.refit.refit import Refit
from bibulon.core.run.journal import Stamped
from bibulon.core.units.words import tr

__all__ = ["Refitting"]

log = logging.getLogger(__name__)

WORKERS = 2


class Refitting(QObject):
    """``prior`` once there is one; ``refit`` and ``picture`` of the run as it stands; ``changed`` tells of either."""

    changed = Signal()

    def __init__(self, session: Session, prior: Callable[..., Prior] | None = None) -> None:
        super().__init__(session)
        self.session, self._make = session, prior or prior_of
        self.prior: Prior | None = None
        self.refit: Refit | None = None
        self.picture: RefitPicture | None = None
        self.problem = ""
        self.done = (0, 1)
        self._of: Job | None = None
        self._asked: Job | None = None
        self._valves: dict[str, tuple[Stamped, ...]] = {}  # that were looked at for what is off the plan
        self.ask = Ask(session, lambda: session.number)
        self.ask.ready.connect(self._on_prior)
        self.ask.failed.connect(self._on_failure)
        self.ask.progress.connect(self._on_progress)
        session.job_opened.connect(self._forget)
        session.closing.connect(self.ask.close)

    def _forget(self) -> None:
        self.ask.cancel()
        self.prior = self.refit = self.picture = self._of = self._asked = None
        self.problem = ""

    def want(self) -> None:
        """See that there is an ensemble of the job as it is, or as its feeds were really opened."""
        session = self.session
        outlook = session.outlook
        if outlook is None or outlook.forecast is None:
            return
        job = session.job.replaced(variants=())
        if off_plan(job, session.journal):
            job = as_opened(job, session.journal)
        if job == self._asked:
            return
        self._asked = job
        make = self._make

        def work(progress: Progress, stopped: Stopped) -> tuple[Job, Prior] | None:
            try:
                return job, make(job, workers=WORKERS, progress=progress, cancelled=stopped)
            except Cancelled:
                return None

        self.ask.start(work)

    def _on_progress(self, done: int, of: int) -> None:
        self.done = (done, of)
        self.changed.emit()

    def _on_prior(self, answer: tuple[Job, Prior] | None) -> None:
        if answer is None:
            self._asked = self._of
            return
        self._of, self.prior = answer
        self.problem = ""
        self.update()

    def _on_failure(self, error: Exception) -> None:
        if isinstance(error, ValueError | FillError):
            self.problem = (str(error).strip().splitlines() or [type(error).__name__])[0]
        else:  # a library's own words are for the log
            log.error("the ensemble failed", exc_info=error)
            self.problem = tr("no ranges: their forecasts failed, the log says how")
        self.changed.emit()

    def update(self) -> None:
        """Refit from the rows as they are: some milliseconds; a valve moved off its plan asks for another ensemble."""
        state = self.session.run_state()
        if state.valves != self._valves:
            self._valves = state.valves
            if self._asked is not None:
                self.want()
        self.refit = self.picture = None
        if self.prior is not None and state.run:
            resin = self.session.job.resin
            density = resin.density if resin else 1000.0
            try:
                self.refit = refit_of_run(self.prior, self.session.journal, self.session.elapsed(), density)
                self.picture = picture_of(self.refit)
            except ValueError as error:
                self.problem = (str(error).strip().splitlines() or [type(error).__name__])[0]
        self.changed.emit()

    def words(self) -> str:
        """Return what is still missing, for a small line."""
        if self.problem:
            return self.problem
        if self.ask.busy:
            return tr("ranges: {0} of {1} forecasts", self.done[0], self.done[1])
        return ""
