"""A zone's stack drawn as a stack, its fibre by angle, and the thickness of the whole part."""

from __future__ import annotations

import math
from collections.abc import Iterator

import numpy as np
import numpy.typing as npt
import shapely
from msgspec import Struct
from shapely.geometry.base import BaseGeometry

from bibulon.core.drawing.kit.look import PlanLook, rings_of
from bibulon.core.drawing.kit.scene import Area, Item, Label, Line, Texture
from bibulon.core.drawing.kit.tokens import RAMP, WEIGHT, Theme
from bibulon.core.drawing.section.section_run import TEXTURE
from bibulon.core.geometry.outline import OutlineError
from bibulon.core.model.job import Job, Layer
from bibulon.core.stack.derived import Flow, Rosette, flow_of
from bibulon.core.stack.laid import layer_region, places
from bibulon.core.stack.laminate import LayerState, ZoneStack, zone_stack
from bibulon.core.stack.steps import Step, steps
from bibulon.core.units.remember import by_identity
from bibulon.core.units.units import System, show, show_value
from bibulon.core.units.words import tr

__all__ = [
    "StackLook",
    "StackRow",
    "ThicknessMap",
    "draw_ply",
    "draw_rosette",
    "draw_stack",
    "draw_thickness",
    "label_thickness",
    "stack_rows",
    "thickness_map",
]

Floats = npt.NDArray[np.float64]
HEAD, FOOT = 14.0, 26.0
LEAST = 17.0  # px of a layer, so that its name has room
TEXTURED = 9.0  # px of a layer from which its texture can be seen


class StackRow(Struct, frozen=True):
    """One layer as drawn: its state, its top and base [px], its place in the job's stack."""

    state: LayerState
    top: float
    base: float
    index: int

    @property
    def middle(self) -> float:
        """Its middle [px]."""
        return (self.top + self.base) / 2


class StackLook(Struct, frozen=True):
    """How a stack is looked at: theme, units, the layer chosen, where a dragged one would go, what is laid already."""

    theme: Theme
    system: System = "metric"
    chosen: int | None = None
    drop: float | None = None
    laid: frozenset[str] = frozenset()


def stack_rows(job: Job, zone: str, height: float) -> list[StackRow]:
    """Return a zone's layers as they are drawn in a height of px, tool side first."""
    states = zone_stack(job, zone).layers
    if not states:
        return []
    room = height - HEAD - FOOT
    least = min(LEAST, room / len(states))
    total = sum(s.thickness for s in states) or 1.0
    spare = max(room - least * len(states), 0.0)
    index = {x.id: k for k, x in enumerate(job.stack)}
    out, base = [], height - FOOT
    for s in states:
        tall = least + spare * s.thickness / total
        out.append(StackRow(s, base - tall, base, index[s.layer.id]))
        base -= tall
    return out


def draw_stack(job: Job, zone: str, width: float, height: float, look: StackLook) -> Iterator[Item]:
    """Yield a zone's layers, names beside them; what is laid already has a tick."""
    t, rows = look.theme, stack_rows(job, zone, height)
    if not rows:
        yield Label(width / 2, height / 2, "No layers here yet: add one below.", t.soft, 14)
        return
    left, right = 40.0, max(width * 0.42, 150.0)
    yield Area([_rect(left - 14, height - FOOT, right + 14, height - FOOT + 8)], t.tool)
    yield Label(left, height - 8, "mould", t.soft, 12, anchor="l")
    named = float("inf")
    for row in rows:
        # Thin layers lie closer than names can stand: those that find no room go without.
        names = row.middle <= named or row.index == look.chosen
        if names:
            named = row.middle - 13.0
        yield from _layer(row, left, right, width, look, names)
    if look.drop is not None:
        yield Line([np.array([[left - 16, look.drop], [right + 16, look.drop]])], t.accent, WEIGHT["tube"])


