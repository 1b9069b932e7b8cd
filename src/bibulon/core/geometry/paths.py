"""Paths of lines as shapes: a point where there is one place, else a line."""

from __future__ import annotations

from collections.abc import Sequence

from shapely.geometry import LineString, Point

from bibulon.core.model.lines import FlowLine

__all__ = ["BESIDE", "inlet_of", "middle_of", "shape_of", "share_near"]

BESIDE = 0.005  # m that a line may lie past the edge of the part and count as on it


def shape_of(path: Sequence[tuple[float, float]]) -> LineString | Point:
    """Return a path [m] as a shape."""
    return LineString(path) if len(path) > 1 else Point(path[0])


def middle_of(path: Sequence[tuple[float, float]]) -> tuple[float, float]:
    """Return the place half way along a path [m]."""
    return _along(path, 0.5)


def inlet_of(line: FlowLine) -> tuple[float, float]:
    """Return the place at which a line's hose joins it [m]."""
    return _along(line.path, line.hose_at) if line.hose_at > 0 else line.path[0]


def share_near(path: Sequence[tuple[float, float]], place: tuple[float, float]) -> float:
    """Return the share of a path's length at which it passes nearest to a place [m]; 0 of a point."""
    shape = shape_of(path)
    return float(shape.project(Point(place), normalized=True)) if isinstance(shape, LineString) else 0.0


def _along(path: Sequence[tuple[float, float]], share: float) -> tuple[float, float]:
    shape = shape_of(path)
    point = shape.interpolate(share, normalized=True) if isinstance(shape, LineString) else shape
    return float(point.x), float(point.y)
