"""What holds a mould shut against what opens it, over time: the margin as a lane, red from before it would part."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from msgspec import Struct

from bibulon.core.drawing.kit.field import nice_step
from bibulon.core.drawing.kit.scene import Area, Item, Label, Line
from bibulon.core.drawing.kit.tokens import WEIGHT, Theme
from bibulon.core.mould.closing import Closing
from bibulon.core.units.units import System, clock, show
from bibulon.core.units.words import tr

__all__ = ["MarginLane", "draw_margin"]

LEFT, RIGHT = 96.0, 24.0


class MarginLane(Struct, frozen=True):
    """The lane's forces, the rule's factor, when it gels [s], and its room [px]."""

    closing: Closing
    rule: float
    width: float
    height: float

    @property
    def end(self) -> float:
        """The last moment shown [s]."""
        return float(self.closing.time[-1]) * 1.06

    def x(self, time: float) -> float:
        """Return px of a moment."""
        return LEFT + min(max(time, 0.0), self.end) / self.end * (self.width - LEFT - RIGHT)

    def time(self, x: float) -> float:
        """Return the moment at px, within the lane."""
        return float(np.clip((x - LEFT) / (self.width - LEFT - RIGHT), 0.0, 1.0)) * self.end


def draw_margin(lane: MarginLane, moment: float, theme: Theme, system: System) -> Iterator[Item]:
    """Yield the lane with a hand at a moment [s]."""
    c = lane.closing
    top, base = 34.0, lane.height - 24.0
    high = float(max(c.held.max(), c.opened.max())) * 1.12

    def y(force: np.ndarray) -> np.ndarray:
        return base - np.asarray(force) / high * (base - top)

    for t in np.arange(0.0, lane.end, nice_step(lane.end, max(int(lane.width / 110), 3))):
        x = lane.x(float(t))
        yield Line([np.array([[x, top], [x, base]])], theme.edge, WEIGHT["hair"])
        yield Label(x, base + 12, clock(float(t)), theme.soft, 12)
    across = np.array([lane.x(float(t)) for t in c.time])
    held, opened = np.c_[across, y(c.held)], np.c_[across, y(c.opened)]
    rule = np.c_[across, y(np.minimum(c.opened * lane.rule, high))]
    yield Area([np.vstack([held, opened[::-1]])], theme.field_low, None, opacity=0.7)
    low = c.held < c.opened * lane.rule
    for k in np.flatnonzero(low[:-1] | low[1:]):
        ring = np.array([[across[k], top], [across[k + 1], top], [across[k + 1], base], [across[k], base]])
        yield Area([ring], theme.alarm, None, opacity=0.18)
    yield Area(
        [np.vstack([[across[0], base], opened, [across[-1], base]])], theme.resin(0.5), None, opacity=0.8
    )
    yield Line([rule], theme.alarm, WEIGHT["thin"], (4.0, 3.0))
    yield Line([held], theme.ink, WEIGHT["heavy"])
    yield Line([opened], theme.front, WEIGHT["line"])
    yield Label(16, top + 8, "holds shut", theme.ink, 12, True, "l")
    yield Label(16, base - 8, "pushes open", theme.front, 12, True, "l")
    yield Label(16, 14, "Closing force", theme.ink, 13, True, "l")
    worst = c.worst
    at = float(across[worst])
    words = tr("least {0} over, × {1:.2f}", show(float(c.margin[worst]), "force", system), c.factor[worst])
    bad = bool(c.factor[worst] < lane.rule)
    anchor = "r" if at > lane.width * 0.6 else "l"
    yield Label(
        at + (-8 if anchor == "r" else 8),
        16,
        words,
        theme.alarm if bad else theme.ink,
        12,
        True,
        anchor,
        ground=theme.alarm_ground if bad else theme.raised,
        outline=theme.alarm if bad else theme.edge,
    )
    hand = lane.x(moment)
    yield Line([np.array([[hand, top - 8], [hand, base]])], theme.accent, WEIGHT["heavy"])
    yield Label(hand, base + 12, clock(moment), theme.on_accent, 12, True, ground=theme.accent)
