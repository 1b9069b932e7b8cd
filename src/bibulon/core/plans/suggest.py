"""A search over plans of lines: many are tried, a handful that differ and are good are kept.

Plans are made by ``starters`` from a few numbers; good ones are changed a little and tried again.  A plan
is judged by what stays dry, what is locked off, its time against gel, the lead where the mesh ends, resin
wasted and the number of lines; one that is no better than another in any of these is dropped.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace

import numpy as np

from bibulon.core.flow.build.builder import BuildError
from bibulon.core.flow.fill.filling import FillError
from bibulon.core.flow.forecast import Resolution, forecast
from bibulon.core.flow.lead import lead_at_mesh_end
from bibulon.core.geometry.outline import OutlineError
from bibulon.core.lines.reach import window_of
from bibulon.core.lines.starters import STRATEGIES, LinePlan, Strategy, lay_lines, usual_plan
from bibulon.core.model.job import Job
from bibulon.core.plans.work import Workers, each
from bibulon.core.units.words import tr

__all__ = ["Score", "Suggested", "Suggestion", "suggest", "tried_plan"]

ROUGH = Resolution(380, 1, 8, air=False)
KEPT = 5  # suggestions that are returned
CELLS = 6  # of the rough mesh below which a locked place is grain


@dataclass(frozen=True)
class Score:
    """What a plan is judged by: dry and locked area [m²], fill time [s] and its share of the window, lead [m], waste [kg], lines."""

    dry: float
    locked: float
    time: float
    window: float
    lead: float
    waste: float
    lines: int

    def values(self) -> tuple[float, ...]:
        """Return what is compared, all the less the better."""
        return self.dry, self.locked, self.time, self.lead, self.waste, float(self.lines)

    @property
    def weight(self) -> float:
        """Return one number for all: dry and locked places count most, then time beyond the window, then the rest."""
        late = max(self.time / self.window - 1, 0.0) if math.isfinite(self.window) else 0.0
        pace = min(self.time / self.window, 1.0) if math.isfinite(self.window) else self.time / 7200
        fails = 40 * min(self.dry, 1.0) + 25 * min(self.locked, 1.0) + 6 * min(late, 3.0)
        return fails + 0.8 * pace + 2.0 * self.lead + 0.25 * self.waste + 0.06 * self.lines

    def beats(self, other: Score) -> bool:
        """Whether it is no worse in anything and better in something."""
        pairs = list(zip(self.values(), other.values(), strict=True))
        return all(a <= b + 1e-12 for a, b in pairs) and any(a < b - 1e-12 for a, b in pairs)


@dataclass(frozen=True)
class Suggestion:
    """A plan with its score, and what it is best at."""

    plan: LinePlan
    score: Score
    best_at: str
    job: Job


@dataclass(frozen=True)
class Suggested:
    """What a search found, how many plans it tried, and how many of those could not be laid or filled."""

    kept: tuple[Suggestion, ...]
    tried: int
    failed: int


@dataclass(frozen=True)
class _Try:
    job: Job
    plan: LinePlan
    mesh: str | None


def tried_plan(attempt: _Try) -> Score | None:
    """Lay a plan and score it; None when it cannot be laid or filled."""
    try:
        job = lay_lines(attempt.job, attempt.plan, attempt.mesh)
        result = forecast(job, ROUGH)
    except (OutlineError, BuildError, FillError, ValueError):
        return None
    grain = CELLS * result.model.mesh.size**2
    return Score(
        dry=result.never_wet_area if not result.filled else 0.0,
        locked=sum(p.area for p in result.pockets if p.area > grain),
        time=result.fill_time if result.filled else result.history.end * 2,
        window=window_of(job),
        lead=lead_at_mesh_end(result)[0],
        waste=result.resin_in_lines + result.resin_to_catch_pot,
        lines=len(job.lines),
    )


def suggest(
    job: Job,
    *,
    most: int = 72,
    workers: Workers = 2,
    seed: int = 1,
    strategies: tuple[Strategy, ...] = tuple(STRATEGIES),
    progress: Callable[[int, int], None] = lambda done, most: None,
    cancelled: Callable[[], bool] = lambda: False,
) -> Suggested:
    """Search plans of lines for a job; the same seed with no workers gives the same answer.

    progress : called with (tried so far, most).  Cancelled, it returns what was found so far.

    Raises
    ------
    OutlineError : when the part's outline is crossed or empty.
    """
    mesh = job.mesh.material if job.mesh else None
    bare = job.replaced(variants=(), lines=(), manifolds=(), buckets=(), bypasses=(), mesh=None)
    scored: dict[LinePlan, Score] = {}
    tried = failed = 0
    attempts = (
        _Try(bare if mesh is None else bare.replaced(mesh=job.mesh), p, mesh)
        for p in _plans(job, scored, most, seed, strategies)
    )
    for attempt, score in each(tried_plan, attempts, workers, cancelled):
        tried += 1
        if score is None:
            failed += 1
        else:
            scored[attempt.plan] = score
        progress(tried, most)
    return Suggested(tuple(_picked(bare.replaced(mesh=job.mesh), scored, mesh)), tried, failed)


def _plans(
    job: Job, scored: dict[LinePlan, Score], most: int, seed: int, strategies: tuple[Strategy, ...]
) -> Iterator[LinePlan]:
    """Yield plans to try: each strategy both ways first, then changes of the best so far."""
    rng = np.random.default_rng(seed)
    seen: set[LinePlan] = set()
    first = []
    for strategy in strategies:
        usual = usual_plan(job, strategy)
        first += [usual, replace(usual, turned=True)]
        if strategy in {"edge to edge", "stepped"}:
            first.append(replace(usual, flipped=True))
    for plan in (p.plain() for p in first):
        if plan not in seen and len(seen) < most:
            seen.add(plan)
            yield plan
    for _ in range(40 * most):
        if len(seen) >= most:
            return
        good = sorted(scored, key=lambda p: scored[p].weight)[:8] or first
        plan = _changed(good[int(rng.integers(len(good)))], rng).plain()
        if plan not in seen:
            seen.add(plan)
            yield plan


def _changed(plan: LinePlan, rng: np.random.Generator) -> LinePlan:
    """Return a plan that differs in one or two of its numbers."""
    for _ in range(int(rng.integers(1, 3))):
        match int(rng.integers(6)):
            case 0:
                plan = replace(plan, count=int(np.clip(plan.count + rng.choice([-1, 1]), 1, 8)))
            case 1:
                plan = replace(plan, mesh_edge=float(rng.choice([0.02, 0.04, 0.06, 0.09])))
            case 2:
                plan = replace(
                    plan, shift=float(np.clip(round(plan.shift + rng.normal(0, 0.15), 2), -0.4, 0.4))
                )
            case 3:
                plan = replace(plan, beyond=float(rng.choice([0.0, 0.03, 0.06])))
            case 4:
                plan = replace(plan, delay=float(rng.choice([0.0, 30.0, 90.0])))
            case _:
                plan = replace(plan, flipped=not plan.flipped)
    return plan


_BEST: tuple[tuple[str, Callable[[Score], float]], ...] = (
    ("best of all", lambda s: s.weight),
    ("soonest wet", lambda s: s.time + 1e4 * (s.dry + s.locked)),
    ("fewest lines", lambda s: s.lines + 40 * (s.dry + s.locked) + 0.1 * s.weight),
    ("least waste", lambda s: s.waste + 40 * (s.dry + s.locked)),
    ("least lead", lambda s: s.lead + 40 * (s.dry + s.locked)),
    ("another way", lambda s: s.weight),
    ("another way", lambda s: s.weight),
)


def _picked(job: Job, scored: dict[LinePlan, Score], mesh: str | None) -> Iterator[Suggestion]:
    """Yield a handful of plans that no other beats, each of another strategy or count than those before."""
    front = [p for p, s in scored.items() if not any(o.beats(s) for o in scored.values())]
    taken: list[LinePlan] = []
    for words, key in _BEST:
        left = [p for p in front if all(_apart(p, t) for t in taken)]
        if not left or len(taken) >= KEPT:
            continue
        plan = min(left, key=lambda p: key(scored[p]))
        # What is best at one thing but fails the part is no suggestion, unless everything fails.
        best = min(s.weight for s in scored.values())
        if taken and scored[plan].weight > best + 5:
            continue
        if any(key(scored[t]) <= key(scored[plan]) for t in taken):
            words = tr("another way")
        taken.append(plan)
        yield Suggestion(plan, scored[plan], words, lay_lines(job, plan, mesh))


def _apart(a: LinePlan, b: LinePlan) -> bool:
    return (a.strategy, a.count, a.turned) != (b.strategy, b.count, b.turned)
