"""Edits of several things of the plan at once: move, turn, mirror, duplicate, align, delete.

Things are lines, by their id, and zones with an outline of their own, as "zone:" and their id.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from typing import Literal

import numpy as np

from bibulon.core.edit.edit import change, new_id, remove_line, remove_zone
from bibulon.core.geometry.outline import check, trace
from bibulon.core.model.job import Corner, Drawn, FlowLine, Job, OnFront, Surface, Zone
from bibulon.core.units.words import tr

__all__ = [
    "ALIGNMENTS",
    "aligned",
    "bounds",
    "deleted",
    "duplicated",
    "mapped_outline",
    "mapped_surface",
    "mirrored",
    "moved",
    "names",
    "turned",
]

Place = tuple[float, float]
Alignment = Literal["left", "right", "top", "bottom", "middle", "centre"]
ALIGNMENTS: tuple[Alignment, ...] = ("left", "right", "top", "bottom", "middle", "centre")
ZONE = "zone:"


def names(job: Job, things: Sequence[str]) -> str:
    """Return what things are called, for the name of an edit: “F2”, “F2 and V1”, “3 things”."""
    lines = {line.id: line.label for line in job.lines}
    zones = {ZONE + z.id: z.name for z in job.part.zones}
    words = [lines.get(t) or zones.get(t, "?") for t in things]
    return " and ".join(words) if len(words) <= 2 else tr("{} things", len(words))


def _points(job: Job, thing: str) -> np.ndarray:
    if thing.startswith(ZONE):
        zone = next(z for z in job.part.zones if ZONE + z.id == thing)
        return trace(zone.area.outline) if isinstance(zone.area, Drawn) else np.zeros((0, 2))
    return np.array(next(x for x in job.lines if x.id == thing).path)


def bounds(job: Job, things: Sequence[str]) -> tuple[float, float, float, float] | None:
    """Return the box (x0, y0, x1, y1) [m] around things; None when they have no place of their own."""
    found = [p for t in things if len(p := _points(job, t))]
    if not found:
        return None
    points = np.vstack(found)
    (x0, y0), (x1, y1) = points.min(axis=0), points.max(axis=0)
    return float(x0), float(y0), float(x1), float(y1)


def _mapped_line(line: FlowLine, to: Callable[[Place], Place]) -> FlowLine:
    return line.replaced(path=tuple(_round(to(p)) for p in line.path))


def _round(p: Place) -> Place:
    return round(p[0], 6), round(p[1], 6)


def mapped_outline(
    outline: tuple[Corner, ...], to: Callable[[Place], Place], flips: bool
) -> tuple[Corner, ...]:
    """Map corners; a mirror turns the outline round, so that bows go to the sides that they belong to."""
    placed = [Corner(x=(p := _round(to((c.x, c.y))))[0], y=p[1], bow=c.bow) for c in outline]
    if not flips:
        return tuple(placed)
    n = len(placed)
    return tuple(placed[-k % n].replaced(bow=outline[(-k - 1) % n].bow) for k in range(n))


def mapped_surface(face: Surface, to: Callable[[Place], Place], flips: bool, scale: float = 1.0) -> Surface:
    """Map a mould's face with its plan, to scale in all directions; a mirror turns its triangles round."""
    side = -scale if flips else scale
    return face.replaced(
        space=tuple((side * x, scale * y, scale * z) for x, y, z in face.space),
        plan=tuple(map(to, face.plan)),
        triangles=tuple((a, c, b) for a, b, c in face.triangles) if flips else face.triangles,
    )


def _mapped(
    job: Job, things: Sequence[str], to: Callable[[str, Place], Place], *, flips: bool = False
) -> Job:
    chosen = set(things)
    lines = tuple(
        _mapped_line(x, lambda p, i=x.id: to(i, p)) if x.id in chosen else x  # type: ignore[misc]
        for x in job.lines
    )
    zones = []
    for zone in job.part.zones:
        if ZONE + zone.id in chosen and isinstance(zone.area, Drawn):
            outline = mapped_outline(zone.area.outline, lambda p, i=ZONE + zone.id: to(i, p), flips)  # type: ignore[misc]
            check(outline)
            zone = zone.replaced(area=Drawn(outline=outline))
        zones.append(zone)
    return change(job, lines=lines, part=job.part.replaced(zones=tuple(zones)))


