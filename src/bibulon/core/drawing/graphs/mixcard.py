"""The mixing card of a batch in large type: what is weighed, in which order, and by when it must be gone."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from bibulon.core.drawing.kit.scene import Area, Item, Label, Line
from bibulon.core.drawing.kit.tokens import WEIGHT, Theme
from bibulon.core.model.job import Job
from bibulon.core.resin.charge import Charge
from bibulon.core.resin.mix import mix_of
from bibulon.core.run.schedule import BatchPlan
from bibulon.core.units.units import System, clock, show

__all__ = ["draw_mix_card"]


def draw_mix_card(
    job: Job,
    plan: Charge,
    number: int,
    times: BatchPlan | None,
    size: tuple[float, float],
    theme: Theme,
    system: System,
) -> Iterator[Item]:
    """Yield the card of a batch, from 0, in a field of px."""
    assert job.resin is not None
    width, height = size
    batch = plan.batches[number]
    mix = mix_of(job.resin, batch.mass, job.charge.scale_step)
    big = min(64.0, width / 13, height / 9)
    digits = 3 if system == "metric" else 2
    yield Label(24, 30, f"Batch {batch.number} of {len(plan.batches)}", theme.ink, 22, True, "l")
    yield Label(
        width - 24,
        30,
        f"{job.resin.name} · {show(batch.mass, 'mass', system, digits)} in all",
        theme.soft,
        14,
        anchor="r",
    )
    y = 60 + big * 0.7
    rows = [("A  resin", mix.shown_a, mix.volume_a), ("B  hardener", mix.shown_b, mix.volume_b)]
    for name, mass, volume in rows:
        yield Area(
            [np.array([[24, y - 13], [50, y - 13], [50, y + 13], [24, y + 13]])],
            None,
            theme.soft,
            WEIGHT["line"],
        )
        yield Label(66, y, name, theme.ink, big * 0.42, True, "l")
        yield Label(width * 0.66, y, show(mass, "mass", system, digits), theme.accent, big, True, "r")
        yield Label(width - 24, y, show(volume, "volume", system, 2), theme.soft, big * 0.36, anchor="r")
        y += big * 1.35
    yield Line([np.array([[24, y - big * 0.55], [width - 24, y - big * 0.55]])], theme.edge, WEIGHT["thin"])
    told = f"100 to {job.resin.parts_b_per_100:g} by weight; a step of {show(job.charge.scale_step, 'weighed', system)} moves it {mix.worst * 100:.1f} %, of {mix.tolerance * 100:.0f} % allowed"
    yield Label(24, y, told, theme.alarm if mix.too_coarse else theme.soft, 14, mix.too_coarse, "l")
    y += 34
    steps = [
        "weigh A, then B into it",
        f"mix {clock(job.resin.mixing_time)}, scraping walls and floor",
        f"rest or degas {clock(job.charge.rest)}",
    ]
    if times is not None:
        steps = [
            f"start at {_at(times.start)}",
            *steps,
            f"pour at {_at(times.pour)}",
            f"must be gone by {_at(times.life_end)}",
        ]
    for k, words in enumerate(steps):
        yield Area(
            [np.array([[24, y - 9], [42, y - 9], [42, y + 9], [24, y + 9]])], None, theme.soft, WEIGHT["thin"]
        )
        last = k == len(steps) - 1 and times is not None
        yield Label(56, y, words, theme.ink, 18, last, "l")
        y += 32
    yield Label(
        24,
        height - 18,
        "Times count from opening the first feed. Gloves, eyes, air; the sheet of the product comes first.",
        theme.soft,
        12,
        anchor="l",
    )


def _at(seconds: float) -> str:
    return clock(seconds) if seconds >= 0 else f"−{clock(-seconds)}"
