"""Marks of a part on its plan: corners of the mould, zones in which something is barred."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from shapely.geometry import LineString

from bibulon.core.drawing.kit.look import PlanLook, rings_of
from bibulon.core.drawing.kit.scene import Area, Clip, Item, Label, Line, hatch
from bibulon.core.drawing.kit.tokens import WEIGHT
from bibulon.core.geometry.outline import OutlineError
from bibulon.core.geometry.zones import regions
from bibulon.core.model.job import Job
from bibulon.core.units.units import show
from bibulon.core.units.words import tr

__all__ = ["draw_part_marks"]


def draw_part_marks(job: Job, look: PlanLook) -> Iterator[Item]:
    """Yield the names of zones, hatched zones that bar something, and mould corners with their radius."""
    t = look.theme
    try:
        plan = regions(job.part)
    except OutlineError:
        return
    for zone in job.part.zones:
        region = plan.over.get(zone.id) or plan.zones.get(zone.id)
        if region is None or region.is_empty:
            continue
        if zone.id in plan.over:
            rings = rings_of(region, look.view)
            points = np.vstack(rings)
            box = (*points.min(axis=0), *points.max(axis=0))
            lines = hatch("ply", box, 9.0)
            yield Area(rings, t.ground, t.soft, WEIGHT["thin"], opacity=0.6)
            yield Clip(rings, (Line(lines, t.soft, WEIGHT["thin"], round_ends=False, opacity=0.7),))
        point = region.representative_point()
        x, y = look.view.to(np.array([[point.x, point.y]]))[0]
        kind = "" if zone.kind == "single skin" else f" · {zone.kind}"
        yield Label(float(x), float(y), f"{zone.name}{kind}", t.ink, 12, ground=t.ground)
    for corner in job.part.corners:
        px = look.view.to(np.array(corner.path))
        inside = corner.kind == "inside"
        yield Line([px], t.alarm, WEIGHT["line"], dash=(10, 3, 2, 3) if inside else (10, 3))
        on = LineString(px).interpolate(0.25, normalized=True)
        words = tr("{0} corner R {1}", corner.kind, show(corner.radius, "length", look.system))
        yield Label(on.x, on.y, words, t.alarm, 11.5, ground=t.ground)
