"""How often the ranges of a refit hold: seeded shots that no member of the ensemble is, one in four with a fault."""

from __future__ import annotations

import sys

import numpy as np
from msgspec.structs import replace
from scipy.spatial import cKDTree
from tests.validation.layouts import feed, vacuum
from tests.validation.layouts import job as panel

from bibulon.core.flow.build.builder import build
from bibulon.core.flow.forecast import Resolution
from bibulon.core.geometry.trimesh import TriMesh
from bibulon.core.library.demo import demo_job
from bibulon.core.model.job import Job
from bibulon.core.plans.refit.calibrate import COUNTS, DRY, WET
from bibulon.core.plans.refit.drive import Drive
from bibulon.core.plans.refit.ensemble import Answer, Draw, ensemble, prior_draws
from bibulon.core.plans.refit.prior import Prior, prior_of
from bibulon.core.plans.refit.refit import Refit, refit
from bibulon.core.run.journal import FrontMark

__all__ = ["LAYOUTS", "crew_marks", "shots", "truths"]

RNG = np.random.Generator
FINER = 60  # truths a layout on a finer mesh
FAULTS = ("slow", "inner", "fall", "rough")


def _late_feed() -> Job:
    made = panel(lines=(feed(), feed("F2", path=((0.4, 0.02), (0.4, 0.48))), vacuum()))
    lines = tuple(
        x.replaced(opens={"rule": "time", "time": 300.0}) if x.id == "F2" else x for x in made.lines
    )
    return made.replaced(lines=lines)


LAYOUTS = {
    "edge feed": panel,
    "stepped by hand": _late_feed,
    "short line": lambda: panel(lines=(feed(path=((0.02, 0.15), (0.02, 0.35))), vacuum())),
    "demo": demo_job,
}


def truths(prior: Prior, count: int, seed: int) -> list[tuple[Draw, str]]:
    """Return fresh draws, one in four with a fault that no member has, and its name."""
    rng = np.random.default_rng([seed, 4])
    points = prior.mesh.points
    low, high = points.min(axis=0), points.max(axis=0)
    out = []
    for draw in prior_draws(prior.basis.parameters, count, seed + 1000):
        fault = str(rng.choice(FAULTS)) if rng.random() < 0.25 else ""
        x, y = points[int(rng.integers(len(points)))]
        if fault == "slow":
            radius = float(rng.uniform(0.08, 0.16) * (high - low).max())
            draw = replace(draw, spots=((float(x), float(y), radius, float(rng.uniform(0.2, 0.5))),))
        elif fault == "inner":
            u, w = points[int(rng.integers(len(points)))]
            draw = replace(draw, inner=((float(x), float(y), float(u), float(w)),))
        elif fault == "fall":
            start = float(rng.uniform(0.1, 0.6)) * prior.planned.fill
            draw = replace(draw, fall=(start, float(rng.uniform(0.15, 0.40))))
        elif fault == "rough":
            draw = replace(draw, rough=3.0)
        out.append((draw, fault))
    return out


