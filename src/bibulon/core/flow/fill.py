"""How a network fills: the wet region at every moment as a linear complementarity problem.

With u = ∫p/μ dt over a step (Duvaut's transform), L the conductance Laplacian and V_dry the
unfilled volume at its start, L u + V_dry ≥ 0 ⟂ u ≥ 0 has one solution, the wet region at the
step's end, exact for a step of any length.  Steps end at events and where the front has wetted a
share of the whole; ``step`` solves one.  A viscosity that is the same everywhere only rescales
time: steps run in θ = ∫dt/μ.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace

import numpy as np
import numpy.typing as npt

from bibulon.core.flow.condense import Band, Given, entries, solve
from bibulon.core.flow.network import Network
from bibulon.core.flow.step import FULL, Cancelled, FillError, Step, WetState, advance, arrivals, pour
from bibulon.core.resin.clock import FlowClock

__all__ = ["Cancelled", "FillError", "Frame", "History", "Opens", "fill"]

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]

THICK_BAND = 0.012  # share of the nodes from which the band sets the length of steps
STEP_NODES = 350  # nodes that a step may then wet whatever the band's size
TAIL = 1e-3  # share of the pores that may be left when their wetting would take
TAIL_PATIENCE = 0.1  # more than this share of the time so far: a corner behind a vent, say
EARLIER = (
    0.37  # of the time since a cell's first neighbour was full, when the front passed its point (measured)
)
CAP_SLACK = 5e-3  # share of its pressure cap within which a feed of fixed rate is taken to be at it


@dataclass(frozen=True)
class Opens:
    """When a port or vent is open: from ``at`` [s], or ``delay`` s after ``line`` is wet; until ``until`` [s]."""

    at: float | None = 0.0
    line: str | None = None
    delay: float = 0.0
    until: float = np.inf


@dataclass(frozen=True)
class Frame:
    """The state at the end of one step: time [s], resin in the network [m³], flow into dry nodes.

    ``speed`` is the flow per unit of pressure over viscosity, dV/dθ [m³ Pa]; ``fed`` and ``bled``
    are totals per port and to all vents [m³]; ``at_port`` the pressure at each port [Pa].
    """

    time: float
    theta: float
    volume: float
    speed: float
    fed: tuple[float, ...]
    bled: float
    at_port: tuple[float, ...] = ()


@dataclass(frozen=True)
class History:
    """How a network filled.

    filled_at : when each node is full [s], inf where never, shape (n,).
    fraction : how full each node is at the end, shape (n,).
    opened : when each port opened [s], by id.
    reason : "full", "but for the last" (under 0.1 % is left and would take long), "gelled",
        "no open feed", "out of reach" or "too many steps".
    balance : |fed − in the network − bled| over what was fed.
    solves, unknowns_solved : linear solves, and their unknowns added up.
    """

    filled_at: Floats
    fraction: Floats
    frames: tuple[Frame, ...]
    opened: dict[str, float]
    reason: str
    balance: float
    solves: int
    unknowns_solved: int = 0
    line_wet_at: dict[str, float] = field(default_factory=dict)

    @property
    def end(self) -> float:
        """Time of the last frame [s]."""
        return self.frames[-1].time


def fill(
    network: Network,
    opens: Sequence[Opens],
    clock: FlowClock,
    *,
    vents: Sequence[Opens] | None = None,
    frames: int = 24,
    plain: bool = False,
    progress: Callable[[float], None] | None = None,
    cancelled: Callable[[], bool] | None = None,
) -> History:
    """Fill a network from dry.

    Parameters
    ----------
    opens : one entry a port, in the order of ``network.ports``.
    clock : the resin's ∫dt/μ, and when it gels.
    vents : one entry a vent; open throughout when not given.  A vent once shut stays shut.
    frames : into how many steps, at least about, the whole fill is cut.
    plain : keep every wet node in the system: slow, the answer that the fast way is checked against.
    progress : called with the filled share, 0 to 1.
    cancelled : asked before every solve; when it answers true, ``Cancelled`` is raised.

    Raises
    ------
    Cancelled, FillError.
    """
    return _Filling(network, opens, clock, vents, frames, plain, progress, cancelled).run()


@dataclass(frozen=True)
class _Drive:
    """What drives the flow in a step: nodes at a pressure, and nodes that are given a rate [m³/s]."""

    fixed: Ints
    pressure: Floats
    given: Ints
    rate: Floats

    @property
    def key(self) -> tuple[int, ...]:
        return (*self.fixed.tolist(), -1, *self.given.tolist())


class _Filling:
    """One run of ``fill``: the loop over steps and events."""

    def __init__(
        self,
        network: Network,
        opens: Sequence[Opens],
        clock: FlowClock,
        vents: Sequence[Opens] | None,
        frames: int,
        plain: bool,
        progress: Callable[[float], None] | None,
        cancelled: Callable[[], bool] | None,
    ) -> None:
        self.network, self.opens, self.clock = network, list(opens), clock
        self.vents = list(vents) if vents is not None else [Opens() for _ in network.vents]
        self.state = WetState(network)
        self.progress, self.cancelled = progress, cancelled
        self.total = float(network.volume.sum())
        self.chunk = self.total / frames
        self.limit = 12 * frames + 40 * (1 + len(opens)) + 4 * network.size // STEP_NODES
        self.open_at = [o.at if o.line is None and o.at is not None else np.inf for o in opens]
        self.opened: dict[str, float] = {}
        self.line_wet_at: dict[str, float] = {}
        self.now = 0.0
        self.at_cap = [p.rate is None for p in network.ports]
        ports = np.array([p.node for p in network.ports], dtype=np.int64)
        self.keep = np.arange(network.size) if plain else ports
        self.slowing = 1.0
        self.reason = "out of reach"
        self.rate: Floats = np.zeros(network.size)
        self.rate_for: tuple[int, ...] | None = None
        zero = tuple(0.0 for _ in opens)
        self.frames = [Frame(0.0, 0.0, 0.0, 0.0, zero, 0.0, zero)]

    # -- events

    def _is_open(self, k: int) -> bool:
        return self.open_at[k] <= self.now + 1e-9 and self.now < self.opens[k].until - 1e-9

    def _next_event(self) -> float:
        times = [t for t in self.open_at if t > self.now + 1e-9]
        times += [o.until for k, o in enumerate(self.opens) if self._is_open(k)]
        times += [v.until for v in self.vents if v.until > self.now + 1e-9]
        return min(times, default=np.inf)

    def _set_vents(self) -> None:
        held = [self.now < v.until - 1e-9 for v in self.vents]
        before = self.state.vent.copy()
        self.state.open_vents(self.network, held)
        if not np.array_equal(before, self.state.vent):
            self.rate_for = None

    def _drive(self) -> _Drive:
        """Return what drives the flow now; ports that have just opened join the band."""
        fixed, pressure, given, rate = [], [], [], []
        for k, port in enumerate(self.network.ports):
            if not self._is_open(k):
                continue
            self.opened.setdefault(port.id, max(self.open_at[k], 0.0))
            if self.at_cap[k] or port.rate is None:
                fixed.append(port.node)
                pressure.append(port.pressure)
            else:
                given.append(port.node)
                rate.append(port.rate)
        nodes = np.array([*fixed, *given], dtype=np.int64)
        fresh = np.setdiff1d(nodes, self.state.band.nodes)
        for node in fresh:
            self._prime(int(node))
        if len(fresh):
            self.state.band = _enlarged(self.network, self.state.band, fresh)
        held = np.array(fixed, dtype=np.int64)
        return _Drive(held, np.array(pressure), np.array(given, dtype=np.int64), np.array(rate))

    def _prime(self, node: int) -> None:
        """A port fills its own pores, if it has any, at the moment that it opens."""
        own = float(self.state.dry[node])
        self.state.wet[node] = True
        self.state.filled_at[node] = min(self.state.filled_at[node], self.now)
        self.state.dry[node] = 0.0
        self.state.fed[self._port_of(node)] += own
        self.frames[-1] = replace(self.frames[-1], volume=self.frames[-1].volume + own)

    def _port_of(self, node: int) -> int:
        return next(k for k, p in enumerate(self.network.ports) if p.node == node)

    def _trigger(self, line: str) -> Ints:
        for port in self.network.ports:
            if port.id == line:
                return port.line_nodes
        for vent in self.network.vents:
            if vent.id == line:
                return vent.nodes
        raise FillError(f"no line {line} to wait for")

    def _passes(self, line: str, filled_at: Floats) -> float:
        """Return when the front has passed every point of a line.

        Cells are full later than that: a share of the way back to when their first neighbour was.
        """
        nodes = self._trigger(line)
        when = filled_at[nodes]
        if not np.isfinite(when).all():
            return float("inf")
        sheet = self.network.sheet
        rows, cols, _ = entries(self.network.adjacency, nodes)
        beside = sheet[cols] == sheet[nodes[rows]]
        first = when.copy()
        np.minimum.at(first, rows[beside], filled_at[cols[beside]])
        return float((when - EARLIER * (when - first)).max())

    def _note_front(self) -> None:
        for line in {o.line for o in self.opens if o.line} - set(self.line_wet_at):
            moment = self._passes(line, self.state.filled_at)
            if np.isfinite(moment):
                self.line_wet_at[line] = moment
        for k, opening in enumerate(self.opens):
            if opening.line in self.line_wet_at and not np.isfinite(self.open_at[k]):
                self.open_at[k] = max(self.line_wet_at[opening.line] + opening.delay, self.now)

    # -- the loop

    def run(self) -> History:
        """Step until it is full, or nothing flows any more."""
        for _ in range(self.limit):
            self._set_vents()
            drive = self._drive()
            event = self._next_event()
            if not len(drive.fixed) and not len(drive.given):
                if not np.isfinite(event):
                    return self._history("no open feed")
                self._wait(event)
                continue
            if bool(np.all(self.state.wet | (self.state.dry <= FULL * self.network.volume))):
                return self._history("full")
            if self.now >= self.clock.gel - 1e-6:
                return self._history("gelled")
            if not self._step(drive, event):
                if np.isfinite(event):
                    self._wait(event)
                    continue
                return self._history(self.reason)
            if self.progress:
                self.progress(min(self.frames[-1].volume / self.total, 1.0))
        return self._history("too many steps")

    def _wait(self, until: float) -> None:
        until = min(until, self.clock.gel)
        self.frames.append(replace(self.frames[-1], time=until, theta=self.clock.theta(until), speed=0.0))
        self.now = until

    def _given(self, drive: _Drive, theta0: float, theta1: float) -> Given | None:
        """Return the volumes that feeds of fixed rate put in between two moments."""
        if not len(drive.given):
            return None
        t0, t1 = self.clock.times(np.array([theta0, theta1]))
        return Given(drive.given, drive.rate * float(t1 - t0), drive.rate * self.clock.at(float(t1)))

    def _offered(self, drive: _Drive, theta0: float) -> Floats:
        """Return the flow into dry nodes per unit θ at this moment [m³ Pa], shape (n,)."""
        if self.rate_for == drive.key:
            return self.rate
        band, network = self.state.band, self.network
        if len(band.nodes) > len(drive.fixed):
            none = np.zeros(0, dtype=np.int64)
            given = self._given(drive, theta0, theta0)
            solved = solve(
                network, band, none, drive.fixed, drive.pressure, self.state.dry, 0.0, self.keep, given
            )
            rate = solved.gains(network, np.maximum(solved.p, 0.0), drive.pressure)
        else:
            rows, cols, g = entries(network.adjacency, drive.fixed)
            rate = np.bincount(cols, g * drive.pressure[rows], network.size).astype(np.float64)
        rate[self.state.wet] = 0.0
        return rate

    def _step(self, drive: _Drive, event: float) -> bool:
        """Go one step; False when nothing flows into dry nodes."""
        state, network = self.state, self.network
        theta0 = self.clock.theta(self.now)
        rate = self._offered(drive, theta0)
        speed = float(rate[~state.wet].sum())
        left = float(state.dry[~state.wet].sum())
        if speed <= 1e-14 * self.total / max(self.clock.span_scale, 1e-300):
            return False
        if left < TAIL * self.total and not np.isfinite(event) and left / speed > TAIL_PATIENCE * theta0:
            self.reason = "but for the last"
            return False
        self.frames[-1] = replace(self.frames[-1], speed=speed)
        # Where the band is a large part of the network, as with several layers, a step's cost grows with
        # the cube of band and new nodes together: keep them in proportion.
        chunk, band = self.chunk, len(state.band.nodes)
        if band > THICK_BAND * network.size:
            chunk = min(chunk, max(band / 2, STEP_NODES) * self.total / network.size)
        span = min(chunk, max(left, 1e-3 * self.total)) / speed
        theta1 = min(theta0 + span, self.clock.theta(min(event, self.clock.gel)))
        if theta1 <= theta0:
            return False
        into = np.where(state.vent, 0.0, rate) * self.slowing
        for last in (False, False, False, False, True):
            step, nodes, when, volume1 = self._solve(drive, into, theta0, theta1)
            cut = None if last else self._cut_at(drive, nodes, when, step, theta0, theta1)
            if cut is None:
                break
            theta1 = cut
        self._accept(step, nodes, when, theta0, theta1, volume1, drive)
        return True

    def _solve(
        self, drive: _Drive, into: Floats, theta0: float, theta1: float
    ) -> tuple[Step, Ints, Floats, float]:
        """Return the step to a moment, what it filled and when, and the volume then."""
        state, network, last = self.state, self.network, self.frames[-1]
        guess = pour(network, into * (theta1 - theta0), state.dry, state.wet | state.vent)
        given = self._given(drive, theta0, theta1)
        step = advance(
            network,
            state,
            theta1 - theta0,
            guess,
            drive.fixed,
            drive.pressure,
            self.keep,
            given,
            self.cancelled,
        )
        partly = np.minimum(step.gain, state.dry)
        partly[state.wet] = 0.0
        volume1 = last.volume + float(state.dry[step.new].sum()) + float(partly.sum())
        partial0 = float(np.sum((network.volume - state.dry)[~state.wet]))
        nodes, when = arrivals(
            state, network, step, last.volume, last.speed, theta0, theta1, volume1, partial0
        )
        return step, nodes, when, volume1

    def _cut_at(
        self, drive: _Drive, nodes: Ints, when: Floats, step: Step, theta0: float, theta1: float
    ) -> float | None:
        """Return an earlier end for the step when an event, a cap or the end of the fill falls inside it."""
        cuts = [self._full_at(nodes, step, theta0, theta1), *self._caps(drive, step, theta0, theta1)]
        filled_at = self.state.filled_at.copy()
        filled_at[nodes] = self.clock.times(when)
        cuts += self._fronts(filled_at, theta0, theta1)
        return min((c for c in cuts if c is not None), default=None)

    def _fronts(self, filled_at: Floats, theta0: float, theta1: float) -> list[float]:
        """Return when ports open on the front inside a step, and note it.

        A long step is first cut just behind the line, so that the moment is read from a short one.
        """
        cuts, span = [], theta1 - theta0
        for k, opening in enumerate(self.opens):
            if opening.line is None or np.isfinite(self.open_at[k]):
                continue
            full = float(filled_at[self._trigger(opening.line)].max())
            if not np.isfinite(full):
                continue
            moment = self._passes(opening.line, filled_at) + opening.delay
            if self.clock.theta(moment) >= theta1:
                continue
            behind = max(self.clock.theta(full), self.clock.theta(moment))
            if theta1 - behind > 0.1 * span:
                cuts.append(behind + 0.02 * span)
            else:
                self.open_at[k] = max(moment, self.now)
                cuts.append(max(self.clock.theta(moment), theta0 + 1e-3 * span))
        return cuts

    def _full_at(self, nodes: Ints, step: Step, theta0: float, theta1: float) -> float | None:
        """When a step fills everything, return about when the last node did."""
        state = self.state
        wet = state.wet.copy()
        wet[nodes] = True
        if not np.all(wet | state.vent | (state.dry <= FULL * self.network.volume)):
            return None
        late = np.isin(step.solved.nodes, nodes)
        u, p = step.solved.u[late], step.solved.p[late]
        if len(u) and np.all(p > 0):
            full = theta1 - float(np.min(u / p))
            if (theta1 - full) > 2e-4 * theta1 and full > theta0:
                return full + 0.02 * (theta1 - full)
        return None

    def _caps(self, drive: _Drive, step: Step, theta0: float, theta1: float) -> list[float]:
        """Return when feeds of fixed rate come to their pressure caps inside a step."""
        cuts = []
        for node in drive.given:
            k = self._port_of(int(node))
            cap, before = self.network.ports[k].pressure, self.frames[-1].at_port[k]
            after = float(step.solved.p[step.solved.nodes == node][0])
            if after > cap * (1 + CAP_SLACK) and after > before:
                cuts.append(theta0 + max((cap - before) / (after - before), 0.02) * (theta1 - theta0))
        return cuts

    def _accept(
        self,
        step: Step,
        nodes: Ints,
        when: Floats,
        theta0: float,
        theta1: float,
        volume1: float,
        drive: _Drive,
    ) -> None:
        """Take a step's end as the new state."""
        state, network = self.state, self.network
        time1 = float(self.clock.times(np.array([theta1]))[0])
        before_speed = self.frames[-1].speed
        state.take(network, step, nodes, self.clock.times(when), time1)
        self._fill_vents(step, theta0, theta1)
        self._count_feeds(step, drive, theta0, theta1)
        state.band = step.solved.condensed(network)
        self.rate, self.rate_for = step.rate, drive.key
        self.rate[state.wet] = 0.0
        self.now = time1
        speed1 = float(step.rate[~state.wet].sum())
        # The next guess pours the mean flow of its step, taken to slow as it did in this one.
        ratio = speed1 / before_speed if before_speed > 0 else 1.0
        self.slowing = min(max((1 + ratio) / 2, 0.5), 1.2)
        at_port = self._at_ports(step, drive)
        self.frames.append(Frame(time1, theta1, volume1, speed1, tuple(state.fed), state.bled, at_port))
        self._note_front()

    def _at_ports(self, step: Step, drive: _Drive) -> tuple[float, ...]:
        """Return the pressure at each port; a feed of fixed rate that has come to its cap stays there."""
        values = [0.0] * len(self.network.ports)
        for node, pressure in zip(drive.fixed, drive.pressure, strict=True):
            values[self._port_of(int(node))] = float(pressure)
        for node in drive.given:
            k = self._port_of(int(node))
            values[k] = float(step.solved.p[step.solved.nodes == node][0])
            if values[k] >= self.network.ports[k].pressure * (1 - CAP_SLACK):
                self.at_cap[k] = True
        return tuple(values)

    def _fill_vents(self, step: Step, theta0: float, theta1: float) -> None:
        """Open vents fill their own pores, then bleed."""
        state = self.state
        vents = np.flatnonzero(state.vent & (step.gain > 0))
        before = state.dry[vents].copy()
        state.bled += float(np.maximum(step.gain[vents] - before, 0.0).sum())
        state.dry[vents] = np.maximum(before - step.gain[vents], 0.0)
        now_full = (state.dry[vents] <= 1e-12 * self.network.volume[vents]) & ~state.wet[vents]
        share = np.clip(before[now_full] / np.maximum(step.gain[vents][now_full], 1e-300), 0, 1)
        state.filled_at[vents[now_full]] = self.clock.times(theta0 + share * (theta1 - theta0))
        state.wet[vents[now_full]] = True

    def _count_feeds(self, step: Step, drive: _Drive, theta0: float, theta1: float) -> None:
        """Add what each open port gave: its row of the Laplacian on ∫p dt, or its rate."""
        solved, band = step.solved, step.solved.old
        span = theta1 - theta0
        place = {int(n): k for k, n in enumerate(band.nodes)}
        at = [place[int(n)] for n in drive.fixed]
        among = band.block[np.ix_(at, at)] @ drive.pressure * span
        for k, node in enumerate(drive.fixed):
            given = float(among[k] + solved.couple_fixed[:, k] @ solved.u)
            self.state.fed[self._port_of(int(node))] += given
        put = self._given(drive, theta0, theta1)
        if put is not None:
            for node, volume in zip(put.nodes, put.volume, strict=True):
                self.state.fed[self._port_of(int(node))] += float(volume)

    def _history(self, reason: str) -> History:
        state, network = self.state, self.network
        with np.errstate(invalid="ignore", divide="ignore"):
            fraction = np.where(network.volume > 0, 1 - state.dry / network.volume, 1.0)
        fraction[state.wet] = 1.0
        inside = float(np.sum(network.volume - state.dry))
        fed = float(state.fed.sum())
        balance = abs(fed - inside - state.bled) / fed if fed > 0 else 0.0
        return History(
            state.filled_at, np.clip(fraction, 0, 1), tuple(self.frames), dict(self.opened),
            reason, balance, state.solves, state.unknowns, dict(self.line_wet_at),
        )  # fmt: skip


def _enlarged(network: Network, band: Band, fresh: Ints) -> Band:
    """Add dry nodes that have become ports in use to the band."""
    k, m = len(band.nodes), len(fresh)
    block = np.zeros((k + m, k + m))
    block[:k, :k] = band.block
    block[k:, k:] = np.diag(network.degree[fresh])
    nodes = np.concatenate([band.nodes, fresh])
    number = {int(n): i for i, n in enumerate(nodes)}
    rows, cols, g = entries(network.adjacency, fresh)
    for r, c, v in zip(rows, cols, g, strict=True):
        if int(c) in number:
            block[k + r, number[int(c)]] = block[number[int(c)], k + r] = -v
    return Band(nodes, block, band.gone)
