"""Fibre share over the plan at a moment of the hold."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from bibulon.core.drawing.kit.look import PlanLook, rings_of
from bibulon.core.drawing.kit.scene import Area, Item, Label, Line
from bibulon.core.drawing.kit.tokens import WEIGHT
from bibulon.core.drawing.plan.zonefield import zone_bands, zone_legend
from bibulon.core.flow.forecast import Forecast
from bibulon.core.flow.hold import Hold
from bibulon.core.geometry.zones import regions
from bibulon.core.units.words import tr

__all__ = ["draw_hold"]


def draw_hold(forecast: Forecast, hold: Hold, k: int, look: PlanLook, height: float) -> Iterator[Item]:
    """Yield the map of a moment's number with its legend; all moments share their tones."""
    theme, view = look.theme, look.view
    part = regions(forecast.job.part)
    yield Area(rings_of(part.whole, view), theme.cloth, None)
    there = np.isfinite(hold.share)
    low, high = (float(v) for v in np.quantile(hold.share[there], (0.01, 0.99)))
    yield from zone_bands(forecast, hold.share[k], low, high, look)
    yield Area(rings_of(part.whole, view), None, theme.ink, WEIGHT["line"])
    for line in forecast.job.lines:
        path = view.to(np.array(line.path, dtype=float))
        colour = theme.vacuum if line.role == "vacuum" else theme.feed
        if len(path) > 1:
            yield Line([path], colour, WEIGHT["heavy"])
        yield Label(path[0][0], path[0][1] - 12, line.label or line.id, colour, 12, True, ground=theme.ground)
    yield from zone_legend(tr("{:.0f} % fibre", low * 100), f"{high * 100:.0f} %", height, look)
