"""Plans of lines to start from, each made for this outline and stack; editable like any other afterwards."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from itertools import chain
from typing import Literal

import numpy as np
import shapely
from msgspec import Struct
from msgspec.structs import replace
from shapely.affinity import rotate
from shapely.geometry import LineString, Polygon
from shapely.geometry.base import BaseGeometry
from shapely.ops import nearest_points

from bibulon.core.edit.edit import change, inset_mesh
from bibulon.core.geometry.middle import middle_line
from bibulon.core.geometry.outline import OutlineError
from bibulon.core.geometry.prepared import within
from bibulon.core.geometry.zones import regions
from bibulon.core.lines.reach import reach_of, window_of
from bibulon.core.model.job import AtTime, FlowLine, Job, OnFront, Opening, Point
from bibulon.core.model.line_kinds import KINDS
from bibulon.core.units.words import tr

__all__ = ["STRATEGIES", "WAIT", "LinePlan", "Strategy", "lay_lines", "pitch_of", "usual_plan"]

Strategy = Literal[
    "edge to edge",
    "centre out",
    "perimeter in",
    "branched",
    "parallel feeds",
    "stepped",
    "pairs from the middle",
]
STRATEGIES: dict[Strategy, str] = {
    "edge to edge": "one feed at the wide end, the vacuum at the other",
    "centre out": "a feed across the middle, vacuum at both ends",
    "perimeter in": "a feed ring, the vacuum in the middle",
    "branched": "a spine with branches, the vacuum all round",
    "parallel feeds": "feeds at a pitch, a vacuum line between each two",
    "stepped": "feeds one after another, each opened on the front",
    "pairs from the middle": "many feeds on a big deck, opened in pairs outwards, the vacuum round the rim",
}
INSIDE = 0.03  # m of feeds from the edge
SHORT = 0.05  # m below which a line is left out
INWARD = 21  # places up to the middle at which an end that is a point is tried
TIP = 0.01  # m from the very end that a port in it lies
AT_END = 0.02  # of the length that an edge which faces an end may lie before it
WAIT = 10.0  # s that a vacuum line runs on once it is wet: bubbles come first
PAST = 0.02  # m past the end of a run at which cloth that goes on is looked for
FACING = 0.6  # of the edge's normal that must point to an end for it to lie there
RIDGE = 0.84  # of the part's depth, from which on it counts as deepest: a bend is deeper than its arms
USUAL_PITCH = 0.7  # m where nothing gels


class LinePlan(Struct, frozen=True):
    """What a plan is made from.

    strategy : how resin goes; count : feeds that are laid; turned : across the part rather than along it;
    flipped : from the other end; mesh_edge : distance of the mesh from the edge [m]; beyond, delay : how far past a
    line and how much later the next is opened [m, s]; shift : of all feeds along the part, a share of the pitch.
    """

    strategy: Strategy = "edge to edge"
    count: int = 2
    turned: bool = False
    flipped: bool = False
    mesh_edge: float = 0.04
    beyond: float = 0.0
    delay: float = 0.0
    shift: float = 0.0

    def plain(self) -> LinePlan:
        """Return the same plan with what its strategy does not use left as usual; many feeds that are one are none."""
        counts = self.strategy in {"branched", "parallel feeds", "stepped", "pairs from the middle"}
        if self.count == 1 and counts:
            alone: Strategy = "edge to edge" if self.strategy == "stepped" else "centre out"
            return replace(self, strategy=alone).plain()
        steps = self.strategy in {"stepped", "pairs from the middle"}
        return replace(
            self,
            count=self.count if counts else 1,
            beyond=self.beyond if steps else 0.0,
            delay=self.delay if steps else 0.0,
            shift=0.0 if self.strategy in {"edge to edge", "perimeter in"} else self.shift,
            flipped=self.flipped and self.strategy in {"edge to edge", "stepped"},
            turned=self.turned and self.strategy != "perimeter in",
        )


def pitch_of(job: Job) -> float:
    """Return how far apart feeds may lie [m]: four fifths of the reach in the gel window."""
    reach = reach_of(job, window_of(job))
    return 0.8 * reach.meshed if reach else USUAL_PITCH


def usual_plan(job: Job, strategy: Strategy) -> LinePlan:
    """Return a plan with as many feeds as the reach asks for."""
    length = _Frame.of(regions(job.part).whole, False, False).length
    pitch = pitch_of(job)
    count = max(math.ceil(length / pitch), 1)
    if strategy in {"parallel feeds", "branched"}:
        count = max(math.ceil(length / (2 * pitch)), 2)
    if strategy == "pairs from the middle":
        return LinePlan(strategy, min(max(count + 1 - count % 2, 3), 9))  # one in the middle, pairs beside it
    return LinePlan(strategy, min(count, 8) if strategy != "stepped" else min(max(count, 2), 8))


class _Frame(Struct, frozen=True):
    """The part turned so that its plan's direction runs along x."""

    shape: Polygon
    angle: float
    origin: tuple[float, float]

    @classmethod
    def of(cls, whole: Polygon, turned: bool, flipped: bool) -> _Frame:
        box = whole.minimum_rotated_rectangle
        corners = (
            np.array(box.exterior.coords[:-1])
            if isinstance(box, Polygon)
            else np.array(whole.envelope.exterior.coords[:-1])
        )
        sides = np.roll(corners, -1, axis=0) - corners
        longest = sides[int(np.argmax(np.hypot(*sides.T)))]
        angle = math.degrees(math.atan2(longest[1], longest[0])) % 180
        if angle > 135:
            angle -= 180
        angle += 90 if turned else 0
        origin = (whole.centroid.x, whole.centroid.y)
        shape = rotate(whole, -angle, origin=origin)
        x0, y0, x1, y1 = shape.bounds
        third = (x1 - x0) / 3
        left = shape.intersection(shapely.box(x0, y0, x0 + third, y1)).area
        right = shape.intersection(shapely.box(x1 - third, y0, x1, y1)).area
        if (right > left * 1.001) != flipped:  # from the big end into the narrow one
            angle += 180
            shape = rotate(whole, -angle, origin=origin)
        return cls(shape, angle, origin)

    @property
    def length(self) -> float:
        x0, _, x1, _ = self.shape.bounds
        return float(x1 - x0)

    def back(self, line: BaseGeometry) -> tuple[Point, ...]:
        return _rounded(rotate(line, self.angle, origin=self.origin))

    def chords(self, x: float, inset: float) -> list[LineString]:
        """Return the lines across the part at x, short of its edge by an inset [m]: one on each side of a hole."""
        _, y0, _, y1 = self.shape.bounds
        room = self.shape.buffer(-inset) if inset else self.shape
        cut = shapely.line_merge(room.intersection(LineString([(x, y0 - 1), (x, y1 + 1)]))).simplify(1e-4)
        return [g for g in shapely.get_parts(cut) if g.geom_type == "LineString" and g.length > SHORT]

    def spines(self, inset: float) -> list[LineString]:
        """Return the lines along the middle of the part, short of its edge by an inset [m]."""
        x0, _, x1, _ = self.shape.bounds
        y = self.shape.centroid.y
        cut = self.shape.buffer(-inset).intersection(LineString([(x0 - 1, y), (x1 + 1, y)]))
        return [g for g in shapely.get_parts(cut) if g.geom_type == "LineString" and g.length > SHORT]


