"""Where each layer lies: the part cut into places, each with one run of layers.

A place is named by its zone, and where plies end inside the zone or run on into it, by the layers
that lie there: ``zone|layer,layer``.
"""

from __future__ import annotations

from functools import lru_cache

import shapely
from shapely.geometry import MultiPolygon, Polygon
from shapely.geometry.base import BaseGeometry

from bibulon.core.geometry.outline import check
from bibulon.core.geometry.prepared import prepared
from bibulon.core.geometry.surface import lift_of
from bibulon.core.geometry.zones import PlanRegions, draw_factor, regions
from bibulon.core.model.job import RIM, Job, Layer, Outline, Part
from bibulon.core.units.remember import by_identity
from bibulon.core.units.words import tr

__all__ = [
    "developed_area",
    "layer_area",
    "layer_region",
    "layers_at",
    "mould_area",
    "place_name",
    "places",
    "zone_of",
]

SLIVER = 1e-7  # m²: pieces below this come from rounding

Extent = tuple[tuple[str, ...], Outline | None, float]


def _extent(layer: Layer) -> Extent:
    return layer.zones, layer.outline, layer.runs_on


@lru_cache(maxsize=512)
def _region(part: Part, extent: Extent) -> BaseGeometry:
    zones, outline, runs_on = extent
    plan = regions(part)
    if outline is not None:
        shape: BaseGeometry = check(outline)
    elif zones:
        shape = shapely.union_all([plan.zones[z] for z in zones])
    else:
        shape = plan.whole
    if runs_on:
        shape = shape.buffer(runs_on, join_style="mitre", mitre_limit=2)
    # Where an outline only touches the part's edge, or a zone is covered by those above it, the meeting is no area, or
    # one with loose lines and points: what is left is areas.
    found = _polygons(shapely.intersection(shape, plan.whole))
    return found[0] if len(found) == 1 else MultiPolygon(found)


def layer_region(job: Job, layer: Layer) -> BaseGeometry:
    """Return where a layer lies on the plan [m], laps and drop-offs counted.

    Raises
    ------
    OutlineError : when an outline is crossed or empty.
    """
    return _region(job.part, _extent(layer))


def zone_of(place: str) -> str:
    """Return the zone that a place is part of."""
    return place.partition("|")[0]


def place_name(job: Job, place: str) -> str:
    """Return what people call a place."""
    zone = zone_of(place)
    name = next((z.name for z in job.part.zones if z.id == zone), job.part.rest_name)
    return tr("{0}, {1} layers", name, len(layers_at(job, place))) if "|" in place else name


@by_identity(1, 64)
def layers_at(job: Job, place: str) -> list[Layer]:
    """Return the layers of a place or a zone, tool side first.

    For a zone those that lie over most of it.
    """
    zone, by_layer, rest = place.partition("|")
    if by_layer:
        named = set(rest.split(","))
        return [x for x in job.stack if x.id in named]
    out = []
    for layer in job.stack:
        if layer.outline is None:
            if not layer.zones or zone in layer.zones:
                out.append(layer)
        else:
            region = regions(job.part).zones.get(zone)
            if region is not None and layer_region(job, layer).intersection(region).area > region.area / 2:
                out.append(layer)
    return out


@by_identity(1, 6)
def places(job: Job) -> PlanRegions:
    """Return the part cut into places, as ``regions`` does into zones.

    Raises
    ------
    OutlineError : when an outline is crossed or empty.
    """
    plan = regions(job.part)
    whole_zones = [x for x in job.stack if x.outline is None and not x.runs_on]
    if len(whole_zones) == len(job.stack):
        return plan
    cut = tuple(dict.fromkeys(_extent(x) for x in job.stack if x.outline is not None or x.runs_on))
    out: dict[str, list[Polygon]] = {}
    for zone, reached, region in _cells(job.part, cut):
        there = {e for e, r in zip(cut, reached, strict=True) if r}
        ids = [
            x.id
            for x in job.stack
            if (_extent(x) in there if x.outline is not None or x.runs_on else not x.zones or zone in x.zones)
        ]
        same = ids == [x.id for x in layers_at(job, zone)]
        out.setdefault(zone if same else f"{zone}|{','.join(ids)}", []).extend(_polygons(region))
    zones: dict[str, Polygon | MultiPolygon] = {
        k: v[0] if len(v) == 1 else MultiPolygon(v) for k, v in out.items()
    }
    return PlanRegions(plan.whole, zones, plan.over)


def _polygons(shape: BaseGeometry) -> list[Polygon]:
    return [g for g in shapely.get_parts(shape) if isinstance(g, Polygon) and g.area > SLIVER]


@lru_cache(maxsize=16)
def _cells(part: Part, cut: tuple[Extent, ...]) -> tuple[tuple[str, tuple[bool, ...], BaseGeometry], ...]:
    """Return the pieces into which some extents cut the zones: zone, which extents reach it, region."""
    cells: list[tuple[str, tuple[bool, ...], BaseGeometry]] = [
        (zone, (), region)
        for zone, region in regions(part).zones.items()
        if not region.is_empty or zone != RIM
    ]
    for extent in cut:
        shape = prepared(_region(part, extent))
        nxt: list[tuple[str, tuple[bool, ...], BaseGeometry]] = []
        for zone, reached, region in cells:
            if shape.contains(region):
                nxt.append((zone, (*reached, True), region))
            elif shape.disjoint(region):
                nxt.append((zone, (*reached, False), region))
            else:
                pieces = (
                    (True, _polygons(region.intersection(shape))),
                    (False, _polygons(region.difference(shape))),
                )
                nxt += [(zone, (*reached, on), MultiPolygon(found)) for on, found in pieces if found]
        cells = nxt
    return tuple(cells)


@lru_cache(maxsize=256)
def _developed(part: Part, zone: str, region: BaseGeometry) -> float:
    lift = lift_of(part)
    return lift.area_over(region) if lift else float(region.area) * draw_factor(part, zone)


def developed_area(part: Part, place: str, region: BaseGeometry) -> float:
    """Return the area of a region inside one place as it lies on the mould [m²].

    The surface's own where there is one, else the plan's times the zone's draw factor.
    """
    return _developed(part, zone_of(place), region)


def mould_area(part: Part) -> float:
    """Return the area of a part as it lies on the mould [m²].

    Raises
    ------
    OutlineError : when its outline, or a zone's, crosses itself.
    """
    return sum(developed_area(part, z, r) for z, r in regions(part).zones.items())


def layer_area(job: Job, layer: Layer) -> float:
    """Return the area of a layer as it lies on the mould [m²], laps counted, seams and waste not."""
    mine = layer_region(job, layer)
    zones = regions(job.part).zones.items()
    return sum(developed_area(job.part, z, mine.intersection(r)) for z, r in zones if r.intersects(mine))
