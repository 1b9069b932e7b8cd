"""A refit on the plan: where the front is now, as a band; the planned one beside it; marks, and where one more would tell most."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import shapely
from msgspec import Struct
from shapely.geometry import LineString

from bibulon.core.drawing.kit.field import Contours, Sampler
from bibulon.core.drawing.kit.look import PlanLook, rings_of
from bibulon.core.drawing.kit.scene import Area, Clip, Item, Label, Line
from bibulon.core.drawing.kit.tokens import SIZE, WEIGHT
from bibulon.core.geometry.trimesh import TriMesh
from bibulon.core.geometry.zones import regions
from bibulon.core.model.job import Job
from bibulon.core.plans.refit.refit import Refit
from bibulon.core.units.remember import kept_with
from bibulon.core.units.units import clock
from bibulon.core.units.words import tr

__all__ = ["RefitPicture", "draw_refit", "picture_of"]

ODD_RING = 13.0  # px


class RefitPicture(Struct, frozen=True, eq=False):
    """Contours of a refit: the likely arrival, the half of it that lies in the middle, all but one in ten, and the plan's."""

    refit: Refit
    middle: Contours
    low: Contours
    high: Contours
    soon: Contours
    later: Contours
    planned: Contours


@kept_with(0, 1, 1)
def _sampler(mesh: TriMesh) -> Sampler:
    return Sampler(mesh, 200)


def picture_of(refit: Refit) -> RefitPicture:
    """Return the contours of a refit."""
    sampler = _sampler(refit.prior.mesh)
    low, middle, high = (sampler.contours(t) for t in refit.top)
    soon, later = (sampler.contours(t) for t in refit.top_near)
    return RefitPicture(refit, middle, low, high, soon, later, sampler.contours(refit.prior.planned.top))


def draw_refit(job: Job, look: PlanLook, picture: RefitPicture, now: float) -> Iterator[Item]:
    """Yield band, fronts, and signs at a moment of the run [s]."""
    view, theme = look.view, look.theme
    whole = regions(job.part).whole
    rings = rings_of(whole, view)
    for early, late, opacity in ((picture.low, picture.high, 0.16), (picture.soon, picture.later, 0.38)):
        may = [view.to(r) for r in early.between(-1e9, now)]
        sure = [view.to(r) for r in late.between(-1e9, now)]
        if may:
            yield Clip(rings, (Area([*may, *sure], theme.resin_new, None, opacity=opacity),))
    planned = _lines(picture.planned, now, whole, look)
    yield Line(planned, theme.ink, WEIGHT["line"], (7, 5))
    yield Line(_lines(picture.middle, now, whole, look), theme.front, WEIGHT["tube"] - 1)
    odd = {c.mark for c in picture.refit.contradictions}
    turn = np.linspace(0, 2 * np.pi, 33)
    for k, mark in enumerate(picture.refit.marks):
        x, y = view.to(np.array([(mark.x, mark.y)]))[0]
        if k in odd:
            yield Line(
                [np.c_[x + ODD_RING * np.cos(turn), y + ODD_RING * np.sin(turn)]],
                theme.alarm,
                WEIGHT["heavy"],
            )
            yield Label(
                x,
                y - 22,
                tr("mark {}: the others disagree", k + 1),
                theme.alarm,
                SIZE["small"],
                True,
                ground=theme.ground,
            )
        if mark.kind == "dry":
            yield Line([np.c_[x + 5 * np.cos(turn), y + 5 * np.sin(turn)]], theme.ink, WEIGHT["line"])
            yield Label(
                x + 10, y, tr("dry {}", clock(mark.time)), theme.ink, SIZE["small"], True, "l", theme.ground
            )
    if picture.refit.next_mark is not None:
        x, y = view.to(np.array([picture.refit.next_mark]))[0]
        yield Line(
            [np.c_[x + 11 * np.cos(turn), y + 11 * np.sin(turn)]], theme.accent, WEIGHT["line"], (3, 3)
        )
        yield Label(x, y + 22, "mark here", theme.accent, SIZE["small"], True, ground=theme.ground)


def _lines(contours: Contours, now: float, whole: shapely.Geometry, look: PlanLook) -> list[np.ndarray]:
    out: list[np.ndarray] = []
    for path in contours.at(now) if now > 0 else ():
        if len(path) > 1:
            for piece in shapely.get_parts(shapely.intersection(LineString(path), whole)):
                if piece.geom_type == "LineString":
                    out.append(look.view.to(shapely.get_coordinates(piece)))
    return out
