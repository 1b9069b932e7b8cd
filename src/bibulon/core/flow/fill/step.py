"""One step of filling: from the wet region at its start to the one at its end.

The wet nodes are guessed by pouring the front's flow outward, solved for, and mended where nodes of
the guess went dry or neighbours are over-full.  See ``fill`` for the problem that this solves.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import numpy.typing as npt
from msgspec import Struct

from bibulon.core.flow import kernel
from bibulon.core.flow.build.network import Network, sum_at
from bibulon.core.flow.fill.arrivals import arrivals
from bibulon.core.flow.fill.condense import Band
from bibulon.core.flow.fill.factor import SingularError
from bibulon.core.flow.fill.guess import mended
from bibulon.core.flow.fill.solve import Around, Given, Solved, System
from bibulon.core.units.words import tr

__all__ = [
    "FULL",
    "Cancelled",
    "Drive",
    "FillError",
    "Region",
    "Step",
    "Unsettled",
    "WetState",
    "advance",
    "offered",
]

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]
Bools = npt.NDArray[np.bool_]

FULL = 1e-9  # share of a node's pores that may be left when it counts as full
ROUNDS = 60  # active-set rounds before a step is called unsolved; a dozen is usual
AHEAD = 1  # how far beyond a first guess others are foreseen
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

    def take(self, network: Network, step: Step, nodes: Ints, when: Floats) -> tuple[Ints, Floats]:
        """Wet what a step filled, at moments ``when`` [s], and fill in part what it reached; vents are left to the caller.

        Returns what is full to the brim with its end though not yet wet, and how long before the end it was [θ].
        """
        partly = step.gain.copy()  # what is over stays on the account, and goes on with the next step
        self.filled_at[nodes] = np.minimum(when, self.filled_at[nodes])
        self.wet[nodes] = True
        partly[self.wet | self.vent] = 0.0
        self.dry[nodes] = 0.0
        # Full at the end of the step, or a little before where something is over: it joins the wet region with the next one.
        brim = np.flatnonzero(~self.wet & ~self.vent & (self.dry - partly <= FULL * network.volume))
        over, rate = np.maximum(partly - self.dry, 0.0)[brim], step.rate[brim]
        early = np.divide(over, rate, out=np.zeros_like(over), where=rate > 0)
        self.dry -= partly
        return brim, early


class Step(Struct, frozen=True, eq=False):
    """One solved step: what it wetted, what was offered to nodes that stay dry and to vents.

    gain : volume offered over the step [m³]; rate : the same per unit θ at its end [m³ Pa].
    around : the air and the wet times that it was solved with, where they count.
    """

    solved: Solved
    new: Ints
    gain: Floats
    rate: Floats
    around: Around | None = None


class Drive(Struct, frozen=True, eq=False):
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


class Region:
    """Where a step's wet region may lie: its linear system, kept for as long as guesses stay within what was foreseen."""

    def __init__(self, network: Network, state: WetState, drive: Drive) -> None:
        self.network, self.band, self.drive = network, state.band, drive
        self.outside = state.band.gone | state.vent
        self.outside[state.band.nodes] = True
        self._reach = np.zeros(network.size, dtype=bool)
        self._system: System | None = None

    def system(self, new: Ints) -> System:
        """Return a system in which these nodes may get wet."""
        if self._system is None or not self._reach[new].all():
            self._reach = kernel.widen(self.network.links, new, AHEAD) & ~self.outside
            self._system = System(self.network, self.band, np.flatnonzero(self._reach), self.drive.fixed)
        return self._system


def advance(
    region: Region,
    state: WetState,
    span: float,
    guess: Ints,
    given: Given | None = None,
    cancelled: Callable[[], bool] | None = None,
    speed0: float = 0.0,
    spill: float = 0.0,
) -> Step:
    """Find the wet region a step of ``span`` later; ``speed0`` is the flow at its start per unit θ.

    ``spill`` is the share of a step's resin that may be over in nodes at its end, which are full then and pass it on in
    the next: the last tries of a step move little else.

    Raises
    ------
    Cancelled : when ``cancelled`` answers true.
    Unsettled : when the wet region does not settle.
    FillError : when it has no pressure of its own.
    """
    search = _Search(region, state, span, given, speed0)
    new = guess[~region.outside[guess]]
    around = _start_around(region.network, state, span) if state.around(region.network) else None
    refined = 0
    for round_ in range(ROUNDS):
        if cancelled is not None and cancelled():
            raise Cancelled
        look = search.look(new, around, round_)
        if (look.stable and not (look.moved and refined < REFINED)) or look.spilt(state.dry) < spill:
            return search.found(look, round_)
        if look.stable:
            refined += 1
        else:
            new = search.mended(look, round_)
        around = look.around
    raise Unsettled(tr("the wet region did not settle in {} rounds", ROUNDS))


