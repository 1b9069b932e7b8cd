"""What a forecast tells of every place: age, viscosity, lead, thickness under the bag, where it closes."""

from __future__ import annotations

import math

import numpy as np
import numpy.typing as npt
import scipy
from msgspec import Struct

from bibulon.core.flow.build.columns import CORE, MESH
from bibulon.core.flow.forecast import Forecast
from bibulon.core.stack.laminate import compaction_pressure, thickness_under

__all__ = [
    "Closing",
    "LineFlow",
    "air_drawn",
    "amid_work",
    "bag_thickness",
    "closings",
    "lead",
    "line_flows",
    "resin_age",
    "resin_viscosity",
]

NEARLY = 0.95  # of what a feed passes: what trickles later is no work of its

Floats = npt.NDArray[np.float64]


def _per_place(forecast: Forecast, at_node: Floats) -> Floats:
    nodes = forecast.model.node_at
    return np.where(nodes >= 0, at_node[nodes], np.nan)


def resin_age(forecast: Forecast, time: float) -> Floats:
    """Return how long ago the resin at each place was mixed [s], shape (v, s); nan where there is none yet."""
    frame, network = forecast.history.frame_at(time), forecast.model.network
    if len(frame.born):
        age = time - frame.born.astype(np.float64)
    else:
        age = np.full(network.size, time + forecast.mixed_before)
    return _per_place(forecast, np.where(forecast.history.filled_at <= time, age, np.nan))


def resin_viscosity(forecast: Forecast, time: float) -> Floats:
    """Return the viscosity of the resin at each place [Pa s], shape (v, s); nan where there is none yet."""
    age = resin_age(forecast, time)
    since = age if len(forecast.history.frame_at(time).born) else age - forecast.mixed_before
    return np.asarray(
        np.where(np.isnan(age), np.nan, np.interp(since, forecast.clock.time, forecast.clock.viscosity))
    )


def air_drawn(forecast: Forecast, time: float) -> Floats:
    """Return the share of air that an empty bucket gave what is at each place, shape (v, s); nan where it is dry."""
    frame, network = forecast.history.frame_at(time), forecast.model.network
    airy = frame.airy.astype(np.float64) if len(frame.airy) else np.zeros(network.size)
    return _per_place(forecast, np.where(forecast.history.filled_at <= time, airy, np.nan))


def lead(forecast: Forecast) -> Floats:
    """Return how much later the tool side is wet than the top [s], shape (v,); nan where either is not."""
    times = np.where(forecast.model.node_at >= 0, forecast.wet_at, np.nan)
    present = ~np.isnan(times)
    some = present.any(axis=1)
    lowest = np.argmax(present, axis=1)
    highest = times.shape[1] - 1 - np.argmax(present[:, ::-1], axis=1)
    row = np.arange(len(times))
    with np.errstate(invalid="ignore"):
        late = times[row, lowest] - times[row, highest]
    return np.where(some & np.isfinite(late), late, np.nan)


def bag_thickness(forecast: Forecast, time: float) -> Floats:
    """Return the thickness of plies and core under the bag at a moment [m], shape (v,).

    The bag presses with what atmosphere has over the resin: the plies swell where resin has pressure.
    Quasi-static: resin is taken to have had time to follow.
    """
    job, model = forecast.job, forecast.model
    if job.process != "infusion" and job.part.cavity > 0:
        return np.full(
            len(model.mesh.points), job.part.cavity
        )  # two rigid faces: what bows is told on its own station
    pressure = forecast.pressure(time)
    plies = [k for k, s in enumerate(model.sheets) if s.slot not in {CORE, MESH}]
    here = ~np.isnan(pressure[:, plies])
    resin = np.where(here, pressure[:, plies], 0.0).sum(axis=1) / np.maximum(here.sum(axis=1), 1)
    press = np.maximum(compaction_pressure(job) - resin, 0.0)
    out = np.full(len(press), np.nan)
    owner = np.full(len(press), -1)
    owner[model.mesh.triangles.ravel()] = np.repeat(model.zone, 3)
    for k, zone in enumerate(model.plan.zones):
        mine = owner == k
        out[mine] = thickness_under(job, zone, press[mine])
    return out


