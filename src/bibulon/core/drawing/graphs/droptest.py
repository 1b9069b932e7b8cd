"""The drop test as a drawing: readings, fit, and what the school allows."""

from __future__ import annotations

import math
from collections.abc import Iterator

import numpy as np
from msgspec import Struct

from bibulon.core.drawing.kit.field import nice_step
from bibulon.core.drawing.kit.scene import Area, Item, Label, Line
from bibulon.core.drawing.kit.tokens import WEIGHT, Theme
from bibulon.core.leak.droptest import LeakResult
from bibulon.core.model.job import DropTest
from bibulon.core.model.rules import School
from bibulon.core.units.units import System, clock, parse, show, system_of
from bibulon.core.units.words import tr

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
        text = tr("Shut the pump off, read the gauge, and type or load the readings.")
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
    frame = _Frame(end, low, high, width, height)
    yield from _axes(frame, theme, system)
    if school.allowed_drop < 1e6:
        yield from _allowed(frame, school, limit, theme)
    if result is not None:
        t = np.linspace(0, float(time[-1]), 120)
        yield Line([frame.at(t, result.pressure(t))], theme.accent, WEIGHT["heavy"])
    for x, y in frame.at(time, pressure)[:: max(1, len(time) // 400)]:
        diamond = np.array([[x - 3, y], [x, y - 3], [x + 3, y], [x, y + 3]])
        yield Area([diamond], theme.ground, theme.ink, WEIGHT["line"])


class _Frame(Struct, frozen=True):
    """Where time [s] and pressure [Pa] lie in a field of px."""

    end: float
    low: float
    high: float
    width: float
    height: float

    @property
    def sides(self) -> tuple[float, float, float, float]:
        """Left, right, top and base [px]."""
        return 84.0, self.width - 24, 18.0, self.height - 34

    def at(self, t: np.ndarray, p: np.ndarray) -> np.ndarray:
        """Return places [px], shape (n, 2)."""
        left, right, top, base = self.sides
        x = left + t / self.end * (right - left)
        return np.c_[x, base - (p - self.low) / (self.high - self.low) * (base - top)]


def _axes(frame: _Frame, theme: Theme, system: System) -> Iterator[Item]:
    left, right, top, base = frame.sides
    for t in np.arange(0, frame.end, nice_step(frame.end, 8)):
        x = frame.at(np.array([t]), np.array([frame.low]))[0, 0]
        yield Line([np.array([[x, top], [x, base]])], theme.edge, WEIGHT["hair"])
        yield Label(x, base + 14, clock(float(t)), theme.soft, 12)
    rise = nice_pressure(frame.high - frame.low, system)
    decimals = 0 if rise >= 100 and system_of("pressure", system) == "metric" else 1
    for p in np.arange(math.ceil(frame.low / rise) * rise, frame.high, rise):
        y = frame.at(np.array([0.0]), np.array([p]))[0, 1]
        yield Line([np.array([[left, y], [right, y]])], theme.edge, WEIGHT["hair"])
        yield Label(left - 8, y, show(float(p), "pressure", system, decimals), theme.soft, 12, anchor="r")


def _allowed(frame: _Frame, school: School, limit: float, theme: Theme) -> Iterator[Item]:
    until = school.minutes * 60
    line = frame.at(np.array([0.0, until]), np.array([limit, limit]))
    yield Line([line], theme.alarm, WEIGHT["line"], (7, 4))
    x, y = line[1]
    text = tr("allowed: {}", school.name.lower())
    yield Label(x - 4, y - 11, text, theme.alarm, 12, anchor="r", ground=theme.ground)
