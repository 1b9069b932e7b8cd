"""A closed mould's cloth from above: how full the gap is place by place, laps of splices, edges that no ply reaches, parting lines."""

from __future__ import annotations

import math
from collections.abc import Iterator

import numpy as np
import shapely
from shapely.geometry import LineString

from bibulon.core.drawing.kit.look import PlanLook, rings_of
from bibulon.core.drawing.kit.scene import Area, Item, Label, Texture, apart
from bibulon.core.drawing.kit.tokens import PITCH, WEIGHT, Theme
from bibulon.core.drawing.plan.mouldplan import draw_partings
from bibulon.core.findings.base import inside_of
from bibulon.core.geometry.zones import regions
from bibulon.core.model.job import Job
from bibulon.core.mould.cloth import Cloth, Filled
from bibulon.core.units.units import System, show
from bibulon.core.units.words import tr

__all__ = ["ALMOST", "draw_cloth", "is_wrong", "words_of"]

ALMOST = 0.9  # of what closes, from which a lap is told as near it
THINNEST = 5.0  # px that a lap or an empty edge is drawn at least


def is_wrong(filled: Filled, job: Job) -> bool:
    """Whether a region is fuller than closes, emptier than holds fibres, or does not touch both faces."""
    low, high = job.rules.cavity_vf_least, job.rules.cavity_vf_most
    return not low <= filled.share <= high or (filled.share > 0 and filled.push <= 0)


def words_of(filled: Filled, system: System) -> str:
    """Return a region's fibre share and push, in short."""
    share = f"{filled.share * 100:.0f} %" if math.isfinite(filled.share) else tr("no room")
    return (
        tr("{0}, pushes {1}", share, show(filled.push, "pressure", system))
        if filled.push > 0
        else tr("{}, loose", share)
    )


def draw_cloth(job: Job, cloth: Cloth, pick: Filled | None, look: PlanLook) -> Iterator[Item]:
    """Yield the drawing, words last."""
    shapes, words = apart(_all(job, cloth, pick, look))
    yield from shapes
    yield from words


def _all(job: Job, cloth: Cloth, pick: Filled | None, look: PlanLook) -> Iterator[Item]:
    view, theme = look.view, look.theme
    whole = regions(job.part).whole
    for place in cloth.places:
        yield from _region(job, place, look)
    if not cloth.edge.is_empty:
        # Drawn inwards as wide as can be seen, where it is narrower than a few px.
        wide = max(job.conditions.edge_gap, THINNEST / view.scale)
        yield Area(rings_of(whole.difference(whole.buffer(-wide)), view), theme.alarm, opacity=0.55)
        x, y = whole.exterior.interpolate(0.04, normalized=True).coords[0]
        ((px, py),) = view.to(np.array([(x, y)]))
        yield Label(
            px, py - 12, tr("empty edge {}", show(job.conditions.edge_gap, "thickness", look.system)), theme.alarm, 12, True, ground=theme.ground
        )  # fmt: skip
    for lap in cloth.laps:
        tone = theme.alarm if is_wrong(lap, job) else theme.ink
        thin = max(THINNEST / view.scale - 2 * lap.region.area / max(lap.region.length, 1e-9), 0.0)
        shape = lap.region.buffer(thin / 2) if thin > 0 else lap.region
        yield Area(rings_of(shape, view), tone, theme.ground, WEIGHT["thin"], opacity=0.85)
    yield Area(rings_of(whole, view), None, theme.ink, WEIGHT["line"])
    yield from draw_partings(job, look)
    for parting in job.closed.partings:
        ((px, py),) = view.to(np.array(parting.path[:1]))
        yield Label(
            px, py + 14, tr("{0} gapes {1}", parting.id, show(parting.gape, "thickness", look.system)), theme.accent, 12, True, ground=theme.ground
        )  # fmt: skip
    if pick is not None:
        yield Area(rings_of(pick.region, view), None, theme.accent, WEIGHT["heavy"])
    told = [*cloth.places, *(x for x in cloth.laps if x is pick or is_wrong(x, job))]
    # Words of a place stand clear of what lies on it, where there is room.
    covered = shapely.union_all(
        [*(x.region for x in cloth.laps), *(LineString(p.path) for p in job.closed.partings)]
    )
    covered = covered.buffer(24 / view.scale)
    for filled in told:
        clear = filled.region.difference(covered)
        x, y = inside_of(clear if not filled.lapped and not clear.is_empty else filled.region)
        ((px, py),) = view.to(np.array([(x, y)]))
        wrong = is_wrong(filled, job)
        yield Label(px, py, words_of(filled, look.system), theme.alarm if wrong else theme.ink, 13, True, ground=theme.ground)  # fmt: skip
    yield from _legend(job, theme)


def _region(job: Job, place: Filled, look: PlanLook) -> Iterator[Item]:
    rings, theme = rings_of(place.region, look.view), look.theme
    yield Area(rings, theme.tone(_depth(job, place.share)), theme.edge, WEIGHT["thin"])
    if is_wrong(place, job):
        yield Texture(rings, "ply", theme.alarm, PITCH["cells"], 1.4, 0.8)


def _depth(job: Job, share: float) -> float:
    low, high = job.rules.cavity_vf_least, job.rules.cavity_vf_most
    return 0.1 + 0.6 * (min(share, high) - low) / (high - low)


def _legend(job: Job, theme: Theme) -> Iterator[Item]:
    low, high = job.rules.cavity_vf_least, job.rules.cavity_vf_most
    x, y, wide = 14.0, 14.0, 16.0
    for k in range(7):
        box = np.array(
            [[x + k * wide, y], [x + (k + 1) * wide, y], [x + (k + 1) * wide, y + 10], [x + k * wide, y + 10]]
        )
        yield Area([box], theme.tone(0.1 + 0.6 * k / 6))
    yield Label(x, y + 22, f"{low * 100:.0f} %", theme.soft, 12, anchor="l")
    yield Label(x + 7 * wide, y + 22, tr("{:.0f} % fibre", high * 100), theme.soft, 12, anchor="r")
