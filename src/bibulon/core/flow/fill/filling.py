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

import numpy as np
import numpy.typing as npt
from msgspec.structs import replace

from bibulon.core.flow import kernel
from bibulon.core.flow.build.network import Network
from bibulon.core.flow.build.program import Program
from bibulon.core.flow.fill.arrivals import arrivals
from bibulon.core.flow.fill.condense import condense
from bibulon.core.flow.fill.ends import EMPTY, FillEnds
from bibulon.core.flow.fill.history import Emptied, Frame, History, Known, Reason
from bibulon.core.flow.fill.step import (
    FULL,
    Cancelled,
    Drive,
    FillError,
    Region,
    Step,
    Unsettled,
    advance,
)
from bibulon.core.resin.clock import FlowClock
from bibulon.core.units.words import tr

__all__ = ["Cancelled", "FillError", "fill"]

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]
Bools = npt.NDArray[np.bool_]

TAIL = 1e-3  # share of the pores that may be left when their wetting would take
TAIL_PATIENCE = 0.1  # more than this share of the time so far: a corner behind a vent, say
PRESSED = 0.08  # share of a pocket's air space that a step may take
GAS_ROUNDS = 12
HALVINGS = 6  # of a step that does not settle
GAS_SETTLED = 2e-4  # of the pull, for a pocket's pressure
MISSED = 0.004  # share by which viscosity may be missed before a step is done again
LOST = 1e-7  # of the charge: more than this missing from the balance is an error, not an answer


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
    spill: float = 0.0,
    progress: Callable[[float], None] | None = None,
    cancelled: Callable[[], bool] | None = None,
) -> History:
    """Fill a network from dry, or from a known state.

    Parameters
    ----------
    program : every turn of a valve, and the buckets.
    clock : the resin's ∫dt/μ, and when it gels.  Where ages differ it counts from mixing, else from 0.
    vacuum : absolute pressure that pressures count from [Pa]; air that is shut in holds against resin unless it is 0.
    start : where to go on from, else all is dry at time 0; frames : into how many steps, at least about, the fill is cut.
    plain : keep every wet node in the system: slow, the answer that the fast way is checked against.
    merge : take layers some way behind the front to be at one pressure.
    spill : share of a step's resin that may be left to the next, see ``advance``; 0 solves to the last digit.
    progress : called with the filled share, 0 to 1; cancelled : asked before every solve, true raises ``Cancelled``.

    Raises
    ------
    Cancelled.
    FillError : when a step does not settle, resin is missing from the balance, or an event names
        what is not there.
    """
    run = _Filling(network, program, clock, vacuum, start, frames, plain, merge, spill, progress, cancelled)
    return run.run()


