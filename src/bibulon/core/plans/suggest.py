"""A search over plans of lines: many are tried, a handful that differ and are good are kept.

Plans are made by ``starters`` from a few numbers; good ones are changed a little and tried again.  A plan
is judged by what stays dry, what is locked off, its time against gel, the lead where the mesh ends, resin
wasted and the number of lines; one that is no better than another in any of these is dropped.  All are tried
on a rough mesh, and the best of them once more as finely as people are told figures elsewhere: those decide.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator

import numpy as np
import numpy.typing as npt
from msgspec import Struct
from msgspec.structs import replace

from bibulon.core.flow.build.builder import BuildError
from bibulon.core.flow.fill.filling import FillError
from bibulon.core.flow.forecast import FINE, Resolution, forecast
from bibulon.core.flow.lead import lead_at_mesh_end
from bibulon.core.flow.uneven import uneven
from bibulon.core.geometry.outline import OutlineError
from bibulon.core.geometry.trimesh import TriMesh
from bibulon.core.lines.reach import window_of
from bibulon.core.lines.starters import STRATEGIES, LinePlan, Strategy, lay_lines, usual_plan
from bibulon.core.model.job import Job
from bibulon.core.plans.work import Workers, each

__all__ = ["FINALISTS", "Fronts", "Score", "Suggested", "Suggestion", "suggest"]

ROUGH = Resolution(380, 1, 8, air=False)
FINALISTS = 6  # plans that are forecast finely
KEPT = 5  # suggestions that are returned
CELLS = 6  # of the rough mesh below which a locked place is grain


class Score(Struct, frozen=True):
    """What a plan is judged by: dry and locked area, also where cloth is uneven [m²], fill time and the window for it [s], lead [m], waste [kg], lines.

    ``never`` that it does not fill; ``time`` is then twice as long as it was followed.
    """

    dry: float
    locked: float
    time: float
    window: float
    lead: float
    waste: float
    lines: int
    never: bool = False

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


class Fronts(Struct, frozen=True, eq=False):
    """When each point of a mesh is wet through [s], shape (v,)."""

    mesh: TriMesh
    wet_at: npt.NDArray[np.float64]


class Suggestion(Struct, frozen=True):
    """A plan with its score, and what it is best at.

    ``fronts`` are of a score that is as fine as figures are told elsewhere; None of a
    rough one.
    """

    plan: LinePlan
    score: Score
    best_at: str
    job: Job
    fronts: Fronts | None


class Suggested(Struct, frozen=True):
    """What a search found, how many plans it tried, and how many of those could not be laid or filled."""

    kept: tuple[Suggestion, ...]
    tried: int
    failed: int


class _Try(Struct, frozen=True):
    job: Job
    plan: LinePlan
    mesh: str | None
    fine: bool = False


def _scored(attempt: _Try) -> tuple[Score, Fronts | None] | None:
    """Lay a plan and score it, with its fronts where that is done finely; None when it cannot be laid or filled."""
    try:
        job = lay_lines(attempt.job, attempt.plan, attempt.mesh)
        result = forecast(job, FINE if attempt.fine else ROUGH)
    except (OutlineError, BuildError, FillError, ValueError):
        return None
    grain = 0.0 if attempt.fine else CELLS * result.model.mesh.size**2
    locked = sum(p.area for p in result.pockets if p.area > grain)
    if attempt.fine and result.filled:
        met = uneven(result, job.rules.uneven)
        locked = max(locked, met.area if met.matters else 0.0)
    score = Score(
        dry=result.dry_area if attempt.fine or not result.filled else 0.0,
        locked=locked,
        time=result.fill_time if result.filled else result.history.end * 2,
        window=window_of(job),
        lead=lead_at_mesh_end(result)[0],
        waste=result.resin_in_lines + result.resin_to_catch_pot,
        lines=len(job.lines),
        never=not result.filled,
    )
    return score, Fronts(result.model.mesh, result.wet_through) if attempt.fine else None


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

    progress : called with (forecast so far, most), the fine ones too.  Cancelled, it returns what was found so far.

    Raises
    ------
    OutlineError : when the part's outline is crossed or empty.
    """
    mesh = job.mesh.material if job.mesh else None
    bare = job.replaced(variants=(), lines=(), manifolds=(), buckets=(), bypasses=())
    rough: dict[LinePlan, Score] = {}
    fine: dict[LinePlan, Score] = {}
    fronts: dict[LinePlan, Fronts | None] = {}
    finalists: list[tuple[LinePlan, str]] = []
    tried = failed = judged = 0

    def attempts() -> Iterator[_Try]:
        for plan in _plans(job, rough, most, seed, strategies):
            yield _Try(bare, plan, mesh)
        finalists.extend(_picked(rough, FINALISTS))
        for plan, _ in finalists:
            yield _Try(bare, plan, mesh, fine=True)

    for attempt, answer in each(_scored, attempts(), workers, cancelled):
        plan = attempt.plan
        if attempt.fine:
            judged += 1
        else:
            tried += 1
            failed += answer is None
        if answer is not None:
            (fine if attempt.fine else rough)[plan], fronts[plan] = answer
        progress(tried + judged, most + FINALISTS)
    # Figures of the two meshes are not weighed against each other: a search that is stopped before its end tells rough ones.
    done = bool(fine) and judged == len(finalists)
    scored = fine if done else rough
    kept = (
        Suggestion(plan, scored[plan], words, lay_lines(bare, plan, mesh), fronts[plan] if done else None)
        for plan, words in _picked(scored, KEPT)
    )
    return Suggested(tuple(kept), tried, failed)


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


_ANOTHER = "another way"
_BEST: tuple[tuple[str, Callable[[Score], float]], ...] = (
    ("best of all", lambda s: s.weight),
    ("soonest wet", lambda s: s.time + 1e4 * (s.dry + s.locked)),
    ("fewest lines", lambda s: s.lines + 40 * (s.dry + s.locked) + 0.1 * s.weight),
    ("least waste", lambda s: s.waste + 40 * (s.dry + s.locked)),
    ("least lead", lambda s: s.lead + 40 * (s.dry + s.locked)),
)


def _picked(scored: dict[LinePlan, Score], most: int) -> list[tuple[LinePlan, str]]:
    """Return plans that no other beats and what each is best at, each of another strategy or count than those before."""
    front = [p for p, s in scored.items() if not any(o.beats(s) for o in scored.values())]
    least = min((s.weight for s in scored.values()), default=0.0)
    taken: list[tuple[LinePlan, str]] = []
    for words, key in (*_BEST, *[(_ANOTHER, _BEST[0][1])] * most):
        left = [p for p in front if all(_apart(p, t) for t, _ in taken)]
        if not left or len(taken) >= most:
            continue
        plan = min(left, key=lambda p: key(scored[p]))
        # What is best at one thing but fails the part is no suggestion, unless everything fails.
        if taken and scored[plan].weight > least + 5:
            continue
        if any(key(scored[t]) <= key(scored[plan]) for t, _ in taken):
            words = _ANOTHER
        taken.append((plan, words))
    return taken


def _apart(a: LinePlan, b: LinePlan) -> bool:
    return (a.strategy, a.count, a.turned) != (b.strategy, b.count, b.turned)
