"""The oven's schedule under the line that it may not pass: the part's own glass transition as it rises."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import numpy.typing as npt

from bibulon.core.cure.heat import oven_turns
from bibulon.core.cure.postcure import PostCure, schedule_end
from bibulon.core.drawing.kit.chart import Chart
from bibulon.core.drawing.kit.scene import Area, Item, Label, Line
from bibulon.core.drawing.kit.tokens import WEIGHT, Theme
from bibulon.core.model.cure import CurePlan
from bibulon.core.model.job import Job
from bibulon.core.units.units import System, clock, show
from bibulon.core.units.words import tr

__all__ = ["draw_postcure", "frame", "nodes"]

Floats = npt.NDArray[np.float64]
KNOB = 6.0  # px


def _shown(kelvin: Floats | float, system: System) -> Floats:
    celsius = np.asarray(kelvin, dtype=float) - 273.15
    return celsius * 9 / 5 + 32 if system == "us" else celsius


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
    low, high = float(_shown(room, system)) - 5, float(_shown(max(tops), system)) + 12
    return Chart(
        width,
        height,
        (begin - 1800, end + 1800),
        (low, high),
        "",
        "°F" if system == "us" else "°C",
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
    yield from chart.axes(clock)
    times, temps = np.array(oven_turns(plan, room)).T
    oven = chart.at(times, _shown(temps, system))
    if told is not None:
        within = (told.time >= chart.x[0]) & (told.time <= chart.x[1])
        since = told.time[within]
        if told.glass is not None and len(since):
            line = chart.at(since, np.minimum(_shown(told.glass[within], system), chart.y[1]))
            over = told.part[within] > told.glass[within] + plan.post_over
            floor = chart.at(since, np.full(len(since), chart.y[0]))
            yield Area([np.vstack([line, floor[::-1]])], theme.resin_new, opacity=0.28)
            yield Line([line], theme.resin_old, WEIGHT["heavy"])
            x, y = line[-1]
            yield Label(
                x - 6,
                y - 12,
                tr("glass transition {}", show(told.reached, "temperature", system)),
                theme.resin_old,
                12,
                True,
                "r",
                theme.ground,
            )
            if over.any():
                yield Line(
                    [chart.at(since[over], _shown(told.part[within][over], system))],
                    theme.alarm,
                    WEIGHT["tube"],
                    opacity=0.8,
                )
        if len(since):
            yield Line(
                [chart.at(since, _shown(told.part[within], system))], theme.soft, WEIGHT["thin"], (4, 3)
            )
    service = chart.at(np.array(chart.x), np.full(2, float(_shown(plan.service, system))))
    yield Line([service], theme.vacuum, WEIGHT["thin"], (7, 4))
    yield Label(
        service[0][0] + 6,
        service[0][1] - 10,
        tr("in use {}", show(plan.service, "temperature", system)),
        theme.vacuum,
        12,
        anchor="l",
        ground=theme.ground,
    )
    yield Line([oven], theme.accent, WEIGHT["heavy"])
    for k, (when, warm) in enumerate(nodes(plan, room)):
        ((x, y),) = chart.at(np.array([when]), np.array([float(_shown(warm, system))]))
        around = np.linspace(0, 2 * np.pi, 25)[:-1]
        yield Area(
            [np.c_[x + KNOB * np.cos(around), y + KNOB * np.sin(around)]],
            theme.ground,
            theme.accent,
            WEIGHT["heavy"],
        )
        hold = plan.steps[k].hold
        if hold:
            yield Label(
                x - 8,
                y + 15,
                tr("{0} for {1}", show(warm, "temperature", system, 0), clock(hold)),
                theme.accent,
                12,
                True,
                "r",
                theme.ground,
            )
    if told is not None and np.isfinite(told.margin):
        ((x, y),) = chart.at(np.array([told.margin_at]), np.array([chart.y[0]]))
        good = told.margin >= -plan.post_over
        words = tr(
            "closest {0:.0f} K {1} the line at {2}",
            abs(told.margin),
            "under" if told.margin >= 0 else "over",
            clock(told.margin_at),
        )
        yield Label(
            min(max(x, 170.0), width - 170),
            14,
            words,
            theme.accent if good else theme.alarm,
            13,
            True,
            ground=theme.ground,
        )
