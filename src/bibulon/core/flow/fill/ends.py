"""Where a step must end early, and what it took from buckets and gave to vents."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from bibulon.core.flow.build.network import sum_at
from bibulon.core.flow.fill.ages import FillAges
from bibulon.core.flow.fill.plumbing import CAP_SLACK
from bibulon.core.flow.fill.solve import Around
from bibulon.core.flow.fill.step import FULL, Drive, Step

__all__ = ["EMPTY", "FillEnds"]

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]

EMPTY = 2e-3  # share of a bucket's pour within which it is taken to be at its heel


class FillEnds(FillAges):
    """A filling that knows what a step comes to: events, caps, the heel, the end; and who gave what."""

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
        if not self.plumbing.buckets:
            return None
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
        given = step.solved.drawn(self.stepped, span)
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
        network = self.stepped
        u = self.state.air * span
        u[drive.fixed] = drive.pressure * span
        u[step.solved.nodes] = step.solved.u
        drop = u[network.a] - u[network.b] if network.valves else u
        return np.array([float(network.conductance[v.links] @ drop[v.links]) for v in network.valves])

    def _beyond(self, step: Step, drive: Drive, around: Around, span: float) -> Floats:
        """Return what fixed nodes really give straight to dry ones, less what the Laplacian takes it for [m³]."""
        network, wet = self.stepped, self.state.band.inside()
        wet[step.new] = True
        rows, entry = network.entry_numbers(drive.fixed)
        cols, g = network.neighbour[entry], network.adjacency.data[entry]
        plain = drive.pressure[rows] * span
        if network.lifts:
            plain = plain + (network.head[drive.fixed[rows]] - network.head[cols]) * span
        real = np.where(around.shut[entry], 0.0, np.maximum(plain - around.air[cols] * span, 0.0))
        return sum_at(rows, np.where(wet[cols], 0.0, g * (real - plain)), len(drive.fixed))
