"""Edits: functions from one job to the next."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import shapely
from shapely.geometry import LineString, Point, Polygon
from shapely.geometry.base import BaseGeometry

from bibulon.core.geometry.outline import OutlineError, check
from bibulon.core.geometry.paths import inlet_of, shape_of, share_near
from bibulon.core.geometry.zones import regions
from bibulon.core.model.job import (
    Accepted,
    AtTime,
    Corner,
    FlowLine,
    Job,
    Layer,
    MeshExtent,
    OnFront,
    Outline,
    Zone,
)
from bibulon.core.model.materials import Material
from bibulon.core.stack.mesh_cover import laid_mesh
from bibulon.core.units.words import tr

__all__ = [
    "accept",
    "add_layer",
    "add_line",
    "change",
    "change_line",
    "corners_of",
    "cut_mesh_back",
    "drop_unused",
    "inset_mesh",
    "lay_along",
    "move_layer",
    "new_id",
    "open_on_front",
    "remove_layer",
    "remove_line",
    "remove_zone",
    "replace_layer",
    "set_material",
    "set_outline",
    "set_zone",
    "use_material",
    "with_mesh",
]

UNDER_FEED = 0.04  # m of mesh to each side of a feed
OVER_FEED = 0.01  # m by which that goes on over the edge of the rest, so that it joins it
LEAST_MESH = 1e-4  # m2 of a piece that is worth laying


def change(job: Job, **fields: Any) -> Job:
    """Return the job with some fields replaced, checked anew.

    Raises
    ------
    Invalid : when the result is no valid job.
    """
    return job.replaced(**fields)


def new_id(prefix: str, taken: Sequence[str]) -> str:
    """Return the first of prefix1, prefix2, … that is not taken."""
    k = 1
    while f"{prefix}{k}" in taken:
        k += 1
    return f"{prefix}{k}"


def set_outline(job: Job, outline: Sequence[Corner]) -> Job:
    """Replace the part's outline.

    Raises
    ------
    OutlineError : when it is crossed or empty.
    """
    check(outline)
    return change(job, part=job.part.replaced(outline=tuple(outline)))


def set_zone(job: Job, zone: Zone) -> Job:
    """Add a zone, or replace the one with its id."""
    zones = [zone if z.id == zone.id else z for z in job.part.zones]
    if zone.id not in {z.id for z in job.part.zones}:
        zones.append(zone)
    part = job.part.replaced(zones=tuple(zones))
    return change(job, part=part)


def add_layer(job: Job, layer: Layer, at: int | None = None) -> Job:
    """Lay a layer, on top or at a place counted from the tool."""
    stack = list(job.stack)
    stack.insert(len(stack) if at is None else at, layer)
    return change(job, stack=tuple(stack))


def remove_layer(job: Job, index: int) -> Job:
    """Take a layer off."""
    return change(job, stack=job.stack[:index] + job.stack[index + 1 :])


def move_layer(job: Job, index: int, to: int) -> Job:
    """Move a layer to another place in the stack."""
    stack = list(job.stack)
    stack.insert(to, stack.pop(index))
    return change(job, stack=tuple(stack))


def replace_layer(job: Job, index: int, **fields: Any) -> Job:
    """Change some fields of a layer."""
    layer = job.stack[index].replaced(**fields)
    return change(job, stack=(*job.stack[:index], layer, *job.stack[index + 1 :]))


def add_line(job: Job, line: FlowLine) -> Job:
    """Add a feed or vacuum line."""
    return change(job, lines=(*job.lines, line))


def change_line(job: Job, line_id: str, **fields: Any) -> Job:
    """Change some fields of a line."""
    lines = tuple(x.replaced(**fields) if x.id == line_id else x for x in job.lines)
    return change(job, lines=lines)


def lay_along(job: Job, line_id: str, path: tuple[tuple[float, float], ...]) -> Job:
    """Lay a line along what is left of its path: its hose stays where it joined, or as near as may be."""
    line = next(x for x in job.lines if x.id == line_id)
    kept = share_near(path, inlet_of(line)) if line.hose_at > 0 else 0.0
    return change_line(job, line_id, path=path, hose_at=kept)


def remove_line(job: Job, line_id: str) -> Job:
    """Take a line away; what waited for it happens at the start, or not at all if it shut something."""
    kept = []
    for line in job.lines:
        if line.id == line_id:
            continue

        def waits(when: object) -> bool:
            return isinstance(when, OnFront) and when.line == line_id

        fields: dict[str, Any] = {"turns": tuple(t for t in line.turns if not waits(t.when))}
        if waits(line.opens):
            fields["opens"] = AtTime()
        if waits(line.shuts):
            fields["shuts"] = None
        kept.append(line.replaced(**fields))
    buckets = []
    for bucket in job.buckets:
        feeds = tuple(f for f in bucket.feeds if f != line_id)
        if feeds or not bucket.feeds:
            batches = tuple(
                b.replaced(poured=AtTime())
                if isinstance(b.poured, OnFront) and b.poured.line == line_id
                else b
                for b in bucket.batches
            )
            buckets.append(bucket.replaced(feeds=feeds, batches=batches))
    return change(job, lines=tuple(kept), buckets=tuple(buckets))


def open_on_front(job: Job, line_id: str, delay: float = 0.0) -> Job:
    """Open a feed when the front has passed it."""
    return change_line(job, line_id, opens=OnFront(line=line_id, delay=delay))


def cut_mesh_back(job: Job, line_id: str) -> Job:
    """Cut the mesh to the shop rule's longest break from a line: its edge, or a hole where the line lies in its midst.

    Raises
    ------
    OutlineError : when that leaves no mesh.
    """
    if job.mesh is None:
        return job
    line = next(x for x in job.lines if x.id == line_id)
    path = LineString(line.path) if len(line.path) > 1 else Point(line.path[0])
    left = laid_mesh(job.mesh).difference(path.buffer(job.rules.break_longest, quad_segs=4))
    return with_mesh(job, job.mesh.material, left, tr("Cutting the mesh back would leave none of it."))


def accept(job: Job, accepted: Accepted) -> Job:
    """Accept a warning; an earlier acceptance of the same one is replaced."""
    others = tuple(a for a in job.accepted if a.key != accepted.key)
    return change(job, accepted=(*others, accepted))


def remove_zone(job: Job, zone_id: str) -> Job:
    """Take a zone away; layers that lay only there go with it."""
    part = job.part.replaced(zones=tuple(z for z in job.part.zones if z.id != zone_id))
    stack = []
    for layer in job.stack:
        left = tuple(z for z in layer.zones if z != zone_id)
        if left or not layer.zones:
            stack.append(layer.replaced(zones=left))
    return change(job, part=part, stack=tuple(stack))


def use_material(job: Job, key: str, material: Material) -> Job:
    """Copy a material into the job, unless it already has one of that id."""
    return job if key in job.materials else change(job, materials={**job.materials, key: material})


def set_material(job: Job, key: str, material: Material) -> Job:
    """Replace the job's own copy of a material."""
    return change(job, materials={**job.materials, key: material})


