"""Zones of a part as regions of the plan."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
import numpy.typing as npt
import shapely
from shapely.geometry import MultiPolygon, Polygon

from bibulon.core.geometry.outline import OutlineError, check
from bibulon.core.job.model import RIM, Inset, Part

__all__ = ["PlanRegions", "regions"]


@dataclass(frozen=True)
class PlanRegions:
    """The part on the plan: its whole region and each zone's own, rim first.

    ``zones`` maps zone ids to regions [m] that do not overlap and together make up ``whole``.
    """

    whole: Polygon
    zones: dict[str, Polygon | MultiPolygon]

    def zone_at(self, points: npt.NDArray[np.float64]) -> npt.NDArray[np.int64]:
        """Return the index into ``zones`` for points [m], shape (n, 2); 0, the rim, where none claims it."""
        found = np.zeros(len(points), dtype=np.int64)
        for index, region in enumerate(self.zones.values()):
            if index and not region.is_empty:
                shapely.prepare(region)
                found[shapely.contains_xy(region, points[:, 0], points[:, 1])] = index
        return found


@lru_cache(maxsize=64)
def regions(part: Part) -> PlanRegions:
    """Return the regions of a part.

    Raises
    ------
    OutlineError : when an outline is crossed or empty, or an inset leaves nothing.
    """
    whole = check(part.outline)
    for hole in part.holes:
        whole = whole.difference(check(hole))
    if not isinstance(whole, Polygon) or whole.is_empty:
        raise OutlineError("The holes cut the part into pieces.")
    claims: dict[str, Polygon | MultiPolygon] = {}
    for zone in part.zones:
        if isinstance(zone.area, Inset):
            shape = whole.buffer(-zone.area.distance, join_style="mitre")
            if shape.is_empty:
                raise OutlineError(
                    f"Zone {zone.name} is empty: {zone.area.distance * 1e3:.0f} mm from the edge leaves nothing of the part."
                )
        else:
            shape = check(zone.area.outline).intersection(whole)
            if shape.is_empty:
                raise OutlineError(f"Zone {zone.name} lies outside the part.")
        claims = {k: v.difference(shape) for k, v in claims.items()}
        claims[zone.id] = shape
    rim = whole
    for shape in claims.values():
        rim = rim.difference(shape)
    return PlanRegions(whole, {RIM: rim, **claims})
