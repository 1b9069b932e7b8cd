"""The finished part with the thickness at points, its zones by fibre share, and each zone's share beside its plan."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import numpy as np

from bibulon.core.drawing.kit.look import PlanLook, rings_of
from bibulon.core.drawing.kit.scene import Area, Item, Label, Line
from bibulon.core.drawing.kit.tokens import WEIGHT, Theme
from bibulon.core.geometry.zones import regions
from bibulon.core.model.job import Job
from bibulon.core.series.thickness import Measured, ZoneShare
from bibulon.core.units.units import System, show
from bibulon.core.units.words import tr

__all__ = ["ROW", "draw_shares", "draw_thickness"]

ROW, LEFT, RIGHT, HEAD = 40.0, 170.0, 250.0, 34.0  # px
Place = tuple[float, float]


def draw_thickness(
    job: Job, zones: Sequence[ZoneShare], points: Sequence[Measured], at: Place | None, chosen: str, look: PlanLook
) -> Iterator[Item]:  # fmt: skip
    """Yield the plan: zones shaded whose fibre share is off the plan, points with what was measured there."""
    view, t = look.view, look.theme
    plan = regions(job.part)
    yield Area(rings_of(plan.whole, view), t.cloth, None)
    off = {z.zone for z in zones if z.off}
    for key, region in plan.zones.items():
        rings = rings_of(region, view)
        if key in off:
            yield Area(rings, t.alarm, opacity=0.25)
        yield Line(rings, t.weave, WEIGHT["thin"])
    yield Area(rings_of(plan.whole, view), None, t.ink, WEIGHT["line"])
    for p in points:
        ((x, y),) = view.to(np.array([(p.x, p.y)]))
        ring = np.array([[x - 5, y], [x, y - 5], [x + 5, y], [x, y + 5]])
        yield Area([ring], t.accent if p.uid == chosen else t.ground, t.ink, WEIGHT["line"])
        yield Label(x, y - 14, show(p.thickness, "thickness", look.system), t.ink, 12, True, ground=t.ground)
    if at is not None:
        ((x, y),) = view.to(np.array([at]))
        cross = [np.array([[x - 14, y], [x + 14, y]]), np.array([[x, y - 14], [x, y + 14]])]
        yield Line(cross, t.accent, WEIGHT["heavy"])


def draw_shares(zones: Sequence[ZoneShare], width: float, theme: Theme, system: System) -> Iterator[Item]:
    """Yield a row a zone: its measured fibre share with the range, and the plan's as a mark."""
    if not zones:
        yield Label(width / 2, 40, "Measure the part at a few points of each zone.", theme.soft, 14)
        return
    told = [z.vf for z in zones if z.vf is not None]
    ends = [z.vf_planned for z in zones if z.vf_planned > 0] + [v for r in told for v in (r.low, r.high)]
    low, high = (min(ends) - 0.02, max(ends) + 0.02) if ends else (0.3, 0.7)
    right = max(width - RIGHT, LEFT + 80)

    def x(share: float) -> float:
        return LEFT + (share - low) / (high - low) * (right - LEFT)

    step = next((s for s in (0.01, 0.02, 0.05, 0.1) if (high - low) / s <= (right - LEFT) / 55), 0.2)
    base = HEAD + ROW * len(zones)
    for tick in np.arange(np.ceil(low / step) * step, high, step):
        yield Line([np.array([[x(tick), HEAD - 8], [x(tick), base]])], theme.edge, WEIGHT["hair"])
        yield Label(x(tick), 14, f"{tick * 100:.0f} %", theme.soft, 12)
    for k, z in enumerate(zones):
        y = HEAD + ROW * (k + 0.5)
        yield Label(12, y, z.name if len(z.name) <= 20 else z.name[:19] + "…", theme.ink, 13, True, "l")
        if z.vf is not None:
            bar = [(x(z.vf.low), y - 6), (x(z.vf.high), y - 6), (x(z.vf.high), y + 6), (x(z.vf.low), y + 6)]
            yield Area([np.array(bar)], theme.accent, opacity=0.35)
            yield Line(
                [np.array([[x(z.vf.middle), y - 9], [x(z.vf.middle), y + 9]])], theme.accent, WEIGHT["heavy"]
            )
        if z.vf_planned > 0:
            p = x(z.vf_planned)
            yield Area([np.array([[p, y - 8], [p - 5, y - 15], [p + 5, y - 15]])], theme.ink)
        thick = tr(
            "{0} of {1}, {2} point{3}",
            show(z.measured, "thickness", system),
            show(z.planned, "thickness", system),
            z.points,
            "s" * (z.points != 1),
        )
        share = (tr("off the plan: ") if z.off else "") + (
            tr("{0:.1f} %, {1:.1f} to {2:.1f}", z.vf.middle * 100, z.vf.low * 100, z.vf.high * 100)
            if z.vf
            else z.problem
        )
        yield Label(right + 14, y - 8, share, theme.ink, 12, z.vf is not None, "l")
        yield Label(right + 14, y + 9, thick, theme.soft, 12, anchor="l")
    yield Label(12, 14, "fibre by volume; ▾ planned", theme.soft, 12, anchor="l")
