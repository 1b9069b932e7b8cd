"""A page of trials: forecasts of the job changed in one way after another, made when the page is seen."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PySide6.QtWidgets import QPushButton

from bibulon.app.kit.run_bar import RunBar
from bibulon.app.session.session import Session
from bibulon.app.stations.base import SidedPage
from bibulon.app.work.ask import Progress, Stopped
from bibulon.core.model.job import Job

__all__ = ["TrialsPage"]


class TrialsPage(SidedPage):
    """Trials of the plan as it is: they begin once the page is seen and the plan has a forecast, and count for no other plan."""

    def __init__(self, session: Session, start: str, told: str, stop: str, take: str) -> None:
        super().__init__()
        self.session = session
        self._tried: object = None
        self.bar = RunBar(start, told, stop, self, self._now)
        self.bar.ready.connect(self.show_rows)
        self.bar.failed.connect(lambda error: session.said.emit(str(error), True))
        self.bar.start.clicked.connect(lambda _=False: self.run())
        self.take = QPushButton(take)
        self.take.setEnabled(False)
        self.take.clicked.connect(lambda _=False: self.take_pick())

    def key(self, job: Job) -> object:
        """Return what trials belong to, of a job."""
        raise NotImplementedError

    def _now(self) -> object:
        return self.session.number, self.key(self.session.job)

    def nothing_to_try(self) -> str:
        """Return why there is nothing to try; empty where there is."""
        raise NotImplementedError

    def trials(self) -> tuple[Callable[[Progress, Stopped], Any], int]:
        """Return the work, and how many forecasts it is."""
        raise NotImplementedError

    def show_rows(self, rows: list[Any]) -> None:
        """Show the trials."""
        raise NotImplementedError

    def forget(self) -> None:
        """Show none: they were of another plan."""
        raise NotImplementedError

    def take_pick(self) -> None:
        """Plan what is picked."""
        raise NotImplementedError

    def run(self) -> None:
        """Forecast the job in one way after another."""
        if why := self.nothing_to_try():
            self.session.said.emit(why, True)
            return
        self._tried = self._now()
        self.bar.begin(*self.trials())

    def fill(self) -> None:
        """Show the job as it is; try it once its forecast is there, but not what was tried already."""
        now, outlook = self._now(), self.session.outlook
        if self._tried not in (None, now):
            self._tried = None
            self.bar.run.drop()
            self.forget()
        if self._tried is not None or not self.isVisible() or self.nothing_to_try():
            return
        if outlook is None or not outlook.fine or outlook.forecast is None:
            return  # the plan has the first word, and the last
        if self.key(outlook.job) == self.key(self.session.job):
            self.run()
