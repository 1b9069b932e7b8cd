"""Edits of the part's shape: starters, rounding, mirror parts, zones joined and taken from each other, surfaces."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Literal

import shapely
from shapely.geometry import Polygon
from shapely.geometry.base import BaseGeometry

from bibulon.core.edit.arrange import mapped_surface
from bibulon.core.edit.cuts import cut_kept
from bibulon.core.edit.edit import (
    change,
    corners_of,
    lay_along,
    new_id,
    remove_line,
    remove_zone,
    set_zone,
    with_mesh,
)
from bibulon.core.geometry.outline import OutlineError, check
from bibulon.core.geometry.starters import STARTERS, rounded
from bibulon.core.geometry.zones import regions
from bibulon.core.model.job import Drawn, Job, Outline, Point, Surface, Zone
from bibulon.core.stack.mesh_cover import laid_mesh
from bibulon.core.units.figures import figure
from bibulon.core.units.words import tr

__all__ = [
    "combine_zones",
    "mirrored",
    "offset_zone",
    "reshape",
    "round_corners",
    "set_surface",
    "start_from",
    "zone_from_ply",
]

Act = Literal["join", "take away", "keep common"]
_ACTS: dict[str, Callable[[BaseGeometry, BaseGeometry], BaseGeometry]] = {
    "join": shapely.union, "take away": shapely.difference, "keep common": shapely.intersection,
}  # fmt: skip


def reshape(job: Job, outline: Outline, holes: tuple[Outline, ...] = ()) -> Job:
    """Give the part another outline and holes; a surface that it had goes, since it no longer fits.

    Raises
    ------
    OutlineError : when an outline is crossed or empty, or a zone is left without room.
    """
    check(outline)
    part = job.part.replaced(outline=tuple(outline), holes=tuple(holes), surface=None)
    regions(part)
    return cut_kept(change(job, part=part), job)


def start_from(job: Job, kind: str, sizes: Mapping[str, float]) -> Job:
    """Give the part the outline of a starter; zones that find no room there go, and their layers with them.

    Raises
    ------
    OutlineError : when the sizes make no outline.
    """
    outline, holes = STARTERS[kind].make(**sizes)
    check(outline)
    return trimmed(reshape(_without_room(job, outline, holes), outline, holes))


def round_corners(job: Job, radius: float) -> Job:
    """Round the part's corners between straight sides [m].

    Raises
    ------
    OutlineError : when the radius does not fit a corner, or there is none between straight sides.
    """
    outline = rounded(job.part.outline, radius)
    if radius > 0 and outline == tuple(job.part.outline):
        raise OutlineError(tr("Only corners between straight sides are rounded: this outline has none."))
    return reshape(job, outline, job.part.holes)


def _drawn(shape: BaseGeometry, empty: str) -> Drawn:
    """Return a region as a drawn area.

    Raises
    ------
    OutlineError : when nothing is left, or it is in pieces.
    """
    pieces = [g for g in shapely.get_parts(shape.simplify(2e-4)) if isinstance(g, Polygon) and g.area > 1e-6]
    if not pieces:
        raise OutlineError(empty)
    if len(pieces) > 1:
        where = pieces[1].representative_point()
        raise OutlineError(
            tr(
                "That would leave a zone in {0} pieces, one at x {1}, y {2}.",
                len(pieces),
                figure(where.x, "length", 0),
                figure(where.y, "length", 0),
            ),
            (where.x, where.y),
        )
    return Drawn(
        outline=corners_of(pieces[0].exterior), holes=tuple(corners_of(r) for r in pieces[0].interiors)
    )


def _zone(job: Job, zone_id: str) -> Zone:
    return next(z for z in job.part.zones if z.id == zone_id)


def combine_zones(job: Job, first: str, second: str, act: Act) -> Job:
    """Join two zones into the first, take the second away from it, or keep what they have in common.

    Joined, the second goes, and its layers lie in the first.

    Raises
    ------
    OutlineError : when nothing is left, or pieces that do not touch.
    """
    a, b = _full(job, first), _full(job, second)
    area = _drawn(_ACTS[act](a, b), tr("Nothing is left of {}.", _zone(job, first).name))
    job = set_zone(job, _zone(job, first).replaced(area=area))
    if act == "join":
        stack = tuple(
            x.replaced(zones=tuple(dict.fromkeys(first if z == second else z for z in x.zones)))
            for x in job.stack
        )
        zones = tuple(z for z in job.part.zones if z.id != second)
        job = change(job, part=job.part.replaced(zones=zones), stack=stack)
    regions(job.part)
    return job


def _full(job: Job, zone_id: str) -> BaseGeometry:
    """Return what a zone covers, later zones that lie over it not taken off."""
    alone = job.part.replaced(zones=(_zone(job, zone_id),))
    plan = regions(alone)
    return plan.zones[zone_id] if zone_id in plan.zones else plan.over[zone_id]


def offset_zone(job: Job, zone_id: str, distance: float) -> Job:
    """Add a zone that lies round another by a distance [m], or inside it where that is below 0.

    Raises
    ------
    OutlineError : when nothing is left, or pieces.
    """
    zone = _zone(job, zone_id)
    shape = _full(job, zone_id).buffer(distance, join_style="mitre", mitre_limit=2)
    area = _drawn(shape.intersection(regions(job.part).whole), tr("Nothing is left of {}.", zone.name))
    made = Zone(
        id=new_id("zone", [z.id for z in job.part.zones]),
        name=_free(job, tr("{} edge", zone.name)),
        area=area,
    )
    # A wider one goes below the zone that it lies round, which would vanish under it.
    at = [z.id for z in job.part.zones].index(zone_id) + (0 if distance > 0 else 1)
    zones = (*job.part.zones[:at], made, *job.part.zones[at:])
    return change(job, part=job.part.replaced(zones=zones))


def zone_from_ply(job: Job, index: int) -> Job:
    """Add a zone where a layer lies.

    Raises
    ------
    OutlineError : when the layer lies nowhere, or in pieces.
    """
    from bibulon.core.stack.laid import layer_region

    layer = job.stack[index]
    name = job.materials[layer.material].name
    area = _drawn(layer_region(job, layer), tr("{} lies nowhere on the part.", name))
    zone = Zone(
        id=new_id("zone", [z.id for z in job.part.zones]), name=_free(job, tr("Under {}", name)), area=area
    )
    return set_zone(job, zone)


def _free(job: Job, name: str) -> str:
    names, k, told = {z.name for z in job.part.zones}, 2, name
    while told in names:
        told, k = f"{name} {k}", k + 1
    return told[:80]


def set_surface(job: Job, surface: Surface, outline: Outline, holes: tuple[Outline, ...]) -> Job:
    """Lay the part on a surface; zones without room go, lines and mesh are cut off at its rim.

    Raises
    ------
    OutlineError : when its rim makes no outline.
    """
    job = _without_room(job, outline, holes)
    part = job.part.replaced(outline=outline, holes=holes, surface=surface, heights=(), draw_factor=1.0)
    regions(part)
    return trimmed(cut_kept(change(job, part=part), job))


def trimmed(job: Job) -> Job:
    """Cut lines and mesh off where they lie outside the part; those wholly outside go.

    Raises
    ------
    OutlineError : when the part's outline is crossed or empty.
    """
    whole = regions(job.part).whole
    for line in job.lines:
        shape = shapely.LineString(line.path) if len(line.path) > 1 else shapely.Point(line.path[0])
        if whole.buffer(1e-6).covers(shape):
            continue
        left = [g for g in shapely.get_parts(shape.intersection(whole)) if g.length > 1e-3]
        if not left:
            job = remove_line(job, line.id)
            continue
        longest = max(left, key=lambda g: g.length)
        job = lay_along(job, line.id, tuple((float(x), float(y)) for x, y in longest.coords))
    if job.mesh is not None:
        cover = laid_mesh(job.mesh)
        if not whole.buffer(1e-6).covers(cover):
            try:
                job = with_mesh(job, job.mesh.material, cover.intersection(whole), "")
            except OutlineError:  # none of it lies on the part any more
                job = change(job, mesh=None)
    return job


def _without_room(job: Job, outline: Outline, holes: tuple[Outline, ...]) -> Job:
    for zone in job.part.zones:
        try:
            regions(job.part.replaced(outline=outline, holes=holes, surface=None, zones=(zone,)))
        except OutlineError:
            job = remove_zone(job, zone.id)
    return job


def mirrored(job: Job) -> Job:
    """Return the job of the mirror part: left and right changed over, ply angles with them."""
    x0, _, x1, _ = regions(job.part).whole.bounds

    def point(p: Point) -> Point:
        return round(x0 + x1 - p[0], 9), p[1]

    def path(points: tuple[Point, ...]) -> tuple[Point, ...]:
        return tuple(point(p) for p in points)

    def ring(corners: Outline) -> Outline:
        return tuple(c.replaced(x=round(x0 + x1 - c.x, 9)) for c in corners)

    part = job.part
    zones = tuple(
        z.replaced(area=z.area.replaced(outline=ring(z.area.outline), holes=tuple(map(ring, z.area.holes))))
        if isinstance(z.area, Drawn) else z
        for z in part.zones
    )  # fmt: skip
    surface = mapped_surface(part.surface, point, True) if part.surface is not None else None
    flipped = part.replaced(outline=ring(part.outline), holes=tuple(map(ring, part.holes)), zones=zones, surface=surface, heights=tuple(s.replaced(x=x0 + x1 - s.x) for s in part.heights), corners=tuple(c.replaced(path=path(c.path)) for c in part.corners), copies=part.mirror_copies, mirror_copies=part.copies)  # fmt: skip
    stack = tuple(
        x.replaced(
            angle_deg=-x.angle_deg if abs(x.angle_deg) < 180 else x.angle_deg,
            outline=ring(x.outline) if x.outline else None,
            seams=tuple(s.replaced(path=path(s.path)) for s in x.seams),
        )
        for x in job.stack
    )
    return change(
        job,
        part=flipped,
        stack=stack,
        lines=tuple(x.replaced(path=path(x.path)) for x in job.lines),
        mesh=job.mesh.mapped(ring) if job.mesh else None,
        cut=job.cut.replaced(path=path(job.cut.path)) if job.cut else None,
    )
