"""The cut plan drawn: each roll lying along the page, pieces on it as they are cut, to one scale."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from msgspec import Struct
from shapely.geometry import Point

from bibulon.core.bag.cutplan import CutPlan, RollPlan
from bibulon.core.drawing.kit.look import rings_of
from bibulon.core.drawing.kit.scene import Area, Item, Label, Line, View
from bibulon.core.drawing.kit.tokens import WEIGHT, Theme
from bibulon.core.units.units import System, show
from bibulon.core.units.words import tr

__all__ = ["RollLook", "draw_rolls", "piece_at", "roll_span", "roll_words", "rolls_height"]

LEFT, HEAD, GAP = 18.0, 26.0, 16.0
LEAST_SCALE = 55.0  # px a metre, under which nothing could be told apart


class RollLook(Struct, frozen=True):
    """How wide the field is [px], theme and units; ``chosen`` a piece by its key."""

    width: float
    theme: Theme
    system: System = "metric"
    chosen: str = ""

    def scale(self, plan: CutPlan) -> float:
        """Px a metre: the longest roll fills the width."""
        longest = max((r.length for r in plan.rolls), default=1.0)
        return max((self.width - 2 * LEFT) / max(longest, 1e-6), LEAST_SCALE)


def rolls_height(plan: CutPlan, look: RollLook) -> float:
    """Return how much room the drawing takes [px]."""
    return sum(HEAD + r.width * look.scale(plan) + GAP for r in plan.rolls) + GAP


def draw_rolls(plan: CutPlan, look: RollLook) -> Iterator[Item]:
    """Yield all rolls, one below another."""
    y, scale = GAP / 2, look.scale(plan)
    for roll in plan.rolls:
        yield from _roll(roll, y, scale, look)
        y += HEAD + roll.width * scale + GAP


def roll_words(roll: RollPlan, system: System) -> str:
    """Return what is pulled off and thrown away."""
    what = (
        tr(
            "{0} sheet{1} of {2} × {3}",
            roll.sheets,
            "s" * (roll.sheets != 1),
            show(roll.sheet, "distance", system, 2),
            show(roll.width, "distance", system, 2),
        )
        if roll.sheets
        else tr(
            "roll {0}, pull off {1}",
            show(roll.width, "distance", system, 2),
            show(roll.length, "distance", system, 2),
        )
    )
    count = len(roll.placed)
    return tr(
        "{0} · {1} piece{2} · waste {3}", what, count, "s" * (count != 1), show(roll.waste, "share", system)
    )


def _roll(roll: RollPlan, y: float, scale: float, look: RollLook) -> Iterator[Item]:
    t = look.theme
    yield Label(LEFT, y + HEAD / 2, roll.name, t.ink, 13, True, "l")
    yield Label(look.width - LEFT, y + HEAD / 2, roll_words(roll, look.system), t.soft, 12, anchor="r")
    top, right, base = y + HEAD, LEFT + roll.length * scale, y + HEAD + roll.width * scale
    yield Area(
        [np.array([[LEFT, top], [right, top], [right, base], [LEFT, base]])], t.panel, t.edge, WEIGHT["thin"]
    )
    for k in range(1, roll.sheets):
        x = LEFT + k * roll.sheet * scale
        yield Line([np.array([[x, top], [x, base]])], t.edge, WEIGHT["thin"])
    for number, placed in enumerate(roll.placed, 1):
        chosen = placed.piece.key == look.chosen
        yield Area(
            rings_of(placed.shape, View(scale, LEFT, base)),
            t.core if not chosen else t.field_low,
            t.accent if chosen else t.ink,
            WEIGHT["heavy" if chosen else "thin"],
        )
        x, across = placed.shape.representative_point().coords[0]
        words = f"{number} · {placed.piece.label}" if len(roll.placed) > 1 else placed.piece.label
        if placed.shape.area * scale**2 > 900:
            yield Label(LEFT + x * scale, base - across * scale, words, t.ink, 12, True)
    if not roll.sheets:  # the warp runs along the roll
        yield Line(
            [
                np.array([[LEFT + 6, base + 5], [LEFT + 40, base + 5]]),
                np.array([[LEFT + 35, base + 2], [LEFT + 40, base + 5], [LEFT + 35, base + 8]]),
            ],
            t.soft,
            WEIGHT["thin"],
        )


def roll_span(plan: CutPlan, look: RollLook, key: str) -> tuple[float, float] | None:
    """Return (top, height) [px] of the first roll or sheet that has a piece; None where none has."""
    y, scale = GAP / 2, look.scale(plan)
    for roll in plan.rolls:
        height = HEAD + roll.width * scale
        if any(p.piece.key == key for p in roll.placed):
            return y, height
        y += height + GAP
    return None


def piece_at(plan: CutPlan, look: RollLook, x: float, y: float) -> str:
    """Return the key of the piece at a px; empty where there is none."""
    top, scale = GAP / 2, look.scale(plan)
    for roll in plan.rolls:
        base = top + HEAD + roll.width * scale
        place = Point((x - LEFT) / scale, (base - y) / scale)
        found = next((p.piece.key for p in roll.placed if p.shape.contains(place)), "")
        if found:
            return found
        top = base + GAP
    return ""
