"""The plan: the part from the bag side, to scale, with the resin at one moment."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from functools import lru_cache

import numpy as np
import numpy.typing as npt
from shapely.geometry import LineString, MultiPolygon, Point, Polygon
from shapely.geometry.base import BaseGeometry

from bibulon.core.drawing.field import Contours
from bibulon.core.drawing.scene import Area, Clip, Item, Label, Line, View, hatch
from bibulon.core.drawing.tokens import SIZE, WEIGHT, Theme
from bibulon.core.geometry.outline import OutlineError, check, trace
from bibulon.core.geometry.zones import PlanRegions, regions
from bibulon.core.job.materials import Core
from bibulon.core.job.model import AtTime, FlowLine, Job, OnEmpty, Part
from bibulon.core.units import System, clock, show

__all__ = ["Mark", "PlanLook", "draw_base", "draw_lines", "draw_resin", "scale_bar"]

Floats = npt.NDArray[np.float64]
LABEL_CLEAR = 32.0  # px between a contour's label and any line


@dataclass(frozen=True)
class Mark:
    """A sign on the plan at a place [m]: "finding", "last", "front" (seen in the run)."""

    place: tuple[float, float]
    kind: str
    text: str


@dataclass(frozen=True)
class PlanLook:
    """What a plan drawing needs besides the job."""

    view: View
    theme: Theme
    system: System = "metric"
    selected: str | None = None
    time: float | None = None
    states: dict[str, str] = field(default_factory=dict)


def _rings(shape: BaseGeometry, view: View) -> list[Floats]:
    polygons = shape.geoms if isinstance(shape, MultiPolygon) else [shape]
    out = []
    for polygon in polygons:
        if isinstance(polygon, Polygon) and not polygon.is_empty:
            out += [view.to(np.array(ring.coords)) for ring in (polygon.exterior, *polygon.interiors)]
    return out


def _box(rings: Sequence[Floats]) -> tuple[float, float, float, float]:
    points = np.vstack(rings)
    return (*points.min(axis=0), *points.max(axis=0))


def _textured(rings: list[Floats], kind: str, pitch: float, colour: str, width: float) -> Item:
    return Clip(rings, (Line(hatch(kind, _box(rings), pitch), colour, width, round_ends=False),))


def _cored(job: Job, zone: str) -> bool:
    return any(
        isinstance(job.materials[s.material], Core) and (not s.zones or zone in s.zones) for s in job.stack
    )


def draw_base(job: Job, look: PlanLook) -> Iterator[Item]:
    """Yield cloth, core, zones and mesh, below the resin.  A crossed outline is drawn as it is."""
    view, theme = look.view, look.theme
    try:
        plan = regions(job.part)
    except OutlineError:
        yield Area([view.to(trace(job.part.outline))], theme.cloth, theme.alarm, WEIGHT["heavy"])
        return
    whole = _rings(plan.whole, view)
    yield Area(whole, theme.cloth)
    if job.stack:
        yield _textured(whole, "weave", 9.0, theme.weave, WEIGHT["thin"])
    for zone, shape in plan.zones.items():
        rings = _rings(shape, view)
        if rings and _cored(job, zone):
            yield Area(rings, theme.core)
            yield _textured(rings, "cells", 12.0, theme.weave, WEIGHT["thin"])


def draw_resin(job: Job, look: PlanLook, contours: Contours) -> Iterator[Item]:
    """Yield the wet region at the look's moment, its bands by arrival, the front and what is to come."""
    view, theme = look.view, look.theme
    whole = _rings(regions(job.part).whole, view)
    now = contours.top if look.time is None else look.time
    bands = []
    lowest = -1.0
    for low, high, rings in contours.bands:
        if high <= now:
            bands.append(_band(look, rings, low, high, now))
            lowest = high
    if now > lowest:
        bands.append(_band(look, contours.between(lowest, now), lowest, now, now))
    lines: list[Item] = []
    for level, paths in contours.lines:
        px = [view.to(p) for p in paths]
        if level < now:
            lines.append(Line(px, theme.front, WEIGHT["hair"], opacity=0.55))
        else:
            lines.append(Line(px, theme.soft, WEIGHT["thin"], dash=(1.5, 3.5)))
    if 0 < now < contours.top:
        lines.append(Line([view.to(p) for p in contours.at(now)], theme.front, WEIGHT["heavy"]))
    yield Clip(whole, (*bands, *lines))
    step = contours.levels()[1]
    for level, x, y in _label_places(job.part, job.lines, contours, view):
        wet = level < now
        text = f"{level / 60:.0f} min" if step >= 60 else clock(level)
        yield Label(x, y, text, theme.ink if wet else theme.soft, 11.5, wet, ground=theme.ground)


