"""One step of filling: from the wet region at its start to the one at its end.

The wet nodes are guessed by pouring the front's flow outward, solved for, and mended: nodes of
negative u leave, over-full neighbours join.  See ``fill`` for the problem that this solves.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from bibulon.core.flow.build.network import Network, sum_at
from bibulon.core.flow.fill.arrivals import arrivals
from bibulon.core.flow.fill.condense import Band
from bibulon.core.flow.fill.factor import SingularError
from bibulon.core.flow.fill.solve import Around, Given, Solved, solve
from bibulon.core.units.words import tr

__all__ = [
    "FULL",
    "Cancelled",
    "Drive",
    "FillError",
    "Step",
    "Unsettled",
    "WetState",
    "advance",
    "offered",
    "pour",
]

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]
Bools = npt.NDArray[np.bool_]

FULL = 1e-9  # share of a node's pores that may be left when it counts as full
ROUNDS = 60  # active-set rounds before a step is called unsolved; a dozen is usual
POURS = 4  # rounds in which violations are poured on rather than added singly
REOPENINGS = 12  # rounds in which a link that was shut against flow back may open again
REFINED = 3  # rounds spent on the moments at which gravity begins to act, once the wet set is found
DAMPED, FROZEN = 4, 12  # rounds from which they are averaged, and from which they stay
SETTLED = 0.01  # share of a step by which they may still move in the mean


class Cancelled(Exception):
    """The caller asked to stop."""


class FillError(RuntimeError):
    """A step could not be solved; the text says at what moment and why."""


class Unsettled(FillError):
    """The wet nodes of a step were not found; a shorter step may do."""


class WetState:
    """What changes while a network fills: unfilled volumes, what is wet, the band, the air around it."""

    def __init__(self, network: Network) -> None:
        n = network.size
        self.dry = network.volume.copy()
        self.vent = np.zeros(n, dtype=bool)
        self.filled_at = np.full(n, np.inf)
        self.wet = np.zeros(n, dtype=bool)
        none = np.zeros(0, dtype=np.int64)
        self.band = Band.start(network, none)
        self.air = np.zeros(n)
        self.shut = np.zeros(0, dtype=bool)
        self.fed = np.zeros(len(network.ports))
        self.bled = np.zeros(len(network.vents))
        self.passed = np.zeros(len(network.valves))
        self.solves = 0
        self.unknowns = 0
        self.rounds = 0
        self.residual = 0.0

    def around(self, network: Network) -> bool:
        """Whether heights or gas count now."""
        if not network.lifts and not self.air.any():
            return False
        if not len(self.shut):
            self.shut = np.zeros(network.adjacency.nnz, dtype=bool)
        return True

    def take(self, network: Network, step: Step, nodes: Ints, when: Floats, end: float) -> None:
        """Wet what a step filled, and fill in part what it reached; vents are left to the caller.

        nodes, when : what was filled and when [s]; end : the step's end [s].
        """
        partly = np.minimum(step.gain, self.dry)
        self.filled_at[nodes] = np.minimum(when, self.filled_at[nodes])
        self.wet[nodes] = True
        partly[self.wet | self.vent] = 0.0
        self.dry[nodes] = 0.0
        # Full to rounding at the very end of the step: it joins the wet region with the next one.
        brim = np.flatnonzero(~self.wet & ~self.vent & (self.dry - partly <= FULL * network.volume))
        self.filled_at[brim] = np.minimum(self.filled_at[brim], end)
        self.dry = np.maximum(self.dry - partly, 0.0)


def pour(network: Network, gain: Floats, dry: Floats, blocked: Bools) -> Ints:
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
        rows, cols, g = network.entries(front)
        g = np.where(blocked[cols], 0.0, g)
        total = sum_at(rows, g, len(front))
        share = np.divide(over, total, out=np.zeros_like(over), where=total > 0)
        held += sum_at(cols, g * share[rows], network.size)
        reached = np.zeros(network.size, dtype=bool)
        reached[cols[g > 0]] = True
        front = np.flatnonzero(reached & (held > dry) & ~blocked)
    return np.concatenate(found) if found else np.zeros(0, dtype=np.int64)


@dataclass(frozen=True)
class Step:
    """One solved step: what it wetted, what was offered to nodes that stay dry and to vents.

    gain : volume offered over the step [m³]; rate : the same per unit θ at its end [m³ Pa].
    around : the air and the wet times that it was solved with, where they count.
    """

    solved: Solved
    new: Ints
    gain: Floats
    rate: Floats
    around: Around | None = None


@dataclass(frozen=True)
class Drive:
    """What drives the flow in a step: nodes at a pressure [Pa], and nodes that are given a rate [m³/s]."""

    fixed: Ints
    pressure: Floats
    given: Ints
    rate: Floats


def offered(network: Network, step: Solved, pressure: Floats, wet: Bools, around: Around | None) -> Floats:
    """Return the flow into dry nodes and vents per unit θ at a moment [m³ Pa], shape (n,)."""
    if around is None:
        rate = step.gains(network, np.maximum(step.p, 0.0), pressure)
    else:
        now = Around(around.air, np.ones(network.size), around.shut)
        entry, cols, flux = step.offers(network, step.p, pressure, 1.0, now, wet)
        flux = np.where(around.shut[entry], 0.0, np.maximum(flux, 0.0))
        rate = sum_at(cols, flux, network.size)
    rate[wet] = 0.0
    return rate


def advance(
    network: Network,
    state: WetState,
    span: float,
    guess: Ints,
    drive: Drive,
    given: Given | None = None,
    cancelled: Callable[[], bool] | None = None,
    speed0: float = 0.0,
) -> Step:
    """Find the wet region a step of ``span`` later; ``speed0`` is the flow at its start per unit θ.

    Raises
    ------
    Cancelled : when ``cancelled`` answers true.
    Unsettled : when the wet region does not settle.
    FillError : when it has no pressure of its own.
    """
    pressure = drive.pressure
    outside = state.band.gone | state.vent
    outside[state.band.nodes] = True
    new = guess[~outside[guess]]
    around = _start_around(network, state, span) if state.around(network) else None
    used = around
    floor = -1e-13 * span * float(max(np.abs(pressure).max(initial=0.0), state.air.max(initial=0.0)))
    refined = 0
    for round_ in range(ROUNDS):
        if cancelled is not None and cancelled():
            raise Cancelled
        try:
            solved = solve(network, state.band, new, drive.fixed, pressure, state.dry, span, given, around)
        except SingularError as error:
            raise FillError(tr("the wet region has no pressure of its own: {}", error)) from error
        state.solves += 1
        state.unknowns += len(solved.nodes)
        fresh = ~outside[solved.nodes]
        wet = outside.copy()
        wet[new] = True
        over_air = solved.u - (around.air[solved.nodes] * span if around else 0.0)
        wrong = fresh & (over_air < (floor if around else 0.0))
        turned = moved = False
        if around is None:
            gain = solved.gains(network, np.maximum(solved.u, 0.0), pressure * span)
            gain[wet & ~state.vent] = 0.0
        else:
            used = around
            gain, around, turned, moved = _settle(
                network, state, solved, new, span, pressure, used, wet & ~state.vent, round_, speed0
            )
        slack = 1e-12 * network.volume + 1e-24
        over = np.flatnonzero((gain > state.dry + slack) & ~wet)
        stable = not wrong.any() and not len(over) and not turned
        if stable and moved and refined < REFINED:
            refined += 1
            continue
        if stable:
            rate = offered(network, solved, pressure, wet & ~state.vent, around)
            state.rounds = max(state.rounds, round_ + 1)
            if around is None and len(new):
                state.residual = max(
                    state.residual, _missed(network, solved, new, state.dry, pressure * span)
                )
            return Step(solved, new, gain, rate, used)
        new = _mended(network, state, solved.nodes[wrong], over, gain, wet, outside, pours=round_ < POURS)
    raise Unsettled(tr("the wet region did not settle in {} rounds", ROUNDS))


def _mended(
    network: Network, state: WetState, wrong: Ints, over: Ints, gain: Floats, wet: Bools, outside: Bools, *, pours: bool
) -> Ints:  # fmt: skip
    """Return the next guess at the nodes that get wet: without what went dry, with what was over-full.

    In the first rounds, where nothing went dry, what is over is poured on outward rather than added singly.
    """
    if pours and not len(wrong):
        over = pour(network, gain, state.dry, wet)
    wet[wrong] = False
    wet[over] = True
    return np.flatnonzero(wet & ~outside)


def _missed(network: Network, solved: Solved, new: Ints, dry: Floats, fixed_u: Floats) -> float:
    """Return the largest |Σ G_ij (u_j − u_i) − V_dry| of new nodes, as a share of their mean V_dry."""
    u = np.zeros(network.size)
    u[solved.nodes], u[solved.fixed] = solved.u, fixed_u
    rows, cols, g = network.entries(new)
    put = sum_at(rows, g * (u[cols] - u[new][rows]), len(new))
    return float(np.abs(put - dry[new]).max() / max(float(dry[new].mean()), 1e-300))


def _start_around(network: Network, state: WetState, span: float) -> Around:
    """Begin with nodes that get wet half way through the step, unless they are wet."""
    wet_for = np.full(network.size, span / 2)
    wet_for[state.wet & ~state.vent] = span
    wet_for[state.vent] = 0.0
    return Around(state.air, wet_for, state.shut.copy())


def _settle(
    network: Network,
    state: WetState,
    solved: Solved,
    new: Ints,
    span: float,
    pressure: Floats,
    around: Around,
    wet: Bools,
    round_: int,
    speed0: float,
) -> tuple[Floats, Around, bool, bool]:
    """Return what dry nodes gained, the air and wet times for the next round, and whether links turned or times moved."""
    entry, cols, flux = solved.offers(network, solved.u, pressure * span, span, around, wet)
    is_shut = around.shut[entry]
    small = 1e-12 * network.volume.max() + 1e-24
    shut = around.shut.copy()
    shut[entry[~is_shut & (flux < -small)]] = True
    if round_ < REOPENINGS:
        shut[entry[is_shut & (flux > small)]] = False
    turned = not np.array_equal(shut, around.shut)
    gain = sum_at(cols, np.where(is_shut, 0.0, flux), network.size)
    wet_for, moved = around.wet_for.copy(), False
    if network.lifts:
        wet_for[~wet] = 0.0
        rate = offered(network, solved, pressure, wet, around)
        speed1 = float(rate[~state.wet].sum())
        full = state.wet & ~state.vent
        nodes, when = arrivals(network, state.dry, full, solved, new, gain, speed0, speed1, span, around)
        late = span - when
        known = wet_for[nodes] > 0
        if round_ >= FROZEN:
            late = np.where(known, wet_for[nodes], late)
        elif round_ >= DAMPED:
            late = np.where(known, (wet_for[nodes] + late) / 2, late)
        wet_for[nodes] = late
        moved = len(nodes) > 0 and float(np.abs(wet_for - around.wet_for)[nodes].mean()) > SETTLED * span
    state.shut = shut
    return gain, Around(around.air, wet_for, shut), turned, moved
