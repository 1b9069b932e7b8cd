"""How a plan is looked at: view, theme, units, what is switched on; and small helpers of all its drawings."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt
from msgspec import Struct, field
from shapely.geometry import MultiPolygon, Polygon
from shapely.geometry.base import BaseGeometry

from bibulon.core.drawing.kit.scene import Item, Texture, View
from bibulon.core.drawing.kit.tokens import PITCH, WEIGHT, Theme
from bibulon.core.units.units import System
from bibulon.core.units.words import tr

__all__ = ["LAYERS", "Mark", "PlanLook", "rings_of", "textured"]

Floats = npt.NDArray[np.float64]

LAYERS: dict[str, str] = {
    "grid": "Grid",
    "flange": tr("Mould flange"),
    "zones": "Zones",
    "plies": tr("Ply edges"),
    "core": tr("Core and its cuts"),
    "mesh": tr("Mesh and breaks"),
    "lines": tr("Lines and valves"),
    "times": "Times",
    "cut": tr("Cut line"),
    "signs": tr("Findings, pockets, last place"),
}


class Mark(Struct, frozen=True):
    """A sign on the plan at a place [m]: "finding", "lit" (a finding looked at), "front" (seen in the run),
    "last" (closes last here; its words over it where ``up``) or "pocket", which has an ``area`` [m²].
    """

    place: tuple[float, float]
    kind: str
    text: str
    area: float = 0.0
    up: bool = False


class PlanLook(Struct, frozen=True):
    """What a plan drawing needs besides the job.

    selected : ids of what is chosen; shut : lines that are not open at the moment; states : words
    behind a line's label; shown : names of ``LAYERS``; grid : spacing [m].
    """

    view: View
    theme: Theme
    system: System = "metric"
    selected: frozenset[str] = frozenset()
    time: float | None = None
    states: dict[str, str] = field(default_factory=dict)
    shut: frozenset[str] = frozenset()
    shown: frozenset[str] = frozenset(LAYERS) - {"grid"}
    grid: float = 0.1


def rings_of(shape: BaseGeometry, view: View) -> list[Floats]:
    """Return the rings of a polygon or several as px, shape (k, 2) each."""
    polygons = shape.geoms if isinstance(shape, MultiPolygon) else [shape]
    out = []
    for polygon in polygons:
        if isinstance(polygon, Polygon) and not polygon.is_empty:
            out += [view.to(np.array(ring.coords)) for ring in (polygon.exterior, *polygon.interiors)]
    return out


def textured(rings: list[Floats], kind: str, colour: str, opacity: float = 1.0) -> Item:
    """Return a texture inside rings."""
    return Texture(rings, kind, colour, PITCH.get(kind, 9.0), WEIGHT["thin"], opacity)
