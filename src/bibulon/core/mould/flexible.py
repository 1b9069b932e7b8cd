"""A fill in which the upper half gives way: the gap grows where resin pushes, and with it pores and permeability.

Lagged: the rigid fill is followed first; then each place has the gap that it had in the mean from when it was wet until all
was full, and is filled again with that.  Fibre stays where it is, V_f′ = V_f H/(H + w), and K goes by Kozeny–Carman.
"""

from __future__ import annotations

import numpy as np
import numpy.typing as npt
from msgspec.structs import replace

from bibulon.core.flow.build.orders import program_of
from bibulon.core.flow.fill.arrivals import passed
from bibulon.core.flow.fill.filling import fill
from bibulon.core.flow.forecast import Forecast
from bibulon.core.model.job import Job
from bibulon.core.mould.bow import bow_of

__all__ = ["flexed", "mean_lift"]

Floats = npt.NDArray[np.float64]
MOMENTS = 7
ROUNDS = 2  # times that it is filled again with the gaps of the fill before


def mean_lift(job: Job, forecast: Forecast) -> Floats:
    """Return by how much the gap at each vertex is wider in the mean while it is wet [m], shape (v,).

    Raises
    ------
    PlateError, OutlineError : see ``bow_of``.
    """
    end = forecast.end
    points = forecast.model.mesh.points
    total, weight = np.zeros(len(points)), np.zeros(len(points))
    for time in np.linspace(0.0, end, MOMENTS):
        bow = bow_of(job, forecast, float(time))
        triangle, share = bow.mesh.locate(points)
        lift = (bow.lift[bow.mesh.triangles[np.maximum(triangle, 0)]] * share).sum(axis=1)
        wet = (forecast.wet_through <= time + 1e-9) & (triangle >= 0)
        total += np.where(wet, lift, 0.0)
        weight += wet
    last = weight == 0  # wet at the very end only: as the last moment has it
    return np.where(last, 0.0, total / np.maximum(weight, 1))


def flexed(job: Job, forecast: Forecast, rounds: int = ROUNDS) -> Forecast:
    """Return the same job filled with the gaps that its own pressures make.

    Raises
    ------
    PlateError, OutlineError : see ``bow_of``; Cancelled, FillError : see ``fill``.
    """
    model, result = forecast.model, forecast
    network = model.network
    gap = job.part.cavity
    fibre = 1 - _open_share(forecast)
    for _ in range(rounds):
        wide = np.maximum((gap + mean_lift(job, result)) / gap, 0.3)
        at = np.where(network.vertex >= 0, wide[np.maximum(network.vertex, 0)], 1.0)
        share = np.clip(fibre / at, 0.0, 0.95)
        loose = np.where(
            fibre > 1e-6,
            ((1 - share) ** 3 / np.maximum(share, 1e-6) ** 2)
            / ((1 - fibre) ** 3 / np.maximum(fibre, 1e-6) ** 2),
            at**2,
        )
        carries = loose * at
        link = np.ones(len(network.a))
        cloth = slice(0, model.cloth_links)
        pair = 2 / (1 / carries[network.a[cloth]] + 1 / carries[network.b[cloth]])
        across = network.vertex[network.a[cloth]] != network.vertex[network.b[cloth]]
        through = loose[network.a[cloth]] / at[network.a[cloth]]
        link[cloth] = np.where(across, pair, through)
        grown = model.cloth_volume * np.where(
            model.cloth_volume > 0, (at - fibre) / np.maximum(1 - fibre, 1e-6), 1.0
        )
        volume = network.volume + (grown - model.cloth_volume)
        fresh = replace(network, volume=volume, conductance=network.conductance * link)
        history = fill(
            fresh,
            program_of(job, fresh),
            forecast.clock,
            vacuum=job.conditions.vacuum,
            frames=max(len(forecast.history.frames) - 1, 8),
        )
        times = passed(fresh, history.filled_at, np.arange(fresh.size))
        wet_at = np.where(model.node_at >= 0, times[model.node_at], np.nan)
        result = Forecast(
            job,
            replace(model, network=fresh, cloth_volume=grown),
            history,
            forecast.clock,
            wet_at,
            (),
            forecast.density,
            forecast.mixed_before,
        )
    return result


def _open_share(forecast: Forecast) -> Floats:
    """Return the open share of the cavity at each node, shape (n,): pores over the gap's own room."""
    model = forecast.model
    area = model.vertex_areas()
    pores = np.where(model.node_at >= 0, model.cloth_volume[np.maximum(model.node_at, 0)], 0.0).sum(axis=1)
    share = np.clip(pores / np.maximum(area * forecast.job.part.cavity, 1e-12), 0.05, 1.0)
    vertex = model.network.vertex
    return np.where(vertex >= 0, share[np.maximum(vertex, 0)], 1.0)
