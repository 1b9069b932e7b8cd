"""Gel or peak over the plan, with the hottest and the slowest place."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from bibulon.core.cure.field import CureField
from bibulon.core.cure.places import PlaceCure
from bibulon.core.drawing.kit.look import PlanLook, rings_of
from bibulon.core.drawing.kit.scene import Area, Item, Label, Line
from bibulon.core.drawing.kit.tokens import SIZE, WEIGHT
from bibulon.core.drawing.plan.zonefield import zone_bands, zone_legend
from bibulon.core.flow.forecast import Forecast
from bibulon.core.geometry.zones import regions
from bibulon.core.units.units import clock, show

__all__ = ["WHICH", "draw_cure"]

CROWDED = (70.0, 20.0)  # px within which words of two places would lie over each other
WHICH = {"peak": "Peak temperature", "gel": "Gel of the last of the thickness", "demould": "Demould"}


def draw_cure(
    forecast: Forecast, field: CureField, out: PlaceCure, which: str, look: PlanLook, chosen: tuple[float, float] | None, width: float,
    height: float,
) -> Iterator[Item]:  # fmt: skip
    """Yield the map with its legend; ``out`` may leave the mould last, ``chosen`` is the place looked at [m]."""
    theme, view = look.theme, look.view
    values = {"peak": field.peak, "gel": field.gel, "demould": field.demould}[which]
    rings = rings_of(regions(field.job.part).whole, view)
    yield Area(rings, theme.cloth, None)
    good = values[np.isfinite(values)]
    if not len(good):
        yield Label(width / 2, 24, "Not within two days.", theme.alarm, 13)
        return
    low, high = float(good.min()), float(good.max())
    yield from zone_bands(forecast, values, low, high, look)
    yield Area(rings, None, theme.ink, WEIGHT["line"])

    def told(value: float) -> str:
        return show(value, "temperature", look.system) if which == "peak" else clock(value)

    yield from zone_legend(told(low), told(high), height, look)
    turn = np.linspace(0, 2 * np.pi, 33)
    marks = [(field.hottest, "hottest"), (field.slowest, "gels last"), (out, "out last")]
    above: list[tuple[float, float]] = []
    for place, words in marks[: 3 if (out.x, out.y) != (field.slowest.x, field.slowest.y) else 2]:
        x, y = view.to(np.array([(place.x, place.y)]))[0]
        yield Line([np.c_[x + 8 * np.cos(turn), y + 8 * np.sin(turn)]], theme.ink, WEIGHT["line"])
        # Below its place where another's words stand above it already.
        crowded = any(abs(x - a) < CROWDED[0] and abs(y - b) < CROWDED[1] for a, b in above)
        yield Label(
            x, y + (18 if crowded else -18), words, theme.ink, SIZE["small"], True, ground=theme.ground
        )
        above.append((float(x), float(y)))
    if chosen is not None:
        x, y = view.to(np.array([chosen]))[0]
        for ends in (((-8, 0), (8, 0)), ((0, -8), (0, 8))):
            yield Line([np.array(ends, dtype=float) + (x, y)], theme.front, WEIGHT["heavy"])
