"""How a place warms and hardens: its hottest and coolest cell, the shop's air, and the degree of cure, on one time axis."""

from __future__ import annotations

import math
from collections.abc import Iterator

import numpy as np

from bibulon.core.cure.corrected import Corrected, read_cell
from bibulon.core.cure.heat import oven_air
from bibulon.core.cure.places import PlaceCure
from bibulon.core.drawing.kit.chart import Chart
from bibulon.core.drawing.kit.scene import Area, Item, Label, Line
from bibulon.core.drawing.kit.tokens import WEIGHT, Theme
from bibulon.core.model.job import Job
from bibulon.core.units.units import System, clock, show
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
    us = system == "us"

    def shown(kelvin):  # type: ignore[no-untyped-def]
        return (kelvin - 273.15) * 9 / 5 + 32 if us else kelvin - 273.15

    course, k = place.course, place.number
    time = place.arrived + course.time
    hot, cool = shown(course.temperature[:, k].max(axis=1)), shown(course.temperature[:, k].min(axis=1))
    alpha = course.alpha[:, k].min(axis=1)
    ends = [t for t in (place.demould[2], place.demould[1], place.gel * 2) if math.isfinite(t)]
    end = min(max(ends[0] * 1.15 if ends else time[-1], place.peak_at * 1.6), time[-1])
    low, high = shown(room) - 3, max(float(hot.max()), shown(job.cure.demould_below)) + 4
    chart = Chart(width, height, (0.0, end), (low, high), "", "°F" if us else "°C", theme, seconds=True)
    yield from chart.axes(clock)
    within = time <= end
    upper, lower = chart.at(time[within], hot[within]), chart.at(time[within], cool[within])
    yield Area([np.vstack([upper, lower[::-1]])], theme.resin_new, opacity=0.35)
    yield Line([upper], theme.resin_old, WEIGHT["heavy"])
    grid = np.linspace(0, end, 80)
    air = oven_air(job.cure, room)
    yield Line(
        [chart.at(grid, shown(np.array([air(float(t)) for t in grid])))], theme.soft, WEIGHT["thin"], (4, 3)
    )
    scale = low + alpha * (high - low)
    cured = chart.at(time[within], scale[within])
    yield Line([cured], theme.accent, WEIGHT["line"])
    x, y = cured[-1]
    yield Label(
        x - 6,
        y - 12,
        tr("cured {:.0f} %", alpha[within][-1] * 100),
        theme.accent,
        12,
        True,
        "r",
        ground=theme.ground,
    )
    if corrected is not None:
        fit = corrected.course.temperature[:, 0, read_cell(job.cure, corrected.course)]
        t = corrected.arrived + corrected.course.time
        yield Line([chart.at(t[t <= end], shown(fit)[t <= end])], theme.vacuum, WEIGHT["line"], (6, 3))
        read = np.array([(r.time, r.temperature) for r in job.cure.read if r.time <= end])
        if len(read):
            yield from chart.points(read[:, 0], shown(read[:, 1]), theme.vacuum)
    limit = chart.at(np.array([0.0, end]), np.full(2, shown(job.cure.part_limit)))
    if shown(job.cure.part_limit) < high:
        yield Line([limit], theme.alarm, WEIGHT["line"], (7, 4))
    ((x, y),) = chart.at(np.array([place.peak_at]), np.array([shown(place.peak)]))
    yield Label(
        x,
        y - 13,
        tr("{0} at {1}", show(place.peak, "temperature", system), clock(place.peak_at)),
        theme.ink,
        12,
        True,
        ground=theme.ground,
    )
    for when, words, colour in ((place.gel, "gel", theme.alarm), (place.demould[1], "demould", theme.accent)):
        if math.isfinite(when) and when <= end:
            (px, base), (_, top) = chart.at(np.array([when, when]), np.array(chart.y))
            yield Line([np.array([[px, base], [px, top]])], colour, WEIGHT["thin"], (3, 3))
            yield Label(px, top + 10, f"{words} {clock(when)}", colour, 12, True, ground=theme.ground)
    if all(math.isfinite(t) for t in place.demould) and place.demould[0] < end:
        (
            (a, base),
            (b, _),
        ) = chart.at(np.array([place.demould[0], min(place.demould[2], end)]), np.array([low, low]))
        yield Area(
            [np.array([[a, base], [b, base], [b, base - 6], [a, base - 6]])], theme.accent, opacity=0.5
        )
