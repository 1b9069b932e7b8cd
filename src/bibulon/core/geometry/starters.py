"""Outlines to start from: a panel, a gore, a box tray unfolded, a ring, a strip."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping

from msgspec import Struct

from bibulon.core.geometry.outline import OutlineError
from bibulon.core.model.job import Corner, Outline
from bibulon.core.units.figures import figure
from bibulon.core.units.words import tr

__all__ = ["STARTERS", "Starter", "rounded"]


class Starter(Struct, frozen=True):
    """A kind of outline: its name, its sizes with what is usual [m], and how it is made from them.

    ``make`` returns the outline and its holes.
    """

    name: str
    sizes: Mapping[str, float]
    make: Callable[..., tuple[Outline, tuple[Outline, ...]]]


def _positive(**sizes: float) -> None:
    for name, value in sizes.items():
        if not value > 0:
            raise OutlineError(tr("{} must be more than nothing.", name.replace("_", " ").capitalize()))


def rounded(outline: Outline, radius: float) -> Outline:
    """Round the corners between straight sides with a radius [m].

    Raises
    ------
    OutlineError : when the radius is larger than a side leaves room for.
    """
    if radius <= 0:
        return outline
    n = len(outline)
    cut = []
    for k, c in enumerate(outline):
        a, b = outline[k - 1], outline[(k + 1) % n]
        ux, uy, vx, vy = a.x - c.x, a.y - c.y, b.x - c.x, b.y - c.y
        lu, lv = math.hypot(ux, uy), math.hypot(vx, vy)
        if abs(a.bow) > 1e-9 or abs(c.bow) > 1e-9:
            cut.append((0.0, lu, lv))
            continue
        half = math.acos(max(min((ux * vx + uy * vy) / (lu * lv), 1.0), -1.0)) / 2
        cut.append((radius / math.tan(half) if half < math.pi / 2 - 1e-6 else 0.0, lu, lv))
    out: list[Corner] = []
    anticlockwise = (
        sum(p.x * q.y - q.x * p.y for p, q in zip(outline, [*outline[1:], outline[0]], strict=True)) > 0
    )
    for k, c in enumerate(outline):
        back, lu, lv = cut[k]
        if back == 0:
            out.append(c)
            continue
        if back + cut[k - 1][0] > lu + 1e-9 or back + cut[(k + 1) % n][0] > lv + 1e-9:
            raise OutlineError(
                tr(
                    "A radius of {0} does not fit the corner at x {1}, y {2}.",
                    figure(radius, "length", 0),
                    figure(c.x, "length", 0),
                    figure(c.y, "length", 0),
                ),
                (c.x, c.y),
            )
        a, b = outline[k - 1], outline[(k + 1) % n]
        ux, uy, vx, vy = (a.x - c.x) / lu, (a.y - c.y) / lu, (b.x - c.x) / lv, (b.y - c.y) / lv
        turn = ux * vy - uy * vx
        half = math.acos(max(min(ux * vx + uy * vy, 1.0), -1.0)) / 2
        rise = radius * (1 - math.sin(half))
        # Rounding a corner that turns into the part bows inward.
        outward = (turn < 0) == anticlockwise
        out.append(Corner(x=c.x + back * ux, y=c.y + back * uy, bow=rise if outward else -rise))
        out.append(Corner(x=c.x + back * vx, y=c.y + back * vy))
    return tuple(out)


def _panel(length: float, width: float, corner_radius: float) -> tuple[Outline, tuple[Outline, ...]]:
    _positive(length=length, width=width)
    corners = tuple(Corner(x=x, y=y) for x, y in ((0, 0), (length, 0), (length, width), (0, width)))
    return rounded(corners, corner_radius), ()


def _strip(length: float, width: float) -> tuple[Outline, tuple[Outline, ...]]:
    return _panel(length, width, 0.0)


def _gore(dome_radius: float, gores: float, bottom_angle: float) -> tuple[Outline, tuple[Outline, ...]]:
    """A gore of a dome: width 2πR cos φ / n at the height angle φ, unrolled along its middle."""
    _positive(dome_radius=dome_radius, gores=gores)
    if gores < 3 or not 0 <= bottom_angle < 80:
        raise OutlineError(tr("A dome has 3 gores or more, and they begin below 80°."))
    steps, cap = 12, math.radians(84.0)
    low = math.radians(bottom_angle)
    angles = [low + (cap - low) * k / steps for k in range(steps + 1)]
    half = [math.pi * dome_radius * math.cos(a) / gores for a in angles]
    at = [dome_radius * (a - low) for a in angles]
    widest = half[0]
    lower = [Corner(x=x, y=widest - h) for x, h in zip(at, half, strict=True)]
    upper = [Corner(x=x, y=widest + h) for x, h in zip(reversed(at), reversed(half), strict=True)]
    return (*lower, *upper), ()


def _tray(length: float, width: float, depth: float, flange: float) -> tuple[Outline, tuple[Outline, ...]]:
    """A box tray unfolded: its floor with walls and flanges laid out flat, notched at the corners."""
    _positive(length=length, width=width, depth=depth)
    d = depth + max(flange, 0.0)
    points = (
        (d, 0), (d + length, 0), (d + length, d), (2 * d + length, d), (2 * d + length, d + width),
        (d + length, d + width), (d + length, 2 * d + width), (d, 2 * d + width), (d, d + width), (0, d + width),
        (0, d), (d, d),
    )  # fmt: skip
    return tuple(Corner(x=x, y=y) for x, y in points), ()


def _ring(outer_diameter: float, inner_diameter: float) -> tuple[Outline, tuple[Outline, ...]]:
    _positive(outer_diameter=outer_diameter, inner_diameter=inner_diameter)
    if inner_diameter >= outer_diameter:
        raise OutlineError(tr("The inner diameter must be smaller than the outer."))
    return _circle(outer_diameter / 2, outer_diameter / 2), (_circle(outer_diameter / 2, inner_diameter / 2),)


def _circle(middle: float, radius: float) -> Outline:
    """Four arcs of a quarter; the rise of each is R (1 − cos 45°)."""
    bow = radius * (1 - math.cos(math.pi / 4))
    turns = (k * math.pi / 2 for k in range(4))
    return tuple(
        Corner(x=middle + radius * math.cos(a), y=middle + radius * math.sin(a), bow=bow) for a in turns
    )


STARTERS: dict[str, Starter] = {
    "panel": Starter("Panel", {"length": 1.2, "width": 0.8, "corner_radius": 0.0}, _panel),
    "gore": Starter("Gore of a dome", {"dome_radius": 1.5, "gores": 8.0, "bottom_angle": 0.0}, _gore),
    "tray": Starter(
        "Box tray, unfolded", {"length": 0.8, "width": 0.5, "depth": 0.15, "flange": 0.05}, _tray
    ),
    "ring": Starter("Ring", {"outer_diameter": 1.2, "inner_diameter": 0.7}, _ring),
    "strip": Starter("Strip", {"length": 0.6, "width": 0.1}, _strip),
}