class _Filling(FillEnds):
    """One run of ``fill``: the loop over steps and events."""

    def run(self) -> History:
        """Step until it is full, or nothing flows any more."""
        for _ in range(self.limit):
            self._events()
            if self.air.pockets and self.state.solves > self.patience:
                self.let_air_go()
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

    def _span(self, rate: Floats, theta0: float, event: float) -> float | None:
        """Return the end of the next step [θ]; None when nothing worth waiting for flows."""
        state = self.state
        speed = float(rate[~state.wet].sum())
        left = float(state.dry[~state.wet].sum())
        later = np.isfinite(event)
        if speed <= 1e-14 * self.total / max(self.clock.span_scale, 1e-300):
            if later:  # the front stands until a valve is turned, but what is wet flows on to the vents
                return self.clock.theta(min(event, self.clock.gel))
            self.reason = Reason.GAS if self.air.pockets else self.reason
            return None
        if left < TAIL * self.total and not later and left / speed > TAIL_PATIENCE * theta0:
            self.reason = Reason.NEARLY
            return None
        if self._gelled(left, speed):
            self.reason = Reason.GELLED
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
            network = self._take_up(theta0, theta0)
        rate, drive = self._offered(network, drive, theta0)
        theta1 = self._span(rate, theta0, event)
        if theta1 is None or theta1 <= theta0:
            return False
        into = np.where(state.vent, 0.0, rate) * self.slowing
        region: Region | None = None
        guess: Ints | None = None
        for last in (False, False, False, False, True):
            if self.carries:
                network = self._take_up(theta0, theta1, first=guess is None)
            if region is None or self.carries:
                region = Region(network, state, drive)
            if guess is None:
                blocked = state.wet | state.vent
                guess = kernel.pour(network.links, into * (theta1 - theta0), state.dry, blocked)
            step, nodes, when, volume1, theta1 = self._settled(region, guess, theta0, theta1)
            cut = None if last else self._cut_at(drive, nodes, when, step, theta0, theta1)
            if cut is None or not theta0 < cut < theta1:
                break
            guess = nodes[when < cut]
            theta1 = cut
        if self.carries:
            born, airy = self._carry(network, drive, step, theta0, theta1)
            if self.ages and self._missed(born, theta0, theta1) > MISSED:
                # Once more with the ages that the first pass carried to each place: Heun's correction.
                network = self._take_up(theta0, theta1, later=born)
                step, nodes, when, volume1 = self._solve(Region(network, state, drive), nodes, theta0, theta1)
                born, airy = self._carry(network, drive, step, theta0, theta1)
            self.last = theta1 - theta0
            self.drift = (born - self.born) / max(self.last, 1e-9) * (self._resin() > 0)
            self.born, self.airy = born, airy
        self._accept(network, step, nodes, when, theta0, theta1, volume1, drive)
        return True

    def _settled(
        self, region: Region, guess: Ints, theta0: float, theta1: float
    ) -> tuple[Step, Ints, Floats, float, float]:
        """Return what ``_solve`` does, and the moment to which the step had to be shortened to settle."""
        for _ in range(HALVINGS):
            try:
                return *self._solve(region, guess, theta0, theta1), theta1
            except Unsettled:
                theta1 = theta0 + (theta1 - theta0) / 2
        if self.air.pockets:
            self.let_air_go()
        return *self._solve(region, guess, theta0, theta1), theta1

    def _solve(
        self, region: Region, guess: Ints, theta0: float, theta1: float
    ) -> tuple[Step, Ints, Floats, float]:
        """Return the step to a moment, what it filled and when, and the volume then."""
        state, last, network = self.state, self.frames[-1], region.network
        self.stepped = network
        span = theta1 - theta0
        given = self._given(region.drive, theta0, theta1)

        def ahead(guess: Ints) -> Step:
            return advance(region, state, span, guess, given, self.cancelled, last.speed, self.spill)

        step = self._press(ahead, guess) if self.air.pockets else ahead(guess)
        partly = np.where(state.vent, np.minimum(step.gain, state.dry), step.gain)
        partly[state.wet] = 0.0
        volume1 = last.volume + float(state.dry[step.new].sum()) + float(partly.sum())
        speed1 = float(step.rate[~state.wet].sum())
        full = state.wet & ~state.vent
        nodes, when = arrivals(
            network, state.dry, full, step.solved, step.new, step.gain, last.speed, speed1, span, step.around
        )
        return step, nodes, theta0 + when, volume1

    def _press(self, ahead: Callable[[Ints], Step], guess: Ints) -> Step:
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
                step = ahead(guess)
            except Unsettled:
                air.press(state, start)
                raise
            guess = step.new
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
        brim, early = state.take(network, step, nodes, self.clock.times(when))
        full_at = self.clock.times(np.maximum(theta1 - early, theta0))
        state.filled_at[brim] = np.minimum(state.filled_at[brim], full_at)
        self._fill_vents(step, theta0, theta1)
        state.fed += drawn
        state.bled += self.taken
        state.passed += self._passed(step, drive, theta1 - theta0)
        if self.carries and self.levels:
            self._sink(network, step.solved.live)
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
        at_port = plumbing.at_ports(step, drive)
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
            raise FillError(tr("resin is missing from the balance: {:.1e} of what was fed", balance))
        emptied = [Emptied(b.id, time, b.air_drawn) for b in self.plumbing.buckets for time in b.emptied]
        return History(
            network, state.filled_at, np.clip(fraction, 0, 1), tuple(self.frames), dict(self.plumbing.opened),
            reason, balance, state.residual, state.solves, state.unknowns, state.rounds, dict(self.schedule.wet_at), self.air_let_go,
            tuple(self.turned), self.air.told(state), tuple(emptied), tuple(self.poured),
        )  # fmt: skip
