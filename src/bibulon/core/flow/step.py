"""One step of filling: from the wet region at its start to the one at its end.

The wet nodes are guessed by pouring the front's flow outward, solved for, and mended: nodes of
negative u leave, over-full neighbours join.  See ``fill`` for the problem that this solves.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from bibulon.core.flow.condense import Band, Given, SingularError, Solved, entries, solve
from bibulon.core.flow.network import Network, sum_at

__all__ = ["FULL", "Cancelled", "FillError", "Step", "WetState", "advance", "arrivals", "pour"]

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]
Bools = npt.NDArray[np.bool_]

FULL = 1e-9  # share of a node's pores that may be left when it counts as full
ROUNDS = 60  # active-set rounds before a step is called unsolved; a dozen is usual
POURS = 4  # rounds in which violations are poured on rather than added singly


class Cancelled(Exception):
    """The caller asked to stop."""


class FillError(RuntimeError):
    """A step could not be solved; the text says at what moment and why."""


class WetState:
    """What changes while a network fills."""

    def __init__(self, network: Network) -> None:
        self.dry = network.volume.copy()
        self.vent = np.zeros(network.size, dtype=bool)
        self.open_vents(network, [not v.membrane for v in network.vents])
        self.filled_at = np.full(network.size, np.inf)
        self.wet = np.zeros(network.size, dtype=bool)
        self.band = Band(np.zeros(0, dtype=np.int64), np.zeros((0, 0)), np.zeros(network.size, dtype=bool))
        self.fed = np.zeros(len(network.ports))
        self.bled = 0.0
        self.solves = 0
        self.unknowns = 0

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

    def open_vents(self, network: Network, which: Sequence[bool]) -> None:
        """Hold the nodes of open vents at the vacuum; those of shut ones and of membranes are like any other."""
        self.vent[:] = False
        for vent, held in zip(network.vents, which, strict=True):
            if held and not vent.membrane:
                self.vent[vent.nodes] = True


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
        rows, cols, g = entries(network.adjacency, front)
        g = np.where(blocked[cols], 0.0, g)
        total = sum_at(rows, g, len(front))
        share = np.divide(over, total, out=np.zeros_like(over), where=total > 0)
        held += sum_at(cols, g * share[rows], network.size)
        reached = np.unique(cols[g > 0])
        front = reached[(held[reached] > dry[reached]) & ~blocked[reached]]
    return np.concatenate(found) if found else np.zeros(0, dtype=np.int64)


@dataclass(frozen=True)
class Step:
    """One solved step: what it wetted, what was offered to nodes that stay dry and to vents.

    gain : volume offered over the step [m³]; rate : the same per unit θ at its end [m³ Pa].
    """

    solved: Solved
    new: Ints
    gain: Floats
    rate: Floats


def advance(
    network: Network,
    state: WetState,
    span: float,
    guess: Ints,
    fixed: Ints,
    pressure: Floats,
    keep: Ints,
    given: Given | None = None,
    cancelled: Callable[[], bool] | None = None,
) -> Step:
    """Find the wet region a step of ``span`` later."""
    band_mask = np.zeros(network.size, dtype=bool)
    band_mask[state.band.nodes] = True
    outside = state.band.gone | band_mask | state.vent
    new = guess[~outside[guess]]
    for round_ in range(ROUNDS):
        if cancelled is not None and cancelled():
            raise Cancelled
        try:
            solved = solve(network, state.band, new, fixed, pressure, state.dry, span, keep, given)
        except SingularError as error:
            raise FillError(f"the wet region has no pressure of its own: {error}") from error
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
            return Step(solved, new, gain, rate)
        if round_ < POURS and not wrong.any():
            over = pour(network, gain, state.dry, wet)
        kept = np.setdiff1d(new, solved.nodes[wrong], assume_unique=True)
        new = np.union1d(kept, over)
    raise FillError(f"the wet region did not settle in {ROUNDS} rounds")


def arrivals(
    state: WetState,
    network: Network,
    step: Step,
    volume0: float,
    speed0: float,
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
    gained = volume1 - volume0
    if gained <= 0 or not len(nodes):
        return nodes, raw
    in_progress = gained - float(np.sum(network.volume[nodes])) + partial0
    # Nodes full at the same moment, such as a row across a strip, are full together, in no order.
    alike = np.round((raw - theta0) / span, 9)
    together = np.searchsorted(alike, alike, side="right") - 1
    done = np.cumsum(network.volume[nodes])[together] + (in_progress - partial0) * (raw - theta0) / span
    x = np.clip(done / gained, 0.0, 1.0)
    x = np.maximum.accumulate(x)
    speed1 = float(step.rate[~state.wet].sum())
    mean = span / gained
    slope0 = min(1 / speed0 if speed0 > 0 else 3 * mean, 3 * mean) * gained
    slope1 = min(1 / speed1 if speed1 > 0 else 3 * mean, 3 * mean) * gained
    curve = (x**3 - 2 * x**2 + x) * slope0 + (3 * x**2 - 2 * x**3) * span + (x**3 - x**2) * slope1
    # What filled in this step was not full at its start.
    return nodes, np.clip(theta0 + curve, theta0 + 1e-6 * span, theta1)
