"""The hold as the board tells it: what the part comes to by gel, if the feed is shut now or later."""

from __future__ import annotations

import math

import numpy as np
from msgspec import Struct
from PySide6.QtCore import QObject, Signal

from bibulon.app.session.session import Session
from bibulon.app.work.ask import Ask
from bibulon.core.flow.forecast import Forecast
from bibulon.core.flow.hold import Hold, hold_of, spare_of
from bibulon.core.model.job import Job
from bibulon.core.run.youngest import held_until
from bibulon.core.units.units import clock, show
from bibulon.core.units.words import tr

__all__ = ["Holding"]

MINUTES = (0.0, 2.0, 5.0)  # from now, at which the feed may be shut


class _Told(Struct, frozen=True):
    """Holds by minutes from now, what is over and what is dry now [kg], until when the vacuum stays [s]."""

    holds: tuple[tuple[float, Hold], ...]
    spare: float
    dry: float
    until: float


class Holding(QObject):
    """Worked out when it is asked for; ``changed`` tells that it is there."""

    changed = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.session = session
        self.told: _Told | None = None
        self._of: tuple[object, float] | None = None
        self.ask = Ask(self, lambda: session.number)
        self.ask.ready.connect(self._show)
        self.ask.failed.connect(lambda _error: None)  # of a part that does not fill there is no hold to tell
        session.closing.connect(self.ask.close)
        session.job_opened.connect(self._forget)

    def _forget(self) -> None:
        self.told = self._of = None

    def want(self, now: float) -> None:
        """Work it out for the forecast as it is and the minute that it is [s into the run]."""
        outlook = self.session.outlook
        forecast = outlook.forecast if outlook else None
        of = (forecast, now // 60.0)
        if forecast is None or (self._of is not None and self._of[0] is forecast and self._of[1] == of[1]):
            return
        self._of = of
        job = self.session.job
        self.ask.want(lambda: _worked(job, forecast, now))

    def _show(self, told: _Told) -> None:
        self.told = told
        self.changed.emit()

    def thickness(self) -> tuple[tuple[float, float], ...]:
        """Return (minutes from now, mean thickness at gel [m]) with the feed shut then."""
        if self.told is None:
            return ()
        return tuple((minutes, _mean(hold)) for minutes, hold in self.told.holds)

    def words(self) -> list[str]:
        """Return lines for the board once all is wet."""
        if self.told is None:
            return []
        s, hold = self.session.system, self.told.holds[0][1]
        low, mean, high = hold.ends(len(hold.time) - 1)
        return [
            tr(
                "by gel {0:.0f} % fibre, {1:.0f} to {2:.0f}; even from {3}",
                mean * 100,
                low * 100,
                high * 100,
                clock(hold.even_at),
            ),
            tr(
                "hold the vacuum until {0}; {1} still bleed",
                clock(self.told.until) if math.isfinite(self.told.until) else "the cup has gelled",
                show(float(hold.bled[-1]), "mass", s, 2),
            ),
        ]

    def shut_words(self) -> str:
        """Return what shutting the feed now would take or leave; empty where it is not known."""
        told = self.told
        if told is None or told.dry <= 0:
            return ""
        s = self.session.system
        enough = "covers" if told.spare >= told.dry else tr("does not cover")
        return tr(
            "Squeezed out: {0}; that {1} the {2} still dry.",
            show(told.spare, "mass", s, 2),
            enough,
            show(told.dry, "mass", s, 2),
        )


def _mean(hold: Hold) -> float:
    last = hold.thickness[-1]
    there = np.isfinite(last)
    return float(np.average(last[there], weights=hold.area[there]))


def _worked(job: Job, forecast: Forecast, now: float) -> _Told:
    """Return the holds.

    Raises
    ------
    ValueError : when the part does not fill, or is held by two hard faces.
    """
    late = max(now - forecast.fill_time, 0.0)
    holds = tuple((minutes, hold_of(forecast, "run", late + 60 * minutes)) for minutes in MINUTES)
    return _Told(holds, *spare_of(forecast, min(now, forecast.fill_time)), held_until(job, forecast))
