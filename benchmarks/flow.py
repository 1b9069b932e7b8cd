"""How fast networks fill, as ratios to one sparse factorisation of the same matrix in the same run."""

from __future__ import annotations

import resource
import time
from collections.abc import Callable

import numpy as np
from scipy import sparse
from scipy.sparse.linalg import splu

from benchmarks.reference import one_cell_at_a_time
from bibulon.core.flow.build import build
from bibulon.core.flow.fill import fill
from bibulon.core.flow.network import Network
from bibulon.core.flow.program import Opens, Program
from bibulon.core.job.edit import change
from bibulon.core.job.materials import ConstantViscosity, PorousLayer
from bibulon.core.job.model import Job, Layer
from bibulon.core.library.demo import demo_job
from bibulon.core.resin.clock import flow_clock

SIZES = (3_000, 10_000, 25_000, 60_000)
FRAMES = 24


def flat_job() -> Job:
    """The demo's outline with one layer, no mesh, no core, one feed."""
    job = demo_job()
    cloth = PorousLayer(name="Cloth", thickness=0.004, porosity=0.5, k1=2e-9, k2=2e-9, k3=1e-11)
    assert job.resin is not None
    return change(
        job,
        part=job.part.model_copy(update={"zones": ()}),
        materials={"cloth": cloth},
        stack=(Layer(id="L1", material="cloth"),),
        mesh=None,
        lines=tuple(x for x in job.lines if x.id != "F2"),
        resin=job.resin.model_copy(update={"viscosity": ConstantViscosity(value=0.2)}),
    )


def layered_job() -> Job:
    """The demo with one feed and constant viscosity: lower skin, core, upper skin and mesh."""
    job = demo_job()
    assert job.resin is not None
    return change(
        job,
        lines=tuple(x for x in job.lines if x.id != "F2"),
        resin=job.resin.model_copy(update={"viscosity": ConstantViscosity(value=0.2)}),
    )


def one_factorisation(network: Network) -> float:
    """Return the best of three times of one sparse LU of the whole Laplacian [s]."""
    matrix = sparse.csc_array(sparse.diags_array(network.degree * (1 + 1e-9) + 1e-30) - network.adjacency)
    return min(
        _timed(
            lambda: splu(
                matrix, permc_spec="MMD_AT_PLUS_A", diag_pivot_thresh=0.0, options={"SymmetricMode": True}
            )
        )
        for _ in range(3)
    )


def _timed(act: Callable[[], object]) -> float:
    start = time.perf_counter()
    act()
    return time.perf_counter() - start


def main(*, quick: bool = False) -> None:
    """Print one line a size and the growth exponents."""
    print(
        f"{'network':<12}{'unknowns':>9}{'mesh s':>8}{'frames':>8}{'fill s':>8}{'solves':>8}{'1 LU s':>8}{'fill/LU':>9}{'balance':>10}"
    )
    for name, job, layers in (("flat", flat_job(), 1.0), ("four layers", layered_job(), 3.35)):
        points = []
        for size in SIZES[:2] if quick else SIZES:
            start = time.perf_counter()
            network = build(job, round(size / layers)).network
            meshed = time.perf_counter() - start
            factor = one_factorisation(network)
            clock = flow_clock(job.resin, job.conditions.resin_temperature)  # type: ignore[arg-type]
            start = time.perf_counter()
            history = fill(network, Program.opening(network, [Opens()]), clock, frames=FRAMES)
            seconds = time.perf_counter() - start
            points.append((network.size, seconds))
            print(
                f"{name:<12}{network.size:>9}{meshed:>8.2f}{len(history.frames):>8}{seconds:>8.2f}{history.solves:>8}"
                f"{factor:>8.3f}{seconds / factor:>9.1f}{history.balance:>10.1e}  {history.reason}"
            )
        n, t = np.log(np.array(points)).T
        print(f"{name:<12}grows as unknowns to the power {np.polyfit(n, t, 1)[0]:.2f}")
    print(f"largest memory {resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024:.0f} MB")
    _against_reference()


def _against_reference() -> None:
    job = flat_job()
    network = build(job, 900).network
    clock = flow_clock(job.resin, job.conditions.resin_temperature)  # type: ignore[arg-type]
    fast = _timed(lambda: fill(network, Program.opening(network, [Opens()]), clock, frames=FRAMES))
    slow = _timed(lambda: one_cell_at_a_time(network))
    print(f"one cell at a time, {network.size} unknowns: {slow:.2f} s, {slow / fast:.1f} times as long")
