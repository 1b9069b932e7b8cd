"""A refit out of a run's rows: what the board shows and what the command line tells come through here."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from bibulon.core.model.job import AtTime, Job, ValveTurn
from bibulon.core.plans.refit.drive import Drive, drive_of, gel_at, warmed
from bibulon.core.plans.refit.ensemble import HAND
from bibulon.core.plans.refit.marks import Weighed
from bibulon.core.plans.refit.prior import Prior
from bibulon.core.plans.refit.refit import Refit, refit
from bibulon.core.run.day import (
    explained,
    gauge_readings,
    opened_off,
    resin_readings,
    vacuums_off,
    weighings,
)
from bibulon.core.run.journal import Entry, FrontMark, run_state

__all__ = ["as_opened", "course_of", "off_plan", "refit_of_run", "telling"]

FAR_OFF = 2.0  # deviations of a hand-opened valve, beyond which the ensemble is made anew
MOST = 160  # marks
WIDENED = 1.4  # by what ranges are wider until it is


def telling(marks: Sequence[FrontMark]) -> list[FrontMark]:
    """Return the marks that a refit is made of: all, or of very many the newest and the others evenly; more tell nothing new."""
    if len(marks) <= MOST:
        return list(marks)
    older = marks[: -MOST // 2]
    at = np.unique(np.linspace(0, len(older) - 1, MOST - MOST // 2).astype(int))
    return [*(older[k] for k in at), *marks[-MOST // 2 :]]


def off_plan(job: Job, journal: Sequence[Entry]) -> bool:
    """Whether a feed was opened so far off its plan, or a vacuum moved otherwise than planned, that the ensemble no longer holds."""
    late = any(abs(late) > FAR_OFF * HAND for late in opened_off(job, journal).values())
    return late or bool(vacuums_off(job, journal, FAR_OFF * HAND))


def as_opened(job: Job, journal: Sequence[Entry]) -> Job:
    """Return the job with its feeds opened when they really were, and its vacuum lines as they were moved."""
    late, moved = opened_off(job, journal), vacuums_off(job, journal, FAR_OFF * HAND)
    lines = []
    for line in job.lines:
        if line.id in late:
            planned = line.opens.time if isinstance(line.opens, AtTime) else line.opens.about  # type: ignore[union-attr]
            line = line.replaced(opens=AtTime(time=max(planned + late[line.id], 0.0)))
        elif line.id in moved:
            turns = tuple(
                ValveTurn(when=AtTime(time=max(s.time, 0.1)), share=s.share, pressure=s.pressure)
                for s in moved[line.id]
            )
            line = line.replaced(shuts=None, turns=turns)
        lines.append(line)
    return job.replaced(lines=tuple(lines))


def course_of(job: Job, journal: Sequence[Entry]) -> Drive:
    """Return the drive of the last run as gauge and thermometer read it, the plan's where neither was read.

    Raises
    ------
    ValueError : when the gauge leaves no drive.
    """
    conditions, gauge = job.conditions, gauge_readings(journal)
    drive = drive_of(gauge, conditions.atmosphere, conditions.vacuum) if gauge else Drive()
    return warmed(job, drive, resin_readings(journal))


def refit_of_run(prior: Prior, journal: Sequence[Entry], now: float, density: float) -> Refit:
    """Return what the last run's rows make of a forecast at a moment [s]; ``density`` of the resin [kg/m³].

    Raises
    ------
    ValueError : when a mark lies off the part, or the gauge leaves no drive.
    """
    job = prior.job
    state = run_state(journal)
    gauge = gauge_readings(journal)
    warmth = resin_readings(journal)
    drive = course_of(job, journal) if gauge or warmth else None
    whole = prior.volume * density
    weighed = [Weighed(min(m / whole, 1.0), t) for t, m in weighings(journal) if m / whole > 0.02]
    off = opened_off(job, journal)
    near = {line: late for line, late in off.items() if abs(late) <= FAR_OFF * HAND}
    marks = telling([m for m in state.marks if m.time <= now + 1.0])
    return refit(
        prior, marks, max(now, max((m.time for m in marks), default=0.0)), opened=near, weighed=weighed, drive=drive,
        taken=explained(journal), widen=WIDENED if len(near) < len(off) else 1.0,
        gel=gel_at(job, warmth[-1][1]) if warmth else None, gauge_read=bool(gauge),
        waiting=frozenset(x.id for x in job.lines if x.role == "feed" and x.id not in state.opened),
    )  # fmt: skip
