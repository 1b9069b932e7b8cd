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

from bibulon.core.edit.edit import change, inset_mesh
from bibulon.core.geometry.outline import OutlineError
from bibulon.core.geometry.zones import regions
from bibulon.core.lines.outlets import (
    INSIDE,
    SHORT,
    WAIT,
    at_shoulder,
    ends_of,
    is_at,
    last_of_rim,
    last_of_ring,
)
from bibulon.core.lines.reach import reach_of, window_of
from bibulon.core.model.job import AtTime, FlowLine, Job, OnFront, Opening, Point
from bibulon.core.model.line_kinds import KINDS
from bibulon.core.units.words import tr

__all__ = ["STRATEGIES", "LinePlan", "Strategy", "lay_lines", "pitch_of", "suited_plan", "usual_plan"]

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
    "branched": "a spine with branches, vacuum at the rim where fronts meet",
    "parallel feeds": "feeds at a pitch, a vacuum line between each two",
    "stepped": "feeds one after another, each opened on the front",
    "pairs from the middle": "many feeds on a big deck, opened in pairs outwards, the vacuum at both ends",
}
INWARD = 21  # places up to the middle at which an end that is a point is tried
SLANTED = 0.35  # of a part's length, that one of its ends runs along it from which on it is none
PLAIN = 0.95  # of its convex hull that a part covers which has no bays to speak of
BROAD = 0.5  # of the width that an end spans which resin may come from all at once
AS_GOOD = 1.02  # times the area of the narrowest box round a part
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


def suited_plan(job: Job) -> LinePlan:
    """Return the plainest plan whose pull resin reaches before gel, for the length of this part.

    From a broad end to the other where that is within reach, or from the middle to both ends; where that is too far, feeds side by
    side with a vacuum line between each two: none of them waits for another.  A part with arms, bays or holes is fed round its
    rim, where resin reaches its midst: fronts that go round a bay meet where no line is.  So is one whose end runs along its side, as
    a triangle's: resin would come to the near part of that long before the far.  So is a light closed mould, by the channel
    round its cavity.
    """
    whole, pitch = regions(job.part).whole, pitch_of(job)
    round_rim = LinePlan("perimeter in", 1)
    if job.process == "light RTM":
        return round_rim
    frame = _Frame.of(whole, False, False)
    x0, y0, x1, y1 = frame.shape.bounds
    slanted = any(
        end.bounds[2] - end.bounds[0] > SLANTED * frame.length
        for x in (x0, x1)
        for end in ends_of(frame.shape, x)
    )
    armed = whole.area < PLAIN * whole.convex_hull.area
    if (armed or slanted) and shapely.maximum_inscribed_circle(whole).length <= pitch:
        return round_rim
    end = sum(chord.length for chord in frame.chords(x0 + 1.2 * INSIDE, INSIDE))
    if frame.length <= pitch and end > BROAD * (y1 - y0 - 2 * INSIDE):
        return LinePlan("edge to edge", 1)
    if frame.length <= 2 * pitch:
        return LinePlan("centre out", 1)
    return usual_plan(job, "parallel feeds")


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
        if whole.envelope.area < AS_GOOD * box.area:  # of two boxes as narrow, the one along the axes counts
            angle = 90.0 * round(angle / 90)
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
    feeds, vacuums, opens = _layout(frame, whole, plan, closed=job.process != "infusion")
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


def _layout(frame: _Frame, whole: Polygon, plan: LinePlan, *, closed: bool) -> Layout:
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
        found = [e for e in ends_of(frame.shape, x) if (e.centroid.x - feed) * (x - feed) > 0]
        found = [e for e in found if all(abs(e.centroid.x - at) > SHORT for at in taken)]
        return [(frame.back(e), is_at(e, x, length)) for e in found]

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
            feeds, vacuums = (
                [[_ring(whole)]],
                [(_rounded(g), stays) for g, stays in last_of_ring(whole, closed=closed)],
            )
        case "branched":
            spines = [frame.back(line) for line in frame.spines(0.12 * length / 2)]
            feeds = [spines, *rows(spread, 0.12)]
            branches = [LineString(path) for path in chain.from_iterable(feeds)]
            vacuums = [(_rounded(g), stays) for g, stays in last_of_rim(whole, branches)]
        case "parallel feeds":
            places = [at_shoulder(frame.shape, x0 + pitch * (k + plan.shift), pitch / 4) for k in range(1, n)]
            between = [(path, False) for path in chain.from_iterable(rows(places, 0.0))]
            feeds = rows(spread)
            vacuums = [*ends(x0, x1, places), *between, *ends(x1, x0, places)]
        case "pairs from the middle":
            # The front comes to the ends last: a line round the rim would drink from the middle on.
            feeds, vacuums = rows(spread, 0.06), [*ends(x0, x1), *ends(x1, x0)]
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


def _rounded(shape: BaseGeometry) -> Path:
    return tuple((round(float(x), 4), round(float(y), 4)) for x, y in shape.coords)


def _ring(whole: Polygon) -> Path:
    """Return a ring along the edge."""
    return _rounded(whole.exterior.simplify(2e-3))