def _band(look: PlanLook, rings: Sequence[Floats], low: float, high: float, now: float) -> Item:
    age = (now - (max(low, 0.0) + high) / 2) / now if now else 0.0
    return Area([look.view.to(r) for r in rings], look.theme.resin(age), opacity=0.92)


@lru_cache(maxsize=8)
def _label_places(
    part: Part, lines: tuple[FlowLine, ...], contours: Contours, view: View
) -> tuple[tuple[float, float, float], ...]:
    """Return (level, x, y): each contour once, near the middle height, off all lines and other labels."""
    taken: list[tuple[float, float, float]] = []
    paths = [LineString(px) if len(px := view.to(np.array(x.path))) > 1 else Point(px[0]) for x in lines]
    middle = view.to(np.array([[0, (contours.y[0] + contours.y[-1]) / 2]]))[0, 1] - 22
    whole = Polygon(_rings(regions(part).whole, view)[0])
    for level, found in contours.lines:
        long = [view.to(p) for p in found if len(p) > 8]
        if not long:
            continue
        points = max(long, key=len)
        for x, y in points[np.argsort(np.abs(points[:, 1] - middle))][::4]:
            here = Point(x, y)
            free = all(math.hypot((x - a) / 52, (y - b) / 20) > 1 for _, a, b in taken)
            if free and whole.contains(here) and all(p.distance(here) > LABEL_CLEAR for p in paths):
                taken.append((level, float(x), float(y)))
                break
    return tuple(taken)


def draw_lines(job: Job, look: PlanLook, marks: Sequence[Mark] = ()) -> Iterator[Item]:
    """Yield mesh edge, outline, zone borders, cut line, feed and vacuum lines and marks, above the resin."""
    view, theme = look.view, look.theme
    plan: PlanRegions | None = None
    try:
        plan = regions(job.part)
    except OutlineError:
        yield Line([np.vstack([p := view.to(trace(job.part.outline)), p[:1]])], theme.alarm, WEIGHT["heavy"])
    if plan is not None:
        for zone in list(plan.zones)[1:]:
            yield Area(_rings(plan.zones[zone], view), None, theme.ink, WEIGHT["hair"])
        if job.mesh:
            ring = _rings(check(job.mesh.outline), view)
            yield Area(ring, None, theme.soft, WEIGHT["thin"], dash=(5, 4))
        yield Area(_rings(plan.whole, view), None, theme.ink, WEIGHT["line"])
    if job.cut:
        yield from _cut_line(look, np.array(job.cut.path))
    for line in job.lines:
        yield from _flow_line(look, line, line.id == look.selected)
    for mark in marks:
        yield from _mark(look, mark)


def _cut_line(look: PlanLook, path: Floats) -> Iterator[Item]:
    points = look.view.to(path)
    yield Line([points], look.theme.ink, WEIGHT["thin"], dash=(9, 3, 2, 3))
    for point, other in ((points[0], points[1]), (points[-1], points[-2])):
        away = point - other
        x, y = point + away / max(float(np.hypot(*away)), 1e-9) * 9
        yield Label(float(x), float(y), "A", look.theme.ink, 12, True)


