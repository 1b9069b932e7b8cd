"""How hard dry plies push a closed mould apart: the compaction curve read the other way round."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt
from msgspec import Struct

from bibulon.core.model.job import Job
from bibulon.core.stack.laid import places
from bibulon.core.stack.laminate import thickness_under

__all__ = ["Spring", "spring_of"]

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]
PRESSES = np.logspace(1.0, 7.3, 121)  # Pa at which a stack's thickness is tabulated
STEEP = 12.0  # by which power the push grows beyond that
TOUCHES = 1.0  # Pa under which plies are taken not to touch both faces


class Spring(Struct, frozen=True, eq=False):
    """The plies' push by place: which of the tables holds at each point, and thickness [m] at ``PRESSES`` of each."""

    which: Ints
    tables: tuple[Floats, ...]

    def push(self, gap: Floats) -> Floats:
        """Return the push [Pa] in a gap [m], both of shape (n,): σ where the stack is as thick as the gap.

        A gap wider than the stack is loose feels none.
        """
        out = np.zeros(len(gap))
        for k, table in enumerate(self.tables):
            mine = self.which == k
            if not mine.any() or table[0] <= 0:
                continue
            # From the loosest down: thickness falls as pressure rises; equal ends (fibre can be pressed no more) are one.
            falling, first = np.unique(-table, return_index=True)
            presses = np.log(PRESSES[first])
            log = np.interp(-gap[mine], falling, presses, left=-np.inf)
            # Beyond what the law was made for it goes on by its last exponent, so that nothing is ever pressed to naught.
            tight = gap[mine] < -falling[-1]
            steep = STEEP * np.log(np.maximum(-falling[-1] / np.maximum(gap[mine], 1e-6), 1.0))
            out[mine] = np.exp(np.where(tight, presses[-1] + steep, log))
        return np.where(out < TOUCHES, 0.0, out)

    def loose(self, press: Floats, none: float) -> Floats:
        """Return how thick the plies are under a press [Pa], shape (n,) [m]; ``none`` where nothing presses on them."""
        out = np.full(len(press), none)
        for k, table in enumerate(self.tables):
            mine = (self.which == k) & (press > PRESSES[0])
            out[mine] = np.interp(np.log(press[mine]), np.log(PRESSES), table)
        return out

    def bed(self, gap: Floats) -> tuple[Floats, Floats]:
        """Return the push [Pa] and by how much it falls a metre that the gap widens [Pa/m], shape (n,)."""
        by = np.maximum(1e-4 * gap, 1e-7)
        here, wider = self.push(gap), self.push(gap + by)
        return here, np.maximum(here - wider, 0.0) / by


def spring_of(job: Job, points: Floats) -> Spring:
    """Return the push of a job's plies at points of the plan [m], shape (n, 2).

    Raises
    ------
    OutlineError : when an outline is crossed or empty.
    """
    plan = places(job)
    tables = tuple(thickness_under(job, place, PRESSES) for place in plan.zones)
    return Spring(plan.zone_at(points), tables)
