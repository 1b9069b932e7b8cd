"""What each thing that could be done now comes to: forecasts with the shot's own figures, one beside the other.

Each is run on the ensemble's network with the scores that the marks leave likeliest; what is told is the refit's own time, moved by what
the choice changes, so that the plan's residual at the marks is not lost.  What moves all that is to come by one factor is reckoned.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from bibulon.core.model.job import AtTime, FlowLine, Job
from bibulon.core.model.lines import ValveTurn
from bibulon.core.plans.refit.drive import Drive
from bibulon.core.plans.refit.ensemble import NEVER, Draw, Runner
from bibulon.core.plans.refit.refit import Refit
from bibulon.core.resin.clock import flow_clock, warmed_clock
from bibulon.core.units.words import tr

__all__ = ["Outcome", "outcomes_of"]

THROTTLED = 1 / 3  # of its opening
DEEPER = 2000.0  # Pa
WARMER = 10.0  # K
MOST = 4  # lines that are tried
FAR = 0.95 * NEVER  # times the fill time, over which a place is one that stays dry


class Outcome(Struct, frozen=True):
    """A choice, in a word or two, and when all is wet through with it [s]; inf where that is not reached."""

    words: str
    fill: float


def outcomes_of(
    found: Refit, course: Drive, opened: frozenset[str], now: float, key: str
) -> tuple[Outcome, ...]:
    """Return what the choices of a decision come to, "behind" or "ahead", the first of them that nothing is done.

    Parameters
    ----------
    course : the drive as it was read; opened : feeds that are open now; now : moment of the run [s].

    Raises
    ------
    KeyError : for another decision.
    BuildError : when something that a forecast needs is missing.
    """
    job = found.prior.job
    same = Outcome(tr("as it is"), found.fill.middle)
    tried = {"behind": _next_feeds, "ahead": _throttled}[key](job, opened, course.plan_time(now))
    runner = Runner(job)
    draw = Draw(found.scores)
    plain = runner.run(draw)
    out = [same]
    for words, lines, line in tried[:MOST] if plain is not None else ():
        at = runner.run(_as_told(runner, draw, line), lines)
        if at is None or plain is None:
            continue
        dry = float(np.max(at.through)) > FAR * at.fill
        moved = course.plan_time(found.fill.middle) + at.fill - plain.fill
        out.append(Outcome(words, float("inf") if dry else max(course.time(moved), now)))
    if key == "behind":
        out += _by_a_factor(job, course, found.fill.middle, now)
    return tuple(out)


def _as_told(runner: Runner, draw: Draw, line: str) -> Draw:
    """Return a draw in which a feed is opened when it is said, not when a hand usually does."""
    theta = [
        0.0 if p.kind == "valve" and p.of == line else t
        for p, t in zip(runner.parameters, draw.theta, strict=True)
    ]
    return replace(draw, theta=tuple(theta))


def _next_feeds(job: Job, opened: frozenset[str], now: float) -> list[tuple[str, tuple[FlowLine, ...], str]]:
    """Return the plans in which a feed that is shut still is opened now."""
    out = []
    for line in job.lines:
        if line.role == "feed" and line.id not in opened:
            turned = line.replaced(opens=AtTime(time=max(now, 0.1)), shuts=None, turns=())
            out.append((tr("{} now", line.label), _with(job.lines, turned), line.id))
    return out


def _throttled(job: Job, opened: frozenset[str], now: float) -> list[tuple[str, tuple[FlowLine, ...], str]]:
    """Return the plans in which one open feed, or one of several outlets, is throttled from now on."""
    outlets = [x for x in job.lines if x.role == "vacuum" and not x.membrane]
    feeds = [x for x in job.lines if x.role == "feed" and x.id in opened]
    out = []
    for line in [*(feeds if len(feeds) > 1 else []), *(outlets if len(outlets) > 1 else [])]:
        turn = ValveTurn(when=AtTime(time=max(now, 0.1)), share=THROTTLED)
        out.append(
            (tr("{} to a third", line.label), _with(job.lines, line.replaced(turns=(*line.turns, turn))), "")
        )
    return out


def _with(lines: Sequence[FlowLine], line: FlowLine) -> tuple[FlowLine, ...]:
    return tuple(line if x.id == line.id else x for x in lines)


def _by_a_factor(job: Job, course: Drive, fill: float, now: float) -> list[Outcome]:
    """Return what a deeper vacuum and a warmer mould come to: all that is to come goes by one factor.

    Warm resin flows as much as it would have, ∫ dt/μ, in less time, and cures sooner: one that gels before is never all wet.
    """
    out, rest, c = [], max(fill - now, 0.0), job.conditions
    if c.vacuum > DEEPER:
        drive = c.atmosphere - c.vacuum
        out.append(Outcome(tr("vacuum 20 mbar deeper"), now + rest * drive / (drive + DEEPER)))
    warm = (
        warmed_clock(job.resin, c.resin_temperature, WARMER, c.mixed_before_start + now)
        if job.resin
        else None
    )
    if job.resin is not None and warm is not None and rest > 0:
        plan = flow_clock(job.resin, c.resin_temperature, c.mixed_before_start)
        begin, end = course.plan_time(now), course.plan_time(fill)
        left = plan.theta(end) - plan.theta(begin)
        done = end <= plan.gel and left <= warm.theta(warm.gel)
        takes = float(warm.times(np.array([left]))[0]) / max(end - begin, 1e-9)
        out.append(Outcome(tr("mould 10 K warmer"), now + rest * takes if done else float("inf")))
    return out