class _Look(Struct, frozen=True, eq=False):
    """What a solve with a guess at the new wet nodes showed.

    wrong : new nodes that went dry; spared : those of them that their wet neighbours alone would fill; over : dry
    nodes that are over-full; wet : nodes taken to be wet, and vents.
    used : the air and the wet times of this solve, ``around`` those of the next; turned, moved : whether links
    turned or the wet times moved between the two.
    """

    solved: Solved
    new: Ints
    gain: Floats
    wrong: Ints
    spared: Ints
    over: Ints
    wet: Bools
    used: Around | None
    around: Around | None
    turned: bool = False
    moved: bool = False

    @property
    def stable(self) -> bool:
        """Whether the guess was right."""
        return not len(self.wrong) and not len(self.over) and not self.turned

    def spilt(self, dry: Floats) -> float:
        """Return what share of the step's resin is over in nodes, if that is all that is wrong with the guess; else infinity."""
        if len(self.wrong) or self.used is not None:
            return np.inf
        over = float((self.gain[self.over] - dry[self.over]).sum())
        return over / max(float(dry[self.new].sum() + self.gain[self.over].sum()), 1e-300)


class _Search:
    """The rounds in which the wet nodes of one step are found."""

    def __init__(
        self, region: Region, state: WetState, span: float, given: Given | None, speed0: float
    ) -> None:
        self.region, self.network, self.drive = region, region.network, region.drive
        self.state, self.span, self.given, self.speed0 = state, span, given, speed0
        self.outside = region.outside
        most = max(np.abs(self.drive.pressure).max(initial=0.0), state.air.max(initial=0.0))
        self.floor = -1e-13 * span * float(most)
        self.slack = 1e-12 * self.network.volume + 1e-24

    def look(self, new: Ints, around: Around | None, round_: int) -> _Look:
        """Solve with a guess at the new wet nodes."""
        network, state, span, pressure = self.network, self.state, self.span, self.drive.pressure
        try:
            solved = self.region.system(new).solve(new, pressure, state.dry, span, self.given, around)
        except SingularError as error:
            raise FillError(tr("the wet region has no pressure of its own: {}", error)) from error
        state.solves += 1
        state.unknowns += len(solved.nodes)
        fresh = ~self.outside[solved.nodes]
        wet = self.outside.copy()
        wet[new] = True
        turned = moved = False
        following, spared = around, np.zeros(0, dtype=np.int64)
        if around is None:
            wrong = solved.nodes[fresh & (solved.u < 0.0)]
            gain = solved.gains(network, np.maximum(solved.u, 0.0), pressure * span)
            spared = wrong[gain[wrong] > state.dry[wrong]]
            gain[wet & ~state.vent] = 0.0
        else:
            over_air = solved.u - around.air[solved.nodes] * span
            wrong = solved.nodes[fresh & (over_air < self.floor)]
            gain, following, turned, moved = _settle(
                network, state, solved, new, span, pressure, around, wet & ~state.vent, round_, self.speed0
            )
        over = np.flatnonzero((gain > state.dry + self.slack) & ~wet)
        return _Look(solved, new, gain, wrong, spared, over, wet, around, following, turned, moved)

    def mended(self, look: _Look, round_: int) -> Ints:
        """Return the next guess; at first what neighbours would fill stays, since not all leave that went dry together."""
        wrong = look.wrong
        if round_ < POURS and (len(look.spared) < len(wrong) or len(look.over)):
            kept = np.zeros(self.network.size, dtype=bool)
            kept[look.spared] = True
            wrong = wrong[~kept[wrong]]
        pours = round_ < POURS and not len(look.wrong)
        wet = mended(self.network, look.gain, self.state.dry, wrong, look.over, look.wet, pours=pours)
        return np.flatnonzero(wet & ~self.outside)

    def found(self, look: _Look, round_: int) -> Step:
        """Return the step whose guess was right."""
        state, pressure = self.state, self.drive.pressure
        rate = offered(self.network, look.solved, pressure, look.wet & ~state.vent, look.around)
        state.rounds = max(state.rounds, round_ + 1)
        if look.used is None and len(look.new):
            missed = _missed(self.network, look.solved, look.new, state.dry, pressure * self.span)
            state.residual = max(state.residual, missed)
        return Step(look.solved, look.new, look.gain, rate, look.used)


def _missed(network: Network, solved: Solved, new: Ints, dry: Floats, fixed_u: Floats) -> float:
    """Return the largest |Σ G_ij (u_j − u_i) − V_dry| of new nodes, as a share of their mean V_dry, or of a thousandth of their pores."""
    u = np.zeros(network.size)
    u[solved.nodes], u[solved.fixed] = solved.u, fixed_u
    put = (network.adjacency @ u - network.degree * u)[new]
    typical = max(float(dry[new].mean()), 1e-3 * float(network.volume[new].mean()), 1e-300)
    return float(np.abs(put - dry[new]).max()) / typical


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
