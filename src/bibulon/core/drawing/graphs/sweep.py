"""How an answer of the reckoner goes with one of its inputs: a small curve with the point where it stands."""

from __future__ import annotations

import math
from collections.abc import Iterator

import numpy as np

from bibulon.core.drawing.kit.chart import Chart
from bibulon.core.drawing.kit.scene import Item, Label, Line
from bibulon.core.drawing.kit.tokens import WEIGHT, Theme
from bibulon.core.plans.reckon.row import In, Sweep
from bibulon.core.units.units import QUANTITIES, System, show_value, unit_of

__all__ = ["draw_sweep"]


def draw_sweep(
    found: Sweep, wanted: In, size: tuple[float, float], theme: Theme, system: System
) -> Iterator[Item]:
    """Yield the curve; ``wanted`` is the input that is swept."""
    told = wanted.quantity in QUANTITIES
    x = np.array([_shown(v, wanted.quantity, system) if told else v for v in found.x])
    y = np.array(found.y)
    here = (_shown(found.here[0], wanted.quantity, system) if told else found.here[0], found.here[1])
    low, high = float(min(y.min(), 0.0 if y.min() >= 0 else y.min())), float(y.max())
    pad = 0.08 * max(high - low, abs(high), 1e-12)
    unit = unit_of(wanted.quantity, system) if told else ""
    chart = Chart(
        *size,
        (float(x.min()), float(x.max())),
        (low, high + pad),
        f"{found.over}  {unit}",
        found.answer,
        theme,
    )
    yield from chart.axes()
    yield chart.curve(x, y, theme.ink)
    (px, py), (_, base) = chart.at(np.array([here[0], here[0]]), np.array([here[1], low]))
    yield Line([np.array([[px, base], [px, py]])], theme.accent, WEIGHT["line"], (3.0, 3.0))
    yield from chart.points(np.array([here[0]]), np.array([here[1]]), theme.accent)
    if math.isfinite(here[1]):
        yield Label(
            float(px) + 8, float(py) - 12, f"{here[1]:.4g}", theme.accent, 13, True, "l", ground=theme.ground
        )


def _shown(value: float, quantity: str, system: System) -> float:
    return float(show_value(value, quantity, system, 9))
