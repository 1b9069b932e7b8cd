"""The finished part with what was found on it: pins by kind over the plan and the times at which it was wet."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import numpy as np

from bibulon.core.drawing.kit.look import PlanLook, rings_of
from bibulon.core.drawing.kit.scene import Area, Item, Label, Line, View
from bibulon.core.drawing.kit.tokens import WEIGHT
from bibulon.core.flow.forecast import Forecast
from bibulon.core.geometry.zones import regions
from bibulon.core.model.job import Job
from bibulon.core.series.record import Defect

__all__ = ["draw_pins", "pin_near"]

PIN = 8.0  # px
WORD = 110.0  # px that a pin's words take
GRAB = 18.0  # px around a pin's foot or head in which a click takes it
LATEST = 0.85  # of the fill time: what is wet later is shaded
Place = tuple[float, float]


def draw_pins(
    job: Job, forecast: Forecast | None, defects: Sequence[Defect], at: Place | None, look: PlanLook
) -> Iterator[Item]:
    """Yield the plan, its lines, where it was wet last, the pins, and the place that is pointed at."""
    view, t = look.view, look.theme
    plan = regions(job.part)
    yield Area(rings_of(plan.whole, view), t.cloth, t.ink, WEIGHT["line"])
    for zone in plan.zones.values():
        yield Line(rings_of(zone, view), t.weave, WEIGHT["thin"])
    if forecast is not None and forecast.filled:
        wet, points = forecast.wet_through, forecast.model.mesh.points
        late = np.isfinite(wet) & (wet > LATEST * forecast.fill_time)
        tri = forecast.model.mesh.triangles[late[forecast.model.mesh.triangles].all(axis=1)]
        if len(tri):
            yield Area([view.to(points[k]) for k in tri], t.resin_new, opacity=0.8)
            x, y = view.to(points[late].mean(axis=0)[None])[0]
            yield Label(x, y, "wet last", t.soft, 12, ground=t.ground)
    for line in job.lines:
        path = view.to(np.array(line.path, dtype=float))
        colour = t.vacuum if line.role == "vacuum" else t.feed
        if len(path) > 1:
            yield Line([path], colour, WEIGHT["heavy"], opacity=0.5)
        x, y = path[0]
        yield Label(x, y - 12, line.label or line.id, colour, 12, True, ground=t.ground)
    edge = float(view.to(np.array([plan.whole.bounds[2:]]))[0][0])
    for k, d in enumerate(defects, start=1):
        ((x, y),) = view.to(np.array([(d.x, d.y)]))
        wide = max(d.size * view.scale / 2, 3.0)
        around = np.linspace(0, 2 * np.pi, 33)[:-1]
        yield Area([np.c_[x + wide * np.cos(around), y + wide * np.sin(around)]], t.alarm, opacity=0.25)
        drop = np.array([[x, y], [x - PIN, y - 2.2 * PIN], [x, y - 3.6 * PIN], [x + PIN, y - 2.2 * PIN]])
        yield Area([drop], t.alarm, t.ground, WEIGHT["line"])
        left = x + WORD > edge
        side = x - PIN - 5 if left else x + PIN + 5
        yield Label(side, y - 2.2 * PIN, f"{k} {d.kind}", t.ink, 13, True, "r" if left else "l", t.ground)
    if at is not None:
        ((x, y),) = view.to(np.array([at]))
        yield Line(
            [np.array([[x - 14, y], [x + 14, y]]), np.array([[x, y - 14], [x, y + 14]])],
            t.accent,
            WEIGHT["heavy"],
        )


def pin_near(defects: Sequence[Defect], x: float, y: float, view: View) -> Defect | None:
    """Return the pin that a place [m] takes hold of, by its foot or its head; the nearest of several."""
    if not defects:
        return None
    here = view.to(np.array([(x, y)]))[0]
    feet = view.to(np.array([(d.x, d.y) for d in defects]))
    heads = feet - np.array([0.0, 2.2 * PIN])
    off = np.minimum(np.hypot(*(feet - here).T), np.hypot(*(heads - here).T))
    k = int(np.argmin(off))
    return defects[k] if off[k] <= GRAB else None
