"""Two plans on one drawing: where each of them wets sooner, and by how much."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from bibulon.core.drawing.kit.field import Contours, Sampler
from bibulon.core.drawing.kit.look import PlanLook, rings_of
from bibulon.core.drawing.kit.scene import Area, Clip, Item, Label, View
from bibulon.core.drawing.kit.tokens import WEIGHT, Theme
from bibulon.core.drawing.plan.lines import draw_flow_line
from bibulon.core.drawing.plan.plan import draw_base, draw_lines, draw_resin
from bibulon.core.flow.forecast import Forecast
from bibulon.core.geometry.zones import regions
from bibulon.core.plans.variants import Compared
from bibulon.core.units.remember import by_identity, kept_with
from bibulon.core.units.units import System, clock
from bibulon.core.units.words import tr

__all__ = ["draw_at", "draw_sooner"]

SAME = 0.02  # of the longer fill that counts as no difference


@kept_with(0, 1, 1)  # seen at each tick of the clock
def _fronts(forecast: Forecast) -> Contours:
    """Return when each place of a plan is wet through."""
    return Sampler(forecast.model.mesh, 110).contours(forecast.wet_through)


@by_identity(2, 1)
def _ahead(a: Compared, b: Compared) -> tuple[Contours, float, float, float]:
    """Return by how much the first plan wets sooner [s], its least and its most, and when the later one ends."""
    assert a.forecast is not None
    assert b.forecast is not None
    mesh = a.forecast.model.mesh
    triangle, weights = b.forecast.model.mesh.locate(mesh.points)
    end = max(a.forecast.end, b.forecast.end)
    theirs_at = np.where(np.isfinite(b.forecast.wet_through), b.forecast.wet_through, 2 * end)
    theirs = np.einsum("ni,ni->n", weights, theirs_at[b.forecast.model.mesh.triangles[triangle]])
    mine = np.where(np.isfinite(a.forecast.wet_through), a.forecast.wet_through, 2 * end)
    ahead = np.where(triangle >= 0, theirs - mine, 0.0)
    return Sampler(mesh, 160).contours(ahead), float(ahead.min()), float(ahead.max()), end


def draw_at(
    plan: Compared, time: float, width: float, height: float, theme: Theme, system: System
) -> Iterator[Item]:
    """Yield one plan with its resin at a moment [s], under its name."""
    assert plan.forecast is not None
    view = View.fit(regions(plan.job.part).whole.bounds, width, height - 24, 32)
    look = PlanLook(view, theme, system, time=time, shown=frozenset({"lines"}))
    yield from draw_base(plan.job, look)
    yield from draw_resin(plan.job, look, _fronts(plan.forecast))
    yield from draw_lines(plan.job, look)
    share = float((plan.forecast.wet_through <= time).mean())
    yield Label(
        width / 2,
        height - 10,
        tr("{0} at {1}, {2:.0f} % wet", plan.name, clock(time), share * 100),
        theme.ink,
        12.5,
    )


def draw_sooner(
    a: Compared, b: Compared, width: float, height: float, theme: Theme, system: System
) -> Iterator[Item]:
    """Yield the first plan's part: toned where it wets sooner, hatched paper where the other does."""
    contours, later, sooner, end = _ahead(a, b)
    whole = regions(a.job.part).whole
    view = View.fit(whole.bounds, width, height - 20, 30)
    least = SAME * end
    rings = rings_of(whole, view)
    yield Area(rings, theme.cloth, None)
    steps = (least, end / 12, end / 5, end)
    bands: list[Item] = []
    for low, high, share in zip(steps, (*steps[1:], 9e9), (0.25, 0.5, 0.75, 1.0), strict=True):
        here = [view.to(r) for r in contours.between(low, high)]
        there = [view.to(r) for r in contours.between(-high, -low)]
        bands.append(Area(here, theme.feed, None, opacity=0.2 + 0.5 * share))
        bands.append(Area(there, theme.vacuum, None, opacity=0.2 + 0.5 * share))
    yield Clip(rings, tuple(bands))
    yield Area(rings, None, theme.ink, WEIGHT["line"])
    look = PlanLook(view, theme, system)
    for line in a.job.lines:
        yield from draw_flow_line(look, line)
    words = tr(
        "sooner: green {0}, by {1} at most; plum {2}, by {3}",
        a.name,
        clock(max(sooner, 0.0)),
        b.name,
        clock(max(-later, 0.0)),
    )
    yield Label(width / 2, height - 10, words, theme.ink, 12.5)
