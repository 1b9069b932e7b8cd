"""After full: the feed is shut, pressure evens out under the bag, resin leaves by the vacuum, thickness and fibre share settle.

Under a bag the plies carry what atmosphere has over the resin, so that a place is as thick as its resin's pressure lets it be:
A dh(p)/dt = Σ G/μ (p_j − p_i), with the forecast's own network, its layers at one pressure through the thickness, and the
compaction curve as what stores resin (Terzaghi's consolidation; Gutowski and others, J. Composite Materials 21, 1987).  Implicit in
time (BDF2), Newton in the thickness; viscosity is that of the resin at each place, until it gels.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from functools import cached_property

import numpy as np
import numpy.typing as npt
import scipy
from msgspec import Struct

from bibulon.core.flow.build.network import Network, sum_at
from bibulon.core.flow.build.tubes import feed_pressure
from bibulon.core.flow.fields import resin_age
from bibulon.core.flow.fill.pressure import pressure_at
from bibulon.core.flow.forecast import Forecast
from bibulon.core.model.job import Job
from bibulon.core.stack.laminate import compaction_pressure, thickness_under, zone_stack
from bibulon.core.units.words import tr

__all__ = ["WAYS", "Hold", "Settled", "bleeding_of", "hold_of", "settle", "spare_of"]

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]
WAYS = ("run", "throttled", "shut")  # what becomes of the vacuum
FIRST, GROWTH = 0.5, 1.2  # s of the first step, and by how much each is longer
TABLE = 600  # pressures of a table of thickness
LEAST_VOLUME = 1e-15  # m³ that a node weighs at least in a column's mean
LEAST_PRESS = 200.0  # Pa on the plies below which the curve is not followed
EVEN = 0.02  # of the thickness that pressure may still move it by when it counts as even
ROUNDS, ENOUGH = 30, 1e-9
QUICK = 0.2  # of the move before, that a move must be less than for its factor to be kept
LONGEST = 48 * 3600.0  # s that a hold is followed


class Settled(Struct, frozen=True, eq=False):
    """A settling: times [s] from its begin, pressure [Pa above the vacuum] and thickness [m] of each place, and resin bled [m³].

    pressure, thickness : shape (t, c); bled : shape (t,).
    """

    time: Floats
    pressure: Floats
    thickness: Floats
    bled: Floats


def settle(
    apart: scipy.sparse.csr_array,
    area: Floats,
    thickness: Callable[[Floats], tuple[Floats, Floats]],
    held: Floats,
    start: Floats,
    viscosity: Callable[[float], Floats],
    until: float,
) -> Settled:
    """Follow c places from pressures [Pa] that differ.

    Parameters
    ----------
    apart : conductances between places [m³], symmetric without diagonal, shape (c, c).
    area : of each place [m²]; nought for what stores nothing, such as a line.
    thickness : of pressures, shape (c,): thickness [m] and its slope [m/Pa].
    held : pressure at which a place is held [Pa], nan where it is free, shape (c,).
    viscosity : of the resin at each place [Pa s] at a time; inf once it has gelled.
    """
    free = np.flatnonzero(np.isnan(held))
    p = np.where(np.isnan(held), start, held)
    links = scipy.sparse.triu(apart).tocoo()
    a, b, g = links.row.astype(np.int64), links.col.astype(np.int64), links.data
    h, _ = thickness(p)
    times, pressures, heights, bled = [0.0], [p.copy()], [h.copy()], [0.0]
    t, dt, last = 0.0, FIRST, FIRST
    while t < until * (1 - 1e-9):
        dt = min(dt, until - t)
        mu = viscosity(t + dt / 2)
        flow = g * 2 / (mu[a] + mu[b])  # inf where either has gelled: nothing flows
        # Backward differences of second order (BDF2) over steps of two lengths; of first order at the start.
        r = dt / last if len(heights) > 1 else 0.0
        lead = (1 + 2 * r) / (1 + r)
        before = (1 + r) * heights[-1] - (r**2 / (1 + r) * heights[-2] if r else 0.0)
        p = _settled_step(_laplacian(a, b, flow, len(p)), area, thickness, free, p, before, lead, dt)
        t, last = t + dt, dt
        now, _ = thickness(p)
        times.append(t)
        pressures.append(p.copy())
        heights.append(now)
        bled.append(float((area * (heights[0] - now)).sum()))
        if not np.isfinite(mu[free]).any():
            break
        dt *= GROWTH
    return Settled(np.array(times), np.array(pressures), np.array(heights), np.array(bled))


def _settled_step(
    laplace: scipy.sparse.csr_array,
    area: Floats,
    thickness: Callable[[Floats], tuple[Floats, Floats]],
    free: Ints,
    start: Floats,
    before: Floats,
    lead: float,
    dt: float,
) -> Floats:
    """Return the pressures at which A (lead·h(p) − before)/dt + L p is nought at free places, by Newton's method."""
    inner = laplace[free][:, free].tocsr()
    # A place that nothing joins, and that stores nothing, has no pressure of its own: it keeps what it has.
    alone = (inner.diagonal() <= 0) & (area[free] == 0)
    new, factor, last_move = start.copy(), None, math.inf
    enough = ENOUGH * max(float(np.abs(start).max(initial=0.0)), 1.0) + 1e-3
    for _ in range(ROUNDS):
        now, slope = thickness(new)
        short = area * (lead * now - before) / dt + laplace @ new
        if (
            factor is None
        ):  # kept as long as it brings the step to its end quickly: factoring is most of the cost
            store = np.where(alone, 1.0, lead * area[free] * slope[free] / dt)
            matrix = (inner + scipy.sparse.diags_array(store)).tocsc()
            factor = scipy.sparse.linalg.splu(
                matrix, permc_spec="MMD_AT_PLUS_A", diag_pivot_thresh=0.0, options={"SymmetricMode": True}
            )
        move = factor.solve(np.where(alone, 0.0, -short[free]))
        new[free] += move
        size = float(np.abs(move).max(initial=0.0))
        if size <= enough:
            break
        if size > QUICK * last_move:
            factor = None
        last_move = size
    return new


