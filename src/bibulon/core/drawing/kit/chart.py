"""Axes of a small chart: ticks, labels, and the way from values to px."""

from __future__ import annotations

from collections.abc import Callable, Iterator

import numpy as np
import numpy.typing as npt
from msgspec import Struct

from bibulon.core.drawing.kit.field import nice_step
from bibulon.core.drawing.kit.scene import Area, Item, Label, Line
from bibulon.core.drawing.kit.tokens import WEIGHT, Theme
from bibulon.core.units.units import System, clock, system_of

__all__ = ["Chart", "degrees", "ticks"]

Floats = npt.NDArray[np.float64]


def degrees(kelvin: Floats | float, system: System) -> Floats:
    """Return temperatures [K] as an axis shows them: in °C, or °F in US units; same shape."""
    celsius = np.asarray(kelvin, dtype=float) - 273.15
    return celsius * 9 / 5 + 32 if system_of("temperature", system) == "us" else celsius


def _plain(value: float) -> str:
    return f"{value + 0.0:g}"


class Chart(Struct, frozen=True):
    """A chart in a field of px; ``x`` and ``y`` are (low, high) in shown units, titles stand at the axes' ends.

    seconds : whether x is a time that is told as on a clock; down : how far below the top of the drawing it stands [px].
    """

    width: float
    height: float
    x: tuple[float, float]
    y: tuple[float, float]
    x_title: str
    y_title: str
    theme: Theme
    left: float = 64.0
    seconds: bool = False
    down: float = 0.0

    def at(self, x: Floats, y: Floats) -> Floats:
        """Return px of values, shape (n, 2)."""
        right, top, base = self.width - 20, self.down + 26.0, self.down + self.height - 38
        u = (np.asarray(x, dtype=float) - self.x[0]) / max(self.x[1] - self.x[0], 1e-300)
        v = (np.asarray(y, dtype=float) - self.y[0]) / max(self.y[1] - self.y[0], 1e-300)
        return np.c_[self.left + u * (right - self.left), base - v * (base - top)]

    def clock(self, seconds: float) -> str:
        """Return a time as the axis tells its own: one chart does not say 90:00 here and 2 h 00 there."""
        return clock(seconds, beside=self.x[1])

    def axes(
        self,
        y_words: Callable[[float], str] = _plain,
    ) -> Iterator[Item]:
        """Yield grid lines, ticks and titles."""
        t = self.theme
        x_words = self.clock if self.seconds else _plain
        count = max(int((self.width - self.left) / 90), 2)
        for v in _ticks(
            self.x, nice_step(self.x[1] - self.x[0], count) if self.seconds else _round_step(self.x, count)
        ):
            (px, low), (_, high) = self.at(np.array([v, v]), np.array(self.y))
            yield Line([np.array([[px, low], [px, high]])], t.edge, WEIGHT["hair"])
            yield Label(px, low + 13, x_words(v), t.soft, 12)
        for v in _ticks(self.y, _round_step(self.y, max(int(self.height / 44), 2))):
            (low, py), (high, _) = self.at(np.array(self.x), np.array([v, v]))
            yield Line([np.array([[low, py], [high, py]])], t.edge, WEIGHT["hair"])
            yield Label(low - 8, py, y_words(v), t.soft, 12, anchor="r")
        yield Label(self.width - 20, self.down + self.height - 8, self.x_title, t.soft, 12, anchor="r")
        yield Label(8, self.down + 10, self.y_title, t.soft, 12, anchor="l")

    def curve(
        self, x: Floats, y: Floats, colour: str, width: float = WEIGHT["heavy"], dash: tuple[float, ...] = ()
    ) -> Line:
        """Return a curve, cut off at the top of the chart."""
        inside = np.isfinite(y) & (y <= self.y[1] * 1.001) & (y >= self.y[0] - 1e-12)
        return Line([self.at(np.asarray(x)[inside], np.asarray(y)[inside])], colour, width, dash)

    def points(self, x: Floats, y: Floats, colour: str) -> Iterator[Item]:
        """Yield a small diamond a point."""
        for px, py in self.at(x, y):
            ring = np.array([[px - 4, py], [px, py - 4], [px + 4, py], [px, py + 4]])
            yield Area([ring], self.theme.ground, colour, WEIGHT["line"])


def _round_step(span: tuple[float, float], count: int) -> float:
    """Return 1, 2 or 5 times a power of ten that cuts a span into about ``count`` parts."""
    raw = max(span[1] - span[0], 1e-12) / count
    power = 10.0 ** np.floor(np.log10(raw))
    return float(next(m * power for m in (1, 2, 5, 10) if m * power >= raw * (1 - 1e-9)))


def _ticks(span: tuple[float, float], step: float) -> Floats:
    return np.arange(np.ceil(span[0] / step - 1e-9) * step, span[1] + 1e-9 * step, step) + 0.0


def ticks(low: float, high: float, count: int) -> Floats:
    """Return about so many round values between two."""
    return _ticks((low, high), _round_step((low, high), count))