def _layer(
    row: StackRow, left: float, right: float, width: float, look: StackLook, names: bool
) -> Iterator[Item]:
    t, state = look.theme, row.state
    rect = _rect(left, row.top, right, row.base)
    yield Area([rect], t.core if state.kind == "core" else t.cloth)
    if row.base - row.top >= TEXTURED and (texture := TEXTURE.get(state.kind)):
        yield Texture([rect], texture, t.ink, 11.0 if texture == "cells" else 6.0, WEIGHT["hair"], 0.3)
    if state.kind == "core" and state.layer.bevel > 0:
        wedge = np.array(
            [[right, row.top], [right, row.base], [right - min(row.base - row.top, 30.0), row.top]]
        )
        yield Area([wedge], t.ground, t.ink, WEIGHT["hair"])
    chosen = row.index == look.chosen
    yield Area([rect], None, t.accent if chosen else t.ink, WEIGHT["heavy" if chosen else "hair"])
    if not names:
        return
    y = row.middle
    yield Label(left - 8, y, str(row.index + 1), t.soft, 12, anchor="r")
    if state.layer.id in look.laid:
        tick = np.array([[right + 5, y], [right + 9, y + 4], [right + 16, y - 6]])
        yield Line([tick], t.accent, WEIGHT["heavy"])
    else:
        yield Line([np.array([[right + 4, y], [right + 16, y]])], t.edge, WEIGHT["thin"])
    words = f"{state.name}{angle_words(state.layer, state.kind)}"
    room = int((width - 90 - right) / 6.6)
    yield Label(
        right + 24, y, words if len(words) <= room else f"{words[: room - 1]}…", t.ink, 12.5, chosen, "l"
    )
    yield Label(width - 12, y, show(state.thickness, "thickness", look.system), t.soft, 12.5, anchor="r")


def angle_words(layer: Layer, kind: str) -> str:
    """Return the angle of a ply as its name's tail; empty for what has none."""
    return f" {layer.angle_deg:+.0f}°" if kind == "fabric" else ""


def _rect(x1: float, y1: float, x2: float, y2: float) -> Floats:
    return np.array([[x1, y1], [x2, y1], [x2, y2], [x1, y2]])


def draw_rosette(
    fibre: Rosette, stack: ZoneStack, width: float, height: float, theme: Theme
) -> Iterator[Item]:
    """Yield the share of fibre by angle as bars out of a middle, and resin's main direction."""
    x, y = width / 2, height / 2 + 10
    reach = min(width / 2 - 38, height / 2 - 44)
    if not fibre.shares and not fibre.every_way:
        yield Label(x, y, "no plies", theme.soft, 13)
        return
    largest = max([s for _, s in fibre.shares] + [fibre.every_way])
    turn = np.linspace(0, 2 * np.pi, 61)
    circle = np.c_[np.cos(turn), np.sin(turn)]
    yield Line([circle * reach + (x, y)], theme.edge, WEIGHT["thin"])
    yield Label(width / 2, 10, "fibre by angle", theme.soft, 12)
    if fibre.every_way:
        r = max(reach * fibre.every_way / largest, 6.0)
        yield Area([circle * r + (x, y)], theme.cloth, theme.soft, WEIGHT["thin"], dash=(3, 3))
        yield Label(x, y + reach + 11, tr("every way {:.0f} %", fibre.every_way * 100), theme.soft, 11.5)
    for angle, share in fibre.shares:
        along = np.array([math.cos(math.radians(angle)), -math.sin(math.radians(angle))])
        across = np.array([-along[1], along[0]]) * 4.5
        tip = along * reach * share / largest
        bar = np.array([tip + across, tip - across, -tip - across, -tip + across]) + (x, y)
        yield Area([bar], theme.accent, theme.ground, WEIGHT["thin"], opacity=0.9)
        # In two lines, or a word would reach back over its bar.
        lx, ly = np.array([x, y]) + along * (reach + 20)
        for words, down in ((f"{angle:g}°".replace("-", "−"), -7), (f"{share * 100:.0f} %", 7)):
            yield Label(float(lx), float(ly) + down, words, theme.ink, 11.5)
    if (flow := flow_of(stack)) is not None and flow.k_main > 1.02 * flow.k_across:
        along = np.array([math.cos(math.radians(flow.angle_deg)), -math.sin(math.radians(flow.angle_deg))])
        ends = np.array([-along, along]) * reach + (x, y)
        yield Line([ends], theme.feed, WEIGHT["line"], dash=(6, 4))


# -- on the plan


class Spread(Struct, frozen=True, eq=False):
    """The thickness of one place: its region [m], thickness [m], the middle and radius of its widest part, flow."""

    region: BaseGeometry
    thickness: float
    middle: tuple[float, float]
    radius: float
    flow: Flow | None


class ThicknessMap(Struct, frozen=True, eq=False):
    """The thickness of the whole part, and where it steps."""

    job: Job
    spreads: tuple[Spread, ...]
    steps: tuple[Step, ...]

    @property
    def span(self) -> tuple[float, float]:
        """Smallest and largest thickness [m] of what is laid."""
        some = [s.thickness for s in self.spreads if s.thickness > 0]
        return min(some, default=0.0), max(some, default=0.0)


