"""Fibre share over the plan at a moment of the hold."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from scipy.spatial import cKDTree

from bibulon.core.drawing.kit.field import Sampler
from bibulon.core.drawing.kit.look import PlanLook, rings_of
from bibulon.core.drawing.kit.scene import Area, Clip, Item, Label, Line
from bibulon.core.drawing.kit.tokens import WEIGHT
from bibulon.core.flow.forecast import Forecast
from bibulon.core.flow.hold import Hold
from bibulon.core.geometry.trimesh import TriMesh
from bibulon.core.geometry.zones import regions
from bibulon.core.units.remember import by_identity

__all__ = ["draw_hold"]

TONES = 7


@by_identity(1, 2)
def _sampler(mesh: TriMesh) -> Sampler:
    return Sampler(mesh, 160)


def draw_hold(
    forecast: Forecast, hold: Hold, k: int, look: PlanLook, width: float, height: float
) -> Iterator[Item]:
    """Yield the map of a moment's number with its legend; all moments share their tones."""
    theme, view = look.theme, look.view
    part = regions(forecast.job.part)
    yield Area(rings_of(part.whole, view), theme.cloth, None)
    there = np.isfinite(hold.share)
    low, high = (float(v) for v in np.quantile(hold.share[there], (0.01, 0.99)))
    step = max((high - low) / TONES, 1e-5)
    points = forecast.model.mesh.points
    zone = part.zone_at(points)
    for z, region in enumerate(part.zones.values()):
        of = np.flatnonzero((zone == z) & np.isfinite(hold.share[k]))
        if region.is_empty or not len(of):
            continue
        own = hold.share[k][of][cKDTree(points[of]).query(points)[1]]
        contours = _sampler(forecast.model.mesh).contours(own)
        bands = []
        for tone in range(TONES):
            a = low + tone * step if tone else -1.0
            b = low + (tone + 1) * step if tone + 1 < TONES else 2.0
            bands.append(
                Area([view.to(r) for r in contours.between(a, b)], theme.tone(tone / (TONES - 1)), None)
            )
        yield Clip(rings_of(region, view), tuple(bands))
    yield Area(rings_of(part.whole, view), None, theme.ink, WEIGHT["line"])
    for line in forecast.job.lines:
        path = view.to(np.array(line.path, dtype=float))
        colour = theme.vacuum if line.role == "vacuum" else theme.feed
        if len(path) > 1:
            yield Line([path], colour, WEIGHT["heavy"])
        yield Label(path[0][0], path[0][1] - 12, line.label or line.id, colour, 12, True, ground=theme.ground)
    for tone in range(TONES):
        x = 16 + tone * 62
        box = np.array([[x, height - 26], [x + 60, height - 26], [x + 60, height - 14], [x, height - 14]])
        yield Area([box], theme.tone(tone / (TONES - 1)), None)
    yield Label(16, height - 36, f"{low * 100:.0f} % fibre", theme.soft, 12, anchor="l")
    yield Label(16 + TONES * 62, height - 36, f"{high * 100:.0f} %", theme.soft, 12, anchor="r")
