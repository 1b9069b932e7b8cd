"""How a network fills: the wet region at every moment as a linear complementarity problem.

With u = ∫p/μ dt over a step (Duvaut's transform), L the conductance Laplacian and V_dry the
unfilled volume at its start, L u + V_dry ≥ 0 ⟂ u ≥ 0 has one solution, the wet region at the
step's end, exact for a step of any length.  It is found by an active set: guess the wet nodes by
pouring the front's flow outward, solve, drop nodes of negative u, add over-full neighbours.
A viscosity that is the same everywhere only rescales time: steps run in θ = ∫dt/μ.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace

import numpy as np
import numpy.typing as npt

from bibulon.core.flow.condense import Band, Solved, _rows, solve
from bibulon.core.flow.network import Network, sum_at
from bibulon.core.resin.clock import FlowClock

__all__ = ["Cancelled", "FillError", "Frame", "History", "Opens", "fill"]

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]
Bools = npt.NDArray[np.bool_]

FULL = 1e-9  # share of a node's pores that may be left when it counts as full
TAIL = 1e-3  # share of the pores that may be left when their wetting would take
TAIL_PATIENCE = 0.1  # more than this share of the time so far: a corner behind a vent, say
STEP_NODES = 350  # nodes that a step may wet whatever the band's size
ROUNDS = 60  # active-set rounds before a step is called unsolved; a dozen is usual
POURS = 4  # rounds in which violations are poured on rather than added singly


class Cancelled(Exception):
    """The caller asked to stop."""


class FillError(RuntimeError):
    """A step could not be solved; the text says at what moment and why."""


@dataclass(frozen=True)
class Opens:
    """When a port is open: from ``at`` [s], or ``delay`` s after ``line`` is wet; until ``until`` [s]."""

    at: float | None = 0.0
    line: str | None = None
    delay: float = 0.0
    until: float = np.inf


@dataclass(frozen=True)
class Frame:
    """The state at the end of one step: time [s], resin in the network [m³], flow into dry nodes.

    ``speed`` is the flow per unit of pressure over viscosity, dV/dθ [m³ Pa]; ``fed`` and ``bled``
    are totals per port and to all vents [m³].
    """

    time: float
    theta: float
    volume: float
    speed: float
    fed: tuple[float, ...]
    bled: float


@dataclass(frozen=True)
class History:
    """How a network filled.

    filled_at : when each node is full [s], inf where never, shape (n,).
    fraction : how full each node is at the end, shape (n,).
    opened : when each port opened [s], by id.
    reason : "full", "but for the last" (under 0.1 % is left and would take long), "gelled",
        "no open feed", "out of reach" or "too many steps".
    balance : |fed − in the network − bled| over what was fed.
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


class _State:
    """What changes while filling; private to one call of ``fill``."""

    def __init__(self, network: Network) -> None:
        self.dry = network.volume.copy()
        self.vent = np.zeros(network.size, dtype=bool)
        for vent in network.vents:
            self.vent[vent.nodes] = True
        self.filled_at = np.full(network.size, np.inf)
        self.wet = np.zeros(network.size, dtype=bool)
        self.band = Band(np.zeros(0, dtype=np.int64), np.zeros((0, 0)), np.zeros(network.size, dtype=bool))
        self.fed = np.zeros(len(network.ports))
        self.bled = 0.0
        self.solves = 0
        self.unknowns = 0


def _pour(network: Network, gain: Floats, dry: Floats, blocked: Bools) -> Ints:
    """Return the dry nodes that ``gain`` [m³] fills when each full node hands on what is over.

    ``blocked`` marks nodes that take nothing: wet ones and vents.
    """
    held = np.where(blocked, 0.0, gain)
    blocked = blocked.copy()
    found: list[Ints] = []
    front = np.flatnonzero((held > dry) & ~blocked)
    while len(front):
        found.append(front)
        blocked[front] = True
        over = held[front] - dry[front]
        rows, cols, g = _rows(network.adjacency, front)
        g = np.where(blocked[cols], 0.0, g)
        total = sum_at(rows, g, len(front))
        share = np.divide(over, total, out=np.zeros_like(over), where=total > 0)
        held += sum_at(cols, g * share[rows], network.size)
        reached = np.unique(cols[g > 0])
        front = reached[(held[reached] > dry[reached]) & ~blocked[reached]]
    return np.concatenate(found) if found else np.zeros(0, dtype=np.int64)


