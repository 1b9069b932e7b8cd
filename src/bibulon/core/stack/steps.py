"""Where the thickness of a part steps from one place to the next."""

from __future__ import annotations

import shapely
from msgspec import Struct
from shapely.geometry import LineString, MultiLineString
from shapely.geometry.base import BaseGeometry

from bibulon.core.model.job import Job
from bibulon.core.stack.laid import layers_at, places
from bibulon.core.stack.laminate import zone_stack
from bibulon.core.units.remember import by_identity

__all__ = ["Step", "steps"]

LEAST = 2e-5  # m: smaller differences are no step
TOUCH = 1e-6  # m: borders that rounding parted still touch


class Step(Struct, frozen=True):
    """A border between two places: the line [m], thickness on either side [m], bevel of a core's edge there [m]."""

    line: BaseGeometry
    places: tuple[str, str]
    low: float
    high: float
    bevel: float

    @property
    def height(self) -> float:
        """Difference of thickness [m]."""
        return self.high - self.low

    @property
    def middle(self) -> tuple[float, float]:
        """A place on the line [m]."""
        longest = max(shapely.get_parts(self.line), key=lambda p: p.length)
        point = shapely.line_interpolate_point(longest, 0.5, normalized=True)
        return float(point.x), float(point.y)


@by_identity(1, 4)
def steps(job: Job) -> tuple[Step, ...]:
    """Return all steps of thickness, the highest first.

    Raises
    ------
    OutlineError : when an outline is crossed or empty.
    """
    plan = {k: r for k, r in places(job).zones.items() if not r.is_empty}
    thick = {k: zone_stack(job, k).thickness for k in plan}
    bevels = {k: {x.id: x.bevel for x in layers_at(job, k) if x.bevel > 0} for k in plan}
    keys = list(plan)
    tree = shapely.STRtree([plan[k] for k in keys])
    found = []
    near = tree.query([plan[k] for k in keys], predicate="intersects")
    for a, b in (p for p in near.T.tolist() if p[0] < p[1]):
        low, high = sorted((keys[a], keys[b]), key=lambda k: thick[k])
        if thick[high] - thick[low] < LEAST:
            continue
        line = _lines(plan[low].boundary.intersection(plan[high].boundary.buffer(TOUCH)))
        if line.length > 1e-3:
            only_there = [w for x, w in bevels[high].items() if x not in bevels[low]]
            found.append(Step(line, (low, high), thick[low], thick[high], max(only_there, default=0.0)))
    return tuple(sorted(found, key=lambda s: -s.height))


def _lines(shape: BaseGeometry) -> BaseGeometry:
    """Keep the lines of a shape."""
    parts = [p for p in shapely.get_parts(shape) if isinstance(p, LineString)]
    merged = shapely.line_merge(MultiLineString(parts))
    return merged if merged.length else MultiLineString()
