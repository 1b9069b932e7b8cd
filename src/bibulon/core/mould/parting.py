"""What runs away along a parting line of a mould: resin pressed out through it, and ahead of the front along it.

A gap h between faces that meet over a land L lets out h³ (p − p_air)/(12 μ L) a metre, like plates (Poiseuille); along it
resin runs with the permeability h²/12, where cloth has K.
"""

from __future__ import annotations

import math

import numpy as np
import numpy.typing as npt
import scipy
from msgspec import Struct
from shapely.geometry import LineString, Point
from shapely.ops import nearest_points

from bibulon.core.flow.forecast import Forecast
from bibulon.core.model.job import FlowLine, Job
from bibulon.core.model.mould import PartingLine
from bibulon.core.mould.closing import nearest_pressure
from bibulon.core.units.remember import kept_with

__all__ = ["Loss", "Short", "loss_a_metre", "parted_of", "run_time", "shorts_of"]

MOMENTS = 24
ALONG = 0.02  # m between places at which a line is looked at
BESIDE = 0.05  # m from a port within which a parting line takes up its resin
RACE = 3.0  # times as soon as through the cloth, from which resin counts as running ahead
Floats = npt.NDArray[np.float64]


class Loss(Struct, frozen=True):
    """What a parting line lets out until the part is full [kg], and where most of it [m]."""

    line: PartingLine
    mass: float
    where: tuple[float, float]


class Short(Struct, frozen=True):
    """A way round the cloth: along a parting line from an inlet to a vent, in so many seconds; the front takes ``front``."""

    line: PartingLine
    inlet: str
    vent: str
    seconds: float
    front: float


def loss_a_metre(gape: float, over: Floats, viscosity: float, land: float) -> Floats:
    """Return what a metre of parting line lets out [m²/s] at pressures over the air [Pa], same shape."""
    return np.asarray(gape**3 * np.maximum(over, 0.0) / (12 * viscosity * land))


def run_time(gape: float, length: float, driving: float, viscosity: float) -> float:
    """Return how long resin takes along a gap [s]: 6 μ L²/(h² Δp), a front behind a constant pressure; inf without one."""
    return 6 * viscosity * length**2 / (gape**2 * driving) if gape > 0 and driving > 0 else math.inf


def _points(line: PartingLine) -> tuple[Floats, float]:
    """Return places along a line [m], shape (n, 2), and the length that each stands for [m]."""
    path = LineString(line.path)
    n = max(math.ceil(path.length / ALONG), 2)
    at = (np.arange(n) + 0.5) / n
    return np.array([path.interpolate(a, normalized=True).coords[0] for a in at]), path.length / n


@kept_with(1, 2, 2)
def parted_of(job: Job, forecast: Forecast) -> tuple[Loss, ...]:
    """Return what each parting line of a closed mould lets out while the part fills."""
    air = job.conditions.atmosphere
    end = forecast.end
    times = np.linspace(0.0, end, MOMENTS)
    fields = [nearest_pressure(forecast, float(t)) for t in times]
    tree = scipy.spatial.cKDTree(forecast.model.mesh.points)
    out = []
    for line in job.closed.partings:
        points, each = _points(line)
        near = tree.query(points)[1]
        wet = forecast.wet_through[near]
        rates = np.array([
            loss_a_metre(line.gape, field[near] - air, forecast.clock.at(float(t)), line.land) * (wet <= t) * each
            for t, field in zip(times, fields, strict=True)
        ])  # fmt: skip
        lost = np.trapezoid(rates, times, axis=0) * forecast.density
        x, y = points[int(np.argmax(lost))]
        out.append(Loss(line, float(lost.sum()), (float(x), float(y))))
    return tuple(out)


def shorts_of(job: Job, forecast: Forecast) -> tuple[Short, ...]:
    """Return the parting lines that lead resin from an inlet to a vent sooner than the cloth lets it come."""
    driving = max((p.pressure for p in forecast.model.network.ports), default=0.0)
    out = []
    for line in job.closed.partings:
        path = LineString(line.path)
        feeds = [x for x in job.lines if x.role == "feed" and path.distance(_shape(x)) <= BESIDE]
        vents = [x for x in job.lines if x.role == "vacuum" and path.distance(_shape(x)) <= BESIDE]
        for feed in feeds:
            for vent in vents:
                along = abs(path.project(_nearest(path, vent)) - path.project(_nearest(path, feed)))
                seconds = run_time(line.gape, along, driving, forecast.clock.at(0.0))
                vertex = int(np.argmin(np.hypot(*(forecast.model.mesh.points - np.array(vent.path[0])).T)))
                front = float(forecast.wet_through[vertex])
                if seconds * RACE < front:
                    out.append(Short(line, feed.label, vent.label, seconds, front))
    return tuple(out)


def _shape(line: FlowLine) -> LineString | Point:
    return LineString(line.path) if len(line.path) > 1 else Point(line.path[0])


def _nearest(path: LineString, line: FlowLine) -> Point:
    return nearest_points(path, _shape(line))[0]