def lay_lines(job: Job, plan: LinePlan, mesh_material: str | None = None) -> Job:
    """Return the job with its lines, and its mesh if it has one, laid anew by a plan.

    Raises
    ------
    OutlineError : when the part has no room for it.
    """
    whole = regions(job.part).whole
    frame = _Frame.of(whole, plan.turned, plan.flipped)
    feeds, vacuums, opens = _layout(frame, whole, plan)
    if not feeds or not vacuums:
        raise OutlineError(tr("The part has no room for lines laid like that."))
    lines = [_line("F", k, path, "feed", opens[k]) for k, path in enumerate(feeds)]
    for k, (path, last) in enumerate(vacuums):
        line = _line("V", k, path, "vacuum", AtTime())
        lines.append(line if last else line.replaced(shuts=OnFront(line=line.id, delay=WAIT)))
    for zone in job.part.zones:  # a thick place gets an outlet of its own
        if zone.kind == "thick":
            point = regions(job.part).zones[zone.id].representative_point()
            lines.append(_line("V", len(lines) - len(feeds), ((point.x, point.y),), "vacuum", AtTime()))
    job = change(
        job, lines=(), manifolds=(), buckets=(), bypasses=(), mesh=None if mesh_material is None else job.mesh
    )
    job = change(job, lines=tuple(lines))
    return inset_mesh(job, mesh_material, plan.mesh_edge) if mesh_material else job


def _line(
    prefix: str, k: int, path: Sequence[Point], role: Literal["feed", "vacuum"], opens: Opening
) -> FlowLine:
    name = f"{prefix}{k + 1}"
    kind = KINDS["spiral tube"] if len(path) > 1 else KINDS["point"]
    return FlowLine(
        id=name, label=name, role=role, path=tuple(path), opens=opens, bore=kind.bore,
        kind="spiral tube" if len(path) > 1 else "point",
    )  # fmt: skip


