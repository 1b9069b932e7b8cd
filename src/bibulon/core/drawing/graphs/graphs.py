"""Graphs: a strip test with its fit, a resin's course with its points, what ways to make a part cost."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence

import numpy as np

from bibulon.core.drawing.kit.chart import Chart
from bibulon.core.drawing.kit.scene import Item, Label, Line
from bibulon.core.drawing.kit.tokens import WEIGHT, Theme
from bibulon.core.model.materials import Resin
from bibulon.core.plans.routes import RouteCost
from bibulon.core.resin.clock import flow_clock
from bibulon.core.resin.datasheet import DataSheet
from bibulon.core.stack.striptest import StripResult
from bibulon.core.units.units import System, clock, show
from bibulon.core.units.words import tr

__all__ = ["draw_resin_course", "draw_routes", "draw_strip"]

BESIDE = 26.0  # px under which two lines run close
DASHES: tuple[tuple[float, ...], ...] = ((), (9, 4), (3, 3), (9, 3, 2, 3))


def draw_strip(
    readings: Sequence[tuple[float, float]],
    result: StripResult | None,
    width: float,
    height: float,
    theme: Theme,
) -> Iterator[Item]:
    """Yield front position against time: readings, fit and the band that the interval leaves."""
    if len(readings) < 2:
        yield Label(
            width / 2, height / 2, "Type or paste time and front position of a bench strip.", theme.soft, 13
        )
        return
    t, x = np.array(readings).T
    chart = Chart(
        width,
        height,
        (0.0, float(t.max()) * 1.05),
        (0.0, max(float(x.max()) * 1.15, 1e-3) * 1e3),
        "time",
        tr("front, mm"),
        theme,
        seconds=True,
    )
    yield from chart.axes()
    if result is not None:
        when = np.linspace(max(result.start, 0.0), float(t.max()), 120)
        front = result.front(when) * 1e3
        for k in result.interval:
            yield chart.curve(
                when, front * np.sqrt(k / result.permeability), theme.soft, WEIGHT["thin"], (4, 3)
            )
        yield chart.curve(when, front, theme.accent)
    yield from chart.points(t, x * 1e3, theme.ink)


def draw_resin_course(
    resin: Resin,
    temperature: float,
    sheet: DataSheet | None,
    width: float,
    height: float,
    theme: Theme,
    system: System,
) -> Iterator[Item]:
    """Yield viscosity against time in a thin part at a temperature [K], to gel; points of the data sheet on it."""
    course = flow_clock(resin, temperature)
    end = min(float(course.time[-1]), course.gel)
    shown = np.linspace(0.0, end, 240)
    mu = np.array([course.at(v) for v in shown]) * 1e3
    start = float(mu[0])
    high = min(float(mu.max()), 12 * start) * 1.05
    title = tr("min from mixing, thin part at {}", show(temperature, "temperature", system, 0))
    chart = Chart(width, height, (0.0, end * 1.04 / 60), (0.0, high), title, tr("viscosity, mPa·s"), theme)
    yield from chart.axes()
    yield chart.curve(shown / 60, mu, theme.accent)
    if course.gel < 1e8:
        x = float(chart.at(np.array([course.gel / 60]), np.array([0.0]))[0, 0])
        yield Line([np.array([[x, 26.0], [x, height - 38]])], theme.alarm, WEIGHT["line"], (6, 4))
        yield Label(
            x - 6, 36, tr("gel {}", clock(course.gel)), theme.alarm, 12, anchor="r", ground=theme.ground
        )
    for k, (warm, value) in enumerate(sheet.viscosities if sheet else ()):
        if width < 330:
            continue
        told = tr("sheet: {0:.0f} mPa·s at {1}", value * 1000.0, show(warm, "temperature", system))
        yield Label(chart.left + 14, 44 + 16 * k, told, theme.ink, 12, anchor="l", ground=theme.ground)
        if abs(warm - temperature) < 1:
            yield from chart.points(np.array([0.0]), np.array([value * 1e3]), theme.ink)


def draw_routes(costs: Sequence[RouteCost], width: float, height: float, theme: Theme) -> Iterator[Item]:
    """Yield the cost a part against the quantity, a line a way; where lines cross, ways break even."""
    if not costs:
        return
    quantity = costs[0].quantity
    most = max(4 * quantity, 40)
    n = np.unique(np.round(np.geomspace(1, most, 200)).astype(int))
    each = [np.array([c.each_at(int(k)) for k in n]) for c in costs]
    high = 2.2 * max(float(np.interp(quantity, n, e)) for e in each)
    chart = Chart(
        width, height, (0.0, float(most)), (0.0, high), tr("parts made"), tr("cost a part"), theme, 72
    )
    yield from chart.axes()
    x = float(chart.at(np.array([quantity]), np.array([0.0]))[0, 0])
    yield Line([np.array([[x, 26.0], [x, height - 38]])], theme.soft, WEIGHT["thin"], (3, 3))
    yield Label(x + 5, 32, tr("{} parts", quantity), theme.soft, 12, anchor="l")
    for k, (cost, line) in enumerate(zip(costs, each, strict=True)):
        colour = theme.accent if k == 0 else theme.ink if cost.fits else theme.soft
        yield chart.curve(n, line, colour, WEIGHT["heavy" if k == 0 else "line"], DASHES[k % len(DASHES)])
    for k, (cost, line) in enumerate(zip(costs, each, strict=True)):
        # Names stand on their lines, each at another quantity, where lines lie apart.
        at = int(np.searchsorted(n, most * (0.92 - 0.17 * k)))
        x, y = chart.at(np.array([n[at]]), np.array([line[at]]))[0]
        others = [float(chart.at(np.array([n[at]]), np.array([e[at]]))[0, 1]) for e in each if e is not line]
        near = min(others, key=lambda other: abs(other - y), default=math.inf)
        if abs(near - y) < BESIDE:  # where lines run close, the name stands on the far side of its own
            y += BESIDE / 2 if near < y else -BESIDE / 2
        colour = theme.accent if k == 0 else theme.ink if cost.fits else theme.soft
        yield Label(float(x), float(y), cost.route.name, colour, 12.5, k == 0, ground=theme.ground)
