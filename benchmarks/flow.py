"""How fast networks fill, as ratios to one sparse factorisation of the same matrix in the same run."""

from __future__ import annotations

import resource
import time
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from functools import partial

import numpy as np
from scipy import sparse
from scipy.sparse.linalg import splu

from benchmarks.reference import one_cell_at_a_time
from bibulon.core.edit.edit import change
from bibulon.core.flow.build.builder import build
from bibulon.core.flow.build.network import Network
from bibulon.core.flow.build.program import Batch, Bucket, Opens, Program
from bibulon.core.flow.fill.filling import fill
from bibulon.core.flow.forecast import Resolution, forecast
from bibulon.core.library.demo import demo_job
from bibulon.core.model.job import Job, Layer
from bibulon.core.model.materials import ConstantViscosity, PorousLayer, TabulatedViscosity
from bibulon.core.resin.clock import FlowClock, flow_clock

SIZES = (3_000, 10_000, 25_000, 60_000)
FRAMES = 24


def flat_job() -> Job:
    """The demo's outline with one layer, no mesh, no core, one feed."""
    job = demo_job()
    cloth = PorousLayer(name="Cloth", thickness=0.004, porosity=0.5, k1=2e-9, k2=2e-9, k3=1e-11)
    assert job.resin is not None
    return change(
        job,
        part=job.part.replaced(zones=()),
        materials={"cloth": cloth},
        stack=(Layer(id="L1", material="cloth"),),
        mesh=None,
        lines=tuple(x for x in job.lines if x.id != "F2"),
        resin=job.resin.replaced(viscosity=ConstantViscosity(value=0.2)),
    )


def layered_job() -> Job:
    """The demo with one feed and constant viscosity: lower skin, core, upper skin and mesh."""
    job = demo_job()
    assert job.resin is not None
    return change(
        job,
        lines=tuple(x for x in job.lines if x.id != "F2"),
        resin=job.resin.replaced(viscosity=ConstantViscosity(value=0.2)),
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
    """Return the processor's seconds of this process: shared machines stretch the wall's."""
    start = time.process_time()
    act()
    return time.process_time() - start


def from_entry(job: Job, end: float) -> tuple[tuple[Bucket, ...], FlowClock]:
    """Return a mixing head on F1, and a resin that thickens e-fold in twice the fill time [s]."""
    times = np.linspace(0, 3 * end, 60)
    law = TabulatedViscosity(
        times=tuple(times.tolist()), values=tuple((0.2 * np.exp(times / (2 * end))).tolist())
    )
    assert job.resin is not None
    clock = flow_clock(job.resin.replaced(viscosity=law), job.conditions.resin_temperature)
    return (Bucket("head", ("F1",), (Batch(float("inf"), None),)),), clock


def main(*, quick: bool = False) -> None:
    """Print one line a size, what carried age costs, and the growth exponents."""
    print(
        f"{'network':<12}{'unknowns':>9}{'mesh s':>8}{'frames':>7}{'fill s':>8}{'solves':>7}{'1 LU s':>8}{'fill/LU':>9}{'aged/plain':>11}{'balance':>10}"
    )
    for name, job, layers in (("flat", flat_job(), 1.0), ("four layers", layered_job(), 3.35)):
        points = []
        for size in (600,) if quick else SIZES:
            start = time.process_time()
            network = build(job, round(size / layers)).network
            meshed = time.process_time() - start
            factor = one_factorisation(network)
            clock = flow_clock(job.resin, job.conditions.resin_temperature)  # type: ignore[arg-type]
            start = time.process_time()
            history = fill(network, Program.opening(network, [Opens()]), clock, frames=FRAMES)
            seconds = time.process_time() - start
            buckets, ageing = from_entry(job, history.end)
            program = Program.opening(network, [Opens()], buckets=buckets)
            again = _timed(partial(fill, network, Program.opening(network, [Opens()]), clock, frames=FRAMES))
            # The better of two of both: of single ones the ratio wanders by a fifth.
            aged = min(_timed(partial(fill, network, program, ageing, frames=FRAMES)) for _ in range(2))
            points.append((network.size, seconds))
            print(
                f"{name:<12}{network.size:>9}{meshed:>8.2f}{len(history.frames):>7}{seconds:>8.2f}{history.solves:>7}"
                f"{factor:>8.3f}{seconds / factor:>9.1f}{aged / min(again, seconds):>11.1f}{history.balance:>10.1e}  {history.reason}"
            )
        if len(points) < 2:
            continue  # one size tells no exponent
        n, t = np.log(np.array(points)).T
        print(f"{name:<12}grows as unknowns to the power {np.polyfit(n, t, 1)[0]:.2f}")
    print(f"largest memory {resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024:.0f} MB")
    _against_reference(quick)
    _by_hand(quick)


def _against_reference(quick: bool) -> None:
    job = flat_job()
    for points in (250,) if quick else (900, 2500):
        network = build(job, points).network
        clock = flow_clock(job.resin, job.conditions.resin_temperature)  # type: ignore[arg-type]
        program = Program.opening(network, [Opens()])
        fast = _timed(partial(fill, network, program, clock, frames=FRAMES))
        slow = _timed(partial(one_cell_at_a_time, network))
        print(f"one cell at a time, {network.size} unknowns: {slow:.2f} s, {slow / fast:.1f} times as long")


def _by_hand(quick: bool) -> None:
    """What someone who drags a line waits for: the coarse answer, a cancel, two variants side by side."""
    job = demo_job()
    coarse = Resolution(900, 1, 8)
    forecast(job, coarse)
    times = 1 if quick else 7
    took = sorted(_timed(lambda: forecast(job, coarse)) for _ in range(times))
    size = build(job, coarse.points).network.size
    factor = one_factorisation(build(job, coarse.points).network)
    print(
        f"coarse forecast with mesh, {size} unknowns: {took[0]:.3f} s, median {took[times // 2]:.3f}, {took[0] / factor:.1f} LU"
    )
    fine = Resolution(500 if quick else 7500, 1, 12 if quick else FRAMES)
    asked: list[float] = []

    def watch() -> bool:
        asked.append(time.perf_counter())
        return False

    forecast(job, fine, cancelled=watch)
    gaps = np.diff(asked)
    print(
        f"between chances to cancel: median {np.median(gaps) * 1e3:.0f} ms, 99 % {np.quantile(gaps, 0.99) * 1e3:.0f} ms, largest {gaps.max() * 1e3:.0f} ms"
    )

    def wall(act: Callable[[], object]) -> float:
        start = time.perf_counter()
        act()
        return time.perf_counter() - start

    one = wall(lambda: forecast(job, fine))
    with ThreadPoolExecutor(2) as pool:
        both = wall(lambda: list(pool.map(lambda _: forecast(job, fine), range(2))))
    print(f"two forecasts on two threads: {both / one:.2f} times the wall time of one")
