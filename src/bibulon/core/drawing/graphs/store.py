"""What stands in the store of each part against what the charge takes, with drums past their date struck out."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import numpy as np

from bibulon.core.drawing.kit.scene import Area, Item, Label, Line
from bibulon.core.drawing.kit.tokens import WEIGHT, Theme, contrast
from bibulon.core.model.job import Drum, Job
from bibulon.core.resin.charge import Charge
from bibulon.core.units.units import System, show
from bibulon.core.units.words import tr

__all__ = ["draw_store"]

PARTS = (("A", tr("part A")), ("B", tr("part B")), ("accelerator", "accelerator"))


def draw_store(
    job: Job, plan: Charge, size: tuple[float, float], theme: Theme, system: System
) -> Iterator[Item]:
    """Yield a row a part: drums as blocks as wide as they hold, a mark at what is needed."""
    width, height = size
    needed = {"A": plan.part_a, "B": plan.part_b, "accelerator": plan.accelerator}
    rows = [
        (key, name) for key, name in PARTS if needed[key] > 0 or any(d.part == key for d in job.charge.drums)
    ]
    tall = min((height - 60) / max(len(rows), 1), 150.0)
    for k, (key, name) in enumerate(rows):
        drums = [d for d in job.charge.drums if d.part == key]
        place = (24.0, 40 + k * tall, width - 48, tall)
        yield from _row(name, drums, needed[key], job.charge.day, place, theme, system)
    if not job.charge.drums:
        yield Label(
            width / 2,
            height - 30,
            "Note the drums at the right: it is seen here whether they do, and whether they are in date.",
            theme.soft,
            13,
        )


def _row(
    name: str, drums: Sequence[Drum], need: float, day: str, place: tuple[float, float, float, float], theme: Theme,
    system: System,
) -> Iterator[Item]:  # fmt: skip
    """Yield the drums of a part in a place (x, y, width, height) [px], with what is needed [kg]."""
    left, top, across, tall = place
    most = max(need * 1.15, sum(d.mass for d in drums), 1e-9)
    scale = across / most
    base, high = top + tall * 0.74, top + tall * 0.26
    good = [d for d in drums if not (d.use_by and day and d.use_by < day)]
    there = sum(d.mass for d in good)
    short = bool(drums) and there < need
    told = tr("{} in date", show(there, "mass", system)) if drums else tr("nothing noted")
    yield Label(left, top + tall * 0.1, name, theme.ink, 15, True, "l")
    yield Label(
        left + across,
        top + tall * 0.1,
        tr("{0}, {1} needed", told, show(need, "mass", system)),
        theme.alarm if short else theme.soft,
        14,
        short,
        "r",
    )
    x = left
    for drum in sorted(drums, key=lambda d: (d not in good, d.use_by)):
        wide = drum.mass * scale
        ring = np.array([[x + 1, high], [x + wide - 1, high], [x + wide - 1, base], [x + 1, base]])
        fill = theme.resin(0.7) if drum in good else theme.ground
        yield Area([ring], fill, theme.soft, WEIGHT["line"])
        if drum not in good:
            yield Line(
                [np.array([[x, high], [x + wide, base]]), np.array([[x, base], [x + wide, high]])],
                theme.alarm,
                WEIGHT["line"],
            )
        if wide > 70:
            colour = _over(fill, theme) if drum in good else theme.alarm
            words = drum.label or show(drum.mass, "mass", system)
            yield Label(x + wide / 2, (high + base) / 2 - 8, words[: int(wide / 8)], colour, 12, True)
            yield Label(
                x + wide / 2, (high + base) / 2 + 9, drum.use_by and tr("to {}", drum.use_by), colour, 11
            )
        x += wide
    mark = left + need * scale
    yield Line(
        [np.array([[mark, high - 8], [mark, base + 8]])],
        theme.alarm if short else theme.accent,
        WEIGHT["heavy"],
    )
    yield Label(mark, base + 17, "needed", theme.alarm if short else theme.accent, 12, True)


def _over(fill: str, theme: Theme) -> str:
    """Return the colour of words that is read best over a fill."""
    return (
        theme.on_resin
        if contrast(fill, theme.on_resin) > contrast(fill, theme.on_accent)
        else theme.on_accent
    )
