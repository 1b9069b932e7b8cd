"""Up to four jobs side by side: their plans, and their figures in rows, each as a bar against the largest."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence

import numpy as np
from msgspec import Struct

from bibulon.core.drawing.kit.pages import shifted
from bibulon.core.drawing.kit.scene import Area, Clip, Item, Label, Line
from bibulon.core.drawing.kit.tokens import WEIGHT, Theme
from bibulon.core.drawing.plan.thumb import draw_thumb

__all__ = ["MOST", "Compared", "draw_compared"]

MOST = 4
PLAN, ROW, LEFT = 150.0, 40.0, 118.0  # px
Place = tuple[float, float]


class Compared(Struct, frozen=True):
    """A job as it is compared: name, a line of what came of it, its plan [m], and figures by key [SI]."""

    name: str
    told: str
    outline: Sequence[Place]
    lines: Sequence[tuple[str, Sequence[Place]]]
    pins: Sequence[Place]
    figures: dict[str, float]


def draw_compared(
    jobs: Sequence[Compared],
    rows: Sequence[tuple[str, str, Callable[[float], str]]],
    width: float,
    theme: Theme,
) -> Iterator[Item]:
    """Yield the comparison; ``rows`` are (key, words, how a value is told)."""
    if not jobs:
        yield Label(
            width / 2,
            90,
            "Choose a job and press “Compare”; up to four stand here side by side.",
            theme.soft,
            14,
        )
        return
    wide = (width - LEFT - 16) / max(len(jobs), 2)
    for k, job in enumerate(jobs):
        x = LEFT + k * wide
        for item in draw_thumb(job.outline, job.lines, job.pins, (wide - 12, PLAN), theme):
            yield shifted(item, x, 0.0)
        box = np.array([[x, 0], [x + wide - 12, 0], [x + wide - 12, PLAN + 46], [x, PLAN + 46]])
        yield Clip(
            [box],
            (
                Label(x + 4, PLAN + 12, job.name, theme.ink, 14, True, "l"),
                Label(x + 4, PLAN + 32, job.told, theme.soft, 12, anchor="l"),
            ),
        )
    down = PLAN + 62
    for key, words, told in rows:
        known = [j.figures[key] for j in jobs if key in j.figures]
        if not known:
            continue
        most = max(max(known), 1e-300)
        yield Line([np.array([[12.0, down - 8], [width - 12, down - 8]])], theme.edge, WEIGHT["hair"])
        yield Label(12, down + 10, words, theme.soft, 12, anchor="l")
        for k, job in enumerate(jobs):
            x = LEFT + k * wide
            value = job.figures.get(key)
            if value is None:
                yield Label(x + 4, down + 6, "not known", theme.soft, 12, anchor="l")
                continue
            yield Label(x + 4, down + 4, told(value), theme.ink, 14, True, "l")
            long = max(value / most, 0.0) * (wide - 24)
            yield Area(
                [np.array([[x + 4, down + 16], [x + 4 + long, down + 16], [x + 4 + long, down + 21], [x + 4, down + 21]])], theme.accent, opacity=0.55
            )  # fmt: skip
        down += ROW
