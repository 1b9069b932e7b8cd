"""The walk round the tape: its ring, its sides between corners, and what each side's film must climb."""

from __future__ import annotations

import math
from functools import lru_cache

import numpy as np
import numpy.typing as npt
import shapely
from msgspec import Struct
from msgspec.structs import replace
from shapely.geometry import LinearRing, LineString, Point, Polygon

from bibulon.core.bag.relief import Relief, relief_from, thicknesses
from bibulon.core.geometry.outline import check
from bibulon.core.model.job import Job, Part
from bibulon.core.units.words import tr

__all__ = ["Side", "Walk", "tape_offset", "walk_of"]

Floats = npt.NDArray[np.float64]

TURN = math.radians(25)  # of the tape in one place: a corner
SHORT = 0.08  # m; corners nearer than this are one
LEAST_OFF = 0.02  # m of tape beyond the part where no flange is told
SECTIONS = 12  # from each side to the middle of the part
ACROSS = 7  # through the whole of it each way, the middle one among them
WITHIN = 0.15  # m inside the tape in which what the film climbs is seen from there


class Side(Struct, frozen=True, eq=False):
    """One side of the tape, between two corners.

    start, end : along the walk [m]; girth : the longest path over the mould that runs as this side does, from tape to
    tape [m]; span : that less the most that the mould asks on any such path, with what the tape itself climbs [m].
    ask_at, ask : where along the walk the film needs more length, and how much of it [m]; they add up to ``needed``
    of the mould alone.
    """

    name: str
    start: float
    end: float
    girth: float
    span: float
    ask_at: Floats
    ask: Floats

    @property
    def length(self) -> float:
        """Along the tape [m]."""
        return self.end - self.start

    @property
    def climb(self) -> float:
        """What the mould asks of the film along this side [m]."""
        return max(self.girth - self.span, 0.0)


class Walk(Struct, frozen=True, eq=False):
    """The tape as one walks along it, clockwise from the start mark, seen from the bag side.

    ring : its points on the plan, the first once more at the end, shape (n, 2) [m]; at : how far along the walk each
    is [m], shape (n,), measured over the mould.
    edge, climb : height of the tape, and of what the film climbs behind it, at ``at`` [m], shape (n,).
    corners : where the tape turns, along the walk [m].  girths : the longest paths over the mould along the plan's longer
    direction and across it, from one end of the tape to the other [m].
    """

    ring: Floats
    at: Floats
    edge: Floats
    climb: Floats
    corners: Floats
    sides: tuple[Side, ...]
    girths: tuple[float, float]

    @property
    def length(self) -> float:
        """All round [m]."""
        return float(self.at[-1])

    def place(self, at: float) -> tuple[float, float]:
        """Return the place on the plan a length along the walk [m]."""
        s = at % self.length if self.length else 0.0
        return float(np.interp(s, self.at, self.ring[:, 0])), float(np.interp(s, self.at, self.ring[:, 1]))

    def outward(self, at: float) -> tuple[float, float]:
        """Return the direction that leads away from the part there."""
        (ax, ay), (bx, by) = self.place(at - 0.005), self.place(at + 0.005)
        size = math.hypot(bx - ax, by - ay) or 1.0
        return -(by - ay) / size, (bx - ax) / size  # the walk goes clockwise

    def along(self, x: float, y: float) -> float:
        """Return how far along the walk the tape is nearest to a place of the plan [m]."""
        line = LineString(self.ring)
        plan = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(self.ring, axis=0).T))])
        return float(np.interp(line.project(Point(x, y)), plan, self.at))

    def apart(self, a: float, b: float) -> float:
        """Return how far two places are from each other along the tape, the shorter way round [m]."""
        off = abs(a - b) % self.length
        return min(off, self.length - off)

    def height(self, at: float) -> float:
        """Return the height of what the film climbs there [m]."""
        return float(np.interp(at % self.length, self.at, self.climb))

    def side_at(self, at: float) -> Side:
        """Return the side that a place along the walk lies on."""
        s = at % self.length
        return next((x for x in self.sides if x.start - 1e-9 <= s <= x.end + 1e-9), self.sides[-1])


def tape_offset(job: Job) -> float:
    """Return how far outside the part's edge the tape lies [m]: as chosen, or in the middle of what the flange leaves."""
    if job.bag.tape_off is not None:
        return job.bag.tape_off
    return max(0.6 * job.part.flange, LEAST_OFF)


def walk_of(job: Job) -> Walk:
    """Return the walk of a job.

    Raises
    ------
    OutlineError : when an outline is crossed or empty.
    """
    return _walk(job.part, thicknesses(job), tape_offset(job), job.bag.start)


