"""A run at a moment: the bucket as it stands, and what is wrong, out of forecast, refit and rows; window and command line ask here."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from msgspec import Struct

from bibulon.core.findings.base import Finding
from bibulon.core.flow.forecast import Forecast
from bibulon.core.model.job import Job
from bibulon.core.plans.refit.needed import needed_of
from bibulon.core.plans.refit.refit import Refit
from bibulon.core.plans.refit.watch import RunEvidence, run_findings
from bibulon.core.resin.charge import Charge
from bibulon.core.run.day import gauge_readings, weighings
from bibulon.core.run.journal import Entry, RunState, run_state
from bibulon.core.run.schedule import schedule_of

__all__ = ["Bucket", "bucket_of", "drawn_by", "findings_of_run"]


class Bucket(Struct, frozen=True):
    """The bucket: mixed so far, left in it, still needed [kg]; age and life of its oldest batch [s]; whether it was weighed.

    between : what is still needed nine times in ten [kg], and short the chance that all batches do not do, once there is a refit.
    """

    mixed: float
    left: float
    needed: float
    age: float | None
    life: float | None
    weighed: bool
    between: tuple[float, float] | None = None
    short: float | None = None


def drawn_by(forecast: Forecast, time: float) -> float:
    """Return the volume drawn by a moment, by the forecast [m³]."""
    rows = forecast.history.frames
    return float(np.interp(time, [f.time for f in rows], [sum(f.fed) for f in rows]))


def plan_time(forecast: Forecast, refit: Refit | None, now: float) -> float:
    """Return the plan's time by which as much is wet as now, by the refit."""
    if refit is None or not refit.marks or refit.fill.middle <= 0:
        return now
    return now * forecast.fill_time / refit.fill.middle


def bucket_of(
    job: Job,
    plan: Charge,
    forecast: Forecast,
    state: RunState,
    refit: Refit | None,
    now: float,
    journal: Sequence[Entry],
) -> Bucket:
    """Return the bucket as it stands at a moment [s]."""
    made = schedule_of(job, plan, forecast)
    masses = [b.mass for b in made.batches if b.used]
    count = min(1 + len(state.batches), len(masses))
    mixed = sum(masses[:count])
    drawn = drawn_by(forecast, plan_time(forecast, refit, now)) * plan.density
    scale = weighings(journal)
    if scale:
        at, kilos = scale[-1]
        drawn = kilos + max(drawn - drawn_by(forecast, plan_time(forecast, refit, at)) * plan.density, 0.0)
    total = forecast.resin_in_part + forecast.resin_in_lines
    last = state.batches[-1] if state.batches else 0.0
    before = job.conditions.mixed_before_start if not state.batches else 0.0
    resin = job.resin
    needed, between, short = max(total - drawn, 0.0), None, None
    if refit is not None and refit.marks:
        told = needed_of(refit, forecast)
        between = (max(told.low - drawn, 0.0), max(told.high - drawn, 0.0))
        needed, short = max(told.middle - drawn, 0.0), told.short(sum(masses) - job.heel)
    return Bucket(
        mixed, max(mixed - drawn, 0.0), needed, now - last + before, resin.pot_life if resin else None, bool(scale), between, short,
    )  # fmt: skip


def findings_of_run(
    job: Job,
    forecast: Forecast,
    journal: Sequence[Entry],
    refit: Refit | None,
    bucket: Bucket | None,
    now: float,
) -> list[Finding]:
    """Return what is wrong with the last run at a moment [s], the weightiest first."""
    state, gauge = run_state(journal), gauge_readings(journal)
    evidence = RunEvidence(
        job, forecast, state, now, refit, bucket.left if bucket else None, bucket.short if bucket else None,
        bucket.age if bucket else None, bucket.life if bucket else None, gauge[-1][1] if gauge else None,
        state.stopped_at, refit.gel if refit else forecast.clock.gel,
    )  # fmt: skip
    return run_findings(evidence)