def _laplacian(a: Ints, b: Ints, flow: Floats, n: int) -> scipy.sparse.csr_array:
    degree = sum_at(a, flow, n) + sum_at(b, flow, n)
    off = scipy.sparse.coo_array((np.r_[-flow, -flow], (np.r_[a, b], np.r_[b, a])), shape=(n, n))
    return (off + scipy.sparse.diags_array(degree)).tocsr()


class Hold(Struct, frozen=True, eq=False, dict=True):
    """What the hold comes to, at the vertices of the forecast's mesh, nan where there is nothing.

    time [s] from opening the first feed, its first moment is when the feed is shut; thickness [m], share of fibre by volume, and
    pressure [Pa above the vacuum], shape (t, v); bled [kg], shape (t,), of what leaves by the vacuum.
    gel : when resin flows no more, by the clock of the forecast's own resin [s], inf where it tells none: not until when the vacuum
    stays, for what comes last may be younger; even_at : from when on no place's thickness changes by more than a fiftieth [s].
    area : of each vertex [m²].
    """

    time: Floats
    thickness: Floats
    share: Floats
    pressure: Floats
    bled: Floats
    gel: float
    even_at: float
    area: Floats
    planned: float  # mean share under the whole bag

    def at(self, time: float) -> int:
        """Return the number of the last moment not after a time."""
        return int(np.clip(np.searchsorted(self.time, time + 1e-6) - 1, 0, len(self.time) - 1))

    def ends(self, k: int) -> tuple[float, float, float]:
        """Return fibre shares at a moment's number: of the least, the mean, and the densest place, one in fifty cut off."""
        low, mean, high = self.spread[k]
        return float(low), float(mean), float(high)

    @cached_property
    def spread(self) -> Floats:
        """Fibre shares of the least, the mean and the densest place at each moment, shape (t, 3)."""
        there = np.isfinite(self.share[0])
        own = self.share[:, there]
        low, high = np.quantile(own, (0.02, 0.98), axis=1)
        return np.column_stack([low, np.average(own, axis=1, weights=self.area[there]), high])


