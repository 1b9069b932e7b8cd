"""How high the film lies over each place of the plan, and how long paths over it are.

With a surface of the mould the surface counts; else what is known of zones: the depth to which the mould is drawn, with
its draft, the depth of a zone, and the radii of corners.  Where no depth is known a zone's draw factor stands for an
even slope, whose lengths grow with its root.  The dry stack lies on top.
"""

from __future__ import annotations

import math
from functools import cached_property, lru_cache
from itertools import pairwise

import numpy as np
import numpy.typing as npt
import shapely
from msgspec import Struct
from shapely.geometry import LineString
from shapely.geometry.base import BaseGeometry

from bibulon.core.geometry.outline import check
from bibulon.core.geometry.prepared import within
from bibulon.core.geometry.surface import Lift, lift_of
from bibulon.core.geometry.zones import draw_factor, regions
from bibulon.core.model.job import Job, MouldCorner, Part
from bibulon.core.stack.laminate import zone_stack

__all__ = ["Relief", "relief_from", "thicknesses"]

Floats = npt.NDArray[np.float64]

STEP = 0.01  # m between the samples of a path
MOST_SAMPLES = 20_000  # of a path that is longer than any mould: a wrong unit makes it so
FINER = 40  # times more of them where a path is steep
STEEP = 0.5  # slope from which it is


