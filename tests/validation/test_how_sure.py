"""How sure against fine forecasts of other draws: does its range hold them, and do as many fill?"""

from __future__ import annotations

import numpy as np
import pytest
from tests.validation.layouts import centre_out, wedge

from bibulon.core.flow.forecast import FINE, forecast
from bibulon.core.library.demo import demo_job
from bibulon.core.lines.starters import LinePlan, lay_lines
from bibulon.core.model.job import Job
from bibulon.core.plans.sure import how_sure
from bibulon.core.plans.whatif import WhatIf, apply, drawn, spread_of
from bibulon.core.plans.work import each

TRUTHS = 30


def fine_fill(draw: tuple[Job, WhatIf]) -> float:
    """When a job with its inputs moved is wet through [s]."""
    return forecast(apply(*draw), FINE).fill_time


def jobs() -> dict[str, Job]:
    """Plans that fill with ease, that fill late, and that fail as often as not."""
    demo = demo_job()
    assert demo.mesh is not None
    stepped = lay_lines(demo, LinePlan("stepped", 2), demo.mesh.material)
    return {
        "demo": demo,
        "stepped": stepped,
        "from the wide end": wedge(from_wide=True),
        "centre out": centre_out(),
    }


@pytest.mark.slow
def test_ranges_hold_fine_forecasts_of_other_draws():
    held, shares = [], []
    for seed, (name, job) in enumerate(jobs().items()):
        sure = how_sure(job, workers=2)
        early, middle, late = sure.fill_range
        rng = np.random.default_rng(100 + seed)
        draws = [(job, drawn(spread_of(job), rng)) for _ in range(TRUTHS)]
        true = np.array([time for _, time in each(fine_fill, draws, 2)])
        inside = (true >= early) & (true <= late)
        held += list(inside)
        shares.append(abs(sure.share_filled - float(np.isfinite(true).mean())))
        print(
            name,
            f"{early:.0f} {middle:.0f} {late:.0f}, {inside.mean():.2f}, filled {sure.share_filled:.2f}",
            shares[-1],
        )
    # Of 120 truths nine in ten, less two standard deviations.
    assert np.mean(held) > 0.9 - 2 * (0.9 * 0.1 / len(held)) ** 0.5
    assert max(shares) < 0.25  # of 40 runs and 30 truths each is known to a tenth