def hold_of(forecast: Forecast, way: str = "run", shut_after: float = 0.0, throttled_to: float = 0.0) -> Hold:
    """Return what comes after the part is full.

    Parameters
    ----------
    way : the vacuum runs on, is "throttled" to a pressure, or is "shut" with the feed.
    shut_after : how long after full the feed is shut [s]; until then the pressures of the full part stand.
    throttled_to : absolute pressure of the throttled vacuum [Pa].

    Raises
    ------
    ValueError : when the part does not fill, is made in a closed mould, has no cloth that settles, or there is no such way.
    """
    job = forecast.job
    if way not in WAYS:
        raise ValueError(tr("“{0}” is no way to hold: {1}", way, ", ".join(WAYS)))
    if job.process != "infusion":
        raise ValueError(tr("two hard faces hold the part: nothing bleeds or settles as it does under a bag"))
    if not forecast.filled:
        raise ValueError(tr("the part does not fill: there is no hold to look at"))
    network, model = forecast.model.network, forecast.model
    begin = forecast.fill_time + shut_after
    column, count, foot = network.column, network.columns, network.vertex[network.foot]
    owner = _zones(forecast)
    area, tables = _storage(forecast, owner)
    if _planned(forecast, owner) <= 0:
        raise ValueError(
            tr("no layer is a cloth of known mass: none settles, and no fibre share can be told")
        )
    start = _mean(
        network, pressure_at(forecast.history, forecast.fill_time), np.maximum(network.volume, LEAST_VOLUME)
    )
    held = np.full(count, np.nan)
    if way != "shut":
        level = max(throttled_to - job.conditions.vacuum, 0.0) if way == "throttled" else 0.0
        for vent in network.vents:
            if not vent.membrane:
                held[column[vent.nodes]] = max(level, vent.pressure)
    age = _ages(forecast, network, column, count)
    clock = forecast.clock

    def viscosity(t: float) -> Floats:
        mu = np.interp(age + shut_after + t, clock.time, clock.viscosity)
        return np.where(age + shut_after + t >= clock.gel, np.inf, mu)

    gel = float(np.max(clock.gel - age[area > 0])) + forecast.fill_time if clock.gel < 1e8 else math.inf
    until = min(max(gel - begin, 60.0), LONGEST)
    found = settle(_columns(network, column, count), area, tables, held, start, viscosity, until)
    at = np.full(len(model.mesh.points), -1)
    at[foot[area > 0]] = np.flatnonzero(area > 0)
    there = at >= 0
    told = [np.where(there, v[:, np.maximum(at, 0)], np.nan) for v in (found.thickness, found.pressure)]
    last = told[0][-1]
    off = np.nanmax(np.abs(told[0] / last - 1), axis=1)
    late = np.flatnonzero(off > EVEN)
    even = begin + (float(found.time[late[-1] + 1]) if len(late) and late[-1] + 1 < len(found.time) else 0.0)
    return Hold(
        begin + found.time, told[0], _shares(job, forecast, told[0], owner), told[1], found.bled * forecast.density, gel, even,
        model.vertex_areas(), _planned(forecast, owner),
    )  # fmt: skip


def _zones(forecast: Forecast) -> Ints:
    """Return the zone of each vertex, as a number of the plan's zones."""
    owner = np.full(len(forecast.model.mesh.points), -1)
    owner[forecast.model.mesh.triangles.ravel()] = np.repeat(forecast.model.zone, 3)
    return owner