Path = tuple[Point, ...]
Vacuum = tuple[Path, bool]  # and whether it stays open to the end
Layout = tuple[list[Path], list[Vacuum], list[Opening]]


def _layout(frame: _Frame, whole: Polygon, plan: LinePlan) -> Layout:
    x0, _, x1, _ = frame.shape.bounds
    length, n = x1 - x0, plan.count

    def across(at: float, inset: float = INSIDE) -> list[Path]:
        return [
            frame.back(c) for c in frame.chords(min(max(at, x0 + 1.2 * INSIDE), x1 - 1.2 * INSIDE), inset)
        ]

    def from_end(at: float) -> list[Path]:
        """Return the feed nearest to the end that resin comes from: where that is a point, as far in as there is room."""
        places = (across(x) for x in np.linspace(at, x0 + length / 2, INWARD))
        return next((found for found in places if found), [])

    def rows(places: Iterable[float], inset: float = INSIDE) -> list[list[Path]]:
        return [row for row in (across(at, inset) for at in places) if row]

    def ends(x: float, feed: float, taken: Sequence[float] = ()) -> list[Vacuum]:
        """Return the vacuum at an end, and at shoulders on the way there from a feed where none is yet: these are done once wet."""
        found = [e for e in _ends(frame, x) if (e.centroid.x - feed) * (x - feed) > 0]
        found = [e for e in found if all(abs(e.centroid.x - at) > SHORT for at in taken)]
        return [(frame.back(e), _is_at(e, x, length)) for e in found]

    pitch = length / n
    spread = [x0 + pitch * (k + 0.5 + plan.shift) for k in range(n)]
    match plan.strategy:
        case "edge to edge":
            feeds, vacuums = [from_end(x0 + INSIDE)], ends(x1, x0)
        case "centre out":
            at = x0 + length * (0.5 + 0.4 * plan.shift)
            feeds, vacuums = [across(at)], [*ends(x0, at), *ends(x1, at)]
        case "perimeter in":
            # On the edge itself: cloth outside a ring of feed loses its way to the vacuum at once.
            feeds, vacuums = [[_ring(whole)]], [(path, True) for path in _last_of_ring(whole)]
        case "branched":
            spines = [frame.back(line) for line in frame.spines(0.12 * length / 2)]
            feeds, vacuums = [spines, *rows(spread, 0.12)], [(_ring(whole), True)]
        case "parallel feeds":
            places = [_at_shoulder(frame, x0 + pitch * (k + plan.shift), pitch / 4) for k in range(1, n)]
            between = [(path, False) for path in chain.from_iterable(rows(places, 0.0))]
            feeds = rows(spread)
            vacuums = [*ends(x0, x1, places), *between, *ends(x1, x0, places)]
        case "pairs from the middle":
            feeds, vacuums = rows(spread, 0.06), [(_ring(whole), True)]
        case _:
            later = rows(x0 + INSIDE + pitch * (k + plan.shift) for k in range(1, n))
            feeds = [row for row in (from_end(x0 + INSIDE), *later) if row]
            vacuums = ends(x1, x0)
    return list(chain.from_iterable(feeds)), vacuums, _openings(feeds, plan)


def _openings(rows: Sequence[Sequence[Path]], plan: LinePlan) -> list[Opening]:
    """Return when each feed of some rows opens: at once, or those of a later row when the front has passed them."""
    middle, out = (len(rows) - 1) / 2, list[Opening]()
    for k, row in enumerate(rows):
        match plan.strategy:
            case "stepped":
                later = k > 0
            case "pairs from the middle":
                later = abs(k - middle) >= 0.75
            case _:
                later = False
        for _ in row:
            own = OnFront(line=f"F{len(out) + 1}", beyond=plan.beyond, delay=plan.delay)
            out.append(own if later else AtTime())
    return out


def _ends(frame: _Frame, x: float) -> list[BaseGeometry]:
    """Return the part's edge where it faces one end, straight or round, run by run; a port where it comes to a point.

    A part with two legs, or with a shoulder, has several.  What is shorter than the cloth beside it that goes on is none:
    resin passes it, and a line there would only drink.
    """
    x0, _, x1, _ = frame.shape.bounds
    outward = 1.0 if x > (x0 + x1) / 2 else -1.0
    lines = [line for line in _facing(frame, outward) if line.length > _beyond(frame, line, outward)]
    return [*lines, *([] if any(_is_at(line, x, x1 - x0) for line in lines) else [_tip(frame, x)])]


