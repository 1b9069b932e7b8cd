"""The air in what is still dry: at the vacuum of its vents, or shut in and pressed together.

A dry region that touches an open vent has that vent's pressure; one that touches none keeps its
air, p V = const.  A region so small, or so well evacuated, that its air ends in less than a few
cells is left to close.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from bibulon.core.flow import kernel
from bibulon.core.flow.build.network import Network
from bibulon.core.flow.fill.history import GasPocket
from bibulon.core.flow.fill.pockets import ShutRegion, shut_regions
from bibulon.core.flow.fill.step import WetState

__all__ = ["Air"]

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]
Bools = npt.NDArray[np.bool_]

HELD = 0.003  # a pocket that has less than this share still to shrink is at rest
FEWEST = 4  # cells that a pocket's air must hold open at the end to be followed


@dataclass(eq=False)
class _Pocket:
    """A shut region while it is pressed together; ``pressure`` is above the vacuum [Pa].

    ``seen`` is when its inflow was last looked at [θ] and what it was [m³ Pa]; ``first`` when it first was.
    """

    nodes: Ints
    closed: float
    amount: float
    pressure: float
    seen: tuple[float, float] | None = None
    first: float | None = None

    def at_rest(self, theta: float, inflow: float, space: float) -> bool:
        """Whether it will shrink no more to speak of, judged by how fast its inflow [m³ Pa] dies away.

        An inflow that only falls as 1/√θ, as any does while the front has its way to go, is not dying: what it
        falls by 1/(2 θ) is no sign of rest.
        """
        before, self.seen = self.seen, (theta, inflow)
        if self.first is None:
            self.first = theta
        if inflow <= 0:
            return True
        # The very first inflow, of a feed that stands on dry cloth, is no measure.
        if before is None or before[0] <= 0 or theta <= before[0] or inflow >= before[1]:
            return False
        decay = np.log(before[1] / inflow) / (theta - before[0])
        decay -= 1 / (2 * max(theta - self.first, theta - before[0]))
        return bool(decay > 0 and inflow / decay < HELD * space)


class Air:
    """Follows the regions of dry nodes through a filling.

    vacuum : absolute pressure that all pressures count from [Pa]; pull : the largest that feeds have.
    """

    def __init__(self, network: Network, vacuum: float, pull: float) -> None:
        self.network, self.vacuum, self.pull = network, vacuum, max(pull, 1.0)
        self.pockets: list[_Pocket] = []
        self.ended: list[GasPocket] = []

    def update(self, state: WetState, vents: dict[str, float], before: Floats, now: float) -> bool:
        """Set the air of every dry node anew; return whether it changed.

        vents : pressure of each open vent, by id; before : unfilled volumes at the start of the
        last step, from which a region that closed inside it is read.
        """
        network = self.network
        dry = (~state.wet & (network.volume > 0)) | state.vent
        count, label = kernel.regions(network.links, dry)
        lowest = np.full(count + 1, np.inf)  # the last is of what is wet
        for vent in network.vents:
            if vent.id in vents:
                breathing = vent.nodes[dry[vent.nodes]]
                np.minimum.at(lowest, label[breathing], vents[vent.id])
        old = state.air.copy()
        air = np.where(np.isfinite(lowest[label]) & dry, lowest[label], 0.0)
        shut = dry & ~np.isfinite(lowest[label])
        kept: list[_Pocket] = []
        if shut.any() and self.vacuum > 0:
            kept = self._shut(state, label, shut, before, now)
            for pocket in kept:
                air[pocket.nodes] = pocket.pressure
        self.pockets = kept
        for vent in network.vents:
            if vent.id in vents and not vent.membrane:
                held = vent.nodes[state.vent[vent.nodes]]
                air[held] = vents[vent.id]
        state.air = air
        return not np.array_equal(old, air)

    def _shut(self, state: WetState, label: Ints, shut: Bools, before: Floats, now: float) -> list[_Pocket]:
        """Return the shut regions large enough to follow, with what air they have."""
        network, out = self.network, []
        owner = np.full(network.size, -1)
        for k, pocket in enumerate(self.pockets):
            owner[pocket.nodes] = k
        share = [float(state.dry[p.nodes].sum()) for p in self.pockets]
        told: list[ShutRegion] | None = None
        region_of = owner
        where = np.flatnonzero(shut)
        where = where[np.argsort(label[where], kind="stable")]
        for nodes in np.split(where, np.flatnonzero(np.diff(label[where])) + 1):
            volume = float(state.dry[nodes].sum())
            if volume <= 0:
                continue
            own = owner[nodes]
            if (own >= 0).any():  # a pocket, or a part of one that broke up
                amount, closed, pressure, seen, since = 0.0, now, 0.0, None, None
                for k in np.unique(own[own >= 0]):
                    mine = float(state.dry[nodes[own == k]].sum())
                    amount += self.pockets[k].amount * mine / max(share[k], 1e-300)
                    closed, pressure = min(closed, self.pockets[k].closed), self.pockets[k].pressure
                    seen, since = self.pockets[k].seen, self.pockets[k].first
                if self._counts(nodes, amount):
                    out.append(_Pocket(nodes, closed, amount, pressure, seen, since))
                continue
            if told is None:
                was_dry = (before > 0) | state.vent
                regions = shut_regions(network, state.filled_at, self._least(), was_dry)
                told = [r for r in regions if r.closed > 0]
                region_of = np.full(network.size, -1)
                for k in range(len(told) - 1, -1, -1):
                    region_of[told[k].nodes] = k
            closed, first = now, volume
            inside = region_of[nodes]
            if (inside >= 0).any():
                # What it held when it closed, shared among the pieces that it is in by now.
                found = told[int(inside[inside >= 0].min())]
                closed = found.closed
                left = float(state.dry[found.nodes[shut[found.nodes]]].sum())
                held = left + float(before[found.nodes[~shut[found.nodes]]].sum())
                first = volume * max(held / max(left, 1e-300), 1.0)
            vacuum = self.vacuum + float(state.air[nodes].max())
            if self._counts(nodes, first * vacuum):
                gas = max(vacuum * first / volume - self.vacuum, 0.0)
                out.append(_Pocket(nodes, closed, vacuum * first, min(gas, self.pull)))
        return out

    def _least(self) -> float:
        """Return an air space [m³] below which no region can count, unless all its cells are among the smallest."""
        cells = self.network.volume[self.network.volume > 0]
        small = float(np.quantile(cells, 0.1)) if len(cells) else 0.0
        deepest = self.vacuum + max((v.pressure for v in self.network.vents), default=0.0)
        return FEWEST * small * (self.vacuum + self.pull) / max(deepest, 1.0)

    def _counts(self, nodes: Ints, amount: float) -> bool:
        """Whether air of so much p V [Pa m³] still holds open a few of the region's cells under the full pull."""
        return amount / (self.vacuum + self.pull) >= FEWEST * float(self.network.volume[nodes].mean())

    def pressures(self) -> Floats:
        """Return the pressures of the pockets above the vacuum [Pa]."""
        return np.array([p.pressure for p in self.pockets])

    def volumes(self, dry: Floats) -> Floats:
        """Return what is left of the pockets [m³]."""
        return np.array([float(dry[p.nodes].sum()) for p in self.pockets])

    def wanted(self, dry: Floats) -> Floats:
        """Return the pressures that the pockets' air has in what is left of them [Pa above the vacuum]."""
        return np.array([
            min(p.amount / max(float(dry[p.nodes].sum()), 1e-300) - self.vacuum, 10 * self.pull) for p in self.pockets
        ])  # fmt: skip

    def press(self, state: WetState, pressures: Floats) -> None:
        """Set the pockets' pressures."""
        for pocket, pressure in zip(self.pockets, pressures, strict=True):
            pocket.pressure = float(pressure)
            dry = pocket.nodes[~state.wet[pocket.nodes]]
            state.air[dry] = pressure

    def told(self, state: WetState) -> tuple[GasPocket, ...]:
        """Return the pockets as they are at the end."""
        return tuple(
            GasPocket(p.nodes, p.closed, p.amount, p.pressure + self.vacuum, float(state.dry[p.nodes].sum()))
            for p in self.pockets
        )