def drop_unused(job: Job) -> Job:
    """Forget materials that no layer and no mesh uses."""
    used = {layer.material for layer in job.stack} | ({job.mesh.material} if job.mesh else set())
    return change(job, materials={k: m for k, m in job.materials.items() if k in used})


def inset_mesh(job: Job, material: str, distance: float) -> Job:
    """Lay mesh over the part to a distance from its edge [m], on under every feed, and short of every vacuum line by the rule's break.

    Between a feed and the edge behind it bare plies would be slow, and shut in as resin comes round its ends.

    Raises
    ------
    OutlineError : when that leaves no mesh.
    """
    whole = regions(job.part).whole
    shape = whole.buffer(-distance, join_style="mitre")
    if not shape.is_empty:
        reach = max(UNDER_FEED, distance + OVER_FEED)
        under = [shape_of(line.path).buffer(reach, quad_segs=4) for line in job.lines if line.role == "feed"]
        shape = shapely.union_all([shape, *under]).intersection(whole)
    job = with_mesh(job, material, shape, tr("The edge distance leaves no mesh."))
    for line in job.lines:
        if line.role == "vacuum":
            job = cut_mesh_back(job, line.id)
    return job


def with_mesh(job: Job, material: str, shape: BaseGeometry, empty: str) -> Job:
    """Return the job with flow mesh over a shape, in as many pieces as that has.

    Raises
    ------
    OutlineError : when there is no shape, in the words of ``empty``.
    """
    pieces = [
        g.simplify(5e-4) for g in shapely.get_parts(shape) if isinstance(g, Polygon) and g.area > LEAST_MESH
    ]
    if not pieces:
        raise OutlineError(empty)
    pieces.sort(key=lambda g: -g.area)
    outline, *others = (corners_of(g.exterior) for g in pieces)
    holes = tuple(corners_of(ring) for g in pieces for ring in g.interiors if Polygon(ring).area > LEAST_MESH)
    return change(job, mesh=MeshExtent(material=material, outline=outline, pieces=tuple(others), holes=holes))


def corners_of(ring: Any) -> Outline:
    """Return the corners of a ring of a polygon."""
    return tuple(Corner(x=float(x), y=float(y)) for x, y in ring.coords[:-1])