@dataclass(frozen=True)
class _Step:
    solved: Solved
    new: Ints
    gain: Floats  # volume offered to nodes that stay dry, and to vents [m³]
    rate: Floats  # the same per unit θ at the end [m³ Pa]


def _advance(
    network: Network, state: _State, span: float, guess: Ints, fixed: Ints, pressure: Floats, keep: Ints
) -> _Step:
    """Find the wet region a step of ``span`` later."""
    band_mask = np.zeros(network.size, dtype=bool)
    band_mask[state.band.nodes] = True
    outside = state.band.gone | band_mask | state.vent
    new = guess[~outside[guess]]
    for round_ in range(ROUNDS):
        solved = solve(network, state.band, new, fixed, pressure, state.dry, span, keep)
        state.solves += 1
        state.unknowns += len(solved.nodes)
        wrong = solved.u < 0
        wrong &= ~band_mask[solved.nodes]
        gain = solved.gains(network, np.maximum(solved.u, 0.0), pressure * span)
        wet = outside.copy()
        wet[new] = True
        slack = 1e-12 * network.volume + 1e-24
        over = np.flatnonzero((gain > state.dry + slack) & ~wet)
        if not wrong.any() and not len(over):
            rate = solved.gains(network, np.maximum(solved.p, 0.0), pressure)
            rate[wet & ~state.vent] = 0.0
            gain[wet & ~state.vent] = 0.0
            return _Step(solved, new, gain, rate)
        if round_ < POURS and not wrong.any():
            over = _pour(network, gain, state.dry, wet)
        kept = np.setdiff1d(new, solved.nodes[wrong], assume_unique=True)
        new = np.union1d(kept, over)
    raise FillError(f"the wet region did not settle in {ROUNDS} rounds")


def _arrivals(
    state: _State,
    network: Network,
    step: _Step,
    before: Frame,
    theta0: float,
    theta1: float,
    volume1: float,
    partial0: float,
) -> tuple[Ints, Floats]:
    """Return the nodes filled in a step and when [θ].

    First order by θ1 − 2u/p, the moment of a pressure that rises evenly from nothing; then put on
    the curve θ(V) that has the known volumes and slopes 1/Q at both ends.
    """
    nodes, u, p = step.solved.nodes, step.solved.u, step.solved.p
    fresh = np.isin(nodes, step.new)
    nodes, u, p = nodes[fresh], u[fresh], p[fresh]
    span = theta1 - theta0
    back = np.divide(2 * u, p, out=np.zeros_like(u), where=p > 0)
    raw = np.clip(theta1 - back, theta0, theta1)
    order = np.argsort(raw, kind="stable")
    nodes, raw = nodes[order], raw[order]
    gained = volume1 - before.volume
    if gained <= 0 or not len(nodes):
        return nodes, raw
    in_progress = gained - float(np.sum(network.volume[nodes])) + partial0
    done = np.cumsum(network.volume[nodes]) + (in_progress - partial0) * (raw - theta0) / span
    x = np.clip(done / gained, 0.0, 1.0)
    x = np.maximum.accumulate(x)
    speed1 = float(step.rate[~state.wet].sum())
    mean = span / gained
    slope0 = min(1 / before.speed if before.speed > 0 else 3 * mean, 3 * mean) * gained
    slope1 = min(1 / speed1 if speed1 > 0 else 3 * mean, 3 * mean) * gained
    curve = (x**3 - 2 * x**2 + x) * slope0 + (3 * x**2 - 2 * x**3) * span + (x**3 - x**2) * slope1
    # What filled in this step was not full at its start.
    return nodes, np.clip(theta0 + curve, theta0 + 1e-6 * span, theta1)


def fill(
    network: Network,
    opens: Sequence[Opens],
    clock: FlowClock,
    *,
    frames: int = 24,
    start: float = 0.0,
    progress: Callable[[float], None] | None = None,
    cancelled: Callable[[], bool] | None = None,
) -> History:
    """Fill a network from dry.

    Parameters
    ----------
    opens : one entry a port, in the order of ``network.ports``.
    clock : the resin's ∫dt/μ, and when it gels.
    frames : about how many steps the whole fill is cut into.
    progress : called with the filled share, 0 to 1.
    cancelled : asked often; when it answers true, ``Cancelled`` is raised.

    Raises
    ------
    Cancelled, FillError.
    """
    return _Filling(network, opens, clock, frames, start, progress, cancelled).run()


