"""What the choices of a decision come to, worked out off the interface thread while the question is shown."""

from __future__ import annotations

import math

from PySide6.QtCore import QObject, Signal

from bibulon.app.session.session import Session
from bibulon.app.work.ask import Ask
from bibulon.core.plans.refit.choices import Outcome, outcomes_of
from bibulon.core.plans.refit.live import course_of
from bibulon.core.plans.refit.refit import Refit
from bibulon.core.units.units import clock
from bibulon.core.units.words import tr

__all__ = ["FORECAST", "Choosing"]

FORECAST = ("behind", "ahead")  # decisions whose choices are forecast


class Choosing(QObject):
    """``changed`` tells that ``words`` has something new to say."""

    changed = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.session = session
        self._told: dict[str, tuple[Outcome, ...]] = {}
        self._key = ""
        self.ask = Ask(self, lambda: (session.number, self._key))
        self.ask.ready.connect(self._came)
        self.ask.failed.connect(lambda _error: None)  # the question stands without figures
        session.closing.connect(self.ask.close)
        session.job_opened.connect(self._told.clear)

    def want(self, key: str, found: Refit | None) -> None:
        """Work it out for the marks and the moment as they are."""
        self._told.pop(key, None)
        if key not in FORECAST or found is None or not found.marks:
            return
        self._key = key
        journal, now, opened = self.session.journal, self.session.elapsed(), self.session.run_state().open
        self.ask.want(
            lambda: (key, outcomes_of(found, course_of(found.prior.job, journal), opened, now, key))
        )

    def _came(self, answer: tuple[str, tuple[Outcome, ...]]) -> None:
        key, told = answer
        self._told[key] = told
        self.changed.emit()

    def words(self, key: str) -> str:
        """Return what the choices come to, the soonest after that nothing is done; empty where that is not known."""
        told = self._told.get(key, ())
        if len(told) < 2:
            return tr("Forecasts of the choices come …") if self.ask.busy and self._key == key else ""
        first, *rest = told
        rest.sort(key=lambda o: o.fill)
        said = [f"{o.words} {clock(o.fill) if math.isfinite(o.fill) else 'never'}" for o in (first, *rest)]
        return tr("Wet through {}.", ", ".join(said))
