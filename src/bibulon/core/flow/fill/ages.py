"""Ages carried while a network fills: viscosity from place to place, and air from an empty bucket."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt
from msgspec.structs import replace

from bibulon.core.flow.build.network import Network
from bibulon.core.flow.fill.carry import carried, link_flux, link_share, mean_viscosity
from bibulon.core.flow.fill.condense import Band, condense
from bibulon.core.flow.fill.state import FillState
from bibulon.core.flow.fill.step import Drive, Step

__all__ = ["FillAges"]

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]
Bools = npt.NDArray[np.bool_]

STALE = 0.025  # share by which viscosity may be missed in what was eliminated, in the mean
SLIP = 2e-3  # share of the time so far that a step may be off by for that
STUCK = 30.0  # times the time so far that what is left would take where gelled resin only creeps
LONGEST = 8.0  # steps for which it is made


class FillAges(FillState):
    """A filling whose resin carries when it was mixed."""

    def _thick(self, theta0: float, theta1: float, later: Floats | None = None) -> Floats:
        """Return the viscosity at each place over a step, from the ages carried so far, shape (n,)."""
        born, here = self._mean_born(theta0, theta1, later), self._has_resin()
        viscosity = np.empty(len(born))
        viscosity[here] = mean_viscosity(self.law, born[here], theta0, theta1)
        dry = born[~here]
        if len(dry) and later is None and float(np.ptp(dry)) == 0:  # as long as it never held any
            dry = dry[:1]
        viscosity[~here] = mean_viscosity(self.law, dry, theta0, theta1)
        return viscosity

    def _has_resin(self) -> Bools:
        return np.asarray(self.state.wet | (self._resin() > 0))

    def _share(self, viscosity: Floats, later: bool = False) -> Floats:
        """Return 1/μ of each link, shape (m,); ``later`` when all that it holds by then is known."""
        return link_share(self.network, viscosity, self._has_resin() | later)

    def _mean_born(self, theta0: float, theta1: float, later: Floats | None) -> Floats:
        """Return when the resin at each place was mixed, in the mean over a step: of its ends, or as it drifted last."""
        if later is not None:
            return np.asarray(np.where(self._resin() > 0, (self.born + later) / 2, later))
        ahead = self.born + self.drift * (theta1 - theta0) / 2
        return np.clip(ahead, float(self.born.min()), max(float(self.born.max()), theta1))

    def _gelled(self, left: float, speed: float) -> bool:
        """Whether what has gelled only creeps on, at 10⁶ times the viscosity, and would fill what is ``left`` in years."""
        gel = float(self.born.min()) + self.law.gel
        return self.ages and self.now > gel and left > STUCK * self.now * speed

    def _missed(self, born: Floats, theta0: float, theta1: float) -> float:
        """Return by what share viscosity was missed where resin is, in the mean, when it was foreseen."""
        here = self._resin() > 0
        if not here.any():
            return float("inf")
        true = mean_viscosity(self.law, self._mean_born(theta0, theta1, born)[here], theta0, theta1)
        return float(np.mean(np.abs(self.foreseen[here] / true - 1)))

    def _take_up(
        self, theta0: float, theta1: float, first: bool = True, later: Floats | None = None
    ) -> Network:
        """Return the network with 1/μ in its conductances over a step, its wet region eliminated with the same.

        What is in the system has the viscosity of the step.  What was eliminated keeps the one that it was eliminated
        with, all of it scaled so that the last step's flow through it would dissipate what it does with the true one:
        to first order that is all that a feed and its front know of it.  Where too much is missed from place to place
        it is eliminated anew, with viscosities of the middle of as many steps as it will last; not for a step that is
        but cut shorter, which is not the ``first`` try.
        """
        state, fresh = self.state, np.ones(len(self.network.a))
        if self.ages:
            self.foreseen = self._thick(theta0, theta1, later)
            fresh = self._share(self.foreseen, later is not None)
        if not self.network.lifts:
            state.shut = np.zeros(0, dtype=bool)
        sunk = self._sunk()
        scale, off = self._fitted(fresh, self.share, sunk)
        if later is not None or not self.levels or (first and off > _bearable(theta0, theta1)):
            lasts = self.ages and later is None
            self._sink_anew(self._lasting(fresh, theta0, theta1) if lasts else fresh)
            sunk = self._sunk()
            scale, _ = self._fitted(fresh, self.share, sunk)
        band = state.band
        state.band = replace(band, block=band.block * scale, weight=band.weight * scale)
        fresh[sunk] = self.share[sunk] * scale
        self.share = fresh
        return self.network.carrying(fresh)

    def _sink_anew(self, share: Floats) -> None:
        """Eliminate the wet region anew, with ``share`` as 1/μ of its links."""
        state, network = self.state, self.network.carrying(share)
        wet = np.flatnonzero(state.band.inside())
        state.band, level = condense(network, Band.start(network, wet), wet, self.keep, self.merge)
        state.solves += 1
        state.unknowns += len(wet)
        self.levels, self.share = [level], share

    def _lasting(self, fresh: Floats, theta0: float, theta1: float) -> Floats:
        """Return 1/μ of each link in the middle of as many steps as that will do for, shape (m,)."""
        # A first try may go far beyond where the step will end.  In twice its length its middle comes to lie a step later.
        theta1 = min(theta1, theta0 + 2 * self.last) if self.last > 0 else theta1
        _, off = self._fitted(self._share(self._thick(theta0, 3 * theta1 - 2 * theta0)), fresh)
        bearable = _bearable(theta0, theta1)
        lasts = np.clip(2 * bearable / max(off, 1e-12), 1.0, LONGEST)
        share = self._share(self._thick(theta0, theta0 + float(lasts) * (theta1 - theta0)))
        return share if self._fitted(fresh, share)[1] < bearable else fresh

    def _sunk(self) -> Bools:
        """Return which links were eliminated, shape (m,)."""
        gone = self.state.band.gone
        return gone[self.network.a] | gone[self.network.b]

    def _fitted(
        self, fresh: Floats, share: Floats, which: Bools | slice = slice(None)
    ) -> tuple[float, float]:
        """Return what the share of some links is to be scaled by, and by what it then misses ``fresh``, in the mean of what they dissipate."""
        true, held = fresh[which], share[which]
        lost = self.flux[which] ** 2 / np.maximum(self.network.conductance[which] * true, 1e-300)
        ratio = true / held
        total, told = float(lost.sum()), float(lost @ ratio)
        if total <= 0 or told <= 0:
            return 1.0, 0.0
        scale = told / total
        return scale, float(lost @ np.abs(ratio / scale - 1)) / total

    def _sink(self, network: Network, live: Ints) -> None:
        """Eliminate what lies some way behind the front after a step."""
        state = self.state
        state.band, level = condense(network, state.band, live, self.keep, self.merge)
        if len(level.nodes):
            self.levels.append(level)

    def _carry(
        self, network: Network, drive: Drive, step: Step, theta0: float, theta1: float
    ) -> tuple[Floats, Floats]:
        """Return when resin was mixed and its share of air, per node, at a step's end."""
        state, span = self.state, theta1 - theta0
        u = state.air * span
        u[drive.fixed] = drive.pressure * span
        u[step.solved.nodes] = step.solved.u
        for level in reversed(self.levels):
            u[level.nodes] = level.values(u, span)
        wet = state.band.gone | (state.wet & ~state.vent)
        wet[step.new] = True
        flux = self.flux = link_flux(network, u, wet, span, step.around)
        t0, t1 = self.clock.times(np.array([theta0, theta1]))
        values = np.column_stack([self.born, self.airy])
        entering = np.zeros(network.size, dtype=bool)
        for node, born, airy in self.plumbing.entering(float(t0 + t1) / 2):
            values[node] = born, airy
            entering[node] = True
        potential = u + (network.head * step.around.wet_for if step.around and network.lifts else 0.0)
        after = carried(network, flux, potential, self._resin(), values, entering)
        return after[:, 0], np.clip(after[:, 1], 0.0, 1.0)


def _bearable(theta0: float, theta1: float) -> float:
    """Return by what share viscosity may be missed over a step: one that is short beside the time so far adds little to it."""
    return min(STALE, SLIP * theta1 / max(theta1 - theta0, 1e-9))
