"""The oven's schedule under the line that it may not pass: the part's own glass transition as it rises."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import numpy.typing as npt

from bibulon.core.cure.heat import oven_turns
from bibulon.core.cure.postcure import PostCure, schedule_end
from bibulon.core.drawing.kit.chart import Chart, degrees
from bibulon.core.drawing.kit.scene import Area, Item, Label, Line
from bibulon.core.drawing.kit.tokens import WEIGHT, Theme
from bibulon.core.model.cure import CurePlan
from bibulon.core.model.job import Job
from bibulon.core.units.units import System, clock, show, unit_of
from bibulon.core.units.words import tr

__all__ = ["draw_postcure", "frame", "nodes"]

Floats = npt.NDArray[np.float64]
KNOB = 6.0  # px


def nodes(plan: CurePlan, room: float) -> list[tuple[float, float]]:
    """Return (time [s] from the shot, temperature [K]) of the end of each step's hold."""
    return oven_turns(plan, room)[2:-1:2]


def frame(
    job: Job, told: PostCure | None, room: float, width: float, height: float, theme: Theme, system: System
) -> Chart:
    """Return the axes: from the oven's start until the part is cold again."""
    plan = job.cure
    begin, end = plan.oven_after, max(schedule_end(plan, room), plan.oven_after + 6 * 3600)
    tops = [plan.service, *(s.temperature for s in plan.steps), room]
    if told is not None and told.glass is not None:
        tops.append(float(told.glass.max()))
    low, high = float(degrees(room, system)) - 5, float(degrees(max(tops), system)) + 12
    return Chart(
        width,
        height,
        (begin - 1800, end + 1800),
        (low, high),
        "",
        unit_of("temperature", system),
        theme,
        seconds=True,
    )


def draw_postcure(
    job: Job, told: PostCure | None, room: float, width: float, height: float, theme: Theme, system: System
) -> Iterator[Item]:
    """Yield oven, part and glass transition in a field of px; ``room`` [K]."""
    plan = job.cure
    if not plan.steps:
        words = tr("No oven yet. “Lay a schedule” makes one that stays under the line; or add a step.")
        yield Label(width / 2, height / 2, words, theme.soft, 14)
        return
    chart = frame(job, told, room, width, height, theme, system)
    yield from chart.axes()
    if told is not None:
        yield from _part(told, plan.post_over, chart, theme, system)
    service = chart.at(np.array(chart.x), np.full(2, float(degrees(plan.service, system))))
    yield Line([service], theme.vacuum, WEIGHT["thin"], (7, 4))
    x, y = service[0]
    words = tr("in use {}", show(plan.service, "temperature", system))
    yield Label(x + 6, y - 10, words, theme.vacuum, 12, anchor="l", ground=theme.ground)
    yield from _oven(plan, room, chart, theme, system)
    if told is not None and np.isfinite(told.margin):
        yield _closest(told, plan.post_over, chart, width, theme)


def _part(told: PostCure, allowed: float, chart: Chart, theme: Theme, system: System) -> Iterator[Item]:
    """Yield the part's temperature and its glass transition, heavy where the part is over it by more than is allowed [K]."""
    within = (told.time >= chart.x[0]) & (told.time <= chart.x[1])
    since = told.time[within]
    if not len(since):
        return
    if told.glass is not None:
        line = chart.at(since, np.minimum(degrees(told.glass[within], system), chart.y[1]))
        floor = chart.at(since, np.full(len(since), chart.y[0]))
        yield Area([np.vstack([line, floor[::-1]])], theme.resin_new, opacity=0.28)
        yield Line([line], theme.resin_old, WEIGHT["heavy"])
        x, y = line[-1]
        words = tr("glass transition {}", show(told.reached, "temperature", system))
        yield Label(x - 6, y - 12, words, theme.resin_old, 12, True, "r", theme.ground)
        over = told.part[within] > told.glass[within] + allowed
        if over.any():
            hot = chart.at(since[over], degrees(told.part[within][over], system))
            yield Line([hot], theme.alarm, WEIGHT["tube"], opacity=0.8)
    yield Line([chart.at(since, degrees(told.part[within], system))], theme.soft, WEIGHT["thin"], (4, 3))


def _oven(plan: CurePlan, room: float, chart: Chart, theme: Theme, system: System) -> Iterator[Item]:
    """Yield the oven's course with a knob for each step."""
    times, temps = np.array(oven_turns(plan, room)).T
    yield Line([chart.at(times, degrees(temps, system))], theme.accent, WEIGHT["heavy"])
    around = np.linspace(0, 2 * np.pi, 25)[:-1]
    for step, (when, warm) in zip(plan.steps, nodes(plan, room), strict=True):
        ((x, y),) = chart.at(np.array([when]), np.array([float(degrees(warm, system))]))
        knob = np.c_[x + KNOB * np.cos(around), y + KNOB * np.sin(around)]
        yield Area([knob], theme.ground, theme.accent, WEIGHT["heavy"])
        if step.hold:
            words = tr("{0} for {1}", show(warm, "temperature", system, 0), clock(step.hold))
            yield Label(x - 8, y + 15, words, theme.accent, 12, True, "r", theme.ground)


def _closest(told: PostCure, allowed: float, chart: Chart, width: float, theme: Theme) -> Label:
    """Return the words on how near the part comes to its glass transition, over where it does."""
    ((x, _),) = chart.at(np.array([told.margin_at]), np.array([chart.y[0]]))
    words = tr(
        "closest {0:.0f} K {1} the line at {2}",
        abs(told.margin),
        "under" if told.margin >= 0 else "over",
        chart.clock(told.margin_at),
    )
    colour = theme.accent if told.margin >= -allowed else theme.alarm
    return Label(min(max(x, 170.0), width - 170), 14, words, colour, 13, True, ground=theme.ground)
