"""What the board says, out of forecast, refit and rows: one place for its figures."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from bibulon.app.session.session import Session
from bibulon.core.findings.base import Finding
from bibulon.core.flow.forecast import Forecast
from bibulon.core.outlook.outlook import Outlook
from bibulon.core.plans.refit.refit import Refit
from bibulon.core.plans.refit.watch import RunEvidence, run_findings
from bibulon.core.run.day import gauge_readings, weighings
from bibulon.core.run.journal import Entry, RunState
from bibulon.core.run.schedule import schedule_of
from bibulon.core.units.units import clock, show

__all__ = ["Bucket", "bucket_of", "drawn_by", "findings_of", "headline"]


@dataclass(frozen=True)
class Bucket:
    """The bucket: mixed so far, left in it, still needed [kg]; age and life of its oldest batch [s]; whether it was weighed."""

    mixed: float
    left: float
    needed: float
    age: float | None
    life: float | None
    weighed: bool


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
    outlook: Outlook, state: RunState, refit: Refit | None, now: float, journal: tuple[Entry, ...]
) -> Bucket | None:
    """Return the bucket as it stands; None without a charge."""
    plan = outlook.evidence.charge if outlook.evidence else None
    forecast = outlook.forecast
    if plan is None or forecast is None:
        return None
    made = schedule_of(outlook.job, plan, forecast)
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
    before = outlook.job.conditions.mixed_before_start if not state.batches else 0.0
    resin = outlook.job.resin
    return Bucket(
        mixed, max(mixed - drawn, 0.0), max(total - drawn, 0.0), now - last + before, resin.pot_life if resin else None, bool(scale)
    )  # fmt: skip


def findings_of(session: Session, refit: Refit | None, bucket: Bucket | None) -> list[Finding]:
    """Return what is wrong with the run now, in this person's units."""
    outlook = session.outlook
    if outlook is None or outlook.forecast is None:
        return []
    state, now = session.run_state(), session.elapsed()
    gauge = gauge_readings(session.journal)
    evidence = RunEvidence(
        outlook.job, outlook.forecast, state, now, refit, bucket.left if bucket else None, None,
        bucket.age if bucket else None, bucket.life if bucket else None, gauge[-1][1] if gauge else None,
        state.stopped_at, refit.prior.gel if refit else outlook.forecast.clock.gel,
    )  # fmt: skip
    return [f.worded(session.system) for f in run_findings(evidence)]


def headline(session: Session, refit: Refit | None, waiting: str, holding: list[str]) -> str:
    """Return the lines beside the clock."""
    state, now, s = session.run_state(), session.elapsed(), session.system
    outlook = session.outlook
    forecast = outlook.forecast if outlook else None
    if not state.run:
        return "Every stamp is stored the moment it is made." + (f"\n{waiting}" if waiting else "")
    words = []
    if state.wet_at is not None:
        words += [f"all wet at {clock(state.wet_at)}", *holding]
    elif refit is not None and any(m.kind == "front" for m in refit.marks):
        low, middle, high = (max(t - now, 0.0) for t in (refit.fill.low, refit.fill.middle, refit.fill.high))
        words.append(f"wet through in {clock(middle)} ({clock(low)} to {clock(high)})")
        planned = f"planned {clock(forecast.fill_time)}" if forecast is not None and forecast.filled else ""
        words.append(
            " · ".join(
                x
                for x in (
                    planned,
                    f"{len(refit.marks)} marks",
                    "" if refit.gauge_read else "if the vacuum holds",
                )
                if x
            )
        )
    elif forecast is not None and forecast.filled:
        words.append(
            f"wet through in {clock(max(forecast.fill_time - now, 0))}, planned {clock(forecast.fill_time)}"
        )
        words.append(waiting or "mark the front: the range follows")
    gauge = gauge_readings(session.journal)
    if gauge:
        words.append(f"bag {show(gauge[-1][1], 'pressure', s)} at {clock(gauge[-1][0])}")
    return "\n".join(words[:3])
