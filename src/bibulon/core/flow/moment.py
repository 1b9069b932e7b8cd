"""All that a forecast says of one moment, place by place: what plan, cut and probe show of it."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt
from msgspec import Struct

from bibulon.core.flow.fields import bag_thickness, lead, resin_age, resin_viscosity
from bibulon.core.flow.forecast import Forecast, topmost

__all__ = ["Moment", "moment_of"]

Floats = npt.NDArray[np.float64]


class Moment(Struct, frozen=True, eq=False):
    """Fields at ``time`` [s].

    pressure [Pa above the vacuum], age [s], viscosity [Pa s] : per vertex and sheet, shape (v, s), nan
    where it is dry; thickness [m] under the bag and lead [s] of the top over the tool side : shape (v,).
    """

    time: float
    pressure: Floats
    age: Floats
    viscosity: Floats
    thickness: Floats
    lead: Floats

    def of_slot(self, values: Floats, forecast: Forecast, slot: str | None) -> Floats:
        """Return one value a vertex of a (v, s) field, shape (v,): of a named layer's top sheet that has one.

        With no layer named, of the topmost of all; nan everywhere for a layer that the forecast does not have, as while
        a new one is still being worked out.
        """
        sheets = [k for k, s in enumerate(forecast.model.sheets) if slot is None or s.slot == slot]
        if not sheets:
            return np.full(len(values), np.nan)
        mine = values[:, sheets]
        return topmost(mine, ~np.isnan(mine))  # nan where none is there


def moment_of(forecast: Forecast, time: float) -> Moment:
    """Work out one moment; one linear solve."""
    wet = np.where(
        forecast.model.node_at >= 0, forecast.history.filled_at[forecast.model.node_at] <= time, False
    )
    pressure = np.where(wet, forecast.pressure(time), np.nan)
    return Moment(
        time, pressure, resin_age(forecast, time), resin_viscosity(forecast, time),
        bag_thickness(forecast, time), _smoothed(forecast, lead(forecast)),
    )  # fmt: skip


def _smoothed(forecast: Forecast, values: Floats, rounds: int = 2) -> Floats:
    """Return a field with each place's value averaged with its neighbours': single cells carry the mesh's grain."""
    triangles = forecast.model.mesh.triangles
    out = values.copy()
    for _ in range(rounds):
        corners = out[triangles]
        whole = triangles[np.flatnonzero(np.isfinite(corners.sum(axis=1)))]
        flat = whole.ravel()
        total = np.bincount(flat, np.repeat(out[whole].mean(axis=1), 3), len(out))
        count = np.bincount(flat, minlength=len(out))
        out = np.where((count > 0) & ~np.isnan(values), total / np.maximum(count, 1), values)
    return out
