"""The plan: the part from the bag side, to scale, with the resin at one moment."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import numpy as np
import numpy.typing as npt
import shapely
from shapely.geometry import LineString, Point

from bibulon.core.drawing.kit.field import Contours
from bibulon.core.drawing.kit.look import Mark, PlanLook, rings_of, textured
from bibulon.core.drawing.kit.scene import Area, Clip, Item, Label, Line, View, apart
from bibulon.core.drawing.kit.tokens import WEIGHT
from bibulon.core.drawing.plan.breaks import draw_breaks, rooms_of_breaks
from bibulon.core.drawing.plan.lines import draw_flow_line, room_of_flag
from bibulon.core.drawing.plan.signs import draw_mark, rooms_of_marks
from bibulon.core.geometry.outline import OutlineError, trace
from bibulon.core.geometry.prepared import within
from bibulon.core.geometry.zones import PlanRegions, regions
from bibulon.core.model.job import FlowLine, Job, Part
from bibulon.core.model.materials import Core
from bibulon.core.model.part import Outline
from bibulon.core.stack.mesh_cover import laid_mesh
from bibulon.core.units.remember import kept_with
from bibulon.core.units.units import clock

__all__ = ["draw_base", "draw_filled", "draw_lines", "draw_resin", "laid_key"]

Floats = npt.NDArray[np.float64]
LABEL_CLEAR = 32.0  # px between a contour's label and any line
SHORT = 8  # points of a contour that has no label
HALF = (26.0, 16.0)  # px round other words that a contour's own keep free of


def _core_texture(job: Job, zone: str) -> str | None:
    """Return how the core of a zone is cut, as a texture; None where there is none."""
    for layer in job.stack:
        material = job.materials[layer.material]
        if isinstance(material, Core) and (not layer.zones or zone in layer.zones):
            return "grooves" if material.grooves else "holes" if material.hole_diameter else "cells"
    return None


def laid_key(job: Job) -> tuple[object, ...]:
    """Return what a plan shows of the stack: how each zone's core is cut, and where plies end."""
    zones = [z.id for z in job.part.zones]
    cores = tuple(_core_texture(job, z) for z in ("rim", *zones))
    return bool(job.stack), cores, frozenset(z for x in job.stack for z in x.zones)


def draw_base(job: Job, look: PlanLook) -> Iterator[Item]:
    """Yield mould flange, cloth, core and zones, below the resin.  A crossed outline is drawn as it is."""
    view, theme, shown = look.view, look.theme, look.shown
    try:
        plan = regions(job.part)
    except OutlineError:
        yield Area([view.to(trace(job.part.outline))], theme.cloth, theme.alarm, WEIGHT["heavy"])
        return
    if "flange" in shown and job.part.flange > 0:
        mould = rings_of(plan.whole.buffer(job.part.flange, join_style="mitre", mitre_limit=2), view)
        yield Area(mould, theme.tool, None, opacity=0.14)
        yield Area(mould, None, theme.tool, WEIGHT["thin"])
    whole = rings_of(plan.whole, view)
    yield Area(whole, theme.cloth)
    if job.stack:
        yield textured(whole, "weave", theme.weave)
    for zone, shape in plan.zones.items():
        rings = rings_of(shape, view)
        texture = _core_texture(job, zone)
        if rings and texture and "core" in shown:
            yield Area(rings, theme.core)
            yield textured(rings, texture, theme.weave)


def draw_resin(job: Job, look: PlanLook, contours: Contours, marks: Sequence[Mark] = ()) -> Iterator[Item]:
    """Yield the wet region at the look's moment, its bands by arrival, the front and what is to come; ``marks`` as lines are drawn with."""
    view, theme = look.view, look.theme
    now = contours.top if look.time is None else look.time
    whole, told, lines_at = _on_screen(job.part, contours, view)
    bands = []
    lowest = -1.0
    for low, high, rings in told:
        if high <= now:
            bands.append(_band(look, rings, low, high, now))
            lowest = high
    if now > lowest:
        between = [view.to(r) for r in contours.between(lowest, now)]
        bands.append(_band(look, between, lowest, now, now))
    lines: list[Item] = []
    for level, px in lines_at if "times" in look.shown else ():
        if level < now:
            lines.append(Line(px, theme.front, WEIGHT["hair"], opacity=0.55))
        else:
            lines.append(Line(px, theme.soft, WEIGHT["thin"], dash=(1.5, 3.5)))
    if 0 < now < contours.top:
        lines.append(Line(_inside(job.part, contours.at(now), view), theme.front, WEIGHT["heavy"]))
    yield Clip(whole, tuple(bands))
    yield from lines
    if "times" not in look.shown:
        return
    step = contours.levels()[1]
    rooms: Rooms = ()
    if "mesh" in look.shown:
        rooms = rooms_of_breaks(job, view, look.system, tuple(look.states.items()), tuple(marks))
    if "signs" in look.shown:
        rooms += rooms_of_marks(look, marks)
    rooms += tuple(room_of_flag(look, line) for line in job.lines)
    for level, x, y in _label_places(job.part, contours, job.lines, rooms, view):
        wet = level < now
        text = f"{level / 60:.0f} min" if step >= 60 else clock(level)
        yield Label(x, y, text, theme.ink if wet else theme.soft, 11.5, wet, ground=theme.ground)


