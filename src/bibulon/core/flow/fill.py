"""How a network fills: the wet region at every moment as a linear complementarity problem.

With u = ∫p/μ dt over a step (Duvaut's transform), L the conductance Laplacian and V_dry the
unfilled volume at its start, L u + V_dry ≥ 0 ⟂ u ≥ 0 has one solution, the wet region at the
step's end, exact for a step of any length.  Steps end at events and where the front has wetted a
share of the whole; ``step`` solves one.  A viscosity that is the same everywhere only rescales
time: steps run in θ = ∫dt/μ.  Where resins of different ages meet, steps run in plain time and
the conductances carry 1/μ, as it was carried to each place.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np
import numpy.typing as npt

from bibulon.core.flow.air import Air
from bibulon.core.flow.carry import carried, link_flux, link_share, mean_viscosity
from bibulon.core.flow.condense import Around, Band, Given, Inside, condense, entries, entry_numbers, solve
from bibulon.core.flow.history import Emptied, Frame, History, Known, Reason
from bibulon.core.flow.network import Network, sum_at
from bibulon.core.flow.plumbing import Plumbing
from bibulon.core.flow.program import Program, Turn
from bibulon.core.flow.schedule import Pour, Schedule
from bibulon.core.flow.step import (
    FULL,
    Cancelled,
    Drive,
    FillError,
    Step,
    Unsettled,
    WetState,
    advance,
    arrivals,
    offered,
    pour,
)
from bibulon.core.resin.clock import NO_GEL, FlowClock

__all__ = ["Cancelled", "FillError", "fill"]

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]
Bools = npt.NDArray[np.bool_]

TAIL = 1e-3  # share of the pores that may be left when their wetting would take
TAIL_PATIENCE = 0.1  # more than this share of the time so far: a corner behind a vent, say
CAP_SLACK = 5e-3  # share of its pressure cap within which a feed of fixed rate is taken to be at it
PRESSED = 0.08  # share of a pocket's air space that a step may take
GAS_ROUNDS = 12
HALVINGS = 6  # of a step that does not settle
GAS_SETTLED = 2e-4  # of the pull, for a pocket's pressure
STEEP = 4.0  # times more frames when heights weigh as much as the pull
MISSED = 0.004  # share by which viscosity may be missed before a step is done again
EMPTY = 2e-3  # share of a bucket's pour within which it is taken to be at its heel
LOST = 1e-8  # of the charge: more than this missing from the balance is an error, not an answer


def fill(
    network: Network,
    program: Program,
    clock: FlowClock,
    *,
    vacuum: float = 0.0,
    start: Known | None = None,
    frames: int = 24,
    plain: bool = False,
    merge: bool = True,
    progress: Callable[[float], None] | None = None,
    cancelled: Callable[[], bool] | None = None,
) -> History:
    """Fill a network from dry, or from a known state.

    Parameters
    ----------
    program : every turn of a valve, and the buckets.
    clock : the resin's ∫dt/μ, and when it gels.  Where ages differ it counts from mixing, else from 0.
    vacuum : absolute pressure that the network's pressures count from [Pa]; air that is shut in
        holds against resin unless it is 0.
    start : where to go on from; without it all is dry at time 0.
    frames : into how many steps, at least about, the whole fill is cut.
    plain : keep every wet node in the system: slow, the answer that the fast way is checked against.
    merge : take layers some way behind the front to be at one pressure.
    progress : called with the filled share, 0 to 1.
    cancelled : asked before every solve; when it answers true, ``Cancelled`` is raised.

    Raises
    ------
    Cancelled.
    FillError : when a step does not settle, resin is missing from the balance, or an event names
        what is not there.
    """
    return _Filling(network, program, clock, vacuum, start, frames, plain, merge, progress, cancelled).run()


class _Filling:
    """One run of ``fill``: the loop over steps and events."""

    def __init__(
        self,
        network: Network,
        program: Program,
        clock: FlowClock,
        vacuum: float,
        start: Known | None,
        frames: int,
        plain: bool,
        merge: bool,
        progress: Callable[[float], None] | None,
        cancelled: Callable[[], bool] | None,
    ) -> None:
        self.origin = network
        self.plumbing = Plumbing(network, program)
        self.law = clock
        self.ages = program.ages_differ
        self.clock = _even_clock() if self.ages else clock
        self.state = WetState(network)
        self.progress, self.cancelled = progress, cancelled
        self.total = float(network.volume.sum())
        pull = max((p.pressure for p in network.ports), default=0.0)
        # Gravity's wet times are first order in the step, the more so the nearer it comes to the pull.
        steep = float(np.ptp(network.head)) / max(pull, 1.0) if network.lifts else 0.0
        frames = round(frames * (1 + STEEP * min(steep, 1.0)))
        self.chunk = self.total / frames
        acts = len(program.turns) + sum(len(b.batches) for b in program.buckets)
        self.limit = 12 * frames + 40 * (1 + acts)
        self.schedule = Schedule.of(network, program)
        self.now = 0.0
        self.plain, self.merge = plain, merge
        self.reason = Reason.OUT_OF_REACH
        self.whole: Inside
        self.air = Air(network, vacuum, pull)
        self.follows_air = vacuum > 0 or self.plumbing.pressures_differ
        self.breathes = False
        self.slowing = 1.0
        self.offer: Floats | None = None
        self.born = np.full(network.size, self.plumbing.first_born)
        self.airy = np.zeros(network.size)
        self.drift = np.zeros(network.size)
        self.carries = self.ages
        self.at_start = 0.0
        self.turned: list[tuple[float, Turn]] = []
        zero, shut = tuple(0.0 for _ in network.ports), tuple(np.nan for _ in network.ports)
        blank = tuple(0.0 for _ in network.vents)
        still = tuple(0.0 for _ in network.valves)
        self.frames = [Frame(0.0, 0.0, 0.0, 0.0, zero, blank, shut, blank, zero, still, still)]
        if start is not None:
            self._go_on_from(start)

    @property
    def network(self) -> Network:
        """The network as its valves stand, before viscosity."""
        return self.plumbing.network

    def _go_on_from(self, known: Known) -> None:
        """Take a known state as the start."""
        state, network = self.state, self.network
        state.dry = network.volume * (1 - np.clip(known.fraction, 0.0, 1.0))
        full = (known.fraction >= 1 - FULL) & np.isfinite(known.filled_at)
        state.dry[full] = 0.0
        state.filled_at[full] = known.filled_at[full]
        state.wet[full] = True
        self.now = known.time
        if known.born is not None:
            self.born = known.born.copy()
        self.at_start = float(np.sum(network.volume - state.dry))
        self.frames[0] = replace(
            self.frames[0], time=known.time, theta=self.clock.theta(known.time), volume=self.at_start
        )
        for turn in self.schedule.due(known.time):
            self._act(*turn)
        self.plumbing.hold_vents(state)
        wet = np.flatnonzero(full & ~state.vent)
        state.band, _ = condense(network, Band.start(network, wet), wet, self.keep, self.merge)
        self.schedule.notice(state.filled_at, self.now)

    # -- events

    def _act(self, moment: float, act: Turn | Pour) -> None:
        if isinstance(act, Pour):
            self.plumbing.pour(act.bucket, act.batch)
        else:
            self.plumbing.turn(act, moment)
            self.turned.append((moment, act))
        self.offer = None

    def _events(self) -> None:
        """Do what is due now."""
        due = self.schedule.due(self.now)
        for moment, act in due:
            self._act(moment, act)
        joined = self.plumbing.hold_vents(self.state)
        if len(joined):  # wet nodes of a vent that has been shut
            self.state.band = self.state.band.joined(np.setdiff1d(joined, self.state.band.nodes))
            self.offer = None
        if (due or not self.breathes) and self.follows_air:
            self.breathes = True
            if self.air.update(self.state, self.plumbing.open_vents(), self.state.dry, self.now):
                self.offer = None

    def _drive(self) -> Drive:
        """Return what drives the flow now; ports that have just opened join the band."""
        drive = self.plumbing.drive(self.state)
        fresh = np.setdiff1d(np.r_[drive.fixed, drive.given], self.state.band.nodes)
        for node in fresh:
            own = float(self.state.dry[node])
            self.state.wet[node] = True
            self.state.filled_at[node] = min(self.state.filled_at[node], self.now)
            self.state.dry[node] = 0.0
            self.plumbing.count(self.state, int(node), own)
            self.frames[-1] = replace(self.frames[-1], volume=self.frames[-1].volume + own)
        if len(fresh):
            self.state.band = self.state.band.joined(fresh)
        return drive

    # -- the loop

    def run(self) -> History:
        """Step until it is full, or nothing flows any more."""
        for _ in range(self.limit):
            self._events()
            drive = self._drive()
            event = self.schedule.next(self.now)
            if not len(drive.fixed) and not len(drive.given):
                if not np.isfinite(event):
                    return self._history(Reason.NO_FEED)
                self._wait(event)
                continue
            if bool(np.all(self.state.wet | (self.state.dry <= FULL * self.network.volume))):
                return self._history(Reason.FULL)
            if not self.ages and self.now >= self.clock.gel - 1e-6:
                return self._history(Reason.GELLED)
            if not self._step(drive, event):
                if np.isfinite(event):
                    self._wait(event)
                    continue
                return self._history(self.reason)
            if self.progress:
                self.progress(min(self.frames[-1].volume / self.total, 1.0))
        return self._history(Reason.TOO_MANY)

    def _wait(self, until: float) -> None:
        until = min(until, self.clock.gel)
        self.frames.append(replace(self.frames[-1], time=until, theta=self.clock.theta(until), speed=0.0))
        self.now = until

    def _given(self, drive: Drive, theta0: float, theta1: float) -> Given | None:
        """Return the volumes that feeds of fixed rate put in between two moments."""
        if not len(drive.given):
            return None
        t0, t1 = self.clock.times(np.array([theta0, theta1]))
        return Given(drive.given, drive.rate * float(t1 - t0), drive.rate * self.clock.at(float(t1)))

    def _offered(self, network: Network, drive: Drive, theta0: float) -> Floats:
        """Return the flow into dry nodes per unit θ at this moment [m³ Pa], shape (n,)."""
        if self.offer is not None:
            return self.offer
        state, none = self.state, np.zeros(0, dtype=np.int64)
        around = None
        if state.around(network):
            around = Around(state.air, np.ones(network.size), state.shut)
        given = self._given(drive, theta0, theta0)
        if len(state.band.nodes) > len(drive.fixed):
            solved = solve(
                network, state.band, none, drive.fixed, drive.pressure, np.zeros(network.size), 0.0, given, around
            )  # fmt: skip
            wet = state.wet & ~state.vent
            rate = offered(network, solved, drive.pressure, wet, around)
        else:
            rows, cols, g = entries(network.adjacency, drive.fixed)
            drop = drive.pressure[rows] - state.air[cols]
            if network.lifts:
                drop = drop + network.head[drive.fixed[rows]] - network.head[cols]
            rate = np.bincount(cols, np.maximum(g * drop, 0.0), network.size).astype(np.float64)
        rate[state.wet] = 0.0
        return rate

    @property
    def keep(self) -> Bools:
        """Which nodes are never eliminated, shape (n,)."""
        return np.ones(self.network.size, dtype=bool) if self.plain else self.plumbing.keep

    def _span(self, rate: Floats, theta0: float, event: float) -> float | None:
        """Return the end of the next step [θ]; None when nothing worth waiting for flows."""
        state = self.state
        speed = float(rate[~state.wet].sum())
        left = float(state.dry[~state.wet].sum())
        if speed <= 1e-14 * self.total / max(self.clock.span_scale, 1e-300):
            self.reason = Reason.GAS if self.air.pockets else self.reason
            return None
        later = np.isfinite(event)
        if left < TAIL * self.total and not later and left / speed > TAIL_PATIENCE * theta0:
            self.reason = Reason.NEARLY
            return None
        self.frames[-1] = replace(self.frames[-1], speed=speed)
        span = min(self.chunk, max(left, 1e-3 * self.total)) / speed
        rest = state.dry.copy()
        rest[state.wet] = 0.0
        for pocket in self.air.pockets:
            into, space = float(rate[pocket.nodes].sum()), float(state.dry[pocket.nodes].sum())
            rest[pocket.nodes] = 0.0
            if into > 0:
                span = min(span, PRESSED * space / into)
        at_rest = [
            p.at_rest(theta0, float(rate[p.nodes].sum()), float(state.dry[p.nodes].sum()))
            for p in self.air.pockets
        ]
        if at_rest and all(at_rest) and not later and rest.sum() < TAIL * self.total:
            self.reason = Reason.GAS
            return None
        return min(theta0 + span, self.clock.theta(min(event, self.clock.gel)))

    def _step(self, drive: Drive, event: float) -> bool:
        """Go one step; False when nothing flows into dry nodes."""
        state = self.state
        theta0 = self.clock.theta(self.now)
        network = self.network
        if self.ages and self.offer is None:
            network = self._thickened(theta0, theta0)
            self._rebuild(network)
        rate = self._offered(network, drive, theta0)
        theta1 = self._span(rate, theta0, event)
        if theta1 is None or theta1 <= theta0:
            return False
        into = np.where(state.vent, 0.0, rate) * self.slowing
        for last in (False, False, False, False, True):
            if self.carries:
                network = self._thickened(theta0, theta1) if self.ages else self.network
                self._rebuild(network)
            step, nodes, when, volume1, theta1 = self._settled(network, drive, into, theta0, theta1)
            cut = None if last else self._cut_at(drive, nodes, when, step, theta0, theta1)
            if cut is None or not theta0 < cut < theta1:
                break
            theta1 = cut
        if self.carries:
            born, airy = self._carry(network, drive, step, theta0, theta1)
            if self.ages and self._missed(born, theta0, theta1) > MISSED:
                # Once more with the ages that the first pass carried to each place: Heun's correction.
                network = self._thickened(theta0, theta1, born)
                self._rebuild(network)
                step, nodes, when, volume1 = self._solve(network, drive, into, theta0, theta1)
                born, airy = self._carry(network, drive, step, theta0, theta1)
            self.drift = (born - self.born) / max(theta1 - theta0, 1e-9) * (self._resin() > 0)
            self.born, self.airy = born, airy
        self._accept(network, step, nodes, when, theta0, theta1, volume1, drive)
        return True

    def _settled(
        self, network: Network, drive: Drive, into: Floats, theta0: float, theta1: float
    ) -> tuple[Step, Ints, Floats, float, float]:
        """Return what ``_solve`` does, and the moment to which the step had to be shortened to settle."""
        for _ in range(HALVINGS):
            try:
                return *self._solve(network, drive, into, theta0, theta1), theta1
            except Unsettled:
                theta1 = theta0 + (theta1 - theta0) / 2
        return *self._solve(network, drive, into, theta0, theta1), theta1

    def _solve(
        self, network: Network, drive: Drive, into: Floats, theta0: float, theta1: float
    ) -> tuple[Step, Ints, Floats, float]:
        """Return the step to a moment, what it filled and when, and the volume then."""
        state, last = self.state, self.frames[-1]
        self._stepped = network
        span = theta1 - theta0
        guess = pour(network, into * span, state.dry, state.wet | state.vent)
        given = self._given(drive, theta0, theta1)

        def ahead() -> Step:
            return advance(network, state, span, guess, drive, given, self.cancelled, last.speed)

        step = self._press(ahead) if self.air.pockets else ahead()
        partly = np.minimum(step.gain, state.dry)
        partly[state.wet] = 0.0
        volume1 = last.volume + float(state.dry[step.new].sum()) + float(partly.sum())
        speed1 = float(step.rate[~state.wet].sum())
        gained = volume1 - last.volume
        nodes, when = arrivals(
            state, network, step.solved, step.new, gained, last.speed, speed1, span, step.around
        )
        when = theta0 + when
        return step, nodes, when, volume1

    def _press(self, ahead: Callable[[], Step]) -> Step:
        """Return the step in which every pocket's air has the mean pressure that its space gives it.

        Trapezium rule for p V = const: the pressure wanted falls as the pressure tried rises, so the
        answer lies between them; found by the secant between the last two tries.
        """
        state, air = self.state, self.air
        tried = start = air.pressures()
        low, high = np.zeros(len(tried)), np.full(len(tried), np.inf)
        past: tuple[Floats, Floats] | None = None
        for _ in range(GAS_ROUNDS):
            air.press(state, tried)
            try:
                step = ahead()
            except Unsettled:
                air.press(state, start)
                raise
            dry = state.dry - np.minimum(step.gain, state.dry)
            dry[step.new] = 0.0
            off = (start + air.wanted(dry)) / 2 - tried
            if np.abs(off).max(initial=0.0) < GAS_SETTLED * air.pull:
                return step
            low, high = (
                np.where(off > 0, np.maximum(low, tried), low),
                np.where(off < 0, np.minimum(high, tried), high),
            )
            following = tried + off / 2
            if past is not None:
                slope = (off - past[1]) / np.where(tried == past[0], 1.0, tried - past[0])
                following = np.where(
                    slope < -1e-9, tried - off / np.where(slope < -1e-9, slope, 1.0), following
                )
            past = (tried, off)
            inside = (following > low) & (following < high)
            middle = np.where(np.isfinite(high), (low + high) / 2, tried + np.abs(off) / 4)
            tried = np.where(inside, following, middle)
        return step

    # -- what resin carries

    def _thickened(self, theta0: float, theta1: float, later: Floats | None = None) -> Network:
        """Return the network with 1/μ in its conductances, from the ages carried so far."""
        viscosity = mean_viscosity(self.law, self._mean_born(theta0, theta1, later), theta0, theta1)
        has = self.state.wet | (self._resin() > 0)
        if later is not None:
            has = np.ones(self.network.size, dtype=bool)
        return self.network.carrying(link_share(self.network, viscosity, has))

    def _mean_born(self, theta0: float, theta1: float, later: Floats | None) -> Floats:
        """Return when the resin at each place was mixed, in the mean over a step: of its ends, or as it drifted last."""
        if later is not None:
            return np.asarray(np.where(self._resin() > 0, (self.born + later) / 2, later))
        ahead = self.born + self.drift * (theta1 - theta0) / 2
        return np.clip(ahead, float(self.born.min()), max(float(self.born.max()), theta1))

    def _missed(self, born: Floats, theta0: float, theta1: float) -> float:
        """Return by what share viscosity was missed where resin is, in the mean, when it was foreseen."""
        here = self._resin() > 0
        if not here.any():
            return float("inf")
        told = mean_viscosity(self.law, self._mean_born(theta0, theta1, None)[here], theta0, theta1)
        true = mean_viscosity(self.law, self._mean_born(theta0, theta1, born)[here], theta0, theta1)
        return float(np.mean(np.abs(told / true - 1)))

    def _resin(self) -> Floats:
        return np.asarray(self.network.volume - self.state.dry)

    def _rebuild(self, network: Network) -> None:
        """Condense the wet region anew, since its conductances have changed."""
        state = self.state
        state.shut = np.zeros(0, dtype=bool) if not network.lifts else state.shut
        wet = np.flatnonzero(state.band.inside())
        state.band, self.whole = condense(network, Band.start(network, wet), wet, self.keep, self.merge)
        state.solves += 1
        state.unknowns += len(wet)

    def _carry(
        self, network: Network, drive: Drive, step: Step, theta0: float, theta1: float
    ) -> tuple[Floats, Floats]:
        """Return when resin was mixed and its share of air, per node, at a step's end."""
        state, span = self.state, theta1 - theta0
        u = state.air * span
        u[drive.fixed] = drive.pressure * span
        u[step.solved.nodes] = step.solved.u
        u[self.whole.nodes] = self.whole.values(u, span)
        wet = state.band.gone | (state.wet & ~state.vent)
        wet[step.new] = True
        flux = link_flux(network, u, wet, span, step.around)
        t0, t1 = self.clock.times(np.array([theta0, theta1]))
        values = np.column_stack([self.born, self.airy])
        entering = np.zeros(network.size, dtype=bool)
        for node, born, airy in self.plumbing.entering(float(t0 + t1) / 2):
            values[node] = born, airy
            entering[node] = True
        potential = u + (network.head * step.around.wet_for if step.around and network.lifts else 0.0)
        after = carried(network, flux, potential, self._resin(), values, entering)
        return after[:, 0], np.clip(after[:, 1], 0.0, 1.0)

    # -- ends of steps

    def _cut_at(
        self, drive: Drive, nodes: Ints, when: Floats, step: Step, theta0: float, theta1: float
    ) -> float | None:
        """Return an earlier end for the step when an event, a cap or the end of the fill falls inside it."""
        cuts = [self._full_at(nodes, step, theta0, theta1), *self._caps(drive, step, theta0, theta1)]
        cuts.append(self._empty_at(drive, step, theta0, theta1))
        filled_at = self.state.filled_at.copy()
        filled_at[nodes] = self.clock.times(when)
        cuts += self.schedule.fronts(filled_at, self.clock, theta0, theta1, self.now)
        return min((c for c in cuts if c is not None), default=None)

    def _full_at(self, nodes: Ints, step: Step, theta0: float, theta1: float) -> float | None:
        """When a step fills everything, return about when the last node did."""
        state = self.state
        wet = state.wet.copy()
        wet[nodes] = True
        if not np.all(wet | state.vent | (state.dry <= FULL * self.network.volume)):
            return None
        late = np.isin(step.solved.nodes, nodes)
        air = state.air[step.solved.nodes[late]]
        u, p = step.solved.u[late] - air * (theta1 - theta0), step.solved.p[late] - air
        if len(u) and np.all(p > 0) and np.all(u >= 0):
            full = theta1 - float(np.min(u / p))
            if (theta1 - full) > 2e-4 * theta1 and full > theta0:
                return full + 0.02 * (theta1 - full)
        return None

    def _caps(self, drive: Drive, step: Step, theta0: float, theta1: float) -> list[float]:
        """Return when feeds of fixed rate come to their pressure caps inside a step."""
        cuts = []
        for node in drive.given:
            k = self.plumbing.port_of(int(node))
            cap, before = self.plumbing.pressure[k], self.frames[-1].at_port[k]
            before = 0.0 if np.isnan(before) else before
            after = float(step.solved.p[step.solved.nodes == node][0])
            if after > cap * (1 + CAP_SLACK) and after > before:
                cuts.append(theta0 + max((cap - before) / (after - before), 0.02) * (theta1 - theta0))
        return cuts

    def _empty_at(self, drive: Drive, step: Step, theta0: float, theta1: float) -> float | None:
        """Return when the first bucket comes to its heel inside a step, from a parabola through its draw."""
        drawn = self._drawn(step, drive, theta0, theta1)
        speed = self.frames[-1].speed * (theta1 - theta0)
        cuts = []
        for bucket in self.plumbing.buckets:
            taken, left = float(drawn[list(bucket.ports)].sum()), bucket.content - bucket.heel
            if bucket.empty or taken <= left + EMPTY * bucket.poured:
                continue
            early = max(speed * taken / max(float(drawn.sum()), 1e-300), taken)
            bend = taken - early
            x = left / taken if abs(bend) < 1e-9 * taken else (
                (-early + np.sqrt(max(early**2 + 4 * bend * left, 0.0))) / (2 * bend)
            )  # fmt: skip
            cuts.append(theta0 + max(float(x), 1e-4) * (theta1 - theta0))
        return min(cuts, default=None)

    def _drawn(self, step: Step, drive: Drive, theta0: float, theta1: float) -> Floats:
        """Return what each port gives in a step [m³]; at vents opened on wet cloth it is what they take, negative."""
        span = theta1 - theta0
        given = step.solved.drawn(self._stepped, span)
        if step.around is not None:
            given += self._beyond(step, drive, step.around, span)
        out = np.zeros(len(self.network.ports))
        self.taken = np.zeros(len(self.network.vents))
        for k, node in enumerate(drive.fixed):
            port = self.plumbing.port_of(int(node))
            if port >= 0:
                out[port] += given[k]
            else:
                self.taken[self.plumbing.vent_of(int(node))] -= given[k]
        put = self._given(drive, theta0, theta1)
        if put is not None:
            for node, volume in zip(put.nodes, put.volume, strict=True):
                out[self.plumbing.port_of(int(node))] += float(volume)
        return out

    def _passed(self, step: Step, drive: Drive, span: float) -> Floats:
        """Return what went through each valve inside the network in a step [m³]."""
        network = self._stepped
        u = self.state.air * span
        u[drive.fixed] = drive.pressure * span
        u[step.solved.nodes] = step.solved.u
        drop = u[network.a] - u[network.b] if network.valves else u
        return np.array([float(network.conductance[v.links] @ drop[v.links]) for v in network.valves])

    def _beyond(self, step: Step, drive: Drive, around: Around, span: float) -> Floats:
        """Return what fixed nodes really give straight to dry ones, less what the Laplacian takes it for [m³]."""
        network, wet = self._stepped, self.state.band.inside()
        wet[step.new] = True
        rows, entry = entry_numbers(network.adjacency, drive.fixed)
        cols, g = network.adjacency.indices[entry], network.adjacency.data[entry]
        plain = drive.pressure[rows] * span
        if network.lifts:
            plain = plain + (network.head[drive.fixed[rows]] - network.head[cols]) * span
        real = np.where(around.shut[entry], 0.0, np.maximum(plain - around.air[cols] * span, 0.0))
        return sum_at(rows, np.where(wet[cols], 0.0, g * (real - plain)), len(drive.fixed))

    def _accept(
        self,
        network: Network,
        step: Step,
        nodes: Ints,
        when: Floats,
        theta0: float,
        theta1: float,
        volume1: float,
        drive: Drive,
    ) -> None:
        """Take a step's end as the new state."""
        state = self.state
        drawn = self._drawn(step, drive, theta0, theta1)
        before = state.dry.copy()
        time1 = float(self.clock.times(np.array([theta1]))[0])
        before_speed = self.frames[-1].speed
        state.take(network, step, nodes, self.clock.times(when), time1)
        self._fill_vents(step, theta0, theta1)
        state.fed += drawn
        state.bled += self.taken
        state.passed += self._passed(step, drive, theta1 - theta0)
        if self.carries:  # the next step begins by condensing all anew
            state.band = replace(state.band, nodes=step.solved.live)
        else:
            state.band, _ = condense(network, state.band, step.solved.live, self.keep, self.merge)
        self.offer = step.rate
        self.offer[state.wet] = 0.0
        self.now = time1
        if self.air.pockets:
            self.air.press(state, self.air.wanted(state.dry))
        if self.follows_air and self.air.update(state, self.plumbing.open_vents(), before, time1):
            self.offer = None
        if self.plumbing.draw(drawn, EMPTY):
            self._note_empty()
        speed1 = float(step.rate[~state.wet].sum())
        # The next guess pours the mean flow of its step, taken to slow as it did in this one.
        ratio = speed1 / before_speed if before_speed > 0 else 1.0
        self.slowing = min(max((1 + ratio) / 2, 0.5), 1.2)
        self.frames.append(self._frame(time1, theta1, volume1, speed1, step, drive))
        self.schedule.notice(state.filled_at, self.now)

    def _note_empty(self) -> None:
        for bucket in self.plumbing.buckets:
            if bucket.empty and not bucket.told:
                bucket.told = True
                bucket.emptied.append(self.now)
                self.schedule.emptied(bucket.id, self.now)
                if self.schedule.next(self.now - 1e-6) > self.now:
                    self.carries = True

    def _frame(
        self, time: float, theta: float, volume: float, speed: float, step: Step, drive: Drive
    ) -> Frame:
        state, plumbing = self.state, self.plumbing
        at_port = plumbing.at_ports(step, drive, CAP_SLACK)
        none = np.zeros(0, dtype=np.float32)
        gas = state.air.astype(np.float32) if self.air.pockets else none
        born = self.born.astype(np.float32) if self.ages else none
        airy = self.airy.astype(np.float32) if self.carries else none
        return Frame(
            time, theta, volume, speed, tuple(state.fed.tolist()), tuple(state.bled.tolist()), at_port,
            plumbing.at_vents(), tuple(plumbing.share), tuple(state.passed.tolist()),
            tuple(plumbing.valve_share), gas, born, airy,
        )  # fmt: skip

    def _fill_vents(self, step: Step, theta0: float, theta1: float) -> None:
        """Open vents fill their own pores, then bleed."""
        state = self.state
        vents = np.flatnonzero(state.vent & (step.gain > 0))
        before = state.dry[vents].copy()
        over = np.maximum(step.gain[vents] - before, 0.0)
        for node, volume in zip(vents.tolist(), over.tolist(), strict=True):
            if volume > 0:
                self.taken[self.plumbing.vent_of(node)] += volume
        state.dry[vents] = np.maximum(before - step.gain[vents], 0.0)
        now_full = (state.dry[vents] <= 1e-12 * self.network.volume[vents]) & ~state.wet[vents]
        share = np.clip(before[now_full] / np.maximum(step.gain[vents][now_full], 1e-300), 0, 1)
        state.filled_at[vents[now_full]] = self.clock.times(theta0 + share * (theta1 - theta0))
        state.wet[vents[now_full]] = True

    def _history(self, reason: Reason) -> History:
        state, network = self.state, self.origin
        with np.errstate(invalid="ignore", divide="ignore"):
            fraction = np.where(network.volume > 0, 1 - state.dry / network.volume, 1.0)
        fraction[state.wet] = 1.0
        inside = float(np.sum(network.volume - state.dry))
        fed, bled = float(state.fed.sum()), float(state.bled.sum())
        balance = abs(fed + self.at_start - inside - bled) / (fed + self.at_start) if fed > 0 else 0.0
        if balance > LOST:
            raise FillError(f"resin is missing from the balance: {balance:.1e} of what was fed")
        emptied = [Emptied(b.id, time, b.air_drawn) for b in self.plumbing.buckets for time in b.emptied]
        return History(
            network, state.filled_at, np.clip(fraction, 0, 1), tuple(self.frames), dict(self.plumbing.opened),
            reason, balance, state.residual, state.solves, state.unknowns, state.rounds, dict(self.schedule.wet_at),
            tuple(self.turned), self.air.told(state), tuple(emptied),
        )  # fmt: skip


def _even_clock() -> FlowClock:
    """Return a clock whose θ is time: the viscosity lies in the conductances."""
    return FlowClock(np.array([0.0, 1.0]), np.ones(2), np.array([0.0, 1.0]), NO_GEL)
