"""The calls of a run: what is said next, when, and why."""

from __future__ import annotations

from msgspec import Struct

from bibulon.core.flow.forecast import Forecast
from bibulon.core.model.job import Job
from bibulon.core.resin.charge import Charge
from bibulon.core.run.journal import RunState
from bibulon.core.run.schedule import schedule_of
from bibulon.core.run.valves import ValveAct, end_words, left_to_do, valve_acts
from bibulon.core.units.units import System, clock, show
from bibulon.core.units.words import tr

__all__ = ["Call", "calls"]


class Call(Struct, frozen=True):
    """Something to do at a time [s] after the start; ``act`` where it is done at a valve."""

    time: float
    text: str
    why: str
    act: ValveAct | None = None


def calls(
    job: Job, forecast: Forecast, plan: Charge | None, state: RunState, system: System
) -> tuple[Call, ...]:
    """Return what is still to be called, the next first, by the forecast and by what has been stamped."""
    out, wet = [], state.wet_at is not None
    for line in job.lines:
        if wet and line.role == "feed":
            continue  # all of them are shut, which is one call
        acts = valve_acts(job, forecast, line, system)
        for act, why in left_to_do(acts, state.valves.get(line.id, ()), line):
            planned = tr("planned at {}", clock(act.time))
            out.append(Call(act.time, act.text, f"{planned}; {why}" if why else planned, act))
    if plan is not None and job.resin is not None and not wet:
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
    if forecast.filled and not wet:
        x, y, when = forecast.last_wet
        place = f"x {show(x, 'length', system)}, y {show(y, 'length', system)}"
        out.append(Call(when, "Look at the last place", tr("{0} should be wet at {1}", place, clock(when))))
    if state.wet_at is not None and any(x.role == "feed" and x.id in state.open for x in job.lines):
        done, held = end_words(job, system)
        out.append(Call(state.wet_at, done, tr("all is wet; then: {}", held)))
    return tuple(sorted(out, key=lambda c: c.time))
