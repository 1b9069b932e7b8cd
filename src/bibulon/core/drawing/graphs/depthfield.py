"""Temperature through the thickness over time: the section at the left, its field beside it, and the profile at one moment."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import pairwise
from typing import cast

import numpy as np
import numpy.typing as npt
from contourpy import FillType, LineType, contour_generator
from msgspec import Struct

from bibulon.core.cure.depth import Depth
from bibulon.core.cure.section import AROUND
from bibulon.core.drawing.kit.field import nice_step
from bibulon.core.drawing.kit.scene import Area, Item, Label, Line
from bibulon.core.drawing.kit.tokens import WEIGHT, Theme
from bibulon.core.units.units import System, clock, show
from bibulon.core.units.words import tr

__all__ = ["Field", "draw_depth"]

Floats = npt.NDArray[np.float64]
SECTION, PROFILE = 150.0, 190.0  # px that section and profile take
TOP, FOOT = 30.0, 64.0
PART = 0.68  # of the height for what is the part; tool and blanket share the rest
TONES = 8
MOMENTS = 240


class Field(Struct, frozen=True):
    """Where the field of a place stands in a drawing of px."""

    depth: Depth
    width: float
    height: float

    @property
    def span(self) -> tuple[float, float]:
        """Left and right of the field [px]."""
        return SECTION, max(self.width - PROFILE, SECTION + 80.0)

    def x(self, moment: Floats | float) -> Floats:
        """Return px of moments [s]."""
        left, right = self.span
        d = self.depth
        share = (np.asarray(moment) - d.time[0]) / max(d.end - d.time[0], 1e-9)
        return np.asarray(left + share * (right - left))

    def moment(self, x: float) -> float:
        """Return the moment [s] at a px, kept inside the field."""
        left, right = self.span
        share = min(max((x - left) / (right - left), 0.0), 1.0)
        return float(self.depth.time[0] + share * (self.depth.end - self.depth.time[0]))

    def y(self, height: Floats | float) -> Floats:
        """Return px of heights [m]: the part is drawn larger than what is round it where that is much thicker."""
        d = self.depth
        edges = [0.0, *(b for _, _, b in d.slabs)]
        part = [name not in AROUND for name, _, _ in d.slabs]
        thick = np.diff(edges)
        inside, other = thick[np.array(part)].sum(), thick[~np.array(part)].sum()
        share = thick / thick.sum()
        if other > 0 and inside / thick.sum() < PART:
            share = np.where(part, thick / inside * PART, thick / other * (1 - PART))
        base, top = self.height - FOOT, TOP
        at = base - np.concatenate([[0.0], np.cumsum(share)]) * (base - top)
        return np.asarray(np.interp(height, edges, at))


def draw_depth(
    depth: Depth | None,
    moment: float,
    problem: str,
    width: float,
    height: float,
    theme: Theme,
    system: System,
) -> Iterator[Item]:
    """Yield section, field and profile at a moment [s] in a field of px; without a place its ``problem``."""
    if depth is None:
        yield Label(
            width / 2, height / 2, problem or tr("Point at a place of the plan first."), theme.soft, 14
        )
        return
    field = Field(depth, width, height)
    when = np.linspace(depth.time[0], depth.end, MOMENTS)
    grid = np.array([np.interp(when, depth.time, column) for column in depth.temperature.T])
    tones = _levels(float(grid.min()), float(grid.max()))
    yield from _field(field, when, grid, tones, theme)
    yield from _section(field, theme, system)
    yield from _gel(field, when, theme)
    yield from _times(field, theme)
    yield from _legend(tones, field, theme, system)
    yield from _peak(field, theme, system)
    yield from _profile(field, moment, tones, theme, system)


def _levels(low: float, high: float) -> Floats:
    return np.linspace(low, max(high, low + 1.0), TONES + 1)


def _field(field: Field, when: Floats, grid: Floats, tones: Floats, theme: Theme) -> Iterator[Item]:
    left, right = field.span
    edges = field.y(np.array([0.0, field.depth.slabs[-1][2]]))
    frame = np.array([[left, edges[0]], [right, edges[0]], [right, edges[1]], [left, edges[1]]])
    yield Area([frame], theme.tone(0.0), None)
    # The outermost cells reach out to the faces.
    y = field.y(np.concatenate([[0.0], field.depth.height, [field.depth.slabs[-1][2]]]))
    maker = contour_generator(
        field.x(when), y, np.vstack([grid[:1], grid, grid[-1:]]),
        fill_type=FillType.OuterOffset, line_type=LineType.Separate,
    )  # fmt: skip
    for k in range(1, TONES):
        filled = maker.filled(float(tones[k]), float(tones[k + 1]) + 1e-6)
        points, offsets = cast(tuple[list[Floats], list[npt.NDArray[np.int64]]], filled)
        for ring, cut in zip(points, offsets, strict=True):
            parts = [np.asarray(ring[a:b]) for a, b in pairwise(cut)]
            yield Area(parts, theme.tone(k / (TONES - 1)), None)
    yield Area([frame], None, theme.ink, WEIGHT["line"])


def _section(field: Field, theme: Theme, system: System) -> Iterator[Item]:
    left, right = field.span
    wet = {field.depth.height[k] for k in field.depth.wet}
    spoken = -1e9
    for name, low, high in field.depth.slabs:
        base, top = (float(v) for v in field.y(np.array([low, high])))
        holds = any(low < h < high for h in wet)
        fill = theme.tool if name in ("tool", "upper half") else theme.cloth if holds else theme.core
        box = np.array([[left - 26, base], [left - 6, base], [left - 6, top], [left - 26, top]])
        yield Area([box], fill, theme.ink, WEIGHT["hair"])
        yield Line([np.array([[left, top], [right, top]])], theme.ground, WEIGHT["hair"], (2, 4))
        middle = (base + top) / 2
        if abs(middle - spoken) >= 15 and base - top > 3:
            spoken = middle
            words = name if len(name) <= 15 else name[:14] + "…"
            yield Label(left - 32, middle, words, theme.ink, 11, anchor="r")
    thick = sum(b - a for name, a, b in field.depth.slabs if name not in AROUND)
    yield Label(14, 14, tr("part {} thick", show(thick, "thickness", system)), theme.soft, 12, anchor="l")


def _gel(field: Field, when: Floats, theme: Theme) -> Iterator[Item]:
    d = field.depth
    alpha = np.array([np.interp(when, d.time, column) for column in d.alpha.T])
    for cells in d.layers:
        if len(cells) < 2:
            continue
        lines = contour_generator(
            field.x(when), field.y(d.height[d.wet[cells]]), alpha[cells], line_type=LineType.Separate
        ).lines(d.gel)
        found = [np.asarray(line) for line in lines if len(line) > 1]
        if found:
            yield Line(found, theme.alarm, WEIGHT["heavy"])
            x, y = max(found, key=len)[-1]
            yield Label(x + 6, y, "gel", theme.alarm, 12, True, "l", ground=theme.ground)


def _times(field: Field, theme: Theme) -> Iterator[Item]:
    d, (left, right) = field.depth, field.span
    step = nice_step(d.end - d.time[0], max(int((right - left) / 90), 2))
    base = field.height - FOOT
    for t in np.arange(np.ceil(d.time[0] / step) * step, d.end, step):
        x = float(field.x(t))
        yield Line([np.array([[x, base], [x, base + 5]])], theme.soft, WEIGHT["thin"])
        yield Label(x, base + 15, clock(float(t)), theme.soft, 12)


def _legend(tones: Floats, field: Field, theme: Theme, system: System) -> Iterator[Item]:
    left, y = field.span[0], field.height - 26
    for k in range(TONES):
        x = left + k * 40
        box = np.array([[x, y], [x + 39, y], [x + 39, y + 11], [x, y + 11]])
        yield Area([box], theme.tone(k / (TONES - 1)), None)
    yield Label(left - 8, y + 6, show(float(tones[0]), "temperature", system), theme.soft, 12, anchor="r")
    yield Label(
        left + TONES * 40 + 8,
        y + 6,
        show(float(tones[-1]), "temperature", system),
        theme.soft,
        12,
        anchor="l",
    )


def _peak(field: Field, theme: Theme, system: System) -> Iterator[Item]:
    d = field.depth
    own = d.temperature[:, d.wet]
    t, k = np.unravel_index(int(own.argmax()), own.shape)
    when, warm = float(d.time[t]), float(own[t, k])
    if when > d.end:
        return
    x, y = float(field.x(when)), float(field.y(d.height[d.wet[k]]))
    ring = np.array([[x - 5, y], [x, y - 5], [x + 5, y], [x, y + 5]])
    yield Area([ring], theme.ground, theme.ink, WEIGHT["line"])
    words = tr("{0} at {1}", show(warm, "temperature", system), clock(when))
    yield Label(x + 10, y - 12, words, theme.ink, 12, True, "l", ground=theme.ground)


def _profile(field: Field, moment: float, tones: Floats, theme: Theme, system: System) -> Iterator[Item]:
    d = field.depth
    x = float(field.x(min(max(moment, d.time[0]), d.end)))
    base, top = (float(v) for v in field.y(np.array([0.0, d.slabs[-1][2]])))
    yield Line([np.array([[x, base], [x, top]])], theme.front, WEIGHT["line"])
    profile = d.at(moment)
    left, right = field.span[1] + 26, field.width - 24
    low, high = float(tones[0]), float(tones[-1])
    yield Line([np.array([[left, top], [left, base], [right, base]])], theme.edge, WEIGHT["thin"])
    at = left + (profile.temperature - low) / max(high - low, 1e-9) * (right - left)
    yield Line([np.c_[at, field.y(profile.height)]], theme.resin_old, WEIGHT["heavy"])
    cured = left + profile.alpha * (right - left)
    for cells in d.layers:
        yield Line([np.c_[cured[cells], field.y(profile.wet[cells])]], theme.accent, WEIGHT["line"], (5, 3))
    yield Label((left + right) / 2, 14, tr("at {}", clock(moment)), theme.ink, 13, True)
    yield Label(left, base + 15, show(low, "temperature", system), theme.soft, 12, anchor="l")
    yield Label(right, base + 15, show(high, "temperature", system), theme.soft, 12, anchor="r")
    warm, least = float(profile.temperature[d.wet].max()), float(profile.alpha.min())
    yield Label(
        left, base + 34, tr("hottest {}", show(warm, "temperature", system)), theme.resin_old, 12, True, "l"
    )
    yield Label(left, base + 51, tr("cured {:.0f} % at least", least * 100), theme.accent, 12, True, "l")