def draw_filled(
    job: Job, look: PlanLook, contours: Contours | None, marks: Sequence[Mark] = ()
) -> Iterator[Item]:
    """Yield the plan with its resin, as far as it is known: mesh and lines over it, and the words of its times over all."""
    yield from draw_base(job, look)
    fluid, words = apart(draw_resin(job, look, contours) if contours is not None else ())
    yield from fluid
    yield from draw_lines(job, look, marks)
    yield from words


Rings = tuple[Floats, ...]
Rooms = tuple[tuple[float, float, float, float], ...]  # left, top, right, bottom [px]


@kept_with(1, 2, 3)  # as many views of one plan
def _on_screen(
    part: Part, contours: Contours, view: View
) -> tuple[Rings, tuple[tuple[float, float, Rings], ...], tuple[tuple[float, Rings], ...]]:
    """Return outline, bands and contour lines in px: what does not change while the clock is dragged."""
    bands = tuple((low, high, tuple(view.to(r) for r in rings)) for low, high, rings in contours.bands)
    lines = tuple((level, tuple(_inside(part, paths, view))) for level, paths in contours.lines)
    return tuple(rings_of(regions(part).whole, view)), bands, lines


def _inside(part: Part, paths: Sequence[Floats], view: View) -> list[Floats]:
    """Return what of some lines [m] lies in the part, as px: strokes under a clip cost painters dear."""
    long = [path for path in paths if len(path) > 1]
    if not long:
        return []
    which = np.repeat(np.arange(len(long)), [len(path) for path in long])
    strokes = shapely.linestrings(np.concatenate(long), indices=which)
    pieces = shapely.get_parts(shapely.intersection(strokes, regions(part).whole))
    pieces = pieces[shapely.get_type_id(pieces) == shapely.GeometryType.LINESTRING]
    px, piece = shapely.get_coordinates(pieces, return_index=True)
    return np.split(view.to(px), np.flatnonzero(np.diff(piece)) + 1) if len(px) else []


def _band(look: PlanLook, rings: Sequence[Floats], low: float, high: float, now: float) -> Item:
    age = (now - (max(low, 0.0) + high) / 2) / now if now else 0.0
    return Area(rings, look.theme.resin(age), opacity=0.92)


@kept_with(1, 2, 3)  # as many views of one plan
def _label_places(
    part: Part,
    contours: Contours,
    lines: tuple[FlowLine, ...],
    rooms: Rooms,
    view: View,
) -> tuple[tuple[float, float, float], ...]:
    """Return (level, x, y): each contour once, near the middle height, off all lines, ``rooms`` of other words and other labels."""
    taken: list[tuple[float, float, float]] = []
    drawn = [view.to(np.array(x.path)) for x in lines]
    paths = shapely.geometrycollections([LineString(px) if len(px) > 1 else Point(px[0]) for px in drawn])
    middle = view.to(np.array([[0, (contours.y[0] + contours.y[-1]) / 2]]))[0, 1] - 22
    whole = regions(part).whole
    for level, found in contours.lines:
        points = max(found, key=len, default=None)
        if points is None or len(points) <= SHORT:
            continue
        px = view.to(points)
        order = np.argsort(np.abs(px[:, 1] - middle))[::4]
        tried = px[order]
        x, y = tried.T
        free = np.full(len(tried), True)
        for _, a, b in taken:
            free &= np.hypot((x - a) / 52, (y - b) / 20) > 1
        for left, top, right, bottom in rooms:
            beside = (x <= left - HALF[0]) | (x >= right + HALF[0])
            free &= beside | (y <= top - HALF[1]) | (y >= bottom + HALF[1])
        free[free] = within(whole, points[order][free])
        if drawn:
            free[free] = shapely.distance(shapely.points(tried[free]), paths) > LABEL_CLEAR
        if free.any():
            here = tried[np.argmax(free)]
            taken.append((level, float(here[0]), float(here[1])))
    return tuple(taken)