def _storage(forecast: Forecast, owner: Ints) -> tuple[Floats, _Tables]:
    """Return the area of each column [m²], nought where it stores nothing, and its thickness over pressure."""
    network, model = forecast.model.network, forecast.model
    foot = network.vertex[network.foot]
    first = np.zeros(network.columns, dtype=bool)
    # Of a vertex that films part into several columns, the first one stores.
    first[np.unique(np.where(foot >= 0, foot, -1 - np.arange(len(foot))), return_index=True)[1]] = True
    stores, vertex = (foot >= 0) & first, np.maximum(foot, 0)
    area = np.where(stores, model.vertex_areas()[vertex], 0.0)
    return area, _Tables(forecast.job, list(model.plan.zones), np.where(foot >= 0, owner[vertex], -1))


def _mean(network: Network, values: Floats, weight: Floats) -> Floats:
    """Return the weighted means of nodes over their columns."""
    count = network.columns
    return sum_at(network.column, values * weight, count) / sum_at(network.column, weight, count)


def _columns(network: Network, column: Ints, count: int) -> scipy.sparse.csr_array:
    """Return the conductances between columns, what lies in one column left out; manifold valves are shut, so are hoses of ports."""
    g = network.conductance.copy()
    for valve in network.valves:
        g[valve.links] = 0.0
    for port in network.ports:
        g[(network.a == port.node) | (network.b == port.node)] = 0.0
    a, b = column[network.a], column[network.b]
    apart = (a != b) & (g > 0)
    data = np.r_[g[apart], g[apart]]
    return scipy.sparse.coo_array(
        (data, (np.r_[a[apart], b[apart]], np.r_[b[apart], a[apart]])), shape=(count, count)
    ).tocsr()


def _ages(forecast: Forecast, network: Network, column: Ints, count: int) -> Floats:
    """Return how old the resin of each column is at full, on the clock of its viscosity [s]; where nothing tells, as the first batch."""
    age = resin_age(forecast, forecast.fill_time)
    if not len(forecast.history.frame_at(forecast.fill_time).born):
        age = age - forecast.mixed_before
    at_node = np.full(network.size, np.nan)
    nodes = forecast.model.node_at
    at_node[nodes[nodes >= 0]] = age[nodes >= 0]
    known = np.isfinite(at_node)
    total = sum_at(column[known], at_node[known], count)
    many = sum_at(column[known], np.ones(int(known.sum())), count)
    return np.where(many > 0, total / np.maximum(many, 1), forecast.fill_time)


class _Tables:
    """Thickness and its slope over the resin's pressure, by zone."""

    def __init__(self, job: Job, zones: list[str], zone: Ints) -> None:
        self._press = compaction_pressure(job)
        self._zone = zone
        top = self._press - LEAST_PRESS
        self._at = np.linspace(min(-0.2 * self._press, -1.0), top, TABLE)
        self._tables = [thickness_under(job, z, np.maximum(self._press - self._at, 1.0)) for z in zones]
        self._slopes = [np.gradient(table, self._at) for table in self._tables]

    def __call__(self, pressure: Floats) -> tuple[Floats, Floats]:
        thick, slope = np.zeros_like(pressure), np.full_like(pressure, 1e-18)
        for k, (table, rise) in enumerate(zip(self._tables, self._slopes, strict=True)):
            mine = self._zone == k
            thick[mine] = np.interp(pressure[mine], self._at, table)
            slope[mine] = np.maximum(np.interp(pressure[mine], self._at, rise), 1e-18)
        return thick, slope


def _planned(forecast: Forecast, owner: Ints) -> float:
    """Return the mean fibre share with the whole bag on the plies, over what holds fibre."""
    areas = forecast.model.vertex_areas()
    shares = [zone_stack(forecast.job, zone).fibre_fraction for zone in forecast.model.plan.zones]
    weights = [float(areas[owner == k].sum()) * (share > 0) for k, share in enumerate(shares)]
    return float(np.average(shares, weights=weights)) if sum(weights) else 0.0


