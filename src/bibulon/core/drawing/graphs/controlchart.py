"""One figure of a series, part by part: its limits, its slow average, what fires, and the part that is chosen."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Sequence

import numpy as np

from bibulon.core.drawing.kit.chart import Chart as Axes
from bibulon.core.drawing.kit.scene import Area, Item, Label, Line
from bibulon.core.drawing.kit.tokens import WEIGHT, Theme
from bibulon.core.series.charts import Chart

__all__ = ["HEIGHT", "draw_control", "part_at"]

HEIGHT = 132.0  # px of one chart
LEFT, RIGHT = 76.0, 128.0  # px beside the field: ticks, and what the limits are
DOT = 3.5
CLEAR = 13.0  # px between two words


def _axes(chart: Chart, count: int, width: float, down: float, theme: Theme) -> Axes:
    ends = [chart.values.min(), chart.values.max(), chart.mean]
    if math.isfinite(chart.lower):
        ends += [chart.lower, chart.upper]
    low, high = min(ends), max(ends)
    room = 0.12 * (high - low) or max(abs(high), 1.0) * 0.05
    return Axes(
        width - RIGHT + 20,
        HEIGHT,
        (0.3, count + 0.7),
        (low - room, high + room),
        "",
        "",
        theme,
        LEFT,
        down=down,
    )


def part_at(x: float, width: float, count: int) -> int:
    """Return the part nearest to a px across the charts, from 0."""
    field = max(width - RIGHT - LEFT, 1.0)
    return int(min(max(round(0.3 + (x - LEFT) / field * (count + 0.4)) - 1, 0), count - 1))


def draw_control(
    chart: Chart,
    parts: Sequence[int],
    count: int,
    title: str,
    told: Callable[[float], str],
    width: float,
    down: float,
    theme: Theme,
    chosen: int | None = None,
    serviced: Sequence[int] = (),
) -> Iterator[Item]:
    """Yield a chart ``down`` px below the top.

    Parameters
    ----------
    parts : the number from 0 of the part that each value is of; ``count`` parts in all.
    told : a value [SI] in the person's words; serviced : parts after which something was.
    """
    axes = _axes(chart, count, width, down, theme)
    at = np.array(parts, dtype=float) + 1
    right = width - RIGHT
    (_, top), (_, base) = axes.at(np.array([1.0, 1.0]), np.array([axes.y[1], axes.y[0]]))
    yield Label(LEFT, down + 14, title, theme.ink, 13, True, "l")
    if chosen is not None:
        ((x, _),) = axes.at(np.array([chosen + 1.0]), np.array([axes.y[0]]))
        yield Area([np.array([[x - 7, top], [x + 7, top], [x + 7, base], [x - 7, base]])], theme.panel)
    for n in serviced:
        ((x, _),) = axes.at(np.array([n + 1.5]), np.array([axes.y[0]]))
        yield Line([np.array([[x, top], [x, base]])], theme.accent, WEIGHT["line"], (2, 3))
        yield Label(x + 4, top + 8, "serviced", theme.accent, 11, anchor="l", ground=theme.ground)
    for n in range(1, count + 1):
        if count <= 12 or n % 5 == 0 or n == 1:
            ((x, _),) = axes.at(np.array([float(n)]), np.array([axes.y[0]]))
            yield Label(x, base + 11, str(n), theme.soft, 11)
    yield Line([np.array([[LEFT, base], [right, base]])], theme.edge, WEIGHT["hair"])
    lines: list[tuple[float, str, tuple[float, ...]]] = [(chart.mean, theme.soft, ())]
    if math.isfinite(chart.lower):
        broken = (7.0, 4.0) if chart.firm else (2.0, 4.0)
        lines = [(chart.upper, theme.vacuum, broken), (chart.lower, theme.vacuum, broken), *lines]
    heights: list[float] = []  # of the words beside the lines
    for value, colour, dash in lines:
        ((_, y),) = axes.at(np.array([1.0]), np.array([value]))
        yield Line([np.array([[LEFT, y], [right, y]])], colour, WEIGHT["thin"], dash)
        if all(abs(y - other) >= CLEAR for other in heights):
            yield Label(right + 6, y, told(value), colour, 12, anchor="l")
            heights.append(y)
    yield from _dots(chart, axes, at, theme)
    if chosen is not None and chosen in parts:
        k = list(parts).index(chosen)
        ((x, y),) = axes.at(at[k : k + 1], chart.values[k : k + 1])
        left = x > right - 90
        yield Label(
            x + 5 if left else x - 5, y - 14, told(float(chart.values[k])), theme.ink, 12, True, "r" if left else "l",
        )  # fmt: skip


def _dots(chart: Chart, axes: Axes, at: np.ndarray, theme: Theme) -> Iterator[Item]:
    """Yield the values with what has drifted of them; those that break a rule are larger."""
    if chart.firm and len(chart.values) > 1:
        yield Line([axes.at(at, chart.ewma)], theme.accent, WEIGHT["line"], opacity=0.7)
    yield Line([axes.at(at, chart.values)], theme.soft, WEIGHT["hair"])
    fired = {s.point for s in chart.signals}
    for k, (x, y) in enumerate(axes.at(at, chart.values)):
        size = DOT + 2 if k in fired else DOT
        ring = np.array([[x - size, y], [x, y - size], [x + size, y], [x, y + size]])
        yield Area([ring], theme.alarm if k in fired else theme.ink, theme.ground, WEIGHT["thin"])