class Closing(Struct, frozen=True):
    """A place where fronts meet last: where [m], when it is wet through [s] and what it is."""

    place: tuple[float, float]
    time: float
    at_vent: bool


def closings(forecast: Forecast, most: int = 12) -> tuple[Closing, ...]:
    """Return the places that are wet later than all around them, in order of closing."""
    mesh, times = forecast.model.mesh, forecast.wet_through
    pairs = np.concatenate([mesh.triangles[:, [0, 1]], mesh.triangles[:, [1, 2]], mesh.triangles[:, [2, 0]]])
    n = len(mesh.points)
    near = scipy.sparse.coo_array((np.ones(len(pairs)), (pairs[:, 0], pairs[:, 1])), shape=(n, n)).tocsr()
    near = ((near + near.T) > 0).tocsr()
    near = ((near + near @ near) > 0).tocsr()  # two rings of neighbours: single cells carry the mesh's grain
    owner = np.repeat(np.arange(n), np.diff(near.indptr))
    latest = np.full(n, -np.inf)
    np.maximum.at(latest, owner, times[near.indices])
    found = np.flatnonzero(np.isfinite(times) & (times >= latest) & (times > 0))
    vents = {
        int(v) for line in forecast.job.lines if line.role == "vacuum" for v in forecast.model.lines[line.id]
    }
    out = [
        Closing((float(mesh.points[v, 0]), float(mesh.points[v, 1])), float(times[v]), v in vents)
        for v in found[np.argsort(-times[found])][:most].tolist()
    ]
    return tuple(sorted(out, key=lambda c: c.time))


class LineFlow(Struct, frozen=True):
    """What a line has passed by a moment [kg] and passes then [kg/s]: into the part for feeds, out of it for vents."""

    line: str
    total: float
    flow: float


def line_flows(forecast: Forecast, time: float) -> tuple[LineFlow, ...]:
    """Return what each line has passed, feeds first."""
    history, network = forecast.history, forecast.model.network
    frames = history.frames
    times = np.array([f.time for f in frames])
    out = []
    flows = history.flow_at(time)
    for port, total, flow in zip(network.ports, history.fed_at(time), flows, strict=True):
        out.append(LineFlow(port.id, float(total) * forecast.density, float(flow) * forecast.density))
    for k, valve in enumerate(network.valves):
        through = np.array([f.passed[k] for f in frames])
        out.append(_line_flow(valve.id, times, through, time, forecast.density))
    for k, vent in enumerate(network.vents):
        bled = np.array([f.bled[k] for f in frames])
        out.append(_line_flow(vent.id, times, bled, time, forecast.density))
    return tuple(out)


def amid_work(forecast: Forecast, line: str) -> float:
    """Return the moment amid a feed's work [s], from when it opens until nearly all that it passes has passed; inf where it passes nothing."""
    frames, network = forecast.history.frames, forecast.model.network
    for k, port in enumerate(network.ports):
        if port.id == line:
            totals = np.array([f.fed[k] for f in frames])
            break
    else:
        own = next(k for k, valve in enumerate(network.valves) if valve.id == line)
        totals = np.array([f.passed[own] for f in frames])
    opened = forecast.history.opened.get(line)
    if opened is None or totals[-1] <= 0:
        return math.inf
    return (opened + float(np.interp(NEARLY * totals[-1], totals, [f.time for f in frames]))) / 2


def _line_flow(line: str, times: Floats, totals: Floats, time: float, density: float) -> LineFlow:
    """Read a total [m³] over time at one moment [s]."""
    later = min(time + max(1e-3 * times[-1], 1e-6), float(times[-1]))
    now = float(np.interp(time, times, totals))
    rate = (float(np.interp(later, times, totals)) - now) / (later - time) if later > time else 0.0
    return LineFlow(line, now * density, rate * density)
