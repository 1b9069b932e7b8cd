"""What comes to the catch pot: the pot with its level, and beside it the resin by time for each way to shut the vents."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence

import numpy as np

from bibulon.core.drawing.kit.chart import Chart
from bibulon.core.drawing.kit.scene import Area, Item, Label, Line
from bibulon.core.drawing.kit.tokens import WEIGHT, Theme
from bibulon.core.findings.fittings import FULLEST
from bibulon.core.plans.vents import VentRow
from bibulon.core.units.units import System, clock, show, show_value, unit_of
from bibulon.core.units.words import tr

__all__ = ["draw_vents"]

POT = 190.0  # px of the pot beside the graph
LEAST = 0.05  # kg that the graph reaches up to at least


def draw_vents(
    rows: Sequence[VentRow], pick: VentRow, labels: dict[str, str], pot: float, density: float, moment: float,
    size: tuple[float, float], theme: Theme, system: System,
) -> Iterator[Item]:  # fmt: skip
    """Yield pot and graph; ``pot`` is all that the catch pots hold [m³], ``moment`` [s] is where its level is shown."""
    width, height = size
    yield from _pot(pick, pot, density, moment, height, theme, system)
    most = max(*(r.caught for r in rows), LEAST)
    end = max(
        max(float(r.time[-1]) for r in rows),
        max((t for t in pick.wet.values() if math.isfinite(t)), default=0.0),
    )
    top = float(show_value(most, "mass", system, 6)) * 1.15
    chart = Chart(
        width, height, (0.0, end / 60 * 1.04), (0.0, top), "min", "", theme, left=POT + 64.0
    )  # fmt: skip
    yield from chart.axes()
    yield Label(POT + 8, 10, tr("{} come to the pot", unit_of("mass", system)), theme.soft, 12, anchor="l")
    for row in rows:
        tone = theme.accent if row is pick else theme.soft
        taken = np.array([float(show_value(m, "mass", system, 6)) for m in row.taken])
        yield chart.curve(row.time / 60, taken, tone, WEIGHT["heavy" if row is pick else "line"])
    taken_ends: list[float] = []
    for vent, wet in sorted(pick.wet.items(), key=lambda x: x[1]):
        if not math.isfinite(wet):
            continue
        (x, low), (_, high) = chart.at(np.array([wet / 60, wet / 60]), np.array(chart.y))
        yield Line([np.array([[x, low], [x, high]])], theme.vacuum, WEIGHT["thin"], (3.0, 3.0))
        level = sum(1 for other in taken_ends if abs(other - x) < 150)
        right = x > width - 130
        yield Label(
            x + (-6 if right else 6), high + 10 + 18 * level, tr("{0} wet {1}", labels.get(vent, vent), clock(wet)), theme.vacuum, 12, True,
            "r" if right else "l", ground=theme.ground,
        )  # fmt: skip
        taken_ends.append(float(x))


def _pot(
    pick: VentRow, pot: float, density: float, moment: float, height: float, theme: Theme, system: System
) -> Iterator[Item]:
    x0, x1, top, base = 26.0, POT - 40.0, 46.0, height - 44.0
    deep = base - top
    here = float(np.interp(moment, pick.time, pick.taken))

    def box(low: float, high: float) -> np.ndarray:
        return np.array(
            [
                [x0, base - low * deep],
                [x1, base - low * deep],
                [x1, base - high * deep],
                [x0, base - high * deep],
            ]
        )

    yield Area([box(0, 1)], theme.raised)
    if pot > 0:
        share, whole = (min(m / density / pot, 1.0) for m in (here, pick.caught))
        over = pick.caught / density / pot > FULLEST
        yield Area([box(0, whole)], theme.alarm if over else theme.resin(0.2), opacity=0.35)
        yield Area([box(0, share)], theme.resin(0.4))
        y = base - FULLEST * deep
        yield Line([np.array([[x0 - 8, y], [x1 + 8, y]])], theme.alarm, WEIGHT["line"], (5.0, 3.0))
        yield Label((x0 + x1) / 2, y - 10, "no higher", theme.alarm, 12, True)
    yield Area([box(0, 1)], None, theme.ink, WEIGHT["heavy"])
    yield Line([np.array([[x0 + 14, top - 16], [x0 + 14, top + 18]]), np.array([[x1 - 14, top - 16], [x1 - 14, top + 8]])], theme.ink, WEIGHT["line"])  # fmt: skip
    yield Label(
        (x0 + x1) / 2,
        14,
        tr("pot {}", show(pot, "volume", system)) if pot > 0 else tr("no catch pot"),
        theme.ink,
        13,
        True,
    )
    yield Label(
        (x0 + x1) / 2,
        base + 14,
        tr("{0} at {1}", show(here, "mass", system), clock(moment)),
        theme.ink,
        12,
        True,
    )
    yield Label(
        (x0 + x1) / 2, base + 30, tr("{} in the end", show(pick.caught, "mass", system)), theme.soft, 12
    )
