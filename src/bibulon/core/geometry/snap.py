"""Where the hand means: the nearest end, edge, centre, perpendicular foot or grid point."""

from __future__ import annotations

import math
from collections.abc import Iterable
from typing import Literal

import numpy as np
import numpy.typing as npt
from msgspec import Struct

from bibulon.core.geometry.outline import trace
from bibulon.core.model.job import Drawn, Job
from bibulon.core.units.units import System, system_of

__all__ = ["Snap", "Targets", "nice_grid", "snap", "targets_of"]

Floats = npt.NDArray[np.float64]
Kind = Literal["end", "centre", "edge", "perpendicular", "grid", "free"]
POINTS = ("end", "centre", "perpendicular")  # within reach these come before an edge that is nearer


class Targets(Struct, frozen=True, eq=False):
    """What can be snapped to: ends and centres, shape (n, 2), and edges from a to b, shape (m, 2) each [m]."""

    ends: Floats
    centres: Floats
    a: Floats
    b: Floats


class Snap(Struct, frozen=True):
    """A place [m] and what it is."""

    place: tuple[float, float]
    kind: Kind


def targets_of(job: Job, without: frozenset[str] = frozenset()) -> Targets:
    """Return the targets of a job: corners and sides of outlines, mesh and zones, lines and their ends.

    without : ids of lines that are being moved, and "outline", "mesh" or a zone's id.
    """
    paths: list[tuple[Floats, bool]] = []
    corners: list[tuple[float, float]] = []
    outlines = [("outline", job.part.outline), *(("outline", h) for h in job.part.holes)]
    outlines += [(z.id, z.area.outline) for z in job.part.zones if isinstance(z.area, Drawn)]
    outlines += [("mesh", ring) for ring in job.mesh.rings] if job.mesh else []
    for name, outline in outlines:
        if name not in without:
            paths.append((trace(outline), True))
            corners += [(c.x, c.y) for c in outline]
    for line in job.lines:
        if line.id not in without:
            paths.append((np.array(line.path), False))
            corners += line.path
    centres, starts, stops = [], [np.zeros((0, 2))], [np.zeros((0, 2))]
    for points, closed in paths:
        following = np.roll(points, -1, axis=0) if closed else points[1:]
        before = points if closed else points[:-1]
        starts.append(before)
        stops.append(following)
        if closed:
            centres.append((points.min(axis=0) + points.max(axis=0)) / 2)
        elif len(points) == 2:
            centres.append(points.mean(axis=0))
    none = np.zeros((0, 2))
    return Targets(
        np.array(corners) if corners else none, np.array(centres) if centres else none,
        np.vstack(starts), np.vstack(stops),
    )  # fmt: skip


def _foot(a: Floats, b: Floats, place: Floats) -> tuple[Floats, Floats]:
    """Return the nearest point of each edge to a place, and whether it lies within the edge."""
    along = b - a
    length = np.maximum((along**2).sum(axis=1), 1e-18)
    share = ((place - a) * along).sum(axis=1) / length
    return a + np.clip(share, 0.0, 1.0)[:, None] * along, (share >= 0) & (share <= 1)


def snap(
    place: tuple[float, float], targets: Targets, reach: float, grid: float, start: tuple[float, float] | None = None
) -> Snap:  # fmt: skip
    """Return where a hand at ``place`` [m] means.

    Parameters
    ----------
    reach : how far a target may be [m].
    grid : spacing of the grid [m]; 0 for none.
    start : the point that is being drawn or moved from, for perpendiculars.
    """
    here = np.array(place)
    found: list[tuple[bool, float, Snap]] = []

    def offer(points: Iterable[Floats], kind: Kind) -> None:
        for p in points:
            distance = math.hypot(p[0] - place[0], p[1] - place[1])
            if distance <= reach:
                found.append((kind not in POINTS, distance, Snap((float(p[0]), float(p[1])), kind)))

    offer(targets.ends, "end")
    offer(targets.centres, "centre")
    if len(targets.a):
        feet, _ = _foot(targets.a, targets.b, here)
        near = np.hypot(*(feet - here).T) <= reach
        offer(feet[near], "edge")
        if start is not None and near.any():
            square, within = _foot(targets.a[near], targets.b[near], np.array(start))
            offer(square[within], "perpendicular")
    if found:
        return min(found, key=lambda f: f[:2])[2]
    if grid > 0:
        return Snap(
            (round(round(place[0] / grid) * grid, 9), round(round(place[1] / grid) * grid, 9)), "grid"
        )
    return Snap(place, "free")


def nice_grid(px_a_metre: float, system: System, wanted_px: float = 28.0) -> float:
    """Return a round spacing [m] that is at least ``wanted_px`` wide on the screen: 1, 2, 5 or 1, 2, 6, 12 in."""
    metric = [m * 10.0**e for e in range(-4, 3) for m in (1, 2, 5)]
    inches = [0.0254 * f for f in (1 / 16, 1 / 8, 1 / 4, 1 / 2, 1, 2, 6, 12, 24, 60, 120, 600)]
    steps = metric if system_of("length", system) == "metric" else inches
    return next((s for s in steps if s * px_a_metre >= wanted_px), steps[-1])
