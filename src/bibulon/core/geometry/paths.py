"""Paths of lines as shapes: a point where there is one place, else a line."""

from __future__ import annotations

from collections.abc import Sequence

from shapely.geometry import LineString, Point

__all__ = ["middle_of", "shape_of"]


def shape_of(path: Sequence[tuple[float, float]]) -> LineString | Point:
    """Return a path [m] as a shape."""
    return LineString(path) if len(path) > 1 else Point(path[0])


def middle_of(path: Sequence[tuple[float, float]]) -> tuple[float, float]:
    """Return the place half way along a path [m]."""
    shape = shape_of(path)
    point = shape.interpolate(0.5, normalized=True) if isinstance(shape, LineString) else shape
    return float(point.x), float(point.y)
