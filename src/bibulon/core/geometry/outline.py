"""Outlines of straight and arc sides: points, exact area and perimeter, what is wrong with one."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
import numpy.typing as npt
from shapely.geometry import Polygon
from shapely.validation import explain_validity

from bibulon.core.model.job import Corner
from bibulon.core.units.figures import Told, figure
from bibulon.core.units.words import tr

__all__ = ["OutlineError", "area", "check", "perimeter", "side_points", "trace"]

ARC_ERROR = 2e-4  # m between an arc and its chords
SMALLEST_AREA = 1e-6  # m²


class OutlineError(Told):
    """An outline that bounds no area; ``place`` is where [m], if it is one place."""

    def __init__(self, text: str, place: tuple[float, float] | None = None) -> None:
        super().__init__(text)
        self.place = place


def _turn(corners: Sequence[Corner]) -> float:
    """Return +1 for an anticlockwise outline and −1 for a clockwise one."""
    x, y = np.array([(c.x, c.y) for c in corners]).T
    twice = float(np.dot(x, np.roll(y, -1)) - np.dot(y, np.roll(x, -1)))
    return 1.0 if twice >= 0 else -1.0


def _arc(chord: float, bow: float) -> tuple[float, float]:
    """Return radius [m] and opening angle [rad] of an arc by its chord and rise [m]."""
    rise = abs(bow)
    return (chord * chord / 4 + rise * rise) / (2 * rise), 4 * math.atan2(2 * rise, chord)


def side_points(a: Corner, b: Corner, turn: float) -> npt.NDArray[np.float64]:
    """Return points [m] from ``a`` up to but without ``b``, shape (k, 2), along the side's arc."""
    start, end = np.array([a.x, a.y]), np.array([b.x, b.y])
    chord = float(np.hypot(*(end - start)))
    if abs(a.bow) < 1e-9 or chord == 0:
        return start[None, :]
    radius, angle = _arc(chord, a.bow)
    steps = max(2, math.ceil(angle / (2 * math.acos(max(1 - ARC_ERROR / radius, -1.0)))))
    along = (end - start) / chord
    outward = turn * np.array([along[1], -along[0]]) * math.copysign(1.0, a.bow)
    centre = (start + end) / 2 + outward * (abs(a.bow) - radius)
    theta = -angle / 2 + angle * np.arange(steps) / steps
    return centre + radius * (np.cos(theta)[:, None] * outward + np.sin(theta)[:, None] * along)


def trace(corners: Sequence[Corner]) -> npt.NDArray[np.float64]:
    """Return the outline as points [m], shape (k, 2), arcs within 0.2 mm, not closed."""
    turn = _turn(corners)
    return np.vstack(
        [side_points(a, b, turn) for a, b in zip(corners, [*corners[1:], corners[0]], strict=True)]
    )


def check(corners: Sequence[Corner]) -> Polygon:
    """Return the outline as a polygon [m].

    Raises
    ------
    OutlineError : when it crosses itself, repeats a corner or bounds no area; says where.
    """
    for a, b in zip(corners, [*corners[1:], corners[0]], strict=True):
        if math.hypot(b.x - a.x, b.y - a.y) < 1e-6:
            raise OutlineError(
                tr(
                    "Two corners lie on each other at x {0}, y {1}.",
                    figure(a.x, "length", 0),
                    figure(a.y, "length", 0),
                ),
                (a.x, a.y),
            )
    shape = Polygon(trace(corners))
    if not shape.is_valid:
        text = explain_validity(shape)
        if "[" in text:
            x, y = (float(v) for v in text[text.index("[") + 1 : text.index("]")].split()[:2])
            raise OutlineError(
                tr(
                    "The outline crosses itself near x {0}, y {1}.",
                    figure(x, "length", 0),
                    figure(y, "length", 0),
                ),
                (x, y),
            )
        raise OutlineError(tr("The outline is not closed properly: {}.", text))
    if shape.area < SMALLEST_AREA:
        raise OutlineError(tr("The outline bounds no area."), (corners[0].x, corners[0].y))
    return shape


def area(corners: Sequence[Corner]) -> float:
    """Return the exact area [m²], arcs counted as circle segments R²(θ − sin θ)/2."""
    x, y = np.array([(c.x, c.y) for c in corners]).T
    total = abs(float(np.dot(x, np.roll(y, -1)) - np.dot(y, np.roll(x, -1)))) / 2
    for a, b in zip(corners, [*corners[1:], corners[0]], strict=True):
        if abs(a.bow) >= 1e-9:
            radius, angle = _arc(math.hypot(b.x - a.x, b.y - a.y), a.bow)
            total += math.copysign(radius**2 * (angle - math.sin(angle)) / 2, a.bow)
    return total


def perimeter(corners: Sequence[Corner]) -> float:
    """Return the exact length of all sides [m]."""
    total = 0.0
    for a, b in zip(corners, [*corners[1:], corners[0]], strict=True):
        chord = math.hypot(b.x - a.x, b.y - a.y)
        if abs(a.bow) < 1e-9:
            total += chord
        else:
            radius, angle = _arc(chord, a.bow)
            total += radius * angle
    return total
