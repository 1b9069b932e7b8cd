"""How wide ranges must be to hold what they say: left-out members of the ensemble play the truth, one in four with a fault."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np
import numpy.typing as npt
import scipy
from msgspec import Struct

from bibulon.core.flow.fill.filling import Cancelled
from bibulon.core.geometry.trimesh import TriMesh
from bibulon.core.plans.refit.basis import Basis, columns_of
from bibulon.core.plans.refit.condition import Seen, Told, condition
from bibulon.core.plans.refit.ensemble import Draw
from bibulon.core.plans.refit.marks import CLOCK, PEN
from bibulon.core.plans.work import Workers, each
from bibulon.core.units.words import tr

__all__ = ["COUNTS", "DRY", "WET", "Factors", "Suspect", "factors_of", "level"]

Floats = npt.NDArray[np.float64]
COUNTS = (1, 3, 6, 12)  # marks for which factors are found
DRY = {1: 0, 3: 1, 6: 2, 12: 3}  # of which so many say "not yet"
WET = {1: 0.20, 3: 0.35, 6: 0.50, 12: 0.70}  # share of the bag side that is wet then
PLACES = 40
FAULTY = 0.25
WIDER = 1.06  # what fresh shots with faults that no suspect has want beyond the left-out members: measured, bin/bench refit
PART = 40  # shots that one process plays at a time


class Suspect(Struct, frozen=True, eq=False):
    """A fault that the plan does not have: family, words, and by how much it changes ln(t + 10 s) of every output."""

    family: str
    words: str
    change: Floats


class Factors(Struct, frozen=True, eq=False):
    """By what half-widths are multiplied, for 50 and 90 %, by count of marks: of places and of the fill, shape (len(COUNTS) + 1, 2).

    The first row is that of no mark at all.
    """

    places: Floats
    fill: Floats

    def at(self, count: int) -> tuple[Floats, Floats]:
        """Return the factors for a count of marks, (50 %, 90 %) of places and of the fill."""
        known = np.log1p(np.array([0, *COUNTS], dtype=float))
        x = np.log1p(float(count))
        return tuple(  # type: ignore[return-value]
            np.array([np.interp(x, known, table[:, k]) for k in (0, 1)]) for table in (self.places, self.fill)
        )


def level(share: float, freedom: float) -> float:
    """Return how many deviations either way hold a share, of a Student-t."""
    return float(scipy.special.stdtrit(freedom, 0.5 + share / 2))


class _Shots(Struct, frozen=True, eq=False):
    """Shots of one count of marks that one process plays."""

    basis: Basis
    draws: tuple[Draw, ...]
    outputs: Floats
    suspects: tuple[Suspect, ...]
    count: int
    numbers: range
    seed: int


def factors_of(
    basis: Basis, draws: tuple[Draw, ...], outputs: Floats, suspects: tuple[Suspect, ...], shots: int, seed: int,
    workers: Workers = 0, cancelled: Callable[[], bool] = lambda: False,
) -> Factors:  # fmt: skip
    """Return the factors; the same whatever the number of workers.

    Raises
    ------
    Cancelled : when it was cancelled on the way.
    ValueError : when hardly anything is ever wet.
    """
    tasks = [
        _Shots(basis, draws, outputs, suspects, count, range(k, min(k + PART, shots)), seed)
        for count in (0, *COUNTS)
        for k in range(0, shots, PART)
    ]
    off: dict[int, list[tuple[Floats, Floats]]] = {}
    for task, found in each(_played, tasks, workers, cancelled):
        off.setdefault(task.count, []).append(found)
    if cancelled():
        raise Cancelled
    places: list[list[float]] = []
    fill: list[list[float]] = []
    for count in (0, *COUNTS):
        for rows, which in ((places, 0), (fill, 1)):
            joined = np.vstack([found[which] for found in off[count]])
            if not len(joined):
                raise ValueError(
                    tr("so little gets wet by this plan that no range can be told: mend the plan first")
                )
            rows.append([float(np.quantile(joined[:, 0], 0.5)), float(np.quantile(joined[:, 1], 0.9))])
    wider = np.array([1.0, WIDER])
    return Factors(wider * np.array(places), wider * np.array(fill))


def _played(task: _Shots) -> tuple[Floats, Floats]:
    """Return how far off truths were, in half-widths for 50 and 90 %: of places, shape (k, 2), and of the fill, shape (shots, 2)."""
    basis, draws, outputs = task.basis, task.draws, task.outputs
    mesh, v = basis.mesh, basis.places
    families = sorted({s.family for s in task.suspects})
    places, fill = [], []
    for shot in task.numbers:
        rng = np.random.default_rng([task.seed, 77, task.count, shot])
        k = shot % len(draws)
        truth = outputs[k].copy()
        if families and rng.random() < FAULTY:
            family = families[int(rng.integers(len(families)))]
            of = [s for s in task.suspects if s.family == family]
            truth += of[int(rng.integers(len(of)))].change * rng.uniform(0.5, 1.5)
        rest = np.delete(np.arange(len(draws)), k)
        top = truth[:v]
        now = float(np.quantile(top, WET[task.count])) if task.count else -np.inf
        marks = _crew(rng, mesh, basis.all.mean[:v], top, now, task.count)
        seen_at = np.array([i for i, _, _ in marks[0]] + [i for i, _ in marks[1]], dtype=np.int64)
        ahead = np.flatnonzero(np.maximum(top, truth[v : 2 * v]) > now)
        ahead = rng.choice(ahead, min(PLACES, len(ahead)), replace=False) if len(ahead) else ahead
        wanted = np.concatenate([seen_at, ahead, v + ahead, [2 * v]])
        small = _small(mesh, basis, [draws[int(i)] for i in rest], outputs[rest][:, wanted], wanted)
        told = _conditioned(small, marks, len(seen_at))
        off = np.abs(truth[wanted[len(seen_at) :]] - told.mean) / told.deviation
        freedom = 4 + len(marks[0])
        half = np.array([level(0.5, freedom), level(0.9, freedom)])
        late = told.mean[:-1] > now
        places.append(off[:-1][late][:, None] / half)
        fill.append(off[-1] / half)
    return np.vstack(places), np.array(fill)


def _crew(
    rng: np.random.Generator, mesh: TriMesh, mean: Floats, top: Floats, now: float, count: int
) -> tuple[list[tuple[int, float, float]], list[tuple[int, float]]]:
    """Return marks as a crew makes them: (vertex, ln t + error, deviation of the error) of passed ones, and (vertex, ln t) not yet wet."""
    dry_count = DRY.get(count, 0)
    wet = np.flatnonzero(top < now)
    dry = np.flatnonzero(top > now)
    passed: list[tuple[int, float, float]] = []
    if count and len(wet):
        for t in np.sort(rng.uniform(top[wet].min(), now, count - dry_count)):
            near = wet[np.argsort(np.abs(top[wet] - t))[: max(len(wet) // 15, 3)]]
            k = int(rng.choice(near))
            error = _error(mesh, mean, top[k], k)
            passed.append((k, float(top[k] + rng.normal() * error), error))
    not_yet = (
        [(int(k), now) for k in rng.choice(dry, min(dry_count, len(dry)), replace=False)] if dry_count else []
    )
    return passed, not_yet


def _error(mesh: TriMesh, mean: Floats, y: float, vertex: int) -> float:
    near = mesh.triangles[(mesh.triangles == vertex).any(axis=1)][0]
    at = mesh.points[near]
    slope = np.linalg.solve(at[1:] - at[:1], mean[near][1:] - mean[near][:1])
    return float(np.hypot(CLOCK / np.exp(y), PEN * np.hypot(*slope)))


def _small(
    mesh: TriMesh, basis: Basis, draws: Sequence[Draw], outputs: Floats, which: npt.NDArray[np.int64]
) -> Basis:
    theta = np.array([d.theta for d in draws])
    columns, freedom = columns_of(theta, outputs, basis.all.place[which], basis.all.face[which])
    return Basis(mesh, basis.parameters, columns, freedom, len(draws))


def _conditioned(
    small: Basis, marks: tuple[list[tuple[int, float, float]], list[tuple[int, float]]], n_marks: int
) -> Told:
    passed, dry = marks
    n = len(passed)
    cols = small.all
    r = np.array([error**2 for _, _, error in passed])
    seen = Seen(
        cols.picked(np.arange(n)), np.array([y for _, y, _ in passed]), r, cols.picked(np.arange(n, n_marks)),
        np.array([y for _, y in dry]),
    )  # fmt: skip
    return condition(small, seen, cols.picked(np.arange(n_marks, len(cols.mean))))