def draw_lines(job: Job, look: PlanLook, marks: Sequence[Mark] = ()) -> Iterator[Item]:
    """Yield mesh, outline, zone borders, cut line, feed and vacuum lines and signs, above the resin."""
    view, theme, shown = look.view, look.theme, look.shown
    plan: PlanRegions | None = None
    try:
        plan = regions(job.part)
    except OutlineError:
        yield Line([np.vstack([p := view.to(trace(job.part.outline)), p[:1]])], theme.alarm, WEIGHT["heavy"])
    if plan is not None:
        for zone in list(plan.zones)[1:]:
            chosen = f"zone:{zone}" in look.selected
            rings = rings_of(plan.zones[zone], view)
            if "plies" in shown and any(zone in s.zones for s in job.stack):
                yield Line([_pinked(r) for r in rings], theme.ink, WEIGHT["hair"], opacity=0.7)
            if "zones" in shown or chosen:
                yield Area(
                    rings, None, theme.alarm if chosen else theme.ink, WEIGHT["heavy" if chosen else "hair"]
                )
        yield Area(rings_of(plan.whole, view), None, theme.ink, WEIGHT["line"])
    if job.breather is not None and "mesh" in shown:
        yield from _breather(job.breather, look)
    over: list[Item] = []
    if job.mesh and "mesh" in shown:
        shapes, over = apart(_mesh(job, look, marks))
        yield from shapes
    if job.cut and "cut" in shown:
        yield from _cut_line(look, np.array(job.cut.path))
    if "lines" in shown:
        for line in job.lines:
            yield from draw_flow_line(look, line)
    yield from over
    if "signs" in shown:
        for mark in sorted(marks, key=lambda m: m.kind == "lit"):
            yield from draw_mark(look, mark)


def _pinked(ring: Floats, pitch: float = 9.0, depth: float = 2.5) -> Floats:
    """Return a zigzag along a ring of px, as the edge of cut cloth."""
    step = np.hypot(*np.diff(ring, axis=0).T)
    where = np.r_[0.0, np.cumsum(step)]
    count = max(int(where[-1] / pitch) * 2, 4)
    at = np.linspace(0.0, where[-1], count + 1)
    points = np.c_[np.interp(at, where, ring[:, 0]), np.interp(at, where, ring[:, 1])]
    along = np.gradient(points, axis=0)
    across = np.c_[-along[:, 1], along[:, 0]] / np.maximum(np.hypot(*along.T), 1e-9)[:, None]
    return np.asarray(points + across * depth * np.where(np.arange(count + 1) % 2, 1.0, -1.0)[:, None])


def _mesh(job: Job, look: PlanLook, marks: Sequence[Mark]) -> Iterator[Item]:
    """The net lies over everything, faint; its edge; and the break to every vacuum line near it."""
    assert job.mesh is not None
    view, theme = look.view, look.theme
    try:
        cover = laid_mesh(job.mesh)
    except OutlineError:
        return
    rings = rings_of(cover, view)
    yield textured(rings, "net", theme.ink, 0.06)
    yield Area(rings, None, theme.soft, WEIGHT["line"], dash=(5, 4))
    yield from draw_breaks(job, look, cover, marks)


def _breather(outline: Outline, look: PlanLook) -> Iterator[Item]:
    """What lies loose under the bag: faint, its edge, and its name."""
    ring = look.view.to(trace(outline))
    yield Area([ring], look.theme.soft, opacity=0.18)
    yield Area([ring], None, look.theme.soft, WEIGHT["line"], dash=(2, 4))
    x, y = ring[:, 0].mean(), ring[:, 1].max() + 10  # below it: lines lie on it
    yield Label(float(x), float(y), "breather", look.theme.soft, 12, ground=look.theme.ground)


def _cut_line(look: PlanLook, path: Floats) -> Iterator[Item]:
    points = look.view.to(path)
    yield Line([points], look.theme.ink, WEIGHT["thin"], dash=(9, 3, 2, 3))
    for point, other in ((points[0], points[1]), (points[-1], points[-2])):
        away = point - other
        x, y = point + away / max(float(np.hypot(*away)), 1e-9) * 9
        yield Label(float(x), float(y), "A", look.theme.ink, 12, True)