def moved(job: Job, things: Sequence[str], dx: float, dy: float) -> Job:
    """Move things [m]."""
    return _mapped(job, things, lambda _, p: (p[0] + dx, p[1] + dy))


def turned(job: Job, things: Sequence[str], degrees: float) -> Job:
    """Turn things anticlockwise about the middle of their box."""
    box = bounds(job, things)
    if box is None:
        return job
    cx, cy = (box[0] + box[2]) / 2, (box[1] + box[3]) / 2
    c, s = math.cos(math.radians(degrees)), math.sin(math.radians(degrees))

    def to(_: str, p: Place) -> Place:
        x, y = p[0] - cx, p[1] - cy
        return cx + c * x - s * y, cy + s * x + c * y

    return _mapped(job, things, to)


def mirrored(job: Job, things: Sequence[str], axis: Literal["x", "y"]) -> Job:
    """Mirror things left to right ("x") or top to bottom ("y") about the middle of the part."""
    outline = trace(job.part.outline)
    middle = (outline.min(axis=0) + outline.max(axis=0)) / 2
    k = 0 if axis == "x" else 1

    def to(_: str, p: Place) -> Place:
        q = [p[0], p[1]]
        q[k] = 2 * float(middle[k]) - q[k]
        return q[0], q[1]

    return _mapped(job, things, to, flips=True)


def aligned(job: Job, things: Sequence[str], side: Alignment) -> Job:
    """Bring the boxes of things to one side, or their middles onto one height or one upright."""
    whole = bounds(job, things)
    if whole is None:
        return job
    shifts: dict[str, Place] = {}
    for thing in things:
        box = bounds(job, [thing])
        if box is None:
            continue
        shifts[thing] = {
            "left": (whole[0] - box[0], 0.0),
            "right": (whole[2] - box[2], 0.0),
            "bottom": (0.0, whole[1] - box[1]),
            "top": (0.0, whole[3] - box[3]),
            "middle": (0.0, (whole[1] + whole[3] - box[1] - box[3]) / 2),
            "centre": ((whole[0] + whole[2] - box[0] - box[2]) / 2, 0.0),
        }[side]
    return _mapped(job, things, lambda t, p: (p[0] + shifts[t][0], p[1] + shifts[t][1]))


def duplicated(job: Job, things: Sequence[str], dx: float, dy: float) -> tuple[Job, tuple[str, ...]]:
    """Return the job with copies of things, moved [m], and the copies' names."""
    made: list[str] = []
    lines, zones = list(job.lines), list(job.part.zones)
    for thing in things:
        if thing.startswith(ZONE):
            zone = next(z for z in job.part.zones if ZONE + z.id == thing)
            new = new_id("zone", [z.id for z in zones])
            zones.append(Zone(id=new, name=f"{zone.name} copy"[:80], area=zone.area))
            made.append(ZONE + new)
        else:
            line = next(x for x in job.lines if x.id == thing)
            prefix = line.label.rstrip("0123456789") or "L"
            new = new_id(prefix, [x.id for x in lines] + [x.label for x in lines])
            own = isinstance(line.opens, OnFront) and line.opens.line == line.id
            opens = line.opens.replaced(line=new) if own else line.opens
            lines.append(line.replaced(id=new, label=new, opens=opens))
            made.append(new)
    part = job.part.replaced(zones=tuple(zones))
    return moved(change(job, lines=tuple(lines), part=part), made, dx, dy), tuple(made)


def deleted(job: Job, things: Sequence[str]) -> Job:
    """Take things away; lines that waited for a line taken open at the start."""
    for thing in things:
        job = (
            remove_zone(job, thing.removeprefix(ZONE)) if thing.startswith(ZONE) else remove_line(job, thing)
        )
    return job
