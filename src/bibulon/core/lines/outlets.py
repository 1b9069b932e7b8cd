"""Where a part's vacuum belongs: its ends and shoulders, the middle of a ring of feed, the rim where fronts meet."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import numpy.typing as npt
import shapely
from numpy.lib.stride_tricks import sliding_window_view
from shapely.geometry import LineString, Polygon
from shapely.geometry.base import BaseGeometry
from shapely.ops import nearest_points, substring

from bibulon.core.geometry.crest import Crest, crest_of
from bibulon.core.geometry.middle import middle_lines
from bibulon.core.geometry.prepared import within

__all__ = ["INSIDE", "SHORT", "WAIT", "at_shoulder", "ends_of", "is_at", "last_of_rim", "last_of_ring"]

Floats = npt.NDArray[np.float64]

INSIDE = 0.03  # m of lines from the edge
SHORT = 0.03  # m below which a line is left out
WAIT = 10.0  # s that a vacuum line runs on once it is wet: bubbles come first
AT_END = 0.02  # of the length that an edge which faces an end may lie before it
PAST = 0.02  # m past the end of a run at which cloth that goes on is looked for
FACING = 0.6  # of the edge's normal that must point to an end for it to lie there
ALL_AT_ONCE = 0.9  # of the highest crest along a vent, from which on it is wet with the rest
RIDGE = 0.3  # of the part's depth, from which on it counts as its middle: a bend is deeper than its arms
LEVEL = 0.16  # by how much of itself the crest may fall along a middle over its depth, for fronts to meet head-on there
STEPS = 201  # places along a ridge at which that is asked
TIP = 0.01  # m from the very end that a port in it lies
STEP = 0.02  # m between places of a rim at which it is asked how far the feeds are
NEAR = 0.15  # m of the rim on either side of a place, of which it is the furthest
PORT = 0.16  # m of a vacuum line where fronts meet at the rim
ALIKE = 0.95  # of its furthest place, as far as which such a line goes
STAYS = 0.8  # of the furthest place of all, from which on a line there stays open


def ends_of(shape: Polygon, x: float) -> list[BaseGeometry]:
    """Return the part's edge where it faces one end, straight or round, run by run; a port where it comes to a point.

    A part with two legs, or with a shoulder, has several.  What is shorter than the cloth beside it that goes on is none:
    resin passes it, and a line there would only drink.
    """
    x0, _, x1, _ = shape.bounds
    outward = 1.0 if x > (x0 + x1) / 2 else -1.0
    lines = [line for line in _facing(shape, outward) if line.length > _beyond(shape, line, outward)]
    return [*lines, *([] if any(is_at(line, x, x1 - x0) for line in lines) else [_tip(shape, x)])]


def _facing(shape: Polygon, outward: float) -> list[LineString]:
    """Return the runs of the part's edge that face one way, 1 or −1 along the plan's direction."""
    ring = shape.exterior
    points = np.array(ring.simplify(1e-3).segmentize(0.05).coords)
    if not ring.is_ccw:
        points = points[::-1]
    step = np.diff(points, axis=0)
    facing = outward * step[:, 1] / np.maximum(np.hypot(*step.T), 1e-12) > FACING - 1e-6
    # Walked from a place that does not face the end, so that no run is cut in two.
    order = np.roll(np.arange(len(facing)), -int(np.argmin(facing)))
    breaks = np.flatnonzero(np.diff(facing[order].astype(int)))
    runs = [run for run in np.split(order, breaks + 1) if facing[run[0]]]
    lines = [LineString([*points[run], points[run[-1] + 1]]).simplify(2e-3) for run in runs]
    return [line for line in lines if line.length > SHORT]


def at_shoulder(shape: Polygon, x: float, near: float) -> float:
    """Return a place along the part, or that of the shoulder next to it: a line just before one leaves its corners without."""
    x0, _, x1, _ = shape.bounds
    lines = [*_facing(shape, 1.0), *_facing(shape, -1.0)]
    straight = [line.centroid.x for line in lines if line.bounds[2] - line.bounds[0] < TIP]
    inner = [at for at in straight if min(at - x0, x1 - at) > near and abs(at - x) < near]
    return min(inner, key=lambda at: abs(at - x), default=x)


def is_at(place: BaseGeometry, x: float, length: float) -> bool:
    """Whether a place is at the end of a part of a length [m], and not on the way there."""
    return min(abs(place.bounds[0] - x), abs(place.bounds[2] - x)) <= max(AT_END * length, TIP)


def _beyond(shape: Polygon, run: LineString, outward: float) -> float:
    """Return how wide the cloth is [m] that goes on past a run of edge, where it goes on beside it; else 0."""
    _, y0, _, y1 = shape.bounds
    ends = np.array(run.coords)[[0, -1]]
    along = (ends[1] - ends[0]) / np.hypot(*(ends[1] - ends[0]))
    past = ends + PAST * (np.array([-along, along]) + [outward, 0.0])
    if not within(shape, past).any():
        return 0.0
    at = (run.bounds[2] if outward > 0 else run.bounds[0]) + outward * PAST
    return float(shape.intersection(LineString([(at, y0 - 1), (at, y1 + 1)])).length)


def _tip(shape: Polygon, x: float) -> BaseGeometry:
    """Return a port in the end that a part comes to a point at, or nearly."""
    end = shape.intersection(shapely.box(x - TIP, -1e3, x + TIP, 1e3))
    return max(shapely.get_parts(end), key=lambda g: g.area).representative_point()


def last_of_ring(whole: Polygon, *, closed: bool = False) -> list[tuple[BaseGeometry, bool]]:
    """Return where fronts from all round a part meet, and whether each stays open: round the hole that it is a ring about, or along its middle.

    In a bag all along it: mesh ends before the line, and a side that runs ahead still finds it.  In a ``closed`` mould, where
    nothing holds resin back from the vent, where fronts close at once; those of arms are done before the rest is.
    """
    filled = Polygon(whole.exterior)
    about = [r for r in whole.interiors if Polygon(r).contains(filled.centroid)]
    if about:
        edge = Polygon(about[0]).buffer(3e-3).simplify(2e-3).exterior  # on the cloth, however plain
        return [(edge, True)]
    middle = shapely.maximum_inscribed_circle(filled, tolerance=0.002)
    ridges, place = middle_lines(filled, RIDGE), shapely.Point(middle.coords[0])
    crest = crest_of(whole) if closed else None
    if crest is not None:
        ridges, place = [run for r in ridges for run in _level(r, filled, crest)], shapely.Point(crest.top)
    room = whole.buffer(-INSIDE)
    found: list[BaseGeometry] = []
    for ridge in ridges:
        if ridge.length <= middle.length / 2 or room.is_empty:
            continue
        # In the cloth alone: a hole on the way parts it, and one at its end has a port beside it.
        parts = shapely.get_parts(ridge.intersection(room))
        found += [g for g in parts if g.geom_type == "LineString" and g.length > SHORT]
        for end in map(shapely.Point, (ridge.coords[0], ridge.coords[-1])):
            if all(g.distance(end) > SHORT for g in found):
                found.append(nearest_points(room, end)[0])
    # A lobe behind a neck closes by itself, however short its middle.
    lobes = [] if closed else shapely.get_parts(filled.buffer(-RIDGE * middle.length))
    for lobe in lobes if len(lobes) > 1 else ():
        if all(g.distance(lobe) > SHORT for g in found):
            deepest = shapely.Point(shapely.maximum_inscribed_circle(lobe, tolerance=0.002).coords[0])
            found.append(nearest_points(room, deepest)[0])
    if not whole.contains(place):  # in a hole: where the cloth round it is deepest
        place = shapely.Point(shapely.maximum_inscribed_circle(whole, tolerance=0.002).coords[0])
    if crest is None:
        return [(g, True) for g in found or [place]]
    nearest = min(range(len(found)), key=lambda k: found[k].distance(place), default=-1)
    if nearest < 0 or found[nearest].distance(place) > middle.length / 2:
        found.append(place)
    elif found[nearest].distance(place) > SHORT / 2:
        found[nearest] = _through(found[nearest], place)
    # The middles of other lobes, as of a dog's bone: too short for a line.
    for peak in (_peak(ridge, crest) for ridge in ridges):
        if room.contains(peak) and all(g.distance(peak) > middle.length / 2 for g in found):
            found.append(peak)
    highest = [float(crest.at(shapely.get_coordinates(g)).max()) for g in found]
    return [(g, top == max(highest)) for g, top in zip(found, highest, strict=True)]


def _peak(ridge: LineString, crest: Crest) -> shapely.Point:
    """Return the highest place of a short ridge."""
    places = shapely.line_interpolate_point(ridge, np.linspace(0.0, 1.0, STEPS), normalized=True)
    return places[int(np.argmax(crest.at(shapely.get_coordinates(places))))]


def _through(vent: BaseGeometry, place: shapely.Point) -> BaseGeometry:
    """Return a vent led through a place beside it: the middle of a bend cuts its corner, where the last of the air is."""
    if not isinstance(vent, LineString):
        return place
    along, aside = vent.project(place), vent.distance(place)
    before = [c for c in vent.coords if vent.project(shapely.Point(c)) < along - aside]
    after = [c for c in vent.coords if vent.project(shapely.Point(c)) > along + aside]
    return LineString([*before, place.coords[0], *after]) if before or after else place


def _level(ridge: LineString, shape: Polygon, crest: Crest) -> list[LineString]:
    """Return the runs of a ridge along which fronts from both sides close at once.

    Towards a ridge's ends they come from three sides, and sooner there: the last of the air is pushed along it.
    """
    if ridge.is_empty:
        return []
    places = shapely.line_interpolate_point(ridge, np.linspace(0.0, 1.0, STEPS), normalized=True)
    height, depth = crest.at(shapely.get_coordinates(places)), shapely.distance(places, shape.exterior)
    # Over a quarter of the depth either way: between the cells of its grid a crest is flat by pieces.
    reach = max(round(float(depth.max()) / 4 / ridge.length * (STEPS - 1)), 1)
    here = np.arange(STEPS)
    before, after = np.maximum(here - reach, 0), np.minimum(here + reach, STEPS - 1)
    falls = np.abs(height[after] - height[before]) / ((after - before) * ridge.length / (STEPS - 1))
    level = falls * depth < LEVEL * height
    ways = [LineString(places[run]).simplify(2e-3) for run in _alike(height, level) if len(run) > 1]
    return [way for way in ways if way.length > SHORT]


def _alike(height: Floats, level: npt.NDArray[np.bool_]) -> list[npt.NDArray[np.int_]]:
    """Return runs of level places that are about as high: a longer vent is wet at its low end, and drinks, while its high one waits."""
    left, out = level.copy(), []
    while left.any():
        most = int(np.argmax(np.where(left, height, -1.0)))
        stops = np.flatnonzero(~left | (height < ALL_AT_ONCE * height[most]))
        first, last = stops[stops < most].max(initial=-1) + 1, stops[stops > most].min(initial=len(left))
        out.append(np.arange(first, last))
        left[first:last] = False
    return out


def last_of_rim(whole: Polygon, feeds: Sequence[LineString]) -> list[tuple[BaseGeometry, bool]]:
    """Return short lines at the rim where it is furthest from feeds, in corners and between branches, and whether each stays open.

    A line all round drinks for as long as its corners take to fill, as much again as the part and more.
    """
    ring = whole.exterior
    count = max(round(ring.length / STEP), 60)
    places = shapely.line_interpolate_point(ring, np.arange(count) * ring.length / count)
    far = shapely.distance(places, shapely.union_all(feeds))
    beside = round(NEAR / STEP)
    highest = sliding_window_view(np.pad(far, beside, mode="wrap"), 2 * beside + 1).max(axis=1)
    twice = LineString([*ring.coords, *ring.coords[1:]])  # a run may pass where the ring begins
    out: list[tuple[BaseGeometry, bool]] = []
    peaks = np.flatnonzero((far >= highest) & (far > np.roll(far, 1)))
    for k in peaks.tolist() or [int(np.argmax(far))]:
        first, last = (_run_end(far, k, way) for way in (-1, 1))
        if first < 0:
            first, last = first + count, last + count
        line = substring(twice, first * ring.length / count, last * ring.length / count)
        stays = float(far[k]) >= STAYS * float(far.max())
        out.append((line if line.length > SHORT else places[k], stays))
    return out


def _run_end(far: Floats, k: int, way: int) -> int:
    """Return how far a run of places goes that are about as far from feeds as place k, one way round."""
    at = k
    while abs(at + way - k) * STEP <= PORT / 2 and far[(at + way) % len(far)] >= ALIKE * far[k]:
        at += way
    return at