def crew_marks(rng: RNG, prior: Prior, truth: Answer, count: int) -> tuple[list[FrontMark], float]:
    """Return marks with their errors, as a crew makes them, and the moment of the last."""
    points, top = prior.mesh.points, truth.top
    now = float(np.quantile(top, WET[count]))
    wet, dry = np.flatnonzero(top < now), np.flatnonzero(top > now)
    marks = []
    for t in np.sort(rng.uniform(top[wet].min(), now, count - DRY[count])):
        near = wet[np.argsort(np.abs(top[wet] - t))[: max(len(wet) // 15, 3)]]
        k = int(rng.choice(near))
        x, y = points[k] + rng.normal(0, 0.010, 2)
        if prior.mesh.locate(np.array([[x, y]]))[0][0] < 0:
            x, y = points[k]
        marks.append(FrontMark(float(x), float(y), float(np.clip(top[k] + rng.normal(0, 3.0), 0.5, now))))
    for k in rng.choice(dry, DRY[count], replace=False) if DRY[count] else ():
        marks.append(FrontMark(float(points[k][0]), float(points[k][1]), now, "dry"))
    return marks, now


def _drive(prior: Prior, draw: Draw, now: float) -> Drive | None:
    """Return the gauge's readings up to now, where the drive falls."""
    if draw.fall is None:
        return None
    start, lost = draw.fall
    end = max(prior.planned.fill, start + 1.0)
    times = np.arange(0.0, now, 20.0)
    return (
        Drive(tuple((float(t), float(1 - lost * np.clip((t - start) / (end - start), 0, 1))) for t in times))
        if len(times) > 1
        else None
    )


def shots(
    prior: Prior, answers: list[tuple[Draw, str, Answer]], count: int, seed: int
) -> list[dict[str, float | str]]:
    """Refit each truth from its marks; return what held, by place and for the fill."""
    out: list[dict[str, float | str]] = []
    cloth = np.asarray((prior.model.node_at >= 0).any(axis=1))
    for k, (draw, fault, truth) in enumerate(answers):
        rng = np.random.default_rng([seed, count, k])
        marks, now = crew_marks(rng, prior, truth, count)
        found: Refit = refit(prior, marks, now, drive=_drive(prior, draw, now))
        opened = prior.planned.fill
        ahead = np.flatnonzero(cloth & (found.through[1] > now))
        ahead = rng.choice(ahead, min(40, len(ahead)), replace=False)
        real = truth.through[ahead]
        inside = (found.through[0, ahead] <= real) & (real <= found.through[2, ahead])
        mid = found.through[1, ahead]
        out.append(
            {
                "fault": fault, "places": float(inside.mean()) if len(ahead) else 1.0,
                "fill": float(found.fill.low <= truth.fill <= found.fill.high),
                "fill50": float(found.fill.near[0] <= truth.fill <= found.fill.near[1]),
                "error": float(np.median(np.abs(mid - real))) / opened if len(ahead) else 0.0,
                "fill_error": abs(found.fill.middle - truth.fill) / truth.fill,
                "width": (found.fill.high - found.fill.low) / truth.fill, "named": float(bool(found.contradictions)),
            }
        )  # fmt: skip
    return out


def finer(prior: Prior, draws: list[Draw], workers: int = 2) -> list[Answer | None]:
    """Return truths made on a mesh twice as fine, read at the vertices of the prior's."""
    fine = Resolution(2000, 1, 16, air=False)
    made = build(prior.job, fine.points, fine.parts, lambda: None).mesh
    triangle, weights = TriMesh(made.points, made.triangles, made.size).locate(prior.mesh.points)
    corners = made.triangles[np.maximum(triangle, 0)]
    # The rim's chords differ a little: a vertex that lies off the finer mesh reads the nearest of its own.
    nearest = cKDTree(made.points).query(prior.mesh.points)[1]

    def read(times: np.ndarray) -> np.ndarray:
        inside = np.einsum("kw,kw->k", times[corners], weights)
        return np.where(triangle >= 0, inside, times[nearest])

    answers = ensemble(prior.job, draws, resolution=fine, workers=workers)
    return [None if a is None else Answer(read(a.top), read(a.through), a.fill, a.masses) for a in answers]


def _mean(rows: list[dict[str, float | str]], key: str, only: str = "all") -> float:
    kept = [float(r[key]) for r in rows if only == "all" or bool(r["fault"]) == (only == "faults")]
    return float(np.mean(kept)) if kept else float("nan")


def main(*, quick: bool = False) -> None:
    """Print what held, by count of marks, over all layouts."""
    each = 6 if quick else 250
    names = ["edge feed"] if quick else list(LAYOUTS)
    rows: dict[int, list[dict[str, float | str]]] = {n: [] for n in COUNTS}
    fine: list[dict[str, float | str]] = []
    for name in names:
        prior = prior_of(
            LAYOUTS[name](), runs=40 if quick else 80, shots=20 if quick else 240, workers=0 if quick else 2
        )
        drawn = truths(prior, each, 1)
        answers = ensemble(prior.job, [d for d, _ in drawn], workers=0 if quick else 2)
        told = [(d, f, a) for (d, f), a in zip(drawn, answers, strict=True) if a is not None]
        for n in COUNTS:
            rows[n] += shots(prior, told, n, 9)
        if not quick:
            few = truths(prior, FINER, 2)
            there = zip(few, finer(prior, [d for d, _ in few]), strict=True)
            fine += shots(prior, [(d, f, a) for (d, f), a in there if a is not None], 6, 9)
        print(
            f"{name}: {len(told)} shots, {prior.basis.runs} members, {len(prior.suspects)} suspects",
            flush=True,
        )
    print(
        f"{'marks':>5}{'places':>9}{'in class':>10}{'faults':>8}{'fill 90':>9}{'fill 50':>9}{'faults':>8}{'error':>8}{'width':>8}{'named':>8}"
    )
    for n, found in rows.items():
        named = _mean(found, "named", "class")
        print(
            f"{n:>5}{_mean(found, 'places'):>9.1%}{_mean(found, 'places', 'class'):>10.1%}{_mean(found, 'places', 'faults'):>8.1%}{_mean(found, 'fill'):>9.1%}"
            f"{_mean(found, 'fill50'):>9.1%}{_mean(found, 'fill', 'faults'):>8.1%}{np.median([float(r['fill_error']) for r in found]):>8.1%}"
            f"{np.median([float(r['width']) for r in found]):>8.0%}{named:>8.1%}"
        )
    if fine:
        print(
            f"of {len(fine)} truths on a mesh twice as fine, six marks: places {_mean(fine, 'places'):.1%}, fill {_mean(fine, 'fill'):.1%}"
        )


if __name__ == "__main__":
    main(quick="--quick" in sys.argv)