@by_identity(1, 4)
def thickness_map(job: Job) -> ThicknessMap:
    """Work out the thickness of the whole part; takes its time, so not on the interface thread.

    Raises
    ------
    OutlineError : when an outline is crossed or empty.
    """
    spreads = []
    for key, region in places(job).zones.items():
        if region.is_empty:
            continue
        stack = zone_stack(job, key)
        polygon = max(shapely.get_parts(region), key=lambda p: p.area)
        circle = shapely.maximum_inscribed_circle(
            polygon, tolerance=0.02 * math.sqrt(max(polygon.area, 1e-9))
        )
        x, y = shapely.get_coordinates(circle)[0]
        spreads.append(
            Spread(region, stack.thickness, (float(x), float(y)), float(circle.length), flow_of(stack))
        )
    return ThicknessMap(job, tuple(spreads), steps(job))


def draw_thickness(found: ThicknessMap, look: PlanLook) -> Iterator[Item]:
    """Yield each place in the tone of its thickness, and the borders where it steps."""
    t = look.theme
    low, high = found.span
    for spread in found.spreads:
        share = (spread.thickness - low) / (high - low) if high > low else 0.4
        tone = (
            t.tone(0.85 * (math.floor(share * (RAMP - 1)) + 0.5) / RAMP) if spread.thickness > 0 else t.ground
        )
        yield Area(rings_of(spread.region, look.view), tone, t.ink, WEIGHT["hair"], opacity=0.92)
    for step in found.steps:
        eased = step.bevel > 0 or step.height <= found.job.rules.step_most
        for part in shapely.get_parts(step.line):
            px = look.view.to(shapely.get_coordinates(part))
            pen = (t.ink, WEIGHT["thin"], (4, 3)) if eased else (t.alarm, WEIGHT["heavy"], ())
            yield Line([px], *pen)


def label_thickness(found: ThicknessMap, look: PlanLook, height: float) -> Iterator[Item]:
    """Yield the figures that go with ``draw_thickness``: thickness, steps, resin's main direction."""
    t = look.theme
    for spread in found.spreads:
        yield from _told(spread, look)
    for step in [s for s in found.steps if s.height > found.job.rules.step_most / 2][:8]:
        x, y = look.view.to(np.array([step.middle]))[0]
        text = tr("step {}", show(step.height, "thickness", look.system, 1))
        yield Label(float(x), float(y), text, t.ink, 11.5, ground=t.ground)
    low, high = found.span
    if high > 0:
        words = tr(
            "thickness {0} to {1}",
            show_value(low, "thickness", look.system),
            show(high, "thickness", look.system),
        )
        yield Label(16, height - 14, words, t.soft, 12.5, anchor="l", ground=t.ground)


def _told(spread: Spread, look: PlanLook) -> Iterator[Item]:
    """Yield a place's thickness and resin's main direction, where there is room."""
    t = look.theme
    radius = spread.radius * look.view.scale
    if radius < 13 or spread.thickness <= 0:
        return
    x, y = look.view.to(np.array([spread.middle]))[0]
    text = show(spread.thickness, "thickness", look.system)
    yield Label(float(x), float(y), text, t.ink, 12.5, True, ground=t.ground)
    flow = spread.flow
    if flow is not None and flow.k_main > 1.02 * flow.k_across and radius > 46:
        along = np.array([math.cos(math.radians(flow.angle_deg)), -math.sin(math.radians(flow.angle_deg))])
        middle = np.array([x, y + 44])
        ends = np.array([middle - 26 * along, middle + 26 * along])
        across = np.array([-along[1], along[0]]) * 4
        heads = [
            np.array([e - s * 8 * along + across, e, e - s * 8 * along - across])
            for e, s in ((ends[1], 1), (ends[0], -1))
        ]
        yield Line([ends, *heads], t.feed, WEIGHT["line"])


def draw_ply(job: Job, layer: Layer, look: PlanLook) -> Iterator[Item]:
    """Yield one layer's own shape and seams over the plan."""
    t = look.theme
    try:
        region = layer_region(job, layer)
    except OutlineError:
        return
    yield Area(rings_of(region, look.view), None, t.accent, WEIGHT["heavy"])
    for seam in layer.seams:
        px = look.view.to(np.array(seam.path))
        yield Line([px], t.accent, WEIGHT["heavy"], dash=(7, 4) if seam.kind == "splice" else (2, 4))
