"""Where a section is worth looking at: along, across, through a feed, through a place."""

from __future__ import annotations

import numpy as np
from shapely.geometry import LineString, MultiLineString, Point

from bibulon.core.edit.edit import change
from bibulon.core.geometry.outline import check, trace
from bibulon.core.model.job import CutLine, Job

__all__ = ["cut_across", "cut_along", "cut_kept", "cut_through"]

Place = tuple[float, float]
BEYOND = 0.02  # of the part's length that a cut runs out over its edge


def _axes(job: Job) -> tuple[np.ndarray, np.ndarray]:
    """Return the middle of the part [m] and the direction in which it is longest, along x or y."""
    points = trace(job.part.outline)
    low, high = points.min(axis=0), points.max(axis=0)
    long = np.array([1.0, 0.0]) if high[0] - low[0] >= high[1] - low[1] else np.array([0.0, 1.0])
    centre = check(job.part.outline).centroid
    return np.array([centre.x, centre.y]), long


def _with(job: Job, place: np.ndarray, direction: np.ndarray) -> Job:
    """Return the job cut through a place along a direction, from edge to edge."""
    whole = check(job.part.outline)
    size = float(np.hypot(*(np.ptp(trace(job.part.outline), axis=0))))
    line = LineString([place - direction * 2 * size, place + direction * 2 * size])
    inside = line.intersection(whole)
    if isinstance(inside, MultiLineString):
        inside = LineString([inside.geoms[0].coords[0], inside.geoms[-1].coords[-1]])
    if inside.is_empty or not isinstance(inside, LineString):
        return job
    a, b = (np.array(p) for p in (inside.coords[0], inside.coords[-1]))
    if direction @ (b - a) < 0:
        a, b = b, a
    ends = (a - direction * BEYOND * size, b + direction * BEYOND * size)
    path = tuple((round(float(p[0]), 4), round(float(p[1]), 4)) for p in ends)
    return change(job, cut=CutLine(path=path))


def cut_along(job: Job) -> Job:
    """Cut the part along its length through its middle."""
    return _with(job, *_axes(job))


def cut_across(job: Job) -> Job:
    """Cut the part across its length through its middle."""
    middle, long = _axes(job)
    return _with(job, middle, np.array([long[1], long[0]]))


def cut_through(job: Job, place: Place, along: Place | None = None) -> Job:
    """Cut the part through a place [m], in a direction, or along its length."""
    direction = _axes(job)[1] if along is None else np.array(along) / max(float(np.hypot(*along)), 1e-12)
    return _with(job, np.array(place), direction)


def cut_kept(job: Job, before: Job) -> Job:
    """Return a job that was given another shape with a cut that shows it: laid anew where it misses the part, or went through it whole."""
    if job.cut is None or _shows(job) or (not _shows(before) and _meets(job)):
        return job
    return cut_along(job)


def _meets(job: Job) -> bool:
    return job.cut is not None and LineString(job.cut.path).intersects(check(job.part.outline))


def _shows(job: Job) -> bool:
    """Whether the cut goes through the part from edge to edge."""
    whole = check(job.part.outline)
    ends = () if job.cut is None else (job.cut.path[0], job.cut.path[-1])
    return _meets(job) and not any(whole.contains(Point(end)) for end in ends)