def _along(path: Floats, pitch: float) -> Iterator[tuple[Floats, Floats]]:
    """Yield (place, unit direction) every ``pitch`` px along a path."""
    step = np.hypot(*np.diff(path, axis=0).T)
    total = float(step.sum())
    where = np.r_[0.0, np.cumsum(step)]
    count = max(1, int(total // pitch))
    for at in (np.arange(count) + 0.5) * total / count:
        k = min(int(np.searchsorted(where, at, side="right")) - 1, len(step) - 1)
        direction = (path[k + 1] - path[k]) / max(step[k], 1e-9)
        yield path[k] + direction * (at - where[k]), direction


def _flow_line(look: PlanLook, line: FlowLine, selected: bool) -> Iterator[Item]:
    """Feed: solid with chevrons.  Vacuum: hollow with ticks.  A feed not open yet: barred."""
    theme, path = look.theme, look.view.to(np.array(line.path))
    feed = line.role == "feed"
    colour, on = (theme.feed, theme.on_feed) if feed else (theme.vacuum, theme.on_vacuum)
    if selected:
        yield Line([path], theme.alarm, WEIGHT["tube"] + 7, opacity=0.35)
    if len(path) == 1:
        angles = np.linspace(0, 2 * np.pi, 25)
        ring = path[0] + 7 * np.c_[np.cos(angles), np.sin(angles)]
        yield Area([ring], colour if feed else theme.ground, colour, WEIGHT["heavy"])
    elif feed:
        yield Line([path], colour, WEIGHT["tube"] + 1)
        for place, direction in _along(path, 56):
            yield _chevron(place, direction, on)
    else:
        yield Line([path], colour, WEIGHT["tube"] + 2)
        yield Line([path], theme.ground, WEIGHT["tube"] - 2)
        ticks = []
        for place, direction in _along(path, 18):
            across = np.array([-direction[1], direction[0]])
            ticks.append(np.array([place - across * 5, place + across * 5]))
        yield Line(ticks, colour, WEIGHT["line"], round_ends=False)
    if look.states.get(line.id) == "shut":
        for place, direction in _along(path, 80) if len(path) > 1 else ():
            across = np.array([-direction[1], direction[0]])
            slant = (across + direction * 0.6) * 8
            yield Line(
                [np.array([place - slant, place + slant])], theme.alarm, WEIGHT["heavy"], round_ends=False
            )
    text = line.label + (f" {look.states[line.id]}" if line.id in look.states else "")
    top = path[np.argmin(path[:, 1])]
    yield Label(float(top[0]), float(top[1]) - 16, text, on, 12.5, True, ground=colour)


def _chevron(place: Floats, direction: Floats, colour: str) -> Item:
    """A small arrow head across the line: resin leaves it sideways."""
    across = np.array([direction[1], -direction[0]])
    if across[0] < 0:
        across = -across
    tip, back = place + across * 3, place - across * 2
    return Line([np.array([back + direction * 4, tip, back - direction * 4])], colour, WEIGHT["line"])


def _mark(look: PlanLook, mark: Mark) -> Iterator[Item]:
    theme = look.theme
    x, y = look.view.to(np.array([mark.place]))[0]
    if mark.kind == "front":
        for ends in (((-6, 0), (6, 0)), ((0, -6), (0, 6))):
            yield Line([np.array(ends, dtype=float) + (x, y)], theme.front, WEIGHT["heavy"])
        yield Label(x + 10, y, mark.text, theme.ink, SIZE["small"], True, "l", theme.ground)
    else:
        yield Label(
            x, y, mark.text, theme.alarm, SIZE["small"] + 1, True, ground=theme.ground, outline=theme.alarm
        )


def scale_bar(look: PlanLook, width: float, height: float) -> Iterator[Item]:
    """Yield a bar of round length at the lower right."""
    wanted = 130 / look.view.scale
    unit = 1.0 if look.system == "metric" else 0.0254 * 12
    rounds = [a * 10.0**b * unit for b in range(-3, 3) for a in (1, 2, 5)]
    length = max((r for r in rounds if r <= wanted), default=rounds[0])
    px = length * look.view.scale
    x1, y = width - 18, height - 16
    ticks = [
        np.array([[x1 - px, y], [x1, y]]),
        np.array([[x1 - px, y - 4], [x1 - px, y + 4]]),
        np.array([[x1, y - 4], [x1, y + 4]]),
    ]
    yield Line(ticks, look.theme.ink, WEIGHT["thin"])
    yield Label(
        x1 - px / 2,
        y - 11,
        show(length, "length" if look.system == "metric" else "distance", look.system),
        look.theme.soft,
        12,
    )


def opening_words(line: FlowLine, labels: dict[str, str]) -> str:
    """Say when a line opens."""
    if isinstance(line.opens, AtTime):
        return f"at {clock(line.opens.time)}"
    later = f" + {clock(line.opens.delay)}" if line.opens.delay else ""
    if isinstance(line.opens, OnEmpty):
        return f"when bucket {line.opens.bucket} is empty{later}"
    name = (
        "the front passes it"
        if line.opens.line == line.id
        else f"the front passes {labels.get(line.opens.line, '?')}"
    )
    gone = f" by {line.opens.beyond * 1e3:.0f} mm" if line.opens.beyond else ""
    return f"when {name}{gone}{later}"
