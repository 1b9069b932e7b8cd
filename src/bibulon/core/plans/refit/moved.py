"""Calls that follow the front: what is bound to it moves with the refit, and says so."""

from __future__ import annotations

import math
from collections.abc import Sequence

from msgspec.structs import replace

from bibulon.core.flow.forecast import Forecast
from bibulon.core.model.job import Job, OnFront
from bibulon.core.plans.refit.refit import Refit
from bibulon.core.run.calls import Call
from bibulon.core.units.units import System, clock, show
from bibulon.core.units.words import tr

__all__ = ["moved_calls"]

WORTH = 15.0  # s by which a call must move to be told as moved


def moved_calls(
    job: Job, forecast: Forecast, refit: Refit | None, found: Sequence[Call], system: System
) -> tuple[Call, ...]:
    """Return the calls at the times that the refit makes of them; each that moved says from when, and why."""
    if refit is None or not any(m.kind == "front" for m in refit.marks):
        return tuple(found)
    now, planned = refit.now, forecast.fill_time
    ahead = max(planned - now, 60.0)
    factor = max(refit.fill.middle - now, 1.0) / ahead
    out = []
    for call in found:
        feed = call.act is not None and any(x.id == call.act.line and x.role == "feed" for x in job.lines)
        if call.act is not None and isinstance(call.act.rule, OnFront):
            out.append(_by_front(call, refit, call.act.rule.line))
        elif call.act is not None and feed and call.act.kind == "open":
            out.append(_opening(call, refit.passed(call.act.line), now))
        elif call.text == "Look at the last place":
            x, y = refit.last_wet
            place = f"x {show(x, 'length', system)}, y {show(y, 'length', system)}"
            why = tr(
                "{0} should be wet at {1} to {2}",
                place,
                clock(refit.fill.low, refit.fill.high),
                clock(refit.fill.high),
            )
            out.append(replace(call, time=max(refit.fill.middle, now), why=why))
        elif call.text.startswith("Mix batch") and call.time > now:
            time = now + (call.time - now) * factor
            out.append(_told(replace(call, time=time), call.time, tr("the part draws as its front goes")))
        else:
            out.append(call)
    return tuple(sorted(out, key=lambda c: c.time))


def _by_front(call: Call, refit: Refit, line: str) -> Call:
    """Return a call that is bound to the front's passing of a line, as much later or sooner as that is."""
    nodes = refit.prior.model.lines[line]
    off = refit.passed(line) - float(refit.prior.planned.top[nodes].max(initial=0.0))
    if not math.isfinite(off) or call.time <= 0:
        return call
    why = tr("the front is there later") if off > 0 else tr("the front is there sooner")
    return _told(replace(call, time=max(call.time + off, refit.now)), call.time, why)


def _opening(call: Call, passed: float, now: float) -> Call:
    """Return the opening of a feed: not before the front is past it."""
    if passed <= max(call.time, now) + WORTH:
        return call
    told = tr(
        "planned at {0}, but the front is past it at {1}: earlier locks air off",
        clock(call.time),
        clock(passed),
    )
    return replace(call, time=passed, why=told)


def _told(call: Call, before: float, why: str) -> Call:
    if abs(call.time - before) < WORTH:
        return call
    return replace(call, why=tr("{0}; moved from {1}: {2}", call.why, clock(before), why))
