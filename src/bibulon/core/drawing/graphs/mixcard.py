"""The mixing card of a batch in large type: what is weighed, in which order, by whom it was done, and by when it is gone."""

from __future__ import annotations

from collections.abc import Iterator, Mapping

import numpy as np
from msgspec import Struct

from bibulon.core.drawing.kit.scene import Area, Item, Label, Line
from bibulon.core.drawing.kit.tokens import WEIGHT, Theme
from bibulon.core.model.job import Job
from bibulon.core.resin.charge import Charge
from bibulon.core.resin.mix import mix_of
from bibulon.core.run.layup import Laid
from bibulon.core.run.mixing import MixStep, mix_steps, refusals
from bibulon.core.run.schedule import BatchPlan
from bibulon.core.units.figures import worded
from bibulon.core.units.units import System, clock, show, system_of
from bibulon.core.units.words import tr

__all__ = ["MixCard", "draw_mix_card", "mix_card"]

SAFE = "Times count from opening the first feed. Gloves, eyes, air; the sheet of the product comes first."
PEROXIDE = "Never bring peroxide and accelerator together: each into the resin alone, stirred between."


class MixCard(Struct, frozen=True):
    """A card laid out: the steps with the top of each row [px] and its height, in a field of px."""

    steps: list[MixStep]
    tops: list[float]
    tall: list[float]
    size: tuple[float, float]

    def step_at(self, y: float) -> int | None:
        """Return the step whose row lies at a height, or None."""
        return next(
            (
                k
                for k, (top, tall) in enumerate(zip(self.tops, self.tall, strict=True))
                if top <= y < top + tall
            ),
            None,
        )


def mix_card(job: Job, plan: Charge, number: int, size: tuple[float, float]) -> MixCard:
    """Lay the card of a batch out, from 0: what is weighed stands large, the rest as large as there is room."""
    steps = mix_steps(job, plan.batches[number])
    room = size[1] - 60 - 132
    weighed = sum(bool(s.amount) or s.refused for s in steps)
    plain = min(max(room * 0.09, 20.0), 40.0)
    big = min((room - plain * (len(steps) - weighed)) / max(weighed, 1), 104.0, size[0] / 7)
    tall = [big if s.amount or s.refused else plain for s in steps]
    tops = [60 + sum(tall[:k]) for k in range(len(steps))]
    return MixCard(steps, tops, tall, size)


def draw_mix_card(
    job: Job,
    plan: Charge,
    number: int,
    times: BatchPlan | None,
    size: tuple[float, float],
    theme: Theme,
    system: System,
    done: Mapping[str, Laid] | None = None,
    chosen: int | None = None,
) -> Iterator[Item]:
    """Yield the card of a batch, from 0; ``done`` what is ticked, by key; ``chosen`` the row that the keys are on."""
    assert job.resin is not None
    width, height = size
    batch, done = plan.batches[number], done or {}
    card = mix_card(job, plan, number, size)
    digits = 3 if system_of("mass", system) == "metric" else 2
    yield Label(24, 30, tr("Batch {0} of {1}", batch.number, len(plan.batches)), theme.ink, 22, True, "l")
    told = tr("{0} · {1} in all", job.resin.name, show(batch.mass, "mass", system, digits))
    yield Label(width - 24, 30, told, theme.soft, 14, anchor="r")
    for k, step in enumerate(card.steps):
        yield from _row(
            step, card.tops[k], card.tall[k], width, theme, system, done.get(step.key), k == chosen
        )
    y = card.tops[-1] + card.tall[-1] + 12
    yield Line([np.array([[24, y], [width - 24, y]])], theme.edge, WEIGHT["thin"])
    y += 20
    for words in refusals(job, batch):
        yield Label(24, y, tr("Do not mix: {}.", words), theme.alarm, 14, True, "l")
        y += 22
    yield from _footing(job, batch.mass, times, y, width, theme, system)
    yield Label(24, height - 16, SAFE, theme.soft, 12, anchor="l")
    if job.resin.cures == "peroxide":
        yield Label(24, height - 34, PEROXIDE, theme.ink, 12, anchor="l")


def _row(
    step: MixStep,
    top: float,
    tall: float,
    width: float,
    theme: Theme,
    system: System,
    laid: Laid | None,
    chosen: bool,
) -> Iterator[Item]:
    """Yield one step with its box."""
    y, half = top + tall / 2, min(13.0, tall * 0.32)
    if chosen:
        frame = np.array(
            [[14, top + 2], [width - 14, top + 2], [width - 14, top + tall - 2], [14, top + tall - 2]]
        )
        yield Area([frame], None, theme.accent, WEIGHT["line"])
    box = np.array([[24, y - half], [24 + 2 * half, y - half], [24 + 2 * half, y + half], [24, y + half]])
    yield Area([box], None, theme.soft, WEIGHT["line"])
    if laid is not None:
        tick = np.array(
            [[24 + 0.4 * half, y], [24 + 0.9 * half, y + 0.6 * half], [24 + 1.7 * half, y - 0.6 * half]]
        )
        yield Line([tick], theme.accent, WEIGHT["heavy"])
    big = bool(step.amount) or step.refused
    name = min(tall * 0.36, 26.0) if big else min(tall * 0.55, 20.0)
    colour = theme.alarm if step.refused else theme.soft if laid is not None and not big else theme.ink
    yield Label(62, y, step.words, colour, name, big, "l")
    if step.amount:
        yield Label(
            width * 0.66, y, worded(step.amount, system), theme.accent, min(tall * 0.72, 64.0), True, "r"
        )
    end = worded(step.beside, system) if step.beside else ""
    if laid is not None:
        yield Label(width - 24, y + (tall * 0.26 if end else 0), laid.words, theme.soft, 13, anchor="r")
    if end:
        yield Label(
            width - 24, y - (tall * 0.12 if laid else 0), end, theme.soft, min(tall * 0.3, 20.0), anchor="r"
        )


def _footing(
    job: Job, mass: float, times: BatchPlan | None, y: float, width: float, theme: Theme, system: System
) -> Iterator[Item]:
    """Yield what the ratio is and how far a step moves it, and the three moments of the batch."""
    assert job.resin is not None
    mix = mix_of(job.resin, job.charge, mass)
    if job.resin.cures == "hardener":
        told = tr(
            "100 to {0:g} by weight; a step of {1} moves it {2:.1f} %, of {3:.0f} % allowed",
            job.resin.parts_b_per_100,
            show(job.charge.scale_step, "weighed", system),
            mix.worst * 100,
            mix.tolerance * 100,
        )
        coarse = mix.too_coarse
    else:
        told = tr(
            "{0:.2f} parts of peroxide to 100 of resin at {1}; the sheet allows {2:g} to {3:g}",
            mix.ratio * 100,
            show(job.charge.room, "temperature", system),
            job.resin.dose_low,
            job.resin.dose_high,
        )
        coarse = False
    yield Label(24, y, told, theme.alarm if coarse else theme.soft, 13, coarse, "l")
    if times is None:
        return
    y += 30
    moments = ((tr("start at"), times.start), (tr("pour at"), times.pour), (tr("gone by"), times.life_end))
    for k, (words, at) in enumerate(moments):
        x = 24 + k * (width - 48) / 3
        yield Label(x, y, f"{words} {_at(at)}", theme.alarm if k == 2 else theme.ink, 19, True, "l")


def _at(seconds: float) -> str:
    return clock(seconds) if seconds >= 0 else f"−{clock(-seconds)}"
