"""Gel or peak over the plan, with the hottest and the slowest place."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from scipy.spatial import cKDTree

from bibulon.core.cure.field import CureField
from bibulon.core.drawing.kit.field import Sampler
from bibulon.core.drawing.kit.look import PlanLook, rings_of
from bibulon.core.drawing.kit.scene import Area, Clip, Item, Label, Line
from bibulon.core.drawing.kit.tokens import SIZE, WEIGHT
from bibulon.core.flow.forecast import Forecast
from bibulon.core.geometry.trimesh import TriMesh
from bibulon.core.geometry.zones import regions
from bibulon.core.units.remember import by_identity
from bibulon.core.units.units import clock, show

__all__ = ["WHICH", "draw_cure"]

WHICH = {"peak": "Peak temperature", "gel": "Gel of the last of the thickness", "demould": "Demould"}
TONES = 7


@by_identity(1, 2)
def _sampler(mesh: TriMesh) -> Sampler:
    return Sampler(mesh, 160)


def draw_cure(
    forecast: Forecast, field: CureField, which: str, look: PlanLook, chosen: tuple[float, float] | None, width: float, height: float
) -> Iterator[Item]:  # fmt: skip
    """Yield the map with its legend; ``chosen`` is the place looked at [m]."""
    theme, view = look.theme, look.view
    values = {"peak": field.peak, "gel": field.gel, "demould": field.demould}[which]
    rings = rings_of(regions(field.job.part).whole, view)
    yield Area(rings, theme.cloth, None)
    good = values[np.isfinite(values)]
    if not len(good):
        yield Label(width / 2, 24, "Not within two days.", theme.alarm, 13)
        return
    low, high = float(good.min()), float(good.max())
    step = max((high - low) / TONES, 1e-6)
    points = forecast.model.mesh.points
    zone = regions(field.job.part).zone_at(points)
    for z, region in enumerate(regions(field.job.part).zones.values()):
        of = np.flatnonzero((zone == z) & np.isfinite(values))
        if region.is_empty or not len(of):
            continue
        # A zone's own values carried on beyond its border, which then cuts them: no stairs of the mesh.
        own = values[of][cKDTree(points[of]).query(points)[1]]
        contours = _sampler(forecast.model.mesh).contours(own)
        bands = []
        for k in range(TONES):
            a = low + k * step if k else -1e9
            b = low + (k + 1) * step if k + 1 < TONES else 1e12
            bands.append(
                Area([view.to(r) for r in contours.between(a, b)], theme.tone(k / (TONES - 1)), None)
            )
        yield Clip(rings_of(region, view), tuple(bands))
    yield Area(rings, None, theme.ink, WEIGHT["line"])

    def told(value: float) -> str:
        return show(value, "temperature", look.system) if which == "peak" else clock(value)

    for k in range(TONES):
        x = 16 + k * 62
        yield Area(
            [np.array([[x, height - 26], [x + 60, height - 26], [x + 60, height - 14], [x, height - 14]])],
            theme.tone(k / (TONES - 1)),
            None,
        )
    yield Label(16, height - 36, told(low), theme.soft, 12, anchor="l")
    yield Label(16 + TONES * 62, height - 36, told(high), theme.soft, 12, anchor="r")
    turn = np.linspace(0, 2 * np.pi, 33)
    for place, words in ((field.hottest, "hottest"), (field.slowest, "gels last")):
        x, y = view.to(np.array([(place.x, place.y)]))[0]
        yield Line([np.c_[x + 8 * np.cos(turn), y + 8 * np.sin(turn)]], theme.ink, WEIGHT["line"])
        yield Label(x, y - 18, words, theme.ink, SIZE["small"], True, ground=theme.ground)
    if chosen is not None:
        x, y = view.to(np.array([chosen]))[0]
        for ends in (((-8, 0), (8, 0)), ((0, -8), (0, 8))):
            yield Line([np.array(ends, dtype=float) + (x, y)], theme.front, WEIGHT["heavy"])
