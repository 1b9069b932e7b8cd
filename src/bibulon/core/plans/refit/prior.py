"""What is known before the shot: the ensemble, what faults would change, and how wide ranges must be to hold what they say."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import numpy.typing as npt
from msgspec import Struct

from bibulon.core.flow.build.builder import FlowModel
from bibulon.core.flow.fill.filling import Cancelled
from bibulon.core.geometry.trimesh import TriMesh
from bibulon.core.model.job import Job
from bibulon.core.plans.refit.basis import Basis, basis_of, stacked
from bibulon.core.plans.refit.calibrate import Factors, Suspect, factors_of
from bibulon.core.plans.refit.ensemble import ROUGH, Answer, Draw, Runner, ensemble, fallen, prior_draws
from bibulon.core.plans.work import Workers
from bibulon.core.units.units import clock
from bibulon.core.units.words import tr

__all__ = ["Prior", "prior_of", "suspects_of"]

Floats = npt.NDArray[np.float64]
RUNS = 80
SHOTS = 240  # left-out members that play the truth, for each count
SPOT = 0.35  # factor on the cloth of a slow spot
FALLS = (0.15, 0.35, 0.6)  # of the plan's fill time, from when on the drive falls
LOST = 0.30


class Prior(Struct, frozen=True, eq=False):
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
                words = tr("slow cloth near x {0:.0f}, y {1:.0f} mm", near[0] * 1000.0, near[1] * 1000.0)
                out.append(("slow", words, Draw(still, spots=((float(x), float(y), radius, SPOT),))))
    for k, edge in enumerate(runner.links.edges):
        out.append(("path", tr("a path along {}", edge.name), Draw(still, paths=((k, 1.5),))))
    return out


def prior_of(
    job: Job,
    *,
    runs: int = RUNS,
    seed: int = 1,
    workers: Workers = 2,
    shots: int = SHOTS,
    progress: Callable[[int, int], None] = lambda done, of: None,
    cancelled: Callable[[], bool] = lambda: False,
) -> Prior:
    """Return the prior of a job: some eighty forecasts, and what faults would do.

    Raises
    ------
    BuildError : when something that a forecast needs is missing.
    Cancelled : when it was cancelled on the way.
    ValueError : when too few forecasts come to an answer, or hardly anything gets wet.
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
        raise ValueError(tr("the plan itself comes to no answer"))
    kept = [(d, a) for d, a in zip(draws, answers[1 + len(looked) :], strict=True) if a is not None]
    if len(kept) < runs // 2:
        raise ValueError(tr("most forecasts of this plan come to no answer: mend the plan first"))
    middle = stacked([planned])[0]
    suspects = [
        Suspect(family, words, stacked([a])[0] - middle)
        for (family, words, _), a in zip(looked, answers[1 : 1 + len(looked)], strict=True)
        if a is not None
    ]
    for share in FALLS:
        start = share * planned.fill
        words = tr("weaker pull from {} on: look for a leak", clock(start))
        suspects.append(Suspect("drive", words, stacked([fallen(planned, (start, LOST))])[0] - middle))
    model = runner.model
    mesh = TriMesh(model.mesh.points, model.mesh.triangles, model.mesh.size)
    outputs = stacked([a for _, a in kept])
    basis = basis_of(mesh, runner.parameters, [d for d, _ in kept], outputs)
    factors = factors_of(
        basis, tuple(d for d, _ in kept), outputs, tuple(suspects), shots, seed, workers, cancelled
    )
    gel = runner.clock.gel if runner.clock.gel < 1e8 else float("inf")
    return Prior(job, model, basis, planned, tuple(suspects), factors, gel, runner.volume)