class Relief(Struct, frozen=True, dict=True):
    """The face that film is laid over.

    whole : the part on the plan; depth and draft [rad] of its mould, sign −1 where it goes down, +1 where it stands up.
    recessed : regions that lie deeper by so much [m]; thick : regions with the thickness of their stack [m].
    slopes : regions with the growth of lengths in them.
    """

    whole: BaseGeometry
    depth: float
    draft: float
    sign: float
    lift: Lift | None
    recessed: tuple[tuple[BaseGeometry, float], ...]
    thick: tuple[tuple[BaseGeometry, float], ...]
    slopes: tuple[tuple[BaseGeometry, float], ...]
    corners: tuple[MouldCorner, ...]

    def heights(self, points: Floats) -> Floats:
        """Return how high places of the plan lie above the flange [m], shapes (n, 2), (n,)."""
        return self._on_mould(points)[0]

    def _on_mould(self, points: Floats) -> tuple[Floats, Floats, Floats]:
        """Return ``heights``, and of a mould with a surface the places in space and what of the plan they stand for; else none."""
        space, foot = np.zeros((0, 3)), np.zeros((0, 2))
        if self.lift is not None:
            space, foot = self.lift.onto(points)
            z = space[:, 2].copy()
        else:
            z = np.zeros(len(points))
            if self.depth > 0:
                z += self.sign * self._walls(points)
            for region, depth in self.recessed:
                z -= np.where(within(region, points), depth, 0.0)
        for region, thickness in self.thick:
            z += np.where(within(region, points), thickness, 0.0)
        return z, space, foot

    def _walls(self, points: Floats) -> Floats:
        inside = within(self.whole, points)
        if self.draft <= 1e-6:
            return np.where(inside, self.depth, 0.0)
        out = np.where(inside, self.depth, 0.0)
        # Distances are dear: only of what lies on the slope of the wall.
        slope = np.flatnonzero(inside & ~within(self._floor, points))
        away = shapely.distance(shapely.boundary(self.whole), shapely.points(points[slope]))
        out[slope] = np.minimum(self.depth, away / math.tan(self.draft))
        return out

    @cached_property
    def _floor(self) -> BaseGeometry:
        """What of the part lies as deep as the mould is drawn."""
        return self.whole.buffer(-self.depth * math.tan(self.draft) * (1 + 1e-9))

    def developed(self, path: Floats) -> tuple[Floats, Floats]:
        """Return samples of a path of the plan, shape (n, 2) [m], and how far along the film each is [m], shape (n,)."""
        long = float(np.hypot(*np.diff(path, axis=0).T).sum())
        points = _sampled(path, max(STEP, long / MOST_SAMPLES))
        z, space, foot = self._on_mould(points)
        plan = np.hypot(*np.diff(points, axis=0).T)
        steep = np.abs(np.diff(z)) > STEEP * plan
        if steep.any():
            finer = max(min(FINER, MOST_SAMPLES // int(steep.sum())), 2)
            parts = [
                points[k : k + 1] if not steep[k] else points[k] + np.outer(np.arange(finer) / finer, points[k + 1] - points[k])
                for k in range(len(plan))
            ]  # fmt: skip
            points = np.vstack([*parts, points[-1:]])
            z, space, foot = self._on_mould(points)
            plan = np.hypot(*np.diff(points, axis=0).T)
        if self.lift is not None:
            space[:, 2] = z
            steps = np.linalg.norm(np.diff(space, axis=0), axis=1)
            # Beyond the surface the plan goes on flat: what a step is longer on it than along the rim is added.
            steps += np.maximum(plan - np.hypot(*np.diff(foot, axis=0).T), 0.0)
        else:
            rise = np.abs(np.diff(z))
            wall = rise > 20 * plan  # upright: the film runs along the floor and up, not across the sample
            steps = np.where(wall, plan + rise, np.hypot(plan * self._growth(points), rise))
        return points, np.concatenate([[0.0], np.cumsum(steps)]) - self._rounding(points)

    def _growth(self, points: Floats) -> Floats:
        middle = (points[1:] + points[:-1]) / 2
        out = np.ones(len(middle))
        for region, growth in self.slopes:
            out[within(region, middle)] = growth
        return out

    def _rounding(self, points: Floats) -> Floats:
        """Return what the radii of corners have taken off a path by each sample [m]."""
        off = np.zeros(len(points))
        if not self.corners or self.lift is not None:
            return off
        line = LineString(points)
        for corner in self.corners:
            met = shapely.get_parts(line.intersection(LineString(corner.path)))
            angle = math.radians(corner.angle_deg)
            saved = corner.radius * (2 * math.tan(min(angle, 3.0) / 2) - angle)
            for at in met:
                if at.geom_type == "Point" and saved > 0 and self.depth > saved:
                    off[np.hypot(*(points - np.array(at.coords[0])).T).argmin() :] += saved
        return off


def _sampled(path: Floats, step: float) -> Floats:
    """Return a path with points no further apart than a step; its own corners stay."""
    parts = []
    for a, b in pairwise(path):
        n = max(int(np.ceil(np.hypot(*(b - a)) / step)), 1)
        parts.append(a + np.outer(np.arange(n) / n, b - a))
    return np.vstack([*parts, path[-1:]])


def thicknesses(job: Job) -> tuple[tuple[str, float], ...]:
    """Return the thickness of the stack of each zone [m]."""
    return tuple(
        (key, round(float(zone_stack(job, key).thickness), 6))
        for key, region in regions(job.part).zones.items()
        if not region.is_empty
    )


@lru_cache(maxsize=32)
def relief_from(part: Part, thickness: tuple[tuple[str, float], ...]) -> Relief:
    """Return the relief of a part with stacks so thick by zone [m]."""
    plan = regions(part)
    whole = check(part.outline)
    recessed, slopes = [], []
    for zone in part.zones:
        region = plan.zones.get(zone.id)
        if region is not None and not region.is_empty and zone.laid and zone.depth > 0:
            recessed.append((region, zone.depth))
    for key, region in plan.zones.items():
        factor = draw_factor(part, key)
        if (
            part.depth <= 0
            and factor > 1
            and not region.is_empty
            and not any(r is region for r, _ in recessed)
        ):
            slopes.append((region, math.sqrt(factor)))
    thick = [(plan.zones[key], t) for key, t in thickness if t > 0]
    return Relief(
        whole, part.depth, math.radians(part.draft_deg), -1.0 if part.face == "female" else 1.0, lift_of(part),
        tuple(recessed), tuple(thick), tuple(slopes), part.corners,
    )  # fmt: skip
