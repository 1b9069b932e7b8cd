"""The drop test as a drawing: readings, fit, and what the school allows."""

from __future__ import annotations

import math
from collections.abc import Iterator

import numpy as np

from bibulon.core.drawing.kit.field import nice_step
from bibulon.core.drawing.kit.scene import Area, Item, Label, Line
from bibulon.core.drawing.kit.tokens import WEIGHT, Theme
from bibulon.core.leak.droptest import LeakResult
from bibulon.core.model.job import DropTest
from bibulon.core.model.rules import School
from bibulon.core.units.units import System, clock, parse, show

__all__ = ["draw_drop_test"]


def nice_pressure(span: float, system: System) -> float:
    """Return a step [Pa] of about a quarter of a span that is round in the unit shown."""
    unit = parse("1", "pressure", system)
    rough = span / unit / 4
    decade = 10 ** math.floor(math.log10(rough))
    return next(s for s in (1, 2, 5, 10) if s * decade >= rough) * decade * unit


def draw_drop_test(
    test: DropTest,
    result: LeakResult | None,
    school: School,
    width: float,
    height: float,
    theme: Theme,
    system: System,
) -> Iterator[Item]:
    """Yield the record in a field of px."""
    if len(test.readings) < 2:
        text = "Shut the pump off, read the gauge, and type or load the readings."
        yield Label(width / 2, height / 2, text, theme.soft, 14)
        return
    time = np.array([r.time for r in test.readings]) - test.readings[0].time
    pressure = np.array([r.pressure for r in test.readings])
    limit = pressure[0] + school.allowed_drop
    end = max(float(time[-1]), school.minutes * 60) * 1.04
    shown = [*pressure, *([limit] if school.allowed_drop < 1e6 else [])]
    low, high = float(min(shown)), float(max(shown))
    pad = max((high - low) * 0.12, 50.0)
    low, high = max(low - pad, 0.0), high + pad
    left, right, top, base = 84.0, width - 24, 18.0, height - 34

    def at(t: np.ndarray, p: np.ndarray) -> np.ndarray:
        return np.c_[left + t / end * (right - left), base - (p - low) / (high - low) * (base - top)]

    step = nice_step(end, 8)
    for t in np.arange(0, end, step):
        x = at(np.array([t]), np.array([low]))[0, 0]
        yield Line([np.array([[x, top], [x, base]])], theme.edge, WEIGHT["hair"])
        yield Label(x, base + 14, clock(float(t)), theme.soft, 12)
    rise = nice_pressure(high - low, system)
    for p in np.arange(math.ceil(low / rise) * rise, high, rise):
        y = at(np.array([0.0]), np.array([p]))[0, 1]
        yield Line([np.array([[left, y], [right, y]])], theme.edge, WEIGHT["hair"])
        yield Label(
            left - 8,
            y,
            show(float(p), "pressure", system, 0 if rise >= 100 and system == "metric" else 1),
            theme.soft,
            12,
            anchor="r",
        )
    if school.allowed_drop < 1e6:
        until = school.minutes * 60
        yield Line(
            [at(np.array([0.0, until]), np.array([limit, limit]))], theme.alarm, WEIGHT["line"], (7, 4)
        )
        x, y = at(np.array([until]), np.array([limit]))[0]
        yield Label(
            x - 4, y - 11, f"allowed: {school.name.lower()}", theme.alarm, 12, anchor="r", ground=theme.ground
        )
    if result is not None:
        t = np.linspace(0, float(time[-1]), 120)
        yield Line([at(t, result.pressure(t))], theme.accent, WEIGHT["heavy"])
    for x, y in at(time, pressure)[:: max(1, len(time) // 400)]:
        yield Area(
            [np.array([[x - 3, y], [x, y - 3], [x + 3, y], [x, y + 3]])],
            theme.ground,
            theme.ink,
            WEIGHT["line"],
        )
