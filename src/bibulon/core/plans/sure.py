"""How sure a forecast is: many runs with inputs drawn from their spread, and what comes of them together."""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np
import numpy.typing as npt
from msgspec import Struct

from bibulon.core.flow.build.builder import BuildError
from bibulon.core.flow.fill.filling import FillError
from bibulon.core.flow.forecast import Resolution, forecast
from bibulon.core.geometry.outline import OutlineError
from bibulon.core.geometry.trimesh import TriMesh
from bibulon.core.model.job import Job
from bibulon.core.plans.whatif import Spread, WhatIf, apply, drawn, spread_of
from bibulon.core.plans.work import Workers, each

__all__ = ["Run", "Sure", "how_sure", "one_run"]

Floats = npt.NDArray[np.float64]
# Coarser ones miss places that stay dry: of a plan that fails in half of its runs, 500 points let two in three of these fill.
ROUGH = Resolution(900, 1, 10)
RUNS = 40
TAIL = 0.05  # share of the truths beyond either end of a range
CELLS = 6  # of the mesh below which a locked place is grain


class _Draw(Struct, frozen=True):
    job: Job
    what: WhatIf


class Run(Struct, frozen=True, eq=False):
    """One run: what was drawn, fill time [s] (inf where some stays dry), last place [m], locked area [m²], times at vertices [s]."""

    what: WhatIf
    fill_time: float
    last: tuple[float, float]
    locked: float
    places: tuple[tuple[float, float], ...]
    mesh: TriMesh
    wet_at: Floats


def one_run(draw: _Draw) -> Run | None:
    """Forecast one draw; None when it does not come to an answer."""
    try:
        f = forecast(apply(draw.job, draw.what), ROUGH)
    except (BuildError, FillError, OutlineError, ValueError):
        return None
    grain = CELLS * f.model.mesh.size**2
    pockets = [p for p in f.pockets if p.area > grain]
    x, y, _ = f.last_wet
    times = np.where(np.isfinite(f.wet_through), f.wet_through, np.inf)
    for pocket in pockets:  # a place whose air stays counts as dry
        if np.isfinite(pocket.wet_at) and pocket.gas_area > 0:
            near = np.hypot(*(f.model.mesh.points - pocket.place).T)
            times[near < (pocket.gas_area / np.pi) ** 0.5] = np.inf
    mesh = TriMesh(f.model.mesh.points, f.model.mesh.triangles, f.model.mesh.size)
    return Run(
        draw.what,
        f.fill_time,
        (x, y),
        sum(p.area for p in pockets),
        tuple(p.place for p in pockets),
        mesh,
        times,
    )


class Sure(Struct, frozen=True, eq=False):
    """All runs together.

    Ranges hold nine truths in ten: of n runs and a truth drawn alike, each of the n + 1 places in their order is as likely for
    the truth, so that the k-th from either end have it between them in (n + 1 − 2 k) / (n + 1) of all cases.
    """

    runs: tuple[Run, ...]
    asked: int
    spread: Spread

    @property
    def fill_range(self) -> tuple[float, float, float]:
        """Return the ends of the range of fill times and their middle [s]; inf where that many runs stay dry."""
        times = np.sort([r.fill_time for r in self.runs])
        if not len(times):
            return (np.inf, np.inf, np.inf)
        k = self._beyond
        return float(times[k]), float(times[(len(times) - 1) // 2]), float(times[-1 - k])

    @property
    def _beyond(self) -> int:
        """How many runs lie beyond either end of the range."""
        return max(math.floor(TAIL * (len(self.runs) + 1) + 1e-9) - 1, 0)

    @property
    def held(self) -> float:
        """Share of truths that the range holds; less than nine in ten of fewer than 19 runs."""
        n = len(self.runs)
        return max(n - 1 - 2 * self._beyond, 0) / (n + 1)

    @property
    def share_filled(self) -> float:
        """Share of runs in which all gets wet."""
        return float(np.mean([np.isfinite(r.fill_time) for r in self.runs])) if self.runs else 0.0

    @property
    def share_locked(self) -> float:
        """Share of runs in which air is locked off somewhere."""
        return float(np.mean([r.locked > 0 for r in self.runs])) if self.runs else 0.0

    @property
    def dry_share(self) -> Floats:
        """Return how often each vertex of the first run's mesh stays dry, shape (v,)."""
        if not self.runs:
            return np.zeros(0)
        mesh = self.runs[0].mesh
        total = np.zeros(len(mesh.points))
        for run in self.runs:
            dry = (~np.isfinite(run.wet_at)).astype(float)
            if len(dry) != len(total):
                triangle, weights = run.mesh.locate(mesh.points)
                dry = np.einsum("ni,ni->n", weights, dry[run.mesh.triangles[triangle]])
            total += dry
        return total / len(self.runs)


def how_sure(
    job: Job,
    *,
    runs: int = RUNS,
    seed: int = 7,
    workers: Workers = 2,
    spread: Spread | None = None,
    progress: Callable[[int, int], None] = lambda done, of: None,
    cancelled: Callable[[], bool] = lambda: False,
) -> Sure:
    """Run a job many times over the spread of its inputs; cancelled, it returns what has come so far.

    The draws are the same for the same seed, whatever the number of workers.
    """
    wide = spread or spread_of(job)
    rng = np.random.default_rng(seed)
    bare = job.replaced(variants=())
    draws = [_Draw(bare, drawn(wide, rng)) for _ in range(runs)]
    found: list[Run] = []
    for k, (_, run) in enumerate(each(one_run, draws, workers, cancelled), 1):
        if run is not None:
            found.append(run)
        progress(k, runs)
    order = {id(d.what): k for k, d in enumerate(draws)}
    found.sort(key=lambda r: (r.what.cloth, r.what.mesh, order.get(id(r.what), 0)))
    return Sure(tuple(found), runs, wide)
