"""A machine's course over the shot: pressure at the inlet against its limit, flow, and the mass that is in."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import numpy.typing as npt

from bibulon.core.drawing.kit.chart import Chart
from bibulon.core.drawing.kit.scene import Item, Label, Line
from bibulon.core.drawing.kit.tokens import WEIGHT, Theme
from bibulon.core.mould.recipe import Course
from bibulon.core.units.units import System, show_value, unit_of
from bibulon.core.units.words import tr

__all__ = ["draw_course"]

Floats = npt.NDArray[np.float64]


def draw_course(
    course: Course,
    limit: float,
    size: tuple[float, float],
    theme: Theme,
    system: System,
    came: Course | None = None,
) -> Iterator[Item]:
    """Yield three graphs over the time of the shot; ``limit`` the highest absolute pressure by the closing rule [Pa].

    came : what a machine said while it ran, laid over the forecast.
    """
    width, third = size[0], size[1] / 3
    pressure, flow, mass = _shown(course, system)
    most = float(show_value(limit, "pressure", system, 6)) if np.isfinite(limit) else float(pressure.max())
    end = max(float(course.time[-1]), float(came.time[-1]) if came is not None else 0.0)
    tops = (
        max(most, float(pressure.max())) * 1.12,
        float(np.quantile(flow[1:], 0.98)) * 1.15 if len(flow) > 2 else 1.0,
        float(mass.max()) * 1.1,
    )
    told = (
        (pressure, tr("{} absolute at the inlet", unit_of("pressure", system)), theme.ink),
        (np.minimum(flow, tops[1]), tr("{} a minute", unit_of("mass", system)), theme.ink),
        (mass, f"{unit_of('mass', system)} in", theme.front),
    )
    read = _shown(came, system) if came is not None else None
    for k, (values, title, colour) in enumerate(told):
        chart = Chart(
            width,
            third,
            (0.0, end),
            (0.0, max(tops[k], 1e-9)),
            "",
            title,
            theme,
            seconds=True,
            down=k * third,
        )
        yield from chart.axes()
        yield chart.curve(course.time, values, colour, WEIGHT["heavy"] if read is None else WEIGHT["thin"])
        if read is not None and came is not None:
            yield chart.curve(came.time, np.minimum(read[k], chart.y[1]), theme.accent)
            if k == 0:
                low = float(chart.at(np.array([0.0]), np.array([chart.y[0]]))[0][1]) - 10
                yield Label(width - 20, low, "thin: forecast, thick: as it came", theme.soft, 12, anchor="r")
        if k == 0 and np.isfinite(limit):
            yield from _limit(chart, most, theme)
        if course.switch > 0:
            yield from _switch(chart, course.switch, k == 0, theme)


def _limit(chart: Chart, most: float, theme: Theme) -> Iterator[Item]:
    """Yield the line over which the mould opens."""
    (x0, y), (x1, _) = chart.at(np.array(chart.x), np.array([most, most]))
    yield Line([np.array([[x0, y], [x1, y]])], theme.alarm, WEIGHT["line"], (5.0, 4.0))
    yield Label(float(x1), float(y) - 9, "the mould bears no more", theme.alarm, 12, True, "r")


def _switch(chart: Chart, when: float, named: bool, theme: Theme) -> Iterator[Item]:
    """Yield the moment from which the machine holds its pressure in place of its flow."""
    (x, base), (_, high) = chart.at(np.array([when] * 2), np.array(chart.y))
    yield Line([np.array([[x, base], [x, high]])], theme.accent, WEIGHT["thin"], (3.0, 3.0))
    if named:
        yield Label(float(x) + 6, float(base) - 10, "from flow to pressure", theme.accent, 12, True, "l")


def _shown(course: Course, system: System) -> tuple[Floats, Floats, Floats]:
    """Return pressure, flow a minute and mass in the units shown."""
    pressure = np.array([float(show_value(float(p), "pressure", system, 6)) for p in course.pressure])
    flow = np.array([float(show_value(float(m), "mass", system, 6)) for m in course.flow]) * 60
    return pressure, flow, np.array([float(show_value(float(m), "mass", system, 6)) for m in course.mass])