def _facing(frame: _Frame, outward: float) -> list[LineString]:
    """Return the runs of the part's edge that face one way, 1 or −1 along the plan's direction."""
    ring = frame.shape.exterior
    points = np.array(ring.simplify(1e-3).segmentize(0.05).coords)
    if not ring.is_ccw:
        points = points[::-1]
    step = np.diff(points, axis=0)
    facing = outward * step[:, 1] / np.maximum(np.hypot(*step.T), 1e-12) > FACING
    # Walked from a place that does not face the end, so that no run is cut in two.
    order = np.roll(np.arange(len(facing)), -int(np.argmin(facing)))
    breaks = np.flatnonzero(np.diff(facing[order].astype(int)))
    runs = [run for run in np.split(order, breaks + 1) if facing[run[0]]]
    lines = [LineString([*points[run], points[run[-1] + 1]]).simplify(2e-3) for run in runs]
    return [line for line in lines if line.length > SHORT]


def _at_shoulder(frame: _Frame, x: float, near: float) -> float:
    """Return a place along the part, or that of the shoulder next to it: a line just before one leaves its corners without."""
    x0, _, x1, _ = frame.shape.bounds
    lines = [*_facing(frame, 1.0), *_facing(frame, -1.0)]
    straight = [line.centroid.x for line in lines if line.bounds[2] - line.bounds[0] < TIP]
    inner = [at for at in straight if min(at - x0, x1 - at) > near and abs(at - x) < near]
    return min(inner, key=lambda at: abs(at - x), default=x)


def _is_at(place: BaseGeometry, x: float, length: float) -> bool:
    """Whether a place is at the end of a part of a length [m], and not on the way there."""
    return min(abs(place.bounds[0] - x), abs(place.bounds[2] - x)) <= max(AT_END * length, TIP)


def _beyond(frame: _Frame, run: LineString, outward: float) -> float:
    """Return how wide the cloth is [m] that goes on past a run of edge, where it goes on beside it; else 0."""
    _, y0, _, y1 = frame.shape.bounds
    ends = np.array(run.coords)[[0, -1]]
    along = (ends[1] - ends[0]) / np.hypot(*(ends[1] - ends[0]))
    past = ends + PAST * (np.array([-along, along]) + [outward, 0.0])
    if not within(frame.shape, past).any():
        return 0.0
    at = (run.bounds[2] if outward > 0 else run.bounds[0]) + outward * PAST
    return float(frame.shape.intersection(LineString([(at, y0 - 1), (at, y1 + 1)])).length)


def _tip(frame: _Frame, x: float) -> BaseGeometry:
    """Return a port in the end that a part comes to a point at, or nearly."""
    end = frame.shape.intersection(shapely.box(x - TIP, -1e3, x + TIP, 1e3))
    return max(shapely.get_parts(end), key=lambda g: g.area).representative_point()


def _last_of_ring(whole: Polygon) -> list[Path]:
    """Return where fronts from all round a part meet: round the hole that it is a ring about, or along its middle where it is deepest."""
    filled = Polygon(whole.exterior)
    about = [r for r in whole.interiors if Polygon(r).contains(filled.centroid)]
    if about:
        edge = Polygon(about[0]).buffer(3e-3).simplify(2e-3).exterior  # on the cloth, however plain
        return [_rounded(edge)]
    middle = shapely.maximum_inscribed_circle(filled, tolerance=0.002)
    ridge = middle_line(filled, RIDGE)
    if ridge.length > middle.length / 2:
        # In the cloth alone: a hole on the way parts it, and one at its end has a port beside it.
        room = whole.buffer(-INSIDE)
        parts = shapely.get_parts(ridge.intersection(room))
        found: list[BaseGeometry] = [g for g in parts if g.geom_type == "LineString" and g.length > SHORT]
        for end in map(shapely.Point, (ridge.coords[0], ridge.coords[-1])):
            if all(g.distance(end) > SHORT for g in found):
                found.append(nearest_points(room, end)[0])
        if found:
            return [_rounded(g) for g in found]
    place = shapely.Point(middle.coords[0])
    if not whole.contains(place):  # in a hole: where the cloth round it is deepest
        place = shapely.Point(shapely.maximum_inscribed_circle(whole, tolerance=0.002).coords[0])
    return [_rounded(place)]


def _rounded(shape: BaseGeometry) -> Path:
    return tuple((round(float(x), 4), round(float(y), 4)) for x, y in shape.coords)


def _ring(whole: Polygon) -> Path:
    """Return a ring along the edge."""
    return _rounded(whole.exterior.simplify(2e-3))
