"""Fibre share and resin bled over the hold, from shutting the feed to gel, with the moment that is looked at."""

from __future__ import annotations

import math
from collections.abc import Iterator

import numpy as np

from bibulon.core.drawing.kit.chart import Chart
from bibulon.core.drawing.kit.scene import Area, Item, Label, Line
from bibulon.core.drawing.kit.tokens import WEIGHT, Theme
from bibulon.core.flow.hold import Hold
from bibulon.core.units.units import System, show
from bibulon.core.units.words import tr

__all__ = ["chart_of", "draw_holding"]


def chart_of(hold: Hold, width: float, height: float, theme: Theme) -> Chart:
    """Return the chart: time across, fibre share in per cent up."""
    ends = [hold.ends(k) for k in (0, len(hold.time) - 1)]
    low, high = min(e[0] for e in ends) * 100, max(e[2] for e in ends) * 100
    room = max(0.15 * (high - low), 0.5)
    end = float(hold.time[-1])
    before = 0.04 * (end - float(hold.time[0]))
    return Chart(
        width,
        height,
        (float(hold.time[0]) - before, end + before),
        (low - room, high + room),
        "",
        tr("fibre by volume, %"),
        theme,
        seconds=True,
    )


def draw_holding(
    hold: Hold, moment: float, width: float, height: float, theme: Theme, system: System
) -> Iterator[Item]:
    """Yield the band from the thickest to the thinnest place, its mean, gel, and the moment [s]."""
    chart = chart_of(hold, width, height, theme)
    yield from chart.axes()
    ends = hold.spread * 100
    low, mean, high = (chart.at(hold.time, ends[:, k]) for k in range(3))
    yield Area([np.vstack([low, high[::-1]])], theme.accent, opacity=0.18)
    yield Line([low, high], theme.accent, WEIGHT["thin"])
    yield Line([mean], theme.accent, WEIGHT["heavy"])
    for at, words, colour in (
        (float(hold.time[0]), tr("feed shut"), theme.feed),
        (hold.gel, tr("flows no more"), theme.alarm),
    ):
        if not math.isfinite(at):
            continue
        (foot, top) = chart.at(np.array([at, at]), np.array(chart.y))
        yield Line([np.array([foot, top])], colour, WEIGHT["line"], (4, 3))
        left = at < hold.gel
        yield Label(
            top[0] + (6 if left else -6),
            top[1] + 9,
            f"{words} {chart.clock(at)}",
            colour,
            12,
            True,
            "l" if left else "r",
            theme.ground,
        )
    k = hold.at(moment)
    (foot, top) = chart.at(np.array([moment, moment]), np.array(chart.y))
    yield Line([np.array([foot, top])], theme.front, WEIGHT["heavy"])
    words = tr("{0:.1f} % in the mean, {1} bled", ends[k, 1], show(float(hold.bled[k]), "mass", system, 3))
    right = foot[0] > width * 0.55
    yield Label(
        foot[0] + (-8 if right else 8),
        foot[1] - 14,
        words,
        theme.ink,
        12,
        True,
        "r" if right else "l",
        theme.ground,
    )
