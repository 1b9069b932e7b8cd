"""How sure a plan is, drawn: how often each place stays dry, where runs close last, the range of the fill time."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from bibulon.core.drawing.kit.field import Sampler
from bibulon.core.drawing.kit.look import PlanLook, rings_of
from bibulon.core.drawing.kit.scene import Area, Clip, Item, Label, Line, View
from bibulon.core.drawing.kit.tokens import WEIGHT, Theme
from bibulon.core.drawing.plan.lines import draw_flow_line
from bibulon.core.geometry.zones import regions
from bibulon.core.model.job import Job
from bibulon.core.plans.sure import Sure
from bibulon.core.units.units import System, clock

__all__ = ["draw_sure"]

STEPS = (0.04, 0.15, 0.35, 0.65)  # shares of runs between the tones


def draw_sure(
    job: Job, sure: Sure, width: float, height: float, theme: Theme, system: System
) -> Iterator[Item]:
    """Yield the map of how often a place stays dry, a ring where each run closes last, the spread of times below."""
    whole = regions(job.part).whole
    foot = 64.0
    view = View.fit(whole.bounds, width, height - foot, 26)
    rings = rings_of(whole, view)
    yield Area(rings, theme.cloth, None)
    if sure.runs:
        mesh = sure.runs[0].mesh
        contours = Sampler(mesh, 160).contours(sure.dry_share)
        bands = []
        for k, low in enumerate(STEPS):
            high = STEPS[k + 1] if k + 1 < len(STEPS) else 2.0
            found = [view.to(r) for r in contours.between(low, high)]
            bands.append(Area(found, theme.alarm, None, opacity=0.25 + 0.22 * k))
        yield Clip(rings, tuple(bands))
    yield Area(rings, None, theme.ink, WEIGHT["line"])
    look = PlanLook(view, theme, system)
    for line in job.lines:
        yield from draw_flow_line(look, line)
    turn = np.linspace(0, 2 * np.pi, 17)
    for run in sure.runs:
        x, y = view.to(np.array([run.last]))[0]
        yield Line(
            [np.c_[x + 5 * np.cos(turn), y + 5 * np.sin(turn)]], theme.ink, WEIGHT["thin"], opacity=0.6
        )
    yield from _strip(sure, width, height - foot, theme)


def _strip(sure: Sure, width: float, top: float, theme: Theme) -> Iterator[Item]:
    """A dot a run along an axis of time, the range between two bars."""
    times = np.array([r.fill_time for r in sure.runs if np.isfinite(r.fill_time)])
    if not len(times):
        yield Label(width / 2, top + 24, "No run gets all wet.", theme.alarm, 13)
        return
    left, right, y = 40.0, width - 40.0, top + 22.0
    low, high = 0.0, float(times.max()) * 1.08

    def x(t: float) -> float:
        return left + (t - low) / (high - low) * (right - left)

    yield Line([np.array([[left, y], [right, y]])], theme.edge, WEIGHT["thin"])
    early, middle, late = sure.fill_range
    if np.isfinite(late):
        yield Line([np.array([[x(early), y], [x(late), y]])], theme.accent, WEIGHT["tube"], opacity=0.45)
    for t in times:
        yield Line(
            [np.array([[x(float(t)), y - 6], [x(float(t)), y + 6]])], theme.ink, WEIGHT["thin"], opacity=0.6
        )
    ends = ("1 in 20 sooner", "1 in 20 later") if sure.held > 0.89 else ("soonest", "latest")
    for t, words in ((early, ends[0]), (middle, "half"), (late, ends[1])):
        if np.isfinite(t):
            yield Label(x(t), y + 17, clock(t), theme.ink, 12, True)
            yield Label(x(t), y + 31, words, theme.soft, 11)
