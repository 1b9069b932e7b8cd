"""The walk-round: the tape unrolled into one strip, with what the film climbs behind it and each pleat at its place."""

from __future__ import annotations

import math
from collections.abc import Iterator

import numpy as np
import numpy.typing as npt
from msgspec import Struct

from bibulon.core.bag.bag import Bag
from bibulon.core.bag.pleats import Pleat, SideSlack
from bibulon.core.drawing.kit.scene import Area, Item, Label, Line
from bibulon.core.drawing.kit.tokens import WEIGHT, Theme
from bibulon.core.drawing.plan.bagplan import pleat_colour, pleat_ring
from bibulon.core.units.units import System, show, system_of
from bibulon.core.units.words import tr

__all__ = ["WalkStrip", "draw_walk"]

Floats = npt.NDArray[np.float64]

LEFT, RIGHT, TOP, FOOT = 20.0, 20.0, 44.0, 78.0  # px around the strip; below it marks and the sides' film
BAR = 7.0


class WalkStrip(Struct, frozen=True):
    """Where the strip lies in a field of px; lengths along and heights are to scales of their own."""

    bag: Bag
    width: float
    height: float

    @property
    def base(self) -> float:
        """The tape [px]."""
        return self.height - FOOT

    def x(self, at: float) -> float:
        """Return px of a length along the walk [m]."""
        return LEFT + at / self.bag.walk.length * (self.width - LEFT - RIGHT)

    def at(self, x: float) -> float:
        """Return the length along the walk of a px [m]."""
        share = (x - LEFT) / max(self.width - LEFT - RIGHT, 1.0)
        return min(max(share, 0.0), 1.0) * self.bag.walk.length

    @property
    def tall(self) -> float:
        """Px a metre of height."""
        highest = max([float(self.bag.walk.climb.max(initial=0.0)), *(p.size for p in self.bag.pleats), 0.05])
        return (self.base - TOP) / highest

    def pleat_at(self, x: float) -> Pleat | None:
        """Return the pleat nearest to a px, within reach of the hand."""
        near = [(abs(self.x(p.at) - x), k) for k, p in enumerate(self.bag.pleats)]
        off, k = min(near, default=(1e9, 0))
        return self.bag.pleats[k] if off < 12 else None


def draw_walk(strip: WalkStrip, theme: Theme, system: System, chosen: str = "") -> Iterator[Item]:
    """Yield the strip."""
    bag, base, tall = strip.bag, strip.base, strip.tall
    x = np.array([strip.x(s) for s in bag.walk.at])
    top = base - bag.walk.climb * tall
    body = np.vstack([[x[0], base], np.c_[x, top], [x[-1], base]])
    yield Area([body], theme.core, None)
    yield Line([np.c_[x, top]], theme.ink, WEIGHT["line"])
    for corner in bag.walk.corners:
        px = strip.x(float(corner))
        yield Line([np.array([[px, TOP - 8], [px, base]])], theme.soft, WEIGHT["hair"], (3.0, 3.0))
    for pleat in bag.pleats:
        size = max(pleat.size * tall, 6.0)
        ring = pleat_ring(
            np.array([strip.x(pleat.at), base]),
            np.array([1.0, 0.0]),
            np.array([0.0, -1.0]),
            size,
            pleat.lean != "with the walk",
        )
        # Along the strip a pleat is to the strip's own scale, and never wider than half the way to the next.
        ring[:, 0] = strip.x(pleat.at) + (ring[:, 0] - strip.x(pleat.at)) * min(1.0, 14.0 / max(size, 1.0))
        yield Area([ring], pleat_colour(pleat, theme), theme.ground, WEIGHT["hair"])
    yield Line([np.array([[x[0], base], [x[-1], base]])], theme.accent, WEIGHT["tube"] - 1)
    for joint in bag.tape.joints:
        px = strip.x(joint)
        yield Line(
            [
                np.array([[px - 4, base - 5], [px + 4, base + 5]]),
                np.array([[px - 4, base + 5], [px + 4, base - 5]]),
            ],
            theme.ink,
            WEIGHT["line"],
        )
    yield from _tubes(strip, theme)
    told = next((p for p in bag.pleats if p.id == chosen), None)
    if told is not None:
        yield from _chosen(strip, told, theme, system)
    peak = int(bag.walk.climb.argmax())
    if bag.walk.climb[peak] > 0.005:
        words = tr("film climbs {}", show(float(bag.walk.climb[peak]), "length", system))
        px = min(max(float(x[peak]), LEFT + 150), strip.width - RIGHT - 70)
        yield Label(px, max(float(top[peak]) + 16, TOP + 6), words, theme.soft, 12, ground=theme.core)
    yield from _metres(strip, theme, system)
    for slack in bag.sides:
        yield from _side(strip, slack, theme, system)


