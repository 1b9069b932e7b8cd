"""What is known before the shot: the ensemble, what faults would change, and how wide ranges must be to hold what they say."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
from scipy.special import stdtrit

from bibulon.core.flow.build.builder import FlowModel
from bibulon.core.flow.fill.filling import Cancelled
from bibulon.core.geometry.trimesh import TriMesh
from bibulon.core.model.job import Job
from bibulon.core.plans.refit.basis import Basis, basis_of, columns_of, stacked
from bibulon.core.plans.refit.condition import Seen, Told, condition
from bibulon.core.plans.refit.ensemble import ROUGH, Answer, Draw, Runner, ensemble, fallen, prior_draws
from bibulon.core.plans.refit.marks import CLOCK, PEN
from bibulon.core.units.units import clock

__all__ = ["COUNTS", "Factors", "Prior", "Suspect", "level", "prior_of", "suspects_of"]

Floats = npt.NDArray[np.float64]
RUNS = 80
COUNTS = (1, 3, 6, 12)  # marks for which factors are found
DRY = {1: 0, 3: 1, 6: 2, 12: 3}  # of which so many say "not yet"
WET = {1: 0.20, 3: 0.35, 6: 0.50, 12: 0.70}  # share of the bag side that is wet then
SHOTS = 240  # left-out members that play the truth, for each count
PLACES = 40
FAULTY = 0.25
SPOT = 0.35  # factor on the cloth of a slow spot
FALLS = (0.15, 0.35, 0.6)  # of the plan's fill time, from when on the drive falls
LOST = 0.30
WIDER = 1.06  # what fresh shots with faults that no suspect has want beyond the left-out members: measured, bin/bench refit


@dataclass(frozen=True, eq=False)
class Suspect:
    """A fault that the plan does not have: family, words, and by how much it changes ln(t + 10 s) of every output."""

    family: str
    words: str
    change: Floats


@dataclass(frozen=True, eq=False)
class Factors:
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


@dataclass(frozen=True, eq=False)
class Prior:
    """An ensemble of a job, ready for marks.

    planned : the answer with everything as the library says; gel, volume : of the plan [s, m³].
    """

    job: Job
    model: FlowModel
    basis: Basis
    planned: Answer
    suspects: tuple[Suspect, ...]
    factors: Factors
    gel: float
    volume: float

    @property
    def mesh(self) -> TriMesh:
        """Return the mesh whose vertices outputs belong to."""
        return self.basis.mesh


def level(share: float, freedom: float) -> float:
    """Return how many deviations either way hold a share, of a Student-t."""
    return float(stdtrit(freedom, 0.5 + share / 2))


def suspects_of(runner: Runner) -> list[tuple[str, str, Draw]]:
    """Return the faults that are looked for: slow cloth on a net, a path along each edge, a drive that falls."""
    still = (0.0,) * len(runner.parameters)
    points = runner.model.mesh.points
    low, high = points.min(axis=0), points.max(axis=0)
    across = high - low
    nx, ny = (4, 3) if across[0] >= across[1] else (3, 4)
    radius = 0.6 * float(max(across[0] / nx, across[1] / ny)) / 2
    out = []
    for i in range(nx):
        for j in range(ny):
            x, y = low + across * ((i + 0.5) / nx, (j + 0.5) / ny)
            if np.hypot(*(points - (x, y)).T).min() < radius:
                near = points[int(np.argmin(np.hypot(*(points - (x, y)).T)))]
                words = f"slow cloth near x {near[0] * 1e3:.0f}, y {near[1] * 1e3:.0f} mm"
                out.append(("slow", words, Draw(still, spots=((float(x), float(y), radius, SPOT),))))
    for k, edge in enumerate(runner.links.edges):
        out.append(("path", f"a path along {edge.name}", Draw(still, paths=((k, 1.5),))))
    return out


def prior_of(
    job: Job,
    *,
    runs: int = RUNS,
    seed: int = 1,
    workers: int = 2,
    shots: int = SHOTS,
    progress: Callable[[int, int], None] = lambda done, of: None,
    cancelled: Callable[[], bool] = lambda: False,
) -> Prior:
    """Return the prior of a job: some eighty forecasts, and what faults would do.

    Raises
    ------
    BuildError : when something that a forecast needs is missing.
    Cancelled : when it was cancelled on the way.
    ValueError : when too few forecasts come to an answer.
    """
    runner = Runner(job, ROUGH)
    draws = prior_draws(runner.parameters, runs, seed)
    looked = suspects_of(runner)
    still = Draw((0.0,) * len(runner.parameters))
    answers = ensemble(
        job, [still, *(d for _, _, d in looked), *draws], resolution=ROUGH, workers=workers, progress=progress, cancelled=cancelled,
    )  # fmt: skip
    if cancelled():
        raise Cancelled
    planned = answers[0]
    if planned is None:
        raise ValueError("the plan itself comes to no answer")
    kept = [(d, a) for d, a in zip(draws, answers[1 + len(looked) :], strict=True) if a is not None]
    if len(kept) < runs // 2:
        raise ValueError("most forecasts of this plan come to no answer: mend the plan first")
    middle = stacked([planned])[0]
    suspects = [
        Suspect(family, words, stacked([a])[0] - middle)
        for (family, words, _), a in zip(looked, answers[1 : 1 + len(looked)], strict=True)
        if a is not None
    ]
    for share in FALLS:
        start = share * planned.fill
        words = f"weaker pull from {clock(start)} on: look for a leak"
        suspects.append(Suspect("drive", words, stacked([fallen(planned, (start, LOST))])[0] - middle))
    model = runner.model
    mesh = TriMesh(model.mesh.points, model.mesh.triangles, model.mesh.size)
    outputs = stacked([a for _, a in kept])
    basis = basis_of(mesh, runner.parameters, [d for d, _ in kept], outputs)
    factors = _factors(mesh, basis, [d for d, _ in kept], outputs, suspects, shots, seed, cancelled)
    gel = runner.clock.gel - job.conditions.mixed_before_start if runner.clock.gel < 1e8 else float("inf")
    return Prior(job, model, basis, planned, tuple(suspects), factors, gel, runner.volume)


def _factors(
    mesh: TriMesh,
    basis: Basis,
    draws: Sequence[Draw],
    outputs: Floats,
    suspects: Sequence[Suspect],
    shots: int,
    seed: int,
    cancelled: Callable[[], bool],
) -> Factors:
    """Let left-out members play the truth, one in four with a fault, and see how wide the ranges must be."""
    v = len(mesh.points)
    families = sorted({s.family for s in suspects})
    places, fill = [], []
    for count in (0, *COUNTS):
        off_places: list[Floats] = []
        off_fill = []
        for shot in range(shots):
            if cancelled():
                raise Cancelled
            rng = np.random.default_rng([seed, 77, count, shot])
            k = shot % len(draws)
            truth = outputs[k].copy()
            if families and rng.random() < FAULTY:
                family = families[int(rng.integers(len(families)))]
                of = [s for s in suspects if s.family == family]
                truth += of[int(rng.integers(len(of)))].change * rng.uniform(0.5, 1.5)
            rest = np.delete(np.arange(len(draws)), k)
            top = truth[:v]
            now = float(np.quantile(top, WET.get(count, 0.2))) if count else -np.inf
            marks = crew(rng, mesh, basis.all.mean[:v], top, now, count)
            seen_at = np.array([i for i, _, _ in marks[0]] + [i for i, _ in marks[1]], dtype=np.int64)
            ahead = np.flatnonzero(np.maximum(top, truth[v : 2 * v]) > now)
            ahead = rng.choice(ahead, min(PLACES, len(ahead)), replace=False) if len(ahead) else ahead
            wanted = np.concatenate([seen_at, ahead, v + ahead, [2 * v]])
            small = _small(mesh, basis, [draws[int(i)] for i in rest], outputs[rest][:, wanted], wanted)
            told = _conditioned(small, marks, len(seen_at))
            n = len(marks[0])
            off = np.abs(truth[wanted[len(seen_at) :]] - told.mean) / told.deviation
            half = np.array([level(0.5, 4 + n), level(0.9, 4 + n)])
            late = told.mean[:-1] > now
            off_places.append(off[:-1][late][:, None] / half)
            off_fill.append(off[-1] / half)
        allp, allf = np.vstack(off_places), np.vstack(off_fill)
        places.append([float(np.quantile(allp[:, 0], 0.5)), float(np.quantile(allp[:, 1], 0.9))])
        fill.append([float(np.quantile(allf[:, 0], 0.5)), float(np.quantile(allf[:, 1], 0.9))])
    return Factors(WIDER * np.array(places), WIDER * np.array(fill))


def crew(
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
