"""How a place warms and hardens: its hottest and coolest cell, the shop's air, and the degree of cure, on one time axis."""

from __future__ import annotations

import math
from collections.abc import Iterator

import numpy as np

from bibulon.core.cure.corrected import Corrected, read_cell
from bibulon.core.cure.heat import oven_air
from bibulon.core.cure.places import PlaceCure
from bibulon.core.drawing.kit.chart import Chart, degrees
from bibulon.core.drawing.kit.scene import Area, Item, Label, Line
from bibulon.core.drawing.kit.tokens import WEIGHT, Theme
from bibulon.core.model.job import Job
from bibulon.core.units.units import System, show, unit_of
from bibulon.core.units.words import tr

__all__ = ["draw_curing"]


def draw_curing(
    job: Job,
    place: PlaceCure | None,
    room: float,
    width: float,
    height: float,
    theme: Theme,
    system: System,
    corrected: Corrected | None = None,
) -> Iterator[Item]:
    """Yield the courses of a place in a field of px, and what a thermometer there read and makes of it; ``room`` [K]."""
    if place is None:
        yield Label(width / 2, height / 2, "Point at a place of the plan.", theme.soft, 14)
        return
    course, k = place.course, place.number
    hot = degrees(course.temperature[:, k].max(axis=1), system)
    time = place.arrived + course.time
    ends = [t for t in (place.demould[2], place.demould[1], place.gel * 2) if math.isfinite(t)]
    end = min(max(ends[0] * 1.15 if ends else time[-1], place.peak_at * 1.6), time[-1])
    low = float(degrees(room, system)) - 3
    high = max(float(hot.max()), float(degrees(job.cure.demould_below, system))) + 4
    unit = unit_of("temperature", system)
    chart = Chart(width, height, (0.0, end), (low, high), "", unit, theme, seconds=True)
    yield from chart.axes()
    grid = np.linspace(0, end, 80)
    air = oven_air(job.cure, room)
    beside = degrees(np.array([air(float(t)) for t in grid]), system)
    yield from _course(place, chart, theme, system)
    yield Line([chart.at(grid, beside)], theme.soft, WEIGHT["thin"], (4, 3))
    yield from _cured(place, chart, theme)
    if corrected is not None:
        yield from _read(job, corrected, chart, theme, system)
    limit = float(degrees(job.cure.part_limit, system))
    if limit < high:
        yield Line([chart.at(np.array([0.0, end]), np.full(2, limit))], theme.alarm, WEIGHT["line"], (7, 4))
    yield from _moments(place, chart, theme, system)


def _course(place: PlaceCure, chart: Chart, theme: Theme, system: System) -> Iterator[Item]:
    """Yield the band between the coolest and the hottest of the thickness."""
    course, k = place.course, place.number
    time = place.arrived + course.time
    within = time <= chart.x[1]
    upper, lower = (
        chart.at(time[within], degrees(found[within], system))
        for found in (course.temperature[:, k].max(axis=1), course.temperature[:, k].min(axis=1))
    )
    yield Area([np.vstack([upper, lower[::-1]])], theme.resin_new, opacity=0.35)
    yield Line([upper], theme.resin_old, WEIGHT["heavy"])


def _cured(place: PlaceCure, chart: Chart, theme: Theme) -> Iterator[Item]:
    """Yield the degree of cure, over the height of the chart."""
    time, alpha = place.arrived + place.course.time, place.course.alpha[:, place.number].min(axis=1)
    within = time <= chart.x[1]
    low, high = chart.y
    line = chart.at(time[within], low + alpha[within] * (high - low))
    yield Line([line], theme.accent, WEIGHT["line"])
    x, y = line[-1]
    words = tr("cured {:.0f} %", alpha[within][-1] * 100)
    yield Label(x - 6, y - 12, words, theme.accent, 12, True, "r", ground=theme.ground)


def _read(job: Job, corrected: Corrected, chart: Chart, theme: Theme, system: System) -> Iterator[Item]:
    """Yield what a thermometer read, and the course that it makes likely."""
    end = chart.x[1]
    fit = corrected.course.temperature[:, 0, read_cell(job.cure, corrected.course)]
    t = corrected.arrived + corrected.course.time
    yield Line([chart.at(t[t <= end], degrees(fit[t <= end], system))], theme.vacuum, WEIGHT["line"], (6, 3))
    read = np.array([(r.time, r.temperature) for r in job.cure.read if r.time <= end])
    if len(read):
        yield from chart.points(read[:, 0], degrees(read[:, 1], system), theme.vacuum)


def _moments(place: PlaceCure, chart: Chart, theme: Theme, system: System) -> Iterator[Item]:
    """Yield the peak, the gel, and when it comes out of the mould, with its range."""
    ((x, y),) = chart.at(np.array([place.peak_at]), np.array([float(degrees(place.peak, system))]))
    words = tr("{0} at {1}", show(place.peak, "temperature", system), chart.clock(place.peak_at))
    yield Label(x, y - 13, words, theme.ink, 12, True, ground=theme.ground)
    end, low = chart.x[1], chart.y[0]
    for when, words, colour in (
        (place.gel, tr("gel {}", chart.clock(place.gel)), theme.alarm),
        (place.demould[1], tr("demould {}", chart.clock(place.demould[1])), theme.accent),
    ):
        if math.isfinite(when) and when <= end:
            (px, base), (_, top) = chart.at(np.array([when, when]), np.array(chart.y))
            yield Line([np.array([[px, base], [px, top]])], colour, WEIGHT["thin"], (3, 3))
            yield Label(px, top + 10, words, colour, 12, True, ground=theme.ground)
    if all(math.isfinite(t) for t in place.demould) and place.demould[0] < end:
        span = np.array([place.demould[0], min(place.demould[2], end)])
        (a, base), (b, _) = chart.at(span, np.array([low, low]))
        bar = np.array([[a, base], [b, base], [b, base - 6], [a, base - 6]])
        yield Area([bar], theme.accent, opacity=0.5)
