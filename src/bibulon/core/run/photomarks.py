"""Marks of the front out of a photo of the bag: four landmarks lay it under the plan, strokes along the pen's lines become places."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import shapely

from bibulon.core.geometry.prepared import within
from bibulon.core.geometry.projective import projective, through
from bibulon.core.geometry.zones import regions
from bibulon.core.model.job import Job
from bibulon.core.units.words import tr

__all__ = ["landmarks", "places_of_stroke"]

Place = tuple[float, float]
EVERY = 6  # places of a stroke at most


def landmarks(job: Job) -> tuple[Place, Place, Place, Place]:
    """Return four corners of the outline that lie wide apart [m], round the part from the lower left: what one finds on a photo.

    Raises
    ------
    OutlineError : when the outline is crossed or empty.
    """
    drawn = np.array([(c.x, c.y) for c in job.part.outline])
    # Corners that somebody can find on a photo; of a round outline points of its rim.
    ring = drawn if len(drawn) >= 4 else np.asarray(regions(job.part).whole.exterior.coords)[:-1]
    low, high = ring.min(axis=0), ring.max(axis=0)
    corners = np.array([low, (high[0], low[1]), high, (low[0], high[1])])
    out: list[Place] = []
    for corner in corners:
        order = np.argsort(np.hypot(*((ring - corner) / (high - low)).T))
        place = next(tuple(map(float, ring[k])) for k in order if tuple(map(float, ring[k])) not in out)
        out.append((place[0], place[1]))
    return out[0], out[1], out[2], out[3]


def places_of_stroke(
    job: Job, stroke: Sequence[Place], seen: Sequence[Place], plan: Sequence[Place]
) -> list[Place]:
    """Return places on the part [m] of a stroke on a photo [px], evenly along it; what lies off the part is left out.

    Parameters
    ----------
    seen, plan : the four landmarks on the photo [px] and on the plan [m].

    Raises
    ------
    ValueError : when the four points lay no photo under a plan, or all of the stroke lies off the part.
    """
    matrix = projective(np.asarray(seen, dtype=float), np.asarray(plan, dtype=float))
    mapped = through(matrix, np.asarray(stroke, dtype=float))
    if len(mapped) > 1:
        line = shapely.LineString(mapped)
        count = min(max(len(mapped), 2), EVERY)
        mapped = np.array([line.interpolate(s, normalized=True).coords[0] for s in np.linspace(0, 1, count)])
    whole = regions(job.part).whole
    inside = [(float(x), float(y)) for x, y in mapped if within(whole, (x, y))]
    if not inside:
        raise ValueError(tr("the stroke lies off the part: look at the four points"))
    return inside