class _Filling:
    """One run of ``fill``: the loop over steps and events."""

    def __init__(
        self,
        network: Network,
        opens: Sequence[Opens],
        clock: FlowClock,
        frames: int,
        start: float,
        progress: Callable[[float], None] | None,
        cancelled: Callable[[], bool] | None,
    ) -> None:
        self.network, self.opens, self.clock = network, list(opens), clock
        self.state = _State(network)
        self.progress, self.cancelled = progress, cancelled
        self.total = float(network.volume.sum())
        self.chunk = self.total / frames
        self.limit = 12 * frames + 40 * (1 + len(opens)) + 4 * network.size // STEP_NODES
        self.open_at = [o.at if o.line is None and o.at is not None else np.inf for o in opens]
        self.opened: dict[str, float] = {}
        self.line_wet_at: dict[str, float] = {}
        self.now = start
        self.port_nodes = np.array([p.node for p in network.ports], dtype=np.int64)
        self.slowing = 1.0
        self.reason = "out of reach"
        self.rate, self.rate_for = np.zeros(network.size), (-1,)
        self.frames = [Frame(start, 0.0, 0.0, 0.0, tuple(np.zeros(len(opens))), 0.0)]

    def _is_open(self, k: int) -> bool:
        return self.open_at[k] <= self.now + 1e-9 and self.now < self.opens[k].until - 1e-9

    def _next_event(self) -> float:
        times = [t for t in self.open_at if t > self.now + 1e-9]
        times += [o.until for k, o in enumerate(self.opens) if self._is_open(k)]
        return min(times, default=np.inf)

    def _fixed(self) -> tuple[Ints, Floats]:
        """Hold the open ports; bring the band up to date with them."""
        ports = [(p.node, p.pressure) for k, p in enumerate(self.network.ports) if self._is_open(k)]
        nodes = np.array([n for n, _ in ports], dtype=np.int64)
        pressure = np.array([p for _, p in ports])
        band = self.state.band
        fresh = np.setdiff1d(nodes, band.nodes)
        for node in fresh:
            self._prime(int(node))
        if len(fresh):
            self.state.band = _enlarged(self.network, band, fresh)
        return nodes, pressure

    def _prime(self, node: int) -> None:
        """A port that is itself a line fills its own pores at the moment that it opens."""
        own = float(self.state.dry[node])
        self.state.wet[node] = True
        self.state.filled_at[node] = min(self.state.filled_at[node], self.now)
        self.state.dry[node] = 0.0
        port = next(k for k, p in enumerate(self.network.ports) if p.node == node)
        self.state.fed[port] += own
        self.frames[-1] = replace(self.frames[-1], volume=self.frames[-1].volume + own)

    def run(self) -> History:
        reason = "too many steps"
        for _ in range(self.limit):
            self._note_openings()
            fixed, pressure = self._fixed()
            event = self._next_event()
            if not len(fixed):
                if not np.isfinite(event):
                    reason = "no open feed"
                    break
                self._wait(event)
                continue
            if self._all_full():
                reason = "full"
                break
            if self.now >= self.clock.gel - 1e-6:
                reason = "gelled"
                break
            if not self._step(fixed, pressure, event):
                if np.isfinite(event):
                    self._wait(event)
                    continue
                reason = self.reason
                break
            if self.cancelled and self.cancelled():
                raise Cancelled
            if self.progress:
                self.progress(min(self.frames[-1].volume / self.total, 1.0))
        return self._history(reason)

    def _note_openings(self) -> None:
        for k, port in enumerate(self.network.ports):
            if self._is_open(k):
                self.opened.setdefault(port.id, max(self.open_at[k], 0.0))

    def _all_full(self) -> bool:
        return bool(np.all(self.state.wet | (self.state.dry <= FULL * self.network.volume)))

    def _wait(self, until: float) -> None:
        last = self.frames[-1]
        until = min(until, self.clock.gel)
        self.frames.append(Frame(until, self.clock.theta(until), last.volume, 0.0, last.fed, last.bled))
        self.now = until

    def _offered(self, fixed: Ints, pressure: Floats) -> Floats:
        """Return the flow into dry nodes per unit θ at this moment [m³ Pa], shape (n,)."""
        if self.rate_for == tuple(fixed):
            return self.rate
        solved = solve(
            self.network, self.state.band, np.zeros(0, dtype=np.int64), fixed, pressure, self.state.dry, 0.0, self.port_nodes
        ) if len(self.state.band.nodes) > len(fixed) else None  # fmt: skip
        if solved is None:
            rows, cols, g = _rows(self.network.adjacency, fixed)
            rate = sum_at(cols, g * pressure[rows], self.network.size)
        else:
            rate = solved.gains(self.network, np.maximum(solved.p, 0.0), pressure)
        rate[self.state.wet] = 0.0
        return rate

    def _step(self, fixed: Ints, pressure: Floats, event: float) -> bool:
        """Go one step; False when nothing flows into dry nodes."""
        state, network = self.state, self.network
        rate = self._offered(fixed, pressure)
        into = np.where(state.vent, 0.0, rate)
        speed = float(rate[~state.wet].sum())
        theta0 = self.clock.theta(self.now)
        left = float(state.dry[~state.wet].sum())
        if speed <= 1e-14 * self.total / max(self.clock.span_scale, 1e-300):
            return False
        if left < TAIL * self.total and not np.isfinite(event) and left / speed > TAIL_PATIENCE * theta0:
            self.reason = "but for the last"
            return False
        self._set_speed(speed)
        # A step's cost grows with the cube of band and new nodes together: keep them in proportion.
        shorter = max(len(state.band.nodes) / 2, STEP_NODES) * self.total / network.size
        span = min(self.chunk, shorter, max(left, 1e-3 * self.total)) / speed
        theta1 = min(theta0 + span, self.clock.theta(min(event, self.clock.gel)))
        if theta1 <= theta0:
            return False
        for _ in range(6):
            guess = _pour(network, into * self.slowing * (theta1 - theta0), state.dry, state.wet | state.vent)
            step = _advance(network, state, theta1 - theta0, guess, fixed, pressure, self.port_nodes)
            volume1 = self._volume_after(step)
            partial0 = float(np.sum((network.volume - state.dry)[~state.wet]))
            nodes, when = _arrivals(state, network, step, self.frames[-1], theta0, theta1, volume1, partial0)
            cut = self._cut_at(nodes, when, step, theta0, theta1)
            if cut is None:
                break
            theta1 = cut
        self._accept(step, nodes, when, theta0, theta1, volume1, fixed, pressure)
        return True

    def _set_speed(self, speed: float) -> None:
        """The last frame's flow changes when a port opens or shuts at its moment."""
        self.frames[-1] = replace(self.frames[-1], speed=speed)

    def _volume_after(self, step: _Step) -> float:
        state = self.state
        taken = float(state.dry[step.new].sum())
        partly = np.minimum(step.gain, state.dry)
        partly[state.wet] = 0.0
        return self.frames[-1].volume + taken + float(partly.sum())

    def _cut_at(self, nodes: Ints, when: Floats, step: _Step, theta0: float, theta1: float) -> float | None:
        """Return an earlier end for the step when an event or the end of the fill falls inside it."""
        state = self.state
        wet = state.wet.copy()
        wet[nodes] = True
        if np.all(wet | state.vent | (state.dry <= FULL * self.network.volume)):
            late = np.isin(step.solved.nodes, nodes)
            u, p = step.solved.u[late], step.solved.p[late]
            if len(u) and np.all(p > 0):
                full = theta1 - float(np.min(u / p))
                if (theta1 - full) > 2e-4 * theta1 and full > theta0:
                    return full + 0.02 * (theta1 - full)
        filled_at = state.filled_at.copy()
        filled_at[nodes] = self.clock.times(when)
        cuts = []
        for k, opening in enumerate(self.opens):
            if opening.line is None or np.isfinite(self.open_at[k]):
                continue
            moment = float(filled_at[self._trigger(opening.line)].max()) + opening.delay
            if np.isfinite(moment):
                end = self.clock.theta(moment)
                if theta0 < end < theta1 - 1e-3 * (theta1 - theta0):
                    cuts.append(end)
        return min(cuts, default=None)

    def _trigger(self, line: str) -> Ints:
        for port in self.network.ports:
            if port.id == line:
                return port.line_nodes
        for vent in self.network.vents:
            if vent.id == line:
                return vent.nodes
        raise FillError(f"no line {line} to wait for")

    def _accept(
        self,
        step: _Step,
        nodes: Ints,
        when: Floats,
        theta0: float,
        theta1: float,
        volume1: float,
        fixed: Ints,
        pressure: Floats,
    ) -> None:
        state, network = self.state, self.network
        time1 = float(self.clock.times(np.array([theta1]))[0])
        before, before_speed = state.dry.copy(), self.frames[-1].speed
        state.filled_at[nodes] = np.minimum(self.clock.times(when), state.filled_at[nodes])
        state.wet[nodes] = True
        partly = np.minimum(step.gain, state.dry)
        partly[state.wet & ~state.vent] = 0.0
        state.dry[nodes] = 0.0
        # Full to rounding at the very end of the step: it joins the wet region with the next one.
        brim = np.flatnonzero(~state.wet & ~state.vent & (state.dry - partly <= FULL * network.volume))
        state.filled_at[brim] = np.minimum(state.filled_at[brim], time1)
        vents = np.flatnonzero(state.vent & (step.gain > 0))
        state.bled += float(np.maximum(step.gain[vents] - state.dry[vents], 0.0).sum())
        state.dry = np.maximum(state.dry - partly, 0.0)
        full = vents[(state.dry[vents] <= 1e-12 * network.volume[vents]) & ~state.wet[vents]]
        share = np.clip(before[full] / np.maximum(step.gain[full], 1e-300), 0, 1)
        state.filled_at[full] = self.clock.times(theta0 + share * (theta1 - theta0))
        state.wet[full] = True
        self._count_feeds(step, fixed, pressure, theta1 - theta0)
        state.band = step.solved.condensed(network)
        self.slowing = 1.0
        self.reason = "out of reach"
        self.rate, self.rate_for = step.rate, tuple(fixed)
        self.rate[state.wet] = 0.0
        self.now = time1
        speed1 = float(step.rate[~state.wet].sum())
        # The next guess pours the mean flow of its step, taken to slow as it did in this one.
        ratio = speed1 / before_speed if before_speed > 0 else 1.0
        self.slowing = min(max((1 + ratio) / 2, 0.5), 1.2)
        self.frames.append(Frame(time1, theta1, volume1, speed1, tuple(state.fed), state.bled))
        self._note_front()

    def _note_front(self) -> None:
        for line in {o.line for o in self.opens if o.line} - set(self.line_wet_at):
            moment = float(self.state.filled_at[self._trigger(line)].max())
            if np.isfinite(moment):
                self.line_wet_at[line] = moment
        for k, opening in enumerate(self.opens):
            if opening.line in self.line_wet_at and not np.isfinite(self.open_at[k]):
                self.open_at[k] = max(self.line_wet_at[opening.line] + opening.delay, self.now)

    def _count_feeds(self, step: _Step, fixed: Ints, pressure: Floats, span: float) -> None:
        """Add what each open port gave: its row of the Laplacian on ∫p dt."""
        solved, band = step.solved, step.solved.old
        rows = [int(np.flatnonzero(band.nodes == node)[0]) for node in fixed]
        columns = [int(np.flatnonzero(fixed == n)[0]) if n in fixed else -1 for n in band.nodes[rows]]
        number = {int(n): k for k, n in enumerate(solved.nodes)}
        for row, column in zip(rows, columns, strict=True):
            given = solved.couple_fixed[:, column] @ solved.u
            for other, node in enumerate(band.nodes):
                if int(node) not in number:
                    given += band.block[row, other] * pressure[int(np.flatnonzero(fixed == node)[0])] * span
            port = next(k for k, p in enumerate(self.network.ports) if p.node == band.nodes[row])
            self.state.fed[port] += given

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
    """Add dry nodes that have become fixed to the band."""
    k, m = len(band.nodes), len(fresh)
    block = np.zeros((k + m, k + m))
    block[:k, :k] = band.block
    block[k:, k:] = np.diag(network.degree[fresh])
    nodes = np.concatenate([band.nodes, fresh])
    number = {int(n): i for i, n in enumerate(nodes)}
    rows, cols, g = _rows(network.adjacency, fresh)
    for r, c, v in zip(rows, cols, g, strict=True):
        if int(c) in number:
            block[k + r, number[int(c)]] = block[number[int(c)], k + r] = -v
    return Band(nodes, block, band.gone)
