"""The moments of a program as a filling meets them: by the clock, by the front, by an empty bucket."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
import numpy.typing as npt
import scipy
from msgspec import Struct

from bibulon.core.flow.build.network import Network
from bibulon.core.flow.build.program import Batch, Program, Turn, When
from bibulon.core.flow.fill.arrivals import passed
from bibulon.core.flow.fill.step import FillError
from bibulon.core.resin.clock import FlowClock
from bibulon.core.units.words import tr

__all__ = ["Pour", "Schedule"]

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]


NEAR_START = 0.05  # share of a step after its start within which a moment looked for counts as met
# Shares of the time so far, and of a step, within which the last node of a line counts as full.  One that fills ever
# more slowly is foretold too early by each step, however short, and would be chased through a dozen.
SOON, SOON_IN_STEP = 2e-3, 0.01
NEAR = 7  # nodes of a line whose times are smoothed together


class Pour(Struct, frozen=True):
    """A batch goes into a bucket, given by its place in the program."""

    bucket: int
    batch: Batch
    number: int


@dataclass
class _Pending:
    """An act that has not happened yet and when it will [s], inf while that is not known."""

    act: Turn | Pour
    when: When
    moment: float


@dataclass(eq=False)
class Schedule:
    """What is still to be done."""

    network: Network
    pending: list[_Pending]
    wet_at: dict[str, float] = field(default_factory=dict)
    looks: list[Ints] = field(default_factory=list)

    @classmethod
    def of(cls, network: Network, program: Program) -> Schedule:
        """Line up a program's acts."""
        acts: list[tuple[Turn | Pour, When]] = [(turn, turn.when) for turn in program.turns]
        for k, bucket in enumerate(program.buckets):
            acts += [(Pour(k, batch, n), batch.poured) for n, batch in enumerate(bucket.batches)]
        known = [x.id for x in network.inlets] + [v.id for v in network.vents]
        for act, when in acts:
            if isinstance(act, Turn) and act.target not in known:
                raise FillError(tr("there is no line {} to turn", act.target))
            if when.front is not None:
                try:
                    network.watched(when.front)
                except KeyError:
                    raise FillError(tr("no line {} to wait for", when.front)) from None
        pending = [_Pending(a, w, np.inf if w.at is None else w.at) for a, w in acts]
        return cls(network, pending, looks=list(program.looks))

    def next(self, now: float) -> float:
        """Return the next known moment after now [s]."""
        return min((p.moment for p in self.pending if p.moment > now + 1e-9), default=np.inf)

    def due(self, now: float) -> list[tuple[float, Turn | Pour]]:
        """Take out and return what is due, in order, with its moment."""
        ready = sorted((p for p in self.pending if p.moment <= now + 1e-9), key=lambda p: p.moment)
        self.pending = [p for p in self.pending if p.moment > now + 1e-9]
        return [(p.moment, p.act) for p in ready]

    def emptied(self, bucket: str, now: float) -> None:
        """Set off what waits for a bucket to be empty."""
        for p in self.pending:
            if p.when.empty == bucket and not np.isfinite(p.moment):
                p.moment = now + p.when.delay

    def notice(self, filled_at: Floats, now: float) -> None:
        """Note which lines the front has passed, and set off what waits for it."""
        for p in self.pending:
            front = p.when.front
            if front is None or np.isfinite(p.moment):
                continue
            if front not in self.wet_at:
                moment = self._passes(front, filled_at)
                if np.isfinite(moment):
                    self.wet_at[front] = moment
            if front in self.wet_at:
                p.moment = max(self.wet_at[front] + p.when.delay, now)

    def fronts(
        self, filled_at: Floats, clock: FlowClock, theta0: float, theta1: float, now: float
    ) -> list[float]:
        """Return the ends [θ] to which a step must be cut for what waits for the front inside it.

        A long step is first cut just behind the line, so that the moment is read from a short one, unless that lies at the
        step's very start.
        """
        cuts, span = [], theta1 - theta0
        for p in self.pending:
            if p.when.front is None or np.isfinite(p.moment):
                continue
            full = float(filled_at[self.network.watched(p.when.front)].max())
            if not np.isfinite(full):
                continue
            moment = self._passes(p.when.front, filled_at) + p.when.delay
            if clock.theta(moment) >= theta1:
                continue
            behind = max(clock.theta(full), clock.theta(moment))
            soon = behind - theta0 <= max(SOON * theta0, SOON_IN_STEP * span)
            if theta1 - behind > 0.1 * span and not soon:
                cuts.append(behind + 0.02 * span)
            else:
                self.wet_at.setdefault(p.when.front, moment - p.when.delay)
                p.moment = max(moment, now)
                cuts.append(max(clock.theta(moment), theta0 + 1e-3 * span))
        return cuts + self._looked(filled_at, clock, theta0, theta1)

    def _looked(self, filled_at: Floats, clock: FlowClock, theta0: float, theta1: float) -> list[float]:
        """Return the ends [θ] that let a step end when half of some nodes are full: at its end the front is exact."""
        cuts, ahead = [], []
        for nodes in self.looks:
            middle = len(nodes) // 2
            half = float(np.partition(filled_at[nodes], middle)[middle])
            moment = clock.theta(half) if np.isfinite(half) else np.inf
            # Just behind the step's start, where the front was exact, is as good: a shorter step would only find it
            # just behind that, and so on without an end.
            if moment <= theta0 + NEAR_START * (theta1 - theta0):
                continue
            ahead.append(nodes)
            if theta1 - moment > 0.1 * (theta1 - theta0):
                cuts.append(moment + 0.02 * (theta1 - theta0))
        self.looks = ahead
        return cuts

    def _passes(self, name: str, filled_at: Floats) -> float:
        """Return when the front has passed every point of a line or mark [s]."""
        nodes = self.network.watched(name)
        if not np.isfinite(filled_at[nodes]).all():
            return float("inf")
        times = passed(self.network, filled_at, nodes)
        return (
            float(_along(self.network.place[nodes], times).max(initial=0.0))
            if len(self.network.place)
            else float(times.max(initial=0.0))
        )


def _along(places: Floats, times: Floats) -> Floats:
    """Return times along a line without the grain of the mesh: each by the plane through those of its neighbours.

    The latest of many would be late by the grain.
    """
    if len(times) < NEAR:
        return times
    _, near = scipy.spatial.cKDTree(places).query(places, k=NEAR)
    way, here = places[near] - places[near].mean(axis=1, keepdims=True), times[near]
    middle = here.mean(axis=1)
    xx = np.einsum("nki,nkj->nij", way, way)
    damp = 1e-6 * np.trace(xx, axis1=1, axis2=2)[:, None, None] * np.eye(2)
    slope = np.linalg.solve(xx + damp, np.einsum("nki,nk->ni", way, here - middle[:, None])[..., None])[
        ..., 0
    ]
    return np.asarray(middle + np.einsum("ni,ni->n", slope, places - places[near].mean(axis=1)))
