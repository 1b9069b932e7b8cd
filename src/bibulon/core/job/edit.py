"""Edits: functions from one job to the next."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from shapely.geometry import LineString, MultiPolygon, Point, Polygon

from bibulon.core.geometry.outline import OutlineError, check
from bibulon.core.job.model import Accepted, AtTime, Corner, FlowLine, Job, Layer, OnFront, Part, Zone

__all__ = [
    "accept", "add_layer", "add_line", "change", "change_line", "cut_mesh_back", "move_layer", "new_id", "open_on_front",
    "remove_layer", "remove_line", "replace_layer", "set_outline", "set_zone",
]  # fmt: skip


def change(job: Job, **fields: Any) -> Job:
    """Return the job with some fields replaced, checked anew.

    Raises
    ------
    pydantic.ValidationError : when the result is no valid job.
    """
    return Job.model_validate({**{name: getattr(job, name) for name in type(job).model_fields}, **fields})


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
    return change(job, part=job.part.model_copy(update={"outline": tuple(outline)}))


def set_zone(job: Job, zone: Zone) -> Job:
    """Add a zone, or replace the one with its id."""
    zones = [zone if z.id == zone.id else z for z in job.part.zones]
    if zone.id not in {z.id for z in job.part.zones}:
        zones.append(zone)
    part = Part.model_validate({**dict(job.part), "zones": tuple(zones)})
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
    layer = Layer.model_validate({**dict(job.stack[index]), **fields})
    return change(job, stack=(*job.stack[:index], layer, *job.stack[index + 1 :]))


def add_line(job: Job, line: FlowLine) -> Job:
    """Add a feed or vacuum line."""
    return change(job, lines=(*job.lines, line))


def change_line(job: Job, line_id: str, **fields: Any) -> Job:
    """Change some fields of a line."""
    lines = tuple(FlowLine.model_validate({**dict(x), **fields}) if x.id == line_id else x for x in job.lines)
    return change(job, lines=lines)


def remove_line(job: Job, line_id: str) -> Job:
    """Take a line away; lines that waited for it open at the start."""
    kept = []
    for line in job.lines:
        if line.id == line_id:
            continue
        waits = isinstance(line.opens, OnFront) and line.opens.line == line_id
        kept.append(line.model_copy(update={"opens": AtTime()}) if waits else line)
    return change(job, lines=tuple(kept))


def open_on_front(job: Job, line_id: str, delay: float = 0.0) -> Job:
    """Open a feed when the front has passed it."""
    return change_line(job, line_id, opens=OnFront(line=line_id, delay=delay))


def cut_mesh_back(job: Job, line_id: str) -> Job:
    """Cut the mesh to the shop rule's longest break from a line."""
    if job.mesh is None:
        return job
    line = next(x for x in job.lines if x.id == line_id)
    path = LineString(line.path) if len(line.path) > 1 else Point(line.path[0])
    left = check(job.mesh.outline).difference(path.buffer(job.rules.break_longest, quad_segs=4))
    if isinstance(left, MultiPolygon):
        left = max(left.geoms, key=lambda g: g.area)
    if not isinstance(left, Polygon) or left.is_empty:
        raise OutlineError("Cutting the mesh back would leave none of it.")
    corners = tuple(Corner(x=x, y=y) for x, y in left.simplify(5e-4).exterior.coords[:-1])
    return change(job, mesh=job.mesh.model_copy(update={"outline": corners}))


def accept(job: Job, accepted: Accepted) -> Job:
    """Accept a warning; an earlier acceptance of the same one is replaced."""
    others = tuple(a for a in job.accepted if a.key != accepted.key)
    return change(job, accepted=(*others, accepted))
