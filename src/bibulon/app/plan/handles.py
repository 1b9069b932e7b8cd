"""What the hand can take hold of on the plan, and the job after it has moved."""

from __future__ import annotations

import math
from collections.abc import Iterator

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from bibulon.core.edit.arrange import moved as moved_things
from bibulon.core.edit.arrange import names
from bibulon.core.edit.edit import change, change_line, set_outline, set_zone
from bibulon.core.geometry.outline import OutlineError, check
from bibulon.core.geometry.paths import inlet_of, share_near
from bibulon.core.model.job import Corner, Drawn, Job, MeshExtent
from bibulon.core.stack.mesh_cover import laid_mesh
from bibulon.core.units.words import tr

__all__ = ["Handle", "handles_of", "moved", "set_bow"]

NOTCH = 0.02  # share of a line within which its hose rests at an end or in the middle
MOST = 40  # corners of a mesh or zone up to which each has a handle


class Handle(Struct, frozen=True):
    """A corner of an outline, zone, mesh, cut or line, or the middle of an arc.

    kind : "outline", "zone", "mesh", "cut", "line", "hose" (where it joins its line), "bow" (of an outline's
    side) or "things" (all that is chosen); ``index`` is of the corner, of mesh over all its rings.
    """

    kind: str
    owner: str
    index: int
    place: tuple[float, float]

    @property
    def key(self) -> str:
        """Return what stays the same while it is dragged."""
        return f"{self.kind} {self.owner} {self.index}"

    def at(self, place: tuple[float, float]) -> Handle:
        """Return the handle at another place."""
        return replace(self, place=place)

    def title(self, job: Job) -> str:
        """Return the name of the edit for undo."""
        if self.kind == "line":
            return tr("Move {}", names(job, [self.owner]))
        if self.kind == "hose":
            return tr("Move hose of {}", names(job, [self.owner]))
        if self.kind == "things":
            return tr("Move {}", names(job, self.owner.split()))
        if self.kind == "zone":
            return tr("Move corner of {}", names(job, [self.owner]))
        return {
            "outline": "Move corner", "mesh": "Move mesh edge", "cut": "Move cut", "bow": "Bend side",
        }[self.kind]  # fmt: skip

    def words(self, job: Job) -> str:
        """Return what is held, for the label at the hand."""
        return f"{self.title(job).removeprefix('Move ')} · "


def _middle(a: Corner, b: Corner, turn: float) -> tuple[float, float]:
    """Return the middle of a side's arc."""
    chord = math.hypot(b.x - a.x, b.y - a.y) or 1.0
    nx, ny = turn * (b.y - a.y) / chord, -turn * (b.x - a.x) / chord
    return (a.x + b.x) / 2 + nx * a.bow, (a.y + b.y) / 2 + ny * a.bow


def _turn(outline: tuple[Corner, ...]) -> float:
    x, y = np.array([(c.x, c.y) for c in outline]).T
    return 1.0 if float(x @ np.roll(y, -1) - y @ np.roll(x, -1)) >= 0 else -1.0


def handles_of(job: Job, editable: frozenset[str], selection: tuple[str, ...]) -> Iterator[Handle]:
    """Yield the handles that are shown."""
    if "outline" in editable:
        outline = job.part.outline
        turn = _turn(outline)
        if len(outline) <= MOST:
            for k, corner in enumerate(outline):
                yield Handle("bow", "part", k, _middle(corner, outline[(k + 1) % len(outline)], turn))
        for k, corner in enumerate(outline):
            yield Handle("outline", "part", k, (corner.x, corner.y))
    for zone in job.part.zones if "zones" in editable else ():
        if f"zone:{zone.id}" in selection and isinstance(zone.area, Drawn) and len(zone.area.outline) <= MOST:
            for k, corner in enumerate(zone.area.outline):
                yield Handle("zone", f"zone:{zone.id}", k, (corner.x, corner.y))
    if "lines" in editable and len(selection) == 1:
        for line in job.lines:
            if line.id == selection[0]:
                for k, point in enumerate(line.path):
                    yield Handle("line", line.id, k, point)
                if len(line.path) > 1:
                    yield Handle("hose", line.id, 0, inlet_of(line))
    if "mesh" in editable and job.mesh:
        first = 0
        for ring in job.mesh.rings:
            for k, corner in enumerate(ring if len(ring) <= MOST else ()):
                yield Handle("mesh", "mesh", first + k, (corner.x, corner.y))
            first += len(ring)
    if "cut" in editable and job.cut:
        for k, point in enumerate(job.cut.path):
            yield Handle("cut", "cut", k, point)


