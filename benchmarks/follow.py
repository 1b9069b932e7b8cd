"""How long a hand that drags a line waits for fronts: preview and fine answer, beside one factorisation in the same run.

What is asked of the demo, a preview under 100 ms and its fine answer under 1.5 s, was asked where one sparse LU of 25,000 flat
unknowns took 137 ms: 0.73 and 10.9 of them.
"""

from __future__ import annotations

import gc
import sys
import time
from collections.abc import Callable
from functools import partial

from benchmarks.flow import flat_job, one_factorisation
from bibulon.app.session.forecaster import FINE_ON_SCREEN, PREVIEW
from bibulon.core.flow.build.builder import build
from bibulon.core.library.demo import demo_job
from bibulon.core.model.job import Job
from bibulon.core.outlook.outlook import Outlook, look_ahead

__all__ = ["main"]

UNKNOWNS = 25_000


def moved(job: Job, by: float) -> Job:
    """Return the job with its first line a little further along."""
    line = job.lines[0]
    return job.replaced(lines=(line.replaced(path=tuple((x + by, y) for x, y in line.path)), *job.lines[1:]))


def _took(act: Callable[[], Outlook]) -> float:
    start = time.perf_counter()
    assert act().forecast is not None
    return time.perf_counter() - start


def main(*, quick: bool = False) -> None:
    """Print the middle and the best of some answers, in milliseconds and in factorisations."""
    gc.disable()  # as in the window, which collects when nobody waits
    job, rounds = demo_job(), 1 if quick else 5
    network = build(flat_job(), 1_200 if quick else UNKNOWNS, 1).network
    last = look_ahead(job, FINE_ON_SCREEN, fine=True)
    coarse, fine, whole = [], [], []
    for round_ in range(rounds):
        whole.append(one_factorisation(network))
        for k in range(2 if quick else 8):
            job = moved(demo_job(), 0.002 * (k % 5 + 1) * (-1) ** k + 1e-5 * (8 * round_ + k))
            coarse.append(_took(partial(look_ahead, job, PREVIEW, fine=False, before=last)))
        fine.append(_took(partial(look_ahead, job, FINE_ON_SCREEN, fine=True, before=last)))
        gc.collect()
    unit = sorted(whole)[rounds // 2]
    print(f"one LU of {network.size} flat unknowns: {unit * 1e3:.0f} ms")
    for name, took in (("preview", sorted(coarse)), ("fine answer", sorted(fine))):
        middle = took[len(took) // 2]
        print(
            f"{name:<12} middle {middle * 1e3:5.0f} ms, best {took[0] * 1e3:5.0f} ms   {middle / unit:5.2f} LU, best {took[0] / unit:5.2f}",
            flush=True,
        )


if __name__ == "__main__":
    main(quick="--quick" in sys.argv)
