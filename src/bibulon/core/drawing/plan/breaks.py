"""How far a mesh ends before each vacuum line: a dimension beside each, where its words hide nothing."""

from __future__ import annotations

import itertools
from collections.abc import Iterator, Sequence

import numpy as np
import numpy.typing as npt
import shapely
from shapely.geometry import LineString, Point
from shapely.geometry.base import BaseGeometry
from shapely.ops import nearest_points

from bibulon.core.drawing.kit.look import Mark, PlanLook
from bibulon.core.drawing.kit.scene import Item, Label, Line, View
from bibulon.core.drawing.kit.tokens import DAY, WEIGHT
from bibulon.core.drawing.plan.lines import room_of_flag
from bibulon.core.drawing.plan.signs import BELOW, RING
from bibulon.core.geometry.outline import OutlineError, trace
from bibulon.core.geometry.paths import shape_of
from bibulon.core.model.job import Job
from bibulon.core.stack.mesh_cover import laid_mesh
from bibulon.core.units.remember import by_identity
from bibulon.core.units.units import System, show
from bibulon.core.units.words import tr

__all__ = ["draw_breaks", "rooms_of_breaks"]

Floats = npt.NDArray[np.float64]
PLACES = (0.5, 0.35, 0.65, 0.2, 0.8)  # along a line, where its break is told: the first with room
SIZE = 11.5  # px of the words
WIDE, HIGH = 0.56, 9.0  # a letter's width as a share of its size; half the height that words keep free [px]
GAP = 10.0  # px between a dimension and its words
TUBE = 5.0  # px that words keep from a line
ROUND = 12.0  # px round the part, in which a view that is fitted to it shows words whole


def draw_breaks(job: Job, look: PlanLook, cover: BaseGeometry, marks: Sequence[Mark] = ()) -> Iterator[Item]:
    """Yield the break between a mesh and every vacuum line near it; words for which there is no room beside signs are left out."""
    full = [shapely.box(*room_of_flag(look, line)) for line in job.lines]
    full += [shape_of(look.view.to(np.array(line.path)).tolist()).buffer(TUBE) for line in job.lines]
    for mark in marks:
        if mark.kind == "last":
            ((x, y),) = look.view.to(np.array([mark.place]))
            way = -1 if mark.up else 1
            below = shapely.box(x - BELOW[0], y + way * RING, x + BELOW[0], y + way * BELOW[1])
            full += [Point(x, y).buffer(RING), below]
    rim = look.view.to(trace(job.part.outline))
    field = shapely.box(*rim.min(axis=0), *rim.max(axis=0)).buffer(ROUND)
    for line in job.lines:
        path = shape_of(line.path)
        gap = float(path.distance(cover))
        if line.role != "vacuum" or not 0.002 < gap < 3 * job.rules.break_longest:
            continue
        figure = show(gap, "length", look.system)
        told = (tr("break {}", figure), figure)  # the figure alone where there is no room for more
        places = [path]
        if isinstance(path, LineString):
            places = [path.interpolate(at, normalized=True) for at in PLACES]
        for words, past, there in itertools.product(told, (False, True), places):  # the first mostly has room
            strokes, label = _dimension(look, nearest_points(cover, there)[0], there, past, words)
            room = _room(label)
            if field.contains(room) and not shapely.intersects(full, room).any():
                full.append(room)
                yield from (strokes, label)
                break
        else:
            yield _dimension(look, nearest_points(cover, places[0])[0], places[0], False, figure)[0]


@by_identity(1, 4)
def rooms_of_breaks(
    job: Job, view: View, system: System, states: tuple[tuple[str, str], ...], marks: tuple[Mark, ...]
) -> tuple[tuple[float, float, float, float], ...]:
    """Return what the words of a job's breaks take up on the plan, as (left, top, right, bottom) [px]: for what is told beside them."""
    try:
        cover = laid_mesh(job.mesh) if job.mesh else None
    except OutlineError:
        return ()
    if cover is None:
        return ()
    found = draw_breaks(job, PlanLook(view, DAY, system, states=dict(states)), cover, marks)
    return tuple(_room(item).bounds for item in found if isinstance(item, Label))


def _dimension(look: PlanLook, start: Point, stop: Point, past: bool, text: str) -> tuple[Line, Label]:
    """Return a dimension between two places [m], its text before the first or past the second."""
    a, b = look.view.to(np.array([(start.x, start.y), (stop.x, stop.y)]))
    along = (b - a) / max(float(np.hypot(*(b - a))), 1e-9)
    across = np.array([-along[1], along[0]])
    ends = [np.array([p - across * 5, p + across * 5]) for p in (a, b)]
    away = along if past else -along
    x, y = (b if past else a) + away * (GAP + TUBE if past else GAP)
    side = "m" if abs(away[0]) < 0.5 else "l" if away[0] > 0 else "r"
    return (
        Line([np.array([a, b]), *ends], look.theme.ink, WEIGHT["thin"]),
        Label(float(x), float(y), text, look.theme.ink, SIZE, False, side, look.theme.ground),
    )


def _room(label: Label) -> BaseGeometry:
    """Return what words take up on the plan [px]."""
    wide = len(label.said) * label.size * WIDE + 8
    left = label.x - {"m": wide / 2, "r": wide}.get(label.anchor, 0.0)
    return shapely.box(left, label.y - HIGH, left + wide, label.y + HIGH)
