"""The calls of a run: what is said next, when, and why."""

from __future__ import annotations

import math

from msgspec import Struct

from bibulon.core.flow.forecast import Forecast
from bibulon.core.model.job import Job
from bibulon.core.resin.charge import Charge
from bibulon.core.run.journal import RunState
from bibulon.core.run.schedule import schedule_of
from bibulon.core.units.units import System, clock, show
from bibulon.core.units.words import tr

__all__ = ["Call", "calls"]


class Call(Struct, frozen=True):
    """Something to do at a time [s] after the start."""

    time: float
    text: str
    why: str


def calls(
    job: Job, forecast: Forecast, plan: Charge | None, state: RunState, system: System
) -> tuple[Call, ...]:
    """Return what is still to be called, the next first, by the forecast and by what has been stamped."""
    out = []
    for line in job.lines:
        if line.role != "feed":
            continue
        opens = forecast.history.opened.get(line.id)
        if opens is not None and line.id not in state.open:
            out.append(Call(opens, tr("Open {}", line.label), tr("planned at {}", clock(opens))))
        shut = forecast.history.shut_at(line.id)
        if math.isfinite(shut) and line.id in state.open:
            out.append(Call(shut, tr("Shut {}", line.label), tr("planned at {}", clock(shut))))
    if plan is not None and job.resin is not None:
        made = schedule_of(job, plan, forecast)
        for batch in made.batches:
            if batch.number > 1 and batch.used and len(state.batches) < batch.number - 1:
                takes = clock(made.terms.making)
                why = tr(
                    "{0}; the bucket wants it at {1}, making it takes {2}",
                    show(batch.mass, "mass", system),
                    clock(batch.pour),
                    takes,
                )
                out.append(Call(max(batch.start, 0.0), tr("Mix batch {}", batch.number), why))
    if forecast.filled and state.wet_at is None:
        x, y, when = forecast.last_wet
        place = f"x {show(x, 'length', system)}, y {show(y, 'length', system)}"
        out.append(Call(when, "Look at the last place", tr("{0} should be wet at {1}", place, clock(when))))
    if state.wet_at is not None and state.open:
        out.append(
            Call(
                state.wet_at,
                tr("Shut the feed, hold the vacuum"),
                tr("all is wet; vacuum stays on until gel"),
            )
        )
    return tuple(sorted(out, key=lambda c: c.time))