def _shares(job: Job, forecast: Forecast, thickness: Floats, owner: Ints) -> Floats:
    """Return the fibre share by volume of plies that make up a thickness with core and coat, same shape."""
    out = np.full_like(thickness, np.nan)
    for k, zone in enumerate(forecast.model.plan.zones):
        stack = zone_stack(job, zone)
        plies = [s for s in stack.layers if s.kind == "fabric"]
        rest = stack.thickness - sum(s.thickness for s in plies)
        fibre = sum(s.fibre_volume for s in plies)
        if fibre > 0:
            mine = owner == k
            out[:, mine] = fibre / np.maximum(thickness[:, mine] - rest, fibre)
    return out


def spare_of(forecast: Forecast, time: float) -> tuple[float, float]:
    """Return what is squeezed out of the swollen plies once the feed is shut at a time, and what is dry then, both resin [kg].

    Shut with less to squeeze out than is dry, the last places take it from the first, which end thin and pitted.
    """
    network, model = forecast.model.network, forecast.model
    field = pressure_at(forecast.history, time)
    wet = forecast.history.filled_at <= time
    weight = np.where(wet, np.maximum(network.volume, LEAST_VOLUME), LEAST_VOLUME / 1000)
    pressure = _mean(network, np.where(wet, field, 0.0), weight)
    area, tables = _storage(forecast, _zones(forecast))
    swollen, flat = tables(pressure)[0], tables(np.zeros(network.columns))[0]
    over = float((area * (swollen - flat)).sum())
    dry = float((model.cloth_volume * ~wet).sum())
    return over * forecast.density, dry * forecast.density


def bleeding_of(forecast: Forecast) -> tuple[float, float]:
    """Return what must leave until the bag lies on the plies with all its pressure, and about what can leave by gel, both resin [kg].

    As it runs through the full part from open feeds to the vacuum, steady: no pressure is higher once they are shut; more slowly as
    the resin thickens, until gel.  One solution by columns, not the course of ``hold_of``.
    """
    network, clock = forecast.model.network, forecast.clock
    count, column = network.columns, network.column
    held = np.full(count, np.nan)
    for line in forecast.job.lines:
        if line.role == "feed":
            nodes = forecast.model.node_at[forecast.model.lines[line.id]]
            held[column[nodes[nodes >= 0]]] = feed_pressure(forecast.job)
    for vent in network.vents:
        if not vent.membrane:
            held[column[vent.nodes]] = vent.pressure
    age = _ages(forecast, network, column, count)
    links = scipy.sparse.triu(_columns(network, column, count)).tocoo()
    a, b, mu = (
        links.row.astype(np.int64),
        links.col.astype(np.int64),
        np.interp(age, clock.time, clock.viscosity),
    )
    laplace = _laplacian(a, b, links.data * 2 / (mu[a] + mu[b]), count)
    free = np.flatnonzero(np.isnan(held) & (laplace.diagonal() > 0))
    full = np.where(np.isnan(held), 0.0, held)
    inner = laplace[free][:, free].tocsc()
    full[free] = scipy.sparse.linalg.splu(inner, permc_spec="MMD_AT_PLUS_A").solve(-(laplace @ full)[free])
    area, tables = _storage(forecast, _zones(forecast))
    over = float((area * (tables(full)[0] - tables(np.zeros(count))[0])).sum()) * forecast.density
    if clock.gel > LONGEST:
        return over, math.inf
    out = np.zeros(count, dtype=bool)
    for vent in network.vents:
        out[column[vent.nodes]] = not vent.membrane
    leaving = float(-(laplace @ full)[out].sum())
    youngest = float(age.min())
    until = np.linspace(youngest, clock.gel, TABLE)
    slower = np.interp(youngest, clock.time, clock.viscosity) / np.interp(until, clock.time, clock.viscosity)
    return over, max(leaving, 0.0) * float(np.trapezoid(slower, until)) * forecast.density
