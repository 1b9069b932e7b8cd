"""A pump-down: the pressure on a logarithmic scale, where a sound pump on a tight bag draws a straight line to its floor."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence

import numpy as np

from bibulon.core.drawing.kit.chart import Chart
from bibulon.core.drawing.kit.scene import Area, Item, Label, Line
from bibulon.core.drawing.kit.tokens import WEIGHT, Theme
from bibulon.core.leak.pumpdown import Pumping
from bibulon.core.model.drop_test import Reading
from bibulon.core.units.units import System, show
from bibulon.core.units.words import tr

__all__ = ["draw_pump_down"]


def draw_pump_down(
    readings: Sequence[Reading],
    pumping: Pumping | None,
    wanted: float,
    width: float,
    height: float,
    theme: Theme,
    system: System,
) -> Iterator[Item]:
    """Yield readings, fit, floor and the vacuum wanted [Pa] in a field of px."""
    if len(readings) < 2:
        yield Label(width / 2, height / 2, "Pump down on Test, or load a log of one.", theme.soft, 14)
        return
    time = np.array([r.time for r in readings]) - readings[0].time
    pressure = np.maximum(np.array([r.pressure for r in readings]), 1.0)
    low = math.floor(math.log10(max(min(float(pressure.min()), wanted) * 0.6, 1.0)))
    chart = Chart(
        width,
        height,
        (0.0, float(time[-1]) * 1.05),
        (float(low), 5.1),
        "",
        "",
        theme,
        left=84.0,
        seconds=True,
    )
    yield from chart.axes(
        lambda v: show(10.0**v, "pressure", system, 0 if v >= 2 else 2) if abs(v - round(v)) < 1e-6 else "",
    )
    line = chart.at(np.array([0.0, chart.x[1]]), np.full(2, math.log10(wanted)))
    yield Line([line], theme.vacuum, WEIGHT["thin"], (6, 4))
    yield Label(
        line[1, 0] - 4, line[1, 1] - 10, "vacuum wanted", theme.vacuum, 12, anchor="r", ground=theme.ground
    )
    if pumping is not None:
        yield from _fitted(chart, pumping, theme, system)
    for x, y in chart.at(time, np.log10(pressure))[:: max(1, len(time) // 300)]:
        yield Area([np.array([[x - 2.5, y], [x, y - 2.5], [x + 2.5, y], [x, y + 2.5]])], theme.ink)


def _fitted(chart: Chart, pumping: Pumping, theme: Theme, system: System) -> Iterator[Item]:
    """Yield the fit, and the floor at which it ends."""
    fit = np.linspace(0, chart.x[1], 160)
    model = pumping.floor + (pumping.start - pumping.floor) * np.exp(-pumping.speed / pumping.volume * fit)
    yield Line([chart.at(fit, np.log10(model))], theme.accent, WEIGHT["heavy"])
    floor = chart.at(np.array([0.0, chart.x[1]]), np.full(2, math.log10(pumping.floor)))
    yield Line([floor], theme.soft, WEIGHT["thin"], (2, 3))
    yield Label(
        floor[0, 0] + 8,
        floor[0, 1] - 10,
        tr("ends at {}", show(pumping.floor, "small pressure", system)),
        theme.soft,
        12,
        anchor="l",
        ground=theme.ground,
    )