@lru_cache(maxsize=16)
def _walk(
    part: Part, thickness: tuple[tuple[str, float], ...], off: float, start: tuple[float, float] | None
) -> Walk:
    relief = relief_from(part, thickness)
    whole = check(part.outline)
    tape = shapely.buffer(whole, off, join_style="mitre", mitre_limit=2.0) if off > 0 else whole
    outer = max(shapely.get_parts(tape), key=lambda p: p.area)
    ring, corner = _ring(outer, start)
    samples, at = relief.developed(ring)
    corners = np.array([at[np.hypot(*(samples - c).T).argmin()] for c in ring[corner]])
    edge = relief.heights(samples)
    climb = _climbs(relief, outer, samples, edge)
    bounds = _bounds(samples, at, corners)
    sides = _named([_side(relief, outer, samples, at, a, b) for a, b in bounds], samples, at)
    return Walk(samples, at, edge, climb, corners, tuple(sides), _girths(relief, outer))


def _girths(relief: Relief, outer: Polygon) -> tuple[float, float]:
    """Return the longest paths over the mould along the longer direction of a ring and across it, over gaps of a bent one too [m]."""
    frame = np.array(shapely.oriented_envelope(outer).exterior.coords)
    long, wide = sorted((frame[1] - frame[0], frame[2] - frame[1]), key=lambda v: -float(np.hypot(*v)))
    ring = shapely.get_coordinates(outer.exterior)
    out = []
    for way in (long / max(np.hypot(*long), 1e-9), wide / max(np.hypot(*wide), 1e-9)):
        inward = np.array([way[1], -way[0]])
        reach, along = ring @ inward, ring @ way
        most = 0.0
        for depth in np.linspace(reach.min(), reach.max(), ACROSS + 2)[1:-1]:
            base = inward * depth
            chord = LineString([base + way * (along.min() - 1), base + way * (along.max() + 1)])
            met = shapely.get_coordinates(chord.intersection(outer))
            if len(met) > 1:
                order = np.argsort(met @ way)
                most = max(most, float(relief.developed(met[order[[0, -1]]])[1][-1]))
        out.append(max(most, float(np.ptp(along))))
    return out[0], out[1]


def _ring(outer: Polygon, start: tuple[float, float] | None) -> tuple[Floats, npt.NDArray[np.bool_]]:
    """Return the ring clockwise from the start mark, closed, and which of its points are corners."""
    points = np.array(outer.exterior.coords)[:-1]
    if LinearRing(points).is_ccw:
        points = points[::-1]
    before, after = points - np.roll(points, 1, axis=0), np.roll(points, -1, axis=0) - points
    turn = np.arctan2(
        before[:, 0] * after[:, 1] - before[:, 1] * after[:, 0], np.einsum("ij,ij->i", before, after)
    )
    corner = np.abs(turn) > TURN
    if start is not None:
        line = LinearRing(points)
        on = np.array(line.interpolate(line.project(Point(start))).coords[0])
        near = int(np.hypot(*(points - on).T).argmin())
        if np.hypot(*(points[near] - on)) > 1e-3:
            plan = np.concatenate(
                [[0.0], np.cumsum(np.hypot(*np.diff(np.vstack([points, points[:1]]), axis=0).T))]
            )
            near = int(np.searchsorted(plan, line.project(Point(start))))
            points, corner = np.insert(points, near, on, axis=0), np.insert(corner, near, False)
    else:  # the corner, or the point, at the far left
        x0, y1 = points[:, 0].min(), points[:, 1].max()
        off = np.hypot(points[:, 0] - x0, points[:, 1] - y1) + np.where(corner | ~corner.any(), 0.0, 1e6)
        near = int(off.argmin())
    points, corner = np.roll(points, -near, axis=0), np.roll(corner, -near)
    return np.vstack([points, points[:1]]), np.append(corner, False)


def _climbs(relief: Relief, outer: Polygon, samples: Floats, edge: Floats) -> Floats:
    """Return how far what lies within a pleat's length inside the tape stands off the tape's own height [m]."""
    out = np.zeros(len(samples))
    for depth in np.linspace(0.02, WITHIN, 8):
        inner = shapely.buffer(outer, -depth, join_style="mitre")
        if inner.is_empty:
            break
        border = shapely.boundary(inner)
        foot = shapely.get_coordinates(
            shapely.line_interpolate_point(border, shapely.line_locate_point(border, shapely.points(samples)))
        )
        out = np.maximum(out, np.abs(relief.heights(foot) - edge))
    return out


