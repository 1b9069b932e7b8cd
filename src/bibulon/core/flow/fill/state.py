"""A filling as it stands: what is wet, what is open, what is still to come, and the acts that are due."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import numpy.typing as npt
from msgspec.structs import replace

from bibulon.core.flow.build.network import Network
from bibulon.core.flow.build.program import Program, Turn
from bibulon.core.flow.fill.air import Air
from bibulon.core.flow.fill.condense import Band, Inside, condense
from bibulon.core.flow.fill.history import Frame, Known, Poured, Reason
from bibulon.core.flow.fill.plumbing import Plumbing
from bibulon.core.flow.fill.schedule import Pour, Schedule
from bibulon.core.flow.fill.solve import Around, Given, System
from bibulon.core.flow.fill.step import FULL, Drive, WetState, offered
from bibulon.core.resin.clock import NO_GEL, FlowClock

__all__ = ["FillState"]

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]
Bools = npt.NDArray[np.bool_]

PATIENCE = 12  # solves a frame after which shut-in air is followed no more; five are usual without
STEEP = 4.0  # times more frames when heights weigh as much as the pull


class FillState:
    """What changes while a network fills, and what changes it from outside: valves, buckets, vents."""

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
        spill: float,
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
        self.plain, self.merge, self.spill = plain, merge, spill
        self._begin(network, vacuum, pull, frames)
        if start is not None:
            self._go_on_from(start)

    def _begin(self, network: Network, vacuum: float, pull: float, frames: int) -> None:
        """Set all that the steps change to what it is before the first of them."""
        self.reason = Reason.OUT_OF_REACH
        # What finds pressures again in what was eliminated while ages are carried.
        self.levels: list[Inside] = []
        self.last = 0.0  # how long the last step was [θ]
        self.share, self.flux = np.ones(len(network.a)), np.zeros(len(network.a))
        self.stepped = network  # with viscosity in it, as the step under way has it
        self.taken = np.zeros(len(network.vents))
        self.air = Air(network, vacuum, pull)
        self.follows_air = vacuum > 0 or self.plumbing.pressures_differ
        self.breathes = False
        self.air_let_go: float | None = None
        self.patience = PATIENCE * frames if network.vents else np.inf  # without a vent the air decides all
        self.slowing = 1.0
        self.offer: Floats | None = None
        self.born = np.full(network.size, self.plumbing.first_born)
        self.airy = np.zeros(network.size)
        self.drift = np.zeros(network.size)
        self.carries = self.ages
        self.at_start = 0.0
        self.turned: list[tuple[float, Turn]] = []
        self.poured: list[Poured] = []
        zero, shut = tuple(0.0 for _ in network.ports), tuple(np.nan for _ in network.ports)
        blank = tuple(0.0 for _ in network.vents)
        still = tuple(0.0 for _ in network.valves)
        self.frames = [Frame(0.0, 0.0, 0.0, 0.0, zero, blank, shut, blank, zero, still, still)]

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

    def let_air_go(self) -> None:
        """Follow shut-in air no more: it takes too many solves, or a step does not settle with it."""
        self.air_let_go = self.now
        self.air.vacuum, self.air.pockets = 0.0, []
        self.state.shut = np.zeros(0, dtype=bool)
        self.air.update(self.state, self.plumbing.open_vents(), self.state.dry, self.now)
        self.offer = None

    # -- events

    def _act(self, moment: float, act: Turn | Pour) -> None:
        if isinstance(act, Pour):
            self.plumbing.pour(act.bucket, act.batch)
            self.poured.append(Poured(self.plumbing.buckets[act.bucket].id, act.number, moment))
        else:
            self.plumbing.turn(act, moment)
            self.turned.append((moment, act))
        self.offer = None
        self.levels = []  # resin that stood still, and is older than what was eliminated says, may flow now

    def _events(self) -> None:
        """Do what is due now."""
        due = self.schedule.due(self.now)
        for moment, act in due:
            self._act(moment, act)
        joined = self.plumbing.hold_vents(self.state)
        if len(joined):  # wet nodes of a vent that has been shut
            joined = self._drained(joined)
            self.state.band = self.state.band.joined(np.setdiff1d(joined, self.state.band.nodes))
            self.offer = None
        if (due or not self.breathes) and self.follows_air:
            self.breathes = True
            if self.air.update(self.state, self.plumbing.open_vents(), self.state.dry, self.now):
                self.offer = None

    def _drained(self, nodes: Ints) -> Ints:
        """Return which nodes of a vent that was shut stay full; the side on which cloth is dry had none of the resin.

        A node bleeds once it is full, but what came as far as the line went into it: that side is dry still.
        """
        state, network = self.state, self.network
        rows, cols, g = network.entries(nodes)
        beside = (network.sheet[cols] == network.sheet[nodes[rows]]) & ~np.isin(cols, nodes)
        rows, cols, g = rows[beside], cols[beside], g[beside]
        dry = ~state.wet[cols] & (state.dry[cols] > FULL * network.volume[cols])
        all_round = np.bincount(rows, g, len(nodes))
        share = np.bincount(rows, g * dry, len(nodes)) / np.maximum(all_round, 1e-300)
        opened, back = nodes[share > 0], (share * network.volume[nodes])[share > 0]
        state.wet[opened] = False
        state.dry[opened] = back
        for node, volume in zip(opened.tolist(), back.tolist(), strict=True):
            state.bled[self.plumbing.vent_of(node)] += volume
        self.frames[-1] = replace(self.frames[-1], volume=self.frames[-1].volume - float(back.sum()))
        return nodes[share <= 0]

    def _drive(self) -> Drive:
        """Return what drives the flow now; ports that have just opened join the band."""
        drive = self.plumbing.drive(self.state)
        there = np.zeros(self.network.size, dtype=bool)
        there[self.state.band.nodes] = True
        driven = np.concatenate([drive.fixed, drive.given])
        fresh = driven[~there[driven]]
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

    @property
    def keep(self) -> Bools:
        """Which nodes are never eliminated, shape (n,)."""
        return np.ones(self.network.size, dtype=bool) if self.plain else self.plumbing.keep

    def _given(self, drive: Drive, theta0: float, theta1: float) -> Given | None:
        """Return the volumes that feeds of fixed rate put in between two moments."""
        if not len(drive.given):
            return None
        t0, t1 = self.clock.times(np.array([theta0, theta1]))
        return Given(drive.given, drive.rate * float(t1 - t0), drive.rate * self.clock.at(float(t1)))

    def _offered(self, network: Network, drive: Drive, theta0: float) -> tuple[Floats, Drive]:
        """Return the flow into dry nodes per unit θ at this moment [m³ Pa], shape (n,), and what drives it.

        A feed of fixed rate that would be beyond its pressure at once, by its hose alone, gives its pressure instead.
        """
        if self.offer is not None:
            return self.offer, drive
        state, none = self.state, np.zeros(0, dtype=np.int64)
        around = None
        if state.around(network):
            around = Around(state.air, np.ones(network.size), state.shut)
        given = self._given(drive, theta0, theta0)
        if len(state.band.nodes) > len(drive.fixed):
            system = System(network, state.band, none, drive.fixed)
            solved = system.solve(none, drive.pressure, np.zeros(network.size), 0.0, given, around)
            if self.plumbing.come_to_cap(solved, drive):
                return self._offered(network, self._drive(), theta0)
            wet = state.wet & ~state.vent
            rate = offered(network, solved, drive.pressure, wet, around)
        else:
            rows, cols, g = network.entries(drive.fixed)
            drop = drive.pressure[rows] - state.air[cols]
            if network.lifts:
                drop = drop + network.head[drive.fixed[rows]] - network.head[cols]
            rate = np.bincount(cols, np.maximum(g * drop, 0.0), network.size).astype(np.float64)
        rate[state.wet] = 0.0
        return rate, drive

    def _resin(self) -> Floats:
        return np.asarray(self.network.volume - self.state.dry)


def _even_clock() -> FlowClock:
    """Return a clock whose θ is time: the viscosity lies in the conductances."""
    return FlowClock(np.array([0.0, 1.0]), np.ones(2), np.array([0.0, 1.0]), NO_GEL)