def _corners(outline: tuple[Corner, ...], index: int, to: tuple[float, float]) -> tuple[Corner, ...]:
    return tuple(c.replaced(x=to[0], y=to[1]) if k == index else c for k, c in enumerate(outline))


def set_bow(job: Job, index: int, bow: float) -> Job:
    """Return the job with the rise of one side changed [m].

    Raises
    ------
    OutlineError : when the outline would cross itself.
    """
    return set_outline(job, tuple(
        c.replaced(bow=bow) if k == index else c for k, c in enumerate(job.part.outline)
    ))  # fmt: skip


def _bent(job: Job, index: int, to: tuple[float, float]) -> Job:
    """Bend a side so that its middle comes as near to a place as it can."""
    outline = job.part.outline
    a, b = outline[index], outline[(index + 1) % len(outline)]
    chord = math.hypot(b.x - a.x, b.y - a.y) or 1.0
    turn = _turn(outline)
    nx, ny = turn * (b.y - a.y) / chord, -turn * (b.x - a.x) / chord
    rise = (to[0] - (a.x + b.x) / 2) * nx + (to[1] - (a.y + b.y) / 2) * ny
    limit = 0.49 * chord  # just under a half circle: beyond it the rise no longer tells one arc
    return set_bow(job, index, round(min(max(rise, -limit), limit), 4))


def moved(job: Job, handle: Handle, to: tuple[float, float]) -> Job | None:
    """Return the job with a handle moved to a place [m]; None when the move would make no sense.

    A corner that would cross the outline stays where it was: the drag goes on.
    """
    if not all(math.isfinite(v) and abs(v) < 1e4 for v in to):
        return None
    try:
        return _moved(job, handle, to)
    except OutlineError:
        return None


def _mesh_moved(mesh: MeshExtent, index: int, to: tuple[float, float]) -> MeshExtent:
    """Move a corner of mesh, counted over all its rings."""
    for number, ring in enumerate(mesh.rings):
        if index < len(ring):
            ring = _corners(ring, index, to)
            check(ring)
            moved = mesh.with_ring(number, ring)
            laid_mesh(moved)
            return moved
        index -= len(ring)
    return mesh


def _notched(share: float) -> float:
    """Return a share of a line, at its ends and middle where it is near them: where hoses mostly join."""
    return next((x for x in (0.0, 0.5, 1.0) if abs(share - x) < NOTCH), share)


def _moved(job: Job, handle: Handle, to: tuple[float, float]) -> Job:
    match handle.kind:
        case "outline":
            return set_outline(job, _corners(job.part.outline, handle.index, to))
        case "bow":
            return _bent(job, handle.index, to)
        case "zone":
            zone = next(z for z in job.part.zones if f"zone:{z.id}" == handle.owner)
            assert isinstance(zone.area, Drawn)
            outline = _corners(zone.area.outline, handle.index, to)
            check(outline)
            return set_zone(job, zone.replaced(area=Drawn(outline=outline)))
        case "mesh":
            assert job.mesh is not None
            return change(job, mesh=_mesh_moved(job.mesh, handle.index, to))
        case "cut":
            assert job.cut is not None
            path = tuple(to if k == handle.index else p for k, p in enumerate(job.cut.path))
            return change(job, cut=job.cut.replaced(path=path))
        case "hose":
            line = next(x for x in job.lines if x.id == handle.owner)
            return change_line(job, line.id, hose_at=_notched(share_near(line.path, to)))
        case "things":
            dx, dy = to[0] - handle.place[0], to[1] - handle.place[1]
            return moved_things(job, handle.owner.split(), dx, dy)
        case _:
            line = next(x for x in job.lines if x.id == handle.owner)
            path = tuple(to if k == handle.index else p for k, p in enumerate(line.path))
            return change_line(job, line.id, path=path)
