"""Zones of a part as regions of the plan."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
import numpy.typing as npt
import shapely
from msgspec import Struct, field
from shapely.geometry import MultiPolygon, Polygon

from bibulon.core.geometry.outline import OutlineError, check
from bibulon.core.geometry.prepared import within
from bibulon.core.model.job import RIM, Inset, Part, Zone
from bibulon.core.units.figures import figure
from bibulon.core.units.words import tr

__all__ = ["PlanRegions", "draw_factor", "regions"]


class PlanRegions(Struct, frozen=True):
    """The part on the plan: its whole region and each zone's own, rim first.

    ``zones`` maps zone ids to regions [m] that do not overlap and together make up ``whole``;
    ``over`` those that lie over them, keep-out and no-mesh, also where they reach past an edge as mesh and lines do, and cut-outs.
    """

    whole: Polygon
    zones: dict[str, Polygon | MultiPolygon]
    over: dict[str, Polygon | MultiPolygon] = field(default_factory=dict)

    def zone_at(self, points: npt.NDArray[np.float64]) -> npt.NDArray[np.int64]:
        """Return the index into ``zones`` for points [m], shape (n, 2); 0, the rim, where none claims it."""
        found = np.zeros(len(points), dtype=np.int64)
        for index, region in enumerate(self.zones.values()):
            if index and not region.is_empty:
                found[within(region, points)] = index
        return found


def draw_factor(part: Part, zone: str) -> float:
    """Return the developed over the plan area of a zone."""
    own = next((z.draw_factor for z in part.zones if z.id == zone), None)
    return part.draw_factor if own is None else own


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
    uncut = whole
    for zone in part.zones:
        if zone.kind == "cut-out":
            whole = whole.difference(_shape(zone, uncut))
    if not isinstance(whole, Polygon) or whole.is_empty:
        raise OutlineError(tr("The holes cut the part into pieces, or leave nothing of it."))
    claims: dict[str, Polygon | MultiPolygon] = {}
    over: dict[str, Polygon | MultiPolygon] = {}
    for zone in part.zones:
        if zone.kind == "cut-out":
            over[zone.id] = _shape(zone, uncut)
        elif not zone.laid:
            over[zone.id] = _shape(zone, whole, clipped=False)
        else:
            shape = _shape(zone, whole)
            claims = {k: v.difference(shape) for k, v in claims.items()}
            claims[zone.id] = shape
    rim = whole
    for shape in claims.values():
        rim = rim.difference(shape)
    return PlanRegions(whole, {RIM: rim, **claims}, over)


def _shape(zone: Zone, whole: Polygon, *, clipped: bool = True) -> Polygon | MultiPolygon:
    """Return what a zone covers of the part, or all of it where it is not ``clipped``."""
    if isinstance(zone.area, Inset):
        shape = whole.buffer(-zone.area.distance, join_style="mitre")
        if shape.is_empty:
            raise OutlineError(
                tr(
                    "Zone {0} is empty: {1} from the edge leaves nothing of the part.",
                    zone.name,
                    figure(zone.area.distance, "length", 0),
                )
            )
        return shape
    shape = check(zone.area.outline)
    for hole in zone.area.holes:
        shape = shape.difference(check(hole))
    if clipped or not shape.intersects(whole):
        shape = shape.intersection(whole)
    pieces = [g for g in shapely.get_parts(shape) if isinstance(g, Polygon) and not g.is_empty]
    if not pieces:
        raise OutlineError(tr("Zone {} lies outside the part.", zone.name))
    return pieces[0] if len(pieces) == 1 else MultiPolygon(pieces)
