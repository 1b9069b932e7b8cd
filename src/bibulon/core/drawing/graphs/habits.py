"""A shop's own record: how long its stages take, and where its bags leak, as bars with their ranges."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence

import numpy as np

from bibulon.core.drawing.kit.scene import Area, Item, Label, Line
from bibulon.core.drawing.kit.tokens import WEIGHT, Theme
from bibulon.core.series.habits import Leaks, Stage
from bibulon.core.units.units import clock
from bibulon.core.units.words import tr

__all__ = ["KINDS", "draw_habits", "habits_height"]

ROW, LEFT, RIGHT, HEAD = 38.0, 230.0, 240.0, 40.0  # px
KINDS = {
    "tube": tr("where tubes enter"), "pleat": tr("roots of pleats"), "tape": tr("along the tape"), "corner": tr("corners of the tape"),
    "fitting": "fittings", "film": tr("the film itself"),
}  # fmt: skip


def habits_height(stages: Sequence[Stage], leaks: Sequence[Leaks]) -> float:
    """Return px that the drawing takes."""
    return sum(HEAD + ROW * len(rows) for rows in (stages, leaks) if rows)


def draw_habits(
    stages: Sequence[Stage], leaks: Sequence[Leaks], width: float, down: float, theme: Theme
) -> Iterator[Item]:
    """Yield the rows, from ``down`` px below the top."""
    right = max(width - RIGHT, LEFT + 80.0)
    if leaks:
        yield from _leaks(leaks, right, down, theme)
        down += HEAD + ROW * len(leaks)
    if stages:
        yield from _stages(stages, right, down, theme)


def _leaks(leaks: Sequence[Leaks], right: float, down: float, theme: Theme) -> Iterator[Item]:
    """Yield where bags leaked."""
    yield Label(12, down + 16, "Where bags leaked, beside what is usual", theme.ink, 14, True, "l")
    most = max(max(x.found, x.expected, x.factor.high * x.expected) for x in leaks)
    for k, x in enumerate(leaks):
        y = down + HEAD + ROW * (k + 0.5)
        by = (right - LEFT) / max(most, 1e-9)
        yield Label(12, y, KINDS.get(x.kind, x.kind), theme.ink, 13, anchor="l")
        yield from _bar(LEFT, LEFT + x.found * by, y, theme.accent, 0.5, 8)
        usual = LEFT + x.expected * by
        yield Line([np.array([[usual, y - 12], [usual, y + 12]])], theme.ink, WEIGHT["line"])
        words = tr("{0} found, {1:.1f} usual", x.found, x.expected)
        yield Label(right + 14, y - 8, words, theme.ink, 12, anchor="l")
        factor = tr("weight × {0:.2f}, {1:.2f} to {2:.2f}", x.factor.middle, x.factor.low, x.factor.high)
        yield Label(right + 14, y + 9, factor, theme.soft, 12, anchor="l")


def _stages(stages: Sequence[Stage], right: float, down: float, theme: Theme) -> Iterator[Item]:
    """Yield how long each stage takes."""
    yield Label(12, down + 16, "How long it takes here", theme.ink, 14, True, "l")
    ends = [v for s in stages for v in (s.time.low, s.time.middle, s.time.high) if 0 < v < 1e7]
    low, high = math.log(min(ends) * 0.8), math.log(max(ends) * 1.25)

    def at(seconds: float) -> float:
        return LEFT + (math.log(seconds) - low) / (high - low) * (right - LEFT)

    for k, s in enumerate(stages):
        y = down + HEAD + ROW * (k + 0.5)
        yield Label(12, y, s.name, theme.ink, 13, anchor="l")
        if s.jobs > 1:
            yield from _bar(
                max(at(max(s.time.low, 1e-3)), LEFT),
                min(at(min(s.time.high, 1e7)), right),
                y,
                theme.accent,
                0.35,
                7,
            )
        x_middle = at(s.time.middle)
        yield Line([np.array([[x_middle, y - 10], [x_middle, y + 10]])], theme.accent, WEIGHT["heavy"])
        yield Label(right + 14, y - 8, clock(s.time.middle), theme.ink, 12, True, "l")
        span = (
            tr("next {0} to {1}, ", clock(s.time.low, s.time.high), clock(s.time.high)) if s.jobs > 1 else ""
        )
        yield Label(
            right + 14,
            y + 9,
            tr("{0}{1} job{2}", span, s.jobs, "s" * (s.jobs != 1)),
            theme.soft,
            12,
            anchor="l",
        )


def _bar(a: float, b: float, y: float, colour: str, opacity: float, half: float) -> Iterator[Item]:
    yield Area(
        [np.array([[a, y - half], [b, y - half], [b, y + half], [a, y + half]])], colour, opacity=opacity
    )