def _chosen(strip: WalkStrip, told: Pleat, theme: Theme, system: System) -> Iterator[Item]:
    """Yield a ring round the pleat that is chosen, with its size and place."""
    base = strip.base
    px, size = strip.x(told.at), max(told.size * strip.tall, 6.0)
    turn = np.linspace(0, 2 * math.pi, 49)
    yield Line(
        [np.array([px, base - size / 2]) + (size / 2 + 9) * np.c_[np.cos(turn), np.sin(turn)]],
        theme.ink,
        WEIGHT["line"],
    )
    words = tr("{0} at {1}", show(told.size, "length", system), show(told.at, "distance", system, 2))
    yield Label(
        min(max(px, LEFT + 62), strip.width - RIGHT - 62),
        base - size - 22,
        words,
        theme.ink,
        12.5,
        True,
        ground=theme.raised,
        outline=theme.edge,
    )


def _tubes(strip: WalkStrip, theme: Theme) -> Iterator[Item]:
    for tube in strip.bag.tubes:
        px = strip.x(tube.at)
        colour, on = (theme.feed, theme.on_feed) if tube.role == "feed" else (theme.vacuum, theme.on_vacuum)
        yield Line([np.array([[px, 30.0], [px, strip.base]])], colour, WEIGHT["heavy"])
        yield Label(px, 18.0, tube.label, on, 12.5, True, ground=colour)


def _metres(strip: WalkStrip, theme: Theme, system: System) -> Iterator[Item]:
    base, length = strip.base, strip.bag.walk.length
    unit, small, steps = (
        (1.0, 0.1, 10) if system_of("distance", system) == "metric" else (0.3048, 0.3048 / 4, 4)
    )
    for k in range(int(length / small) + 1):
        px = strip.x(k * small)
        yield Line(
            [np.array([[px, base + 5], [px, base + (13 if k % steps == 0 else 8)]])],
            theme.soft,
            WEIGHT["thin"],
        )
    every = max(1, math.ceil(len(range(int(length / unit) + 1)) * 52 / max(strip.width - LEFT - RIGHT, 1.0)))
    for k in range(0, int(length / unit) + 1, every):
        words = "S" if k == 0 else (f"{k} m" if system_of("distance", system) == "metric" else tr("{} ft", k))
        yield Label(strip.x(k * unit), base + 22, words, theme.soft, 12)


def _side(strip: WalkStrip, slack: SideSlack, theme: Theme, system: System) -> Iterator[Item]:
    """The film of one side below it: the bar is what is there, its filled part what pleats hold, the notch what is asked."""
    length = strip.bag.walk.length
    x0, x1 = strip.x(slack.side.start) + 4, strip.x(min(slack.side.end, length)) - 4
    y = strip.base + 40
    most = max(slack.there, slack.needed, slack.held, 1e-6)
    bad = slack.short > 0.0005
    colour = theme.alarm if bad else theme.accent

    def bar(share: float) -> Floats:
        right = x0 + (x1 - x0) * min(max(share, 0.0), 1.0)
        return np.array([[x0, y], [right, y], [right, y + BAR], [x0, y + BAR]])

    yield Area([bar(slack.there / most)], theme.edge, None)
    yield Area([bar(slack.held / most)], colour, None)
    notch = x0 + (x1 - x0) * min(slack.needed / most, 1.0)
    yield Line([np.array([[notch, y - 4], [notch, y + BAR + 4]])], theme.ink, WEIGHT["heavy"])
    full = tr(
        "{0}: asks {1}, {2} in pleats, {3} there",
        slack.side.name,
        show(slack.needed, "length", system),
        show(slack.held, "length", system),
        show(slack.there, "length", system),
    )
    short = tr(
        "{0} {1} of {2}",
        slack.side.name,
        show(slack.needed, "length", system),
        show(slack.there, "length", system),
    )
    words = next((w for w in (full, short, slack.side.name) if len(w) * 6.4 < x1 - x0), "")
    if words:
        yield Label(x0, y + BAR + 15, words, theme.alarm if bad else theme.soft, 12, bad, "l")
