"""Ages carried while a network fills: viscosity from place to place, and air from an empty bucket."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from bibulon.core.flow.build.network import Network
from bibulon.core.flow.fill.carry import carried, link_flux, link_share, mean_viscosity
from bibulon.core.flow.fill.condense import Band, condense
from bibulon.core.flow.fill.state import FillState
from bibulon.core.flow.fill.step import Drive, Step

__all__ = ["FillAges"]

Floats = npt.NDArray[np.float64]


class FillAges(FillState):
    """A filling whose resin carries when it was mixed."""

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
