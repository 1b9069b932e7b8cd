"""A bucket warming by itself: the temperature of its core at rest and stirred, with what may be, and when it gels."""

from __future__ import annotations

import math
from collections.abc import Iterator

import numpy as np
import numpy.typing as npt

from bibulon.core.drawing.kit.chart import Chart
from bibulon.core.drawing.kit.scene import Area, Item, Label, Line
from bibulon.core.drawing.kit.tokens import WEIGHT, Theme
from bibulon.core.resin.bucket import BucketHeat, limit_of
from bibulon.core.units.units import System, show_value, unit_of
from bibulon.core.units.words import tr

__all__ = ["draw_bucket_heat"]


def draw_bucket_heat(
    heat: BucketHeat, pot_life: float, size: tuple[float, float], theme: Theme, system: System
) -> Iterator[Item]:
    """Yield the chart; ``pot_life`` of the sheet [s]."""
    limit = limit_of(float(heat.stirred[0]))
    gels = heat.gels(core=True)
    end = min(max(1.3 * min(gels, 3 * pot_life), 1.2 * pot_life), float(heat.time[-1]))
    shown = heat.time <= end
    top = max(limit + 12, min(float(heat.core[shown].max()), limit + 45))

    cold, hot = (float(show_value(k, "temperature", system, 4)) for k in (273.15, 373.15))

    def told(kelvin: npt.NDArray[np.float64] | float) -> npt.NDArray[np.float64]:
        return np.asarray(cold + (np.asarray(kelvin) - 273.15) * (hot - cold) / 100)

    low = float(told(float(heat.stirred[0]) - 4))
    chart = Chart(
        *size,
        (0.0, end),
        (low, float(told(top))),
        tr("since mixing began"),
        unit_of("temperature", system),
        theme,
        seconds=True,
    )
    yield from chart.axes()
    time = heat.time[shown]
    core, stirred = (np.minimum(told(v[shown]), chart.y[1]) for v in (heat.core, heat.stirred))
    upper, lower = chart.at(time, np.maximum(core, stirred)), chart.at(time, np.minimum(core, stirred))
    yield Area([np.vstack([upper, lower[::-1]])], theme.resin(0.2), None, opacity=0.6)
    yield Line([chart.at(time, core)], theme.resin(1.0), WEIGHT["heavy"])
    yield Line([chart.at(time, stirred)], theme.resin(0.7), WEIGHT["line"], (6.0, 4.0))
    for values, words, down in (
        (core, tr("in the core, at rest"), -12),
        (stirred, tr("stirred through"), 14),
    ):
        k = int(0.62 * (len(time) - 1))
        px, py = chart.at(time[k : k + 1], values[k : k + 1])[0]
        yield Label(float(px), float(py) + down, words, theme.ink, 12)
    (x0, y), (x1, _) = chart.at(np.array([0.0, end]), np.full(2, float(told(limit))))
    yield Line([np.array([[x0, y], [x1, y]])], theme.alarm, WEIGHT["line"], (5.0, 4.0))
    yield Label(x0 + 8, y - 10, "take it outside from here", theme.alarm, 12, True, "l")
    yield from _ends(chart, gels, pot_life, theme)


def _ends(chart: Chart, gels: float, pot_life: float, theme: Theme) -> Iterator[Item]:
    """Yield when it gels at rest, and when the sheet says so [s]."""
    for at, words, colour in (
        (gels, tr("gels at rest"), theme.ink),
        (pot_life, tr("the sheet's pot life"), theme.accent),
    ):
        if math.isfinite(at) and at < chart.x[1]:
            (px, base), (_, high) = chart.at(np.array([at, at]), np.array(chart.y))
            yield Line([np.array([[px, high], [px, base]])], colour, WEIGHT["line"], (2.0, 3.0))
            yield Label(
                px - 6, high + (12 if at == gels else 28), f"{words} {chart.clock(at)}", colour, 12, True, "r"
            )
