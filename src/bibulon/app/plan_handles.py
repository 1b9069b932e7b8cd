"""What the hand can take hold of on the plan, and the job after it has moved."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass, replace

from bibulon.core.geometry.outline import OutlineError, check
from bibulon.core.job.edit import change, change_line, set_outline
from bibulon.core.job.model import Corner, Job

__all__ = ["Handle", "handles_of", "moved"]


@dataclass(frozen=True)
class Handle:
    """A corner of an outline, mesh, cut or line; ``index`` −1 holds a whole line."""

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
            return f"Move {next(x.label for x in job.lines if x.id == self.owner)}"
        return {"outline": "Move corner", "mesh": "Move mesh edge", "cut": "Move cut"}[self.kind]

    def words(self, job: Job) -> str:
        """Return what is held, for the label at the hand."""
        return f"{self.title(job).removeprefix('Move ')} · "


def handles_of(job: Job, editable: frozenset[str], selected: str | None) -> Iterator[Handle]:
    """Yield the handles that are shown."""
    if "outline" in editable:
        for k, corner in enumerate(job.part.outline):
            yield Handle("outline", "part", k, (corner.x, corner.y))
    if "lines" in editable:
        for line in job.lines:
            if line.id == selected:
                for k, point in enumerate(line.path):
                    yield Handle("line", line.id, k, point)
    if "mesh" in editable and job.mesh and len(job.mesh.outline) <= 40:
        for k, corner in enumerate(job.mesh.outline):
            yield Handle("mesh", "mesh", k, (corner.x, corner.y))
    if "cut" in editable and job.cut:
        for k, point in enumerate(job.cut.path):
            yield Handle("cut", "cut", k, point)


def _corners(outline: tuple[Corner, ...], index: int, to: tuple[float, float]) -> tuple[Corner, ...]:
    return tuple(
        c.model_copy(update={"x": to[0], "y": to[1]}) if k == index else c for k, c in enumerate(outline)
    )


def moved(job: Job, handle: Handle, to: tuple[float, float]) -> Job | None:
    """Return the job with a handle moved to a place [m]; None when the move would make no sense.

    A corner that would cross the outline stays where it was: the drag goes on.
    """
    if not all(math.isfinite(v) and abs(v) < 1e4 for v in to):
        return None
    try:
        if handle.kind == "outline":
            return set_outline(job, _corners(job.part.outline, handle.index, to))
        if handle.kind == "mesh":
            assert job.mesh is not None
            outline = _corners(job.mesh.outline, handle.index, to)
            check(outline)
            return change(job, mesh=job.mesh.model_copy(update={"outline": outline}))
    except OutlineError:
        return None
    if handle.kind == "cut":
        assert job.cut is not None
        path = tuple(to if k == handle.index else p for k, p in enumerate(job.cut.path))
        return change(job, cut=job.cut.model_copy(update={"path": path}))
    line = next(x for x in job.lines if x.id == handle.owner)
    if handle.index < 0:
        dx, dy = to[0] - handle.place[0], to[1] - handle.place[1]
        path = tuple((round(x + dx, 6), round(y + dy, 6)) for x, y in line.path)
    else:
        path = tuple(to if k == handle.index else p for k, p in enumerate(line.path))
    return change_line(job, line.id, path=path)
