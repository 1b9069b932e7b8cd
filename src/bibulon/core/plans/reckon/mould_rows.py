"""Rows on closed moulds: the bow of a plate, the bore of a channel."""

from __future__ import annotations

from typing import Any

import numpy as np
from shapely.geometry import box

from bibulon.core.mould.channel import bore_for, conductance, evenness
from bibulon.core.mould.plate import bending_stiffness, plate_over
from bibulon.core.plans.reckon.row import NEEDED, In, ReckonError, Row
from bibulon.core.units.words import tr

__all__ = ["ROWS"]

RULE = 0.10  # of the path, at which the channel is to feed evenly


def _bow(
    modulus: float, poisson: float, thickness: float, skin: float, distance: float, a: float, b: float, pressure: float, edge: str
) -> dict[str, Any]:  # fmt: skip
    if (thickness > 0) == (skin > 0):
        raise ReckonError(tr("bow needs thickness, or skin with distance instead of it."))
    stiffness = bending_stiffness(modulus, poisson, thickness, skin, distance)
    plate = plate_over(box(0.0, 0.0, a, b), stiffness, poisson, edge == "clamped")
    w = plate.bow(np.full(len(plate.mesh.points), pressure))
    return {"max_mm": float(w.max()) * 1e3, "mean_mm": float(w @ plate.areas / plate.areas.sum()) * 1e3}


def _channel(
    permeability: float, gap: float, half_perimeter: float, path: float, bore: float, share: float
) -> dict[str, Any]:
    """Evenness when the front has come a tenth of the path inwards."""
    if bore <= 0:
        bore = bore_for(share, permeability, gap, half_perimeter, RULE * path)
    return {
        "bore_mm": bore * 1e3,
        "share": evenness(conductance(bore), permeability, gap, half_perimeter, RULE * path),
    }


ROWS = (
    Row("bow", tr("how far a plate bows"), {
        "modulus": In("number", low=1e6, high=1e12), "poisson": In("number", 0.3, 0.0, 0.49), "thickness": In("thickness", 0.0, 0.0, 0.5),
        "skin": In("thickness", 0.0, 0.0, 0.05), "distance": In("thickness", 0.0, 0.0, 0.5), "a": In("distance", low=0.01, high=20.0),
        "b": In("distance", low=0.01, high=20.0), "pressure": In("pressure", NEEDED, -1.1e5, 1e6), "edge": In("choice", "supported", among=("supported", "clamped")),
    }, _bow, {"modulus": "14e9", "thickness": "8 mm", "a": "0.6 m", "b": "0.4 m", "pressure": "15 kPa"}, None),
    Row("channel", tr("which bore feeds evenly"), {
        "permeability": In("permeability", low=1e-15, high=1e-6), "gap": In("length", low=1e-4, high=0.2), "half_perimeter": In("distance", low=0.001, high=100.0),
        "path": In("distance", low=0.001, high=100.0), "bore": In("length", 0.0, 0.0, 0.1), "share": In("share", 0.9, 0.05, 0.999),
    }, _channel, {"permeability": "5e-10", "gap": "4 mm", "half_perimeter": "1.6 m", "path": "0.4 m"}, ("half_perimeter", "bore_mm")),
)  # fmt: skip