def _bounds(samples: Floats, at: Floats, corners: Floats) -> list[tuple[float, float]]:
    """Return where sides begin and end along the walk: at corners, or at the quarters of a ring without any."""
    length = float(at[-1])
    cuts = sorted({0.0, *(float(c) for c in corners)})
    kept = [c for k, c in enumerate(cuts) if k == 0 or c - cuts[k - 1] > SHORT]
    if len(kept) < 3:
        kept = [length * k / 4 for k in range(4)]
    elif not np.isclose(corners, 0.0).any() and len(kept) > 3:
        kept = kept[1:]  # the start mark lies within a side; that side runs on past the end of the walk
        return [(a, b) for a, b in zip(kept, [*kept[1:], kept[0] + length], strict=True)]
    return list(zip(kept, [*kept[1:], length], strict=True))


def _at(samples: Floats, at: Floats, s: float) -> Floats:
    s = s % at[-1] if s > at[-1] + 1e-9 else s
    return np.array([np.interp(s, at, samples[:, 0]), np.interp(s, at, samples[:, 1])])


def _side(relief: Relief, outer: Polygon, samples: Floats, at: Floats, start: float, end: float) -> Side:
    """Work out a side from sections that run as it does, at distances from it into the part."""
    a, b = _at(samples, at, start), _at(samples, at, end)
    way = (b - a) / max(float(np.hypot(*(b - a))), 1e-9)
    inward = np.array([way[1], -way[0]])  # clockwise: the part is on the right
    reach = samples @ inward
    # From where the side stands out farthest: one that is round runs far beyond the line from end to end.
    own_at = np.linspace(start, end, 64)
    first, last = min(float(_at(samples, at, s) @ inward) for s in own_at), float(reach.max())
    middle = (first + last) / 2
    depths = first + (middle - first) * np.arange(1, SECTIONS + 1) / SECTIONS
    lo, hi = float((samples @ way).min()) - 1.0, float((samples @ way).max()) + 1.0
    best: tuple[float, float, Floats, Floats] | None = None
    longest = 0.0
    for depth in [*depths, middle + (last - middle) / 2]:
        base = inward * depth
        chord = LineString([base + way * lo, base + way * hi]).intersection(outer)
        pieces = [p for p in shapely.get_parts(chord) if p.geom_type == "LineString"]
        if not pieces:
            continue
        piece = max(pieces, key=lambda p: p.length)
        ends = np.array(piece.coords)
        points, far = relief.developed(np.array([ends[0], ends[-1]]))
        span = float(piece.length)
        if depth <= middle:  # beyond it the film is the other side's
            longest = max(longest, float(far[-1]))
        if best is None or far[-1] - span > best[0] - best[1]:
            best = (float(far[-1]), span, points, far)
    if best is None:
        return Side("", start, end, end - start, end - start, np.zeros(0), np.zeros(0))
    girth, span, points, far = best
    # What the tape climbs itself along this side is not asked of the film again.
    own = (end - start) - _plan_length(samples, at, start, end)
    more = np.diff(far) - np.hypot(*np.diff(points, axis=0).T)
    where = (points[1:] + points[:-1]) / 2 @ way
    share = (where - points[0] @ way) / max(float((points[-1] - points[0]) @ way), 1e-9)
    total = max(girth - span - own, 0.0)
    positive = np.maximum(more, 0.0)
    scale = total / positive.sum() if positive.sum() > 0 else 0.0
    return Side(
        "",
        start,
        end,
        longest,
        longest - (girth - span) + own,
        start + share * (end - start),
        positive * scale,
    )


def _plan_length(samples: Floats, at: Floats, start: float, end: float) -> float:
    plan = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(samples, axis=0).T))])
    if end > at[-1] + 1e-9:
        return float(plan[-1] - np.interp(start, at, plan) + np.interp(end - at[-1], at, plan))
    return float(np.interp(end, at, plan) - np.interp(start, at, plan))


def _named(sides: list[Side], samples: Floats, at: Floats) -> list[Side]:
    """Name sides by where they lie on the plan; a second one that lies alike is numbered."""
    out: list[Side] = []
    counts: dict[str, int] = {}
    for side in sides:
        a, b = _at(samples, at, side.start), _at(samples, at, side.end)
        outward = np.array([-(b - a)[1], (b - a)[0]])
        word = (
            (tr("far side") if outward[1] > 0 else tr("near side"))
            if abs(outward[1]) >= abs(outward[0])
            else (tr("right end") if outward[0] > 0 else tr("left end"))
        )
        counts[word] = counts.get(word, 0) + 1
        name = word if counts[word] == 1 else f"{word} {counts[word]}"
        out.append(replace(side, name=name))
    return out
