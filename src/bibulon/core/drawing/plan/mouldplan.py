"""A closed mould from above: seals and chamber round the cavity, resin at the moment, and how far the upper half lifts."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import numpy.typing as npt
from msgspec import Struct
from shapely.geometry import LineString

from bibulon.core.drawing.kit.field import Contours
from bibulon.core.drawing.kit.look import PlanLook, rings_of
from bibulon.core.drawing.kit.scene import Area, Item, Label, Line, View, apart
from bibulon.core.drawing.kit.tokens import WEIGHT
from bibulon.core.drawing.plan.lines import draw_flow_line
from bibulon.core.drawing.plan.plan import draw_base, draw_resin
from bibulon.core.model.job import Job
from bibulon.core.mould.bow import Bow
from bibulon.core.mould.flange import Flange, flange_of
from bibulon.core.units.units import show
from bibulon.core.units.words import tr

__all__ = ["MouldLook", "draw_mould", "draw_partings", "mould_view"]

Floats = npt.NDArray[np.float64]
STEPS = 5  # shades of lift, each way


class MouldLook(Struct, frozen=True):
    """What is shown besides the halves: contours of resin, the upper half and contours of its lift [m], a chosen rib.

    limit : from which lift on it counts [m].
    """

    contours: Contours | None = None
    bow: Bow | None = None
    lift: Contours | None = None
    limit: float = 2.5e-4
    rib: str = ""


def mould_view(job: Job, width: float, height: float) -> View:
    """Return the view that shows the whole flange."""
    return View.fit(flange_of(job).whole.bounds, width, height, 22)


def draw_mould(job: Job, look: PlanLook, shown: MouldLook) -> Iterator[Item]:
    """Yield the drawing, words last."""
    shapes, words = apart(_all(job, look, shown))
    yield from shapes
    yield from words


def _all(job: Job, look: PlanLook, shown: MouldLook) -> Iterator[Item]:
    flange, view, theme = flange_of(job), look.view, look.theme
    yield Area(rings_of(flange.whole, view), theme.tool, None, opacity=0.14)
    yield Area(rings_of(flange.chamber, view), theme.field_low, None, opacity=0.8)
    for seal in (flange.inner_seal, flange.outer_seal):
        yield Area(rings_of(seal, view), theme.tool, None)
    yield from _fittings(job, flange, look)
    yield from draw_base(job, look)
    fluid, words = apart(draw_resin(job, look, shown.contours) if shown.contours is not None else ())
    yield from fluid
    if shown.lift is not None:
        yield from _lift(shown.lift, shown.limit, look)
    for rib in job.closed.upper.ribs:
        path = view.to(np.array(rib.path))
        chosen = rib.id == shown.rib
        yield Line(
            [path],
            theme.accent if chosen else theme.ink,
            WEIGHT["heavy" if chosen else "thin"],
            (6.0, 4.0),
            opacity=0.9 if chosen else 0.55,
        )
    yield from draw_partings(job, look)
    for line in job.lines:
        yield from draw_flow_line(look, line)
    yield from words
    yield from _words(job, flange, look, shown)


def draw_partings(job: Job, look: PlanLook) -> Iterator[Item]:
    """Yield the lines at which a half is parted."""
    for parting in job.closed.partings:
        path = look.view.to(np.array(parting.path))
        yield Line([path], look.theme.accent, WEIGHT["heavy"], (10.0, 4.0, 2.0, 4.0))


def _fittings(job: Job, flange: Flange, look: PlanLook) -> Iterator[Item]:
    """Yield dowels as rings and latches as bars on the outer edge: evenly spread, for how many there are."""
    view, theme = look.view, look.theme
    turn = np.linspace(0.0, 2 * np.pi, 25)
    if job.closed.dowels:
        at = view.to(np.array(flange.around(job.closed.dowels, 0.25)))
        yield Area(
            [p + 6 * np.c_[np.cos(turn), np.sin(turn)] for p in at], theme.ground, theme.ink, WEIGHT["line"]
        )
    if job.closed.latches:
        x, y = view.to(np.array([flange.whole.centroid.coords[0]]))[0]
        bars = []
        for p in view.to(np.array(flange.around(job.closed.latches, 0.6))):
            out = (p - (x, y)) / max(float(np.hypot(*(p - (x, y)))), 1e-9)
            bars.append(np.array([p - 9 * out, p + 4 * out]))
        yield Line(bars, theme.ink, WEIGHT["tube"], round_ends=False)


def _lift(lift: Contours, limit: float, look: PlanLook) -> Iterator[Item]:
    """Yield where it lifts as shades, darker further up."""
    most = max(lift.top, limit)
    for step in range(1, STEPS + 1):
        low, high = most * (step - 0.5) / STEPS, most * (step + 0.5) / STEPS if step < STEPS else 10 * most
        rings = [look.view.to(r) for r in lift.between(low, high)]
        if rings:
            yield Area(rings, look.theme.field_high, None, opacity=0.10 + 0.11 * step)


def _words(job: Job, flange: Flange, look: PlanLook, shown: MouldLook) -> Iterator[Item]:
    view, theme, s = look.view, look.theme, look.system
    air = job.conditions.atmosphere
    # On the flange below its middle: beside it there is no room where the mould is as wide as the page.
    x, (_, y0, _, y1) = float(flange.whole.centroid.x), flange.whole.bounds
    side = flange.whole.exterior.intersection(LineString([(x, y0 - 1.0), (x, y1 + 1.0)]))
    at = view.to(np.array([[x, side.bounds[1]]]))[0]
    pulls = show(air - job.closed.flange, "pressure", s)
    yield Label(
        float(at[0]),
        float(at[1]) - 6,
        tr("flange −{}", pulls),
        theme.ink,
        12,
        True,
        ground=theme.raised,
        outline=theme.edge,
    )
    if shown.bow is not None and shown.bow.most > 2e-5:
        x, y = view.to(np.array([shown.bow.where]))[0]
        over = shown.bow.most > shown.limit
        text = f"+{show(shown.bow.most, 'thickness', s)}"
        yield Label(
            float(x),
            float(y),
            text,
            theme.alarm if over else theme.ink,
            13,
            True,
            ground=theme.raised,
            outline=theme.alarm if over else theme.edge,
        )
