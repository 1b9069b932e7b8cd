"""What is done while a network fills: valves, vacuum, buckets and their batches, each at its moment."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import numpy.typing as npt
from msgspec import Struct, field

from bibulon.core.flow.build.network import Network

__all__ = ["Batch", "Bucket", "Opens", "Program", "Turn", "When"]


class When(Struct, frozen=True):
    """A moment: ``at`` [s], or ``delay`` s after ``front`` (a line or mark) is wet or ``empty`` (a bucket) is.

    With neither time, front nor bucket it never comes.
    """

    at: float | None = None
    front: str | None = None
    empty: str | None = None
    delay: float = 0.0


class Turn(Struct, frozen=True):
    """A valve turned or a vacuum changed, on the port or vent called ``target``.

    share : how far a valve is open, 1 fully, 0 shut; pressure : what a port or vent is set to
    [Pa above the vacuum].  None leaves either as it is.
    """

    target: str
    when: When
    share: float | None = None
    pressure: float | None = None


class Batch(Struct, frozen=True, eq=False):
    """Resin poured into a bucket: volume [m³], when it was mixed [s] and when it is poured.

    ``mixed`` None means that it is mixed as it enters, so that its age counts from there.  ``pot``
    holds ages in the bucket and what they count as in the part [s], where it is warmer or colder.
    """

    volume: float
    mixed: float | None = 0.0
    poured: When = When(at=0.0)
    pot: tuple[npt.NDArray[np.float64], npt.NDArray[np.float64]] | None = None


class Bucket(Struct, frozen=True):
    """A bucket that feeds some ports until what is left is its heel [m³]; then they draw air."""

    id: str
    ports: tuple[str, ...]
    batches: tuple[Batch, ...]
    heel: float = 0.0


class Opens(Struct, frozen=True):
    """When a port or vent is open: from ``at`` [s], or ``delay`` s after ``line`` is wet; until ``until`` [s]."""

    at: float | None = 0.0
    line: str | None = None
    delay: float = 0.0
    until: float = np.inf

    def turns(self, target: str) -> tuple[Turn, ...]:
        """Return the two turns that this comes to."""
        opens = Turn(target, When(None if self.line else self.at, self.line, None, self.delay), share=1.0)
        return (opens,) if np.isinf(self.until) else (opens, Turn(target, When(at=self.until), share=0.0))


class Program(Struct, frozen=True, eq=False):
    """All turns and buckets.  Ports without a bucket draw from one that never ends, of the first pot.

    ``looks`` are sets of nodes: a step ends when half of one is full, so that the front is exact at that moment.
    """

    turns: tuple[Turn, ...] = ()
    buckets: tuple[Bucket, ...] = field(default=())
    looks: tuple[npt.NDArray[np.int64], ...] = ()

    @property
    def ages_differ(self) -> bool:
        """Whether resins of different ages meet."""
        batches = [batch for bucket in self.buckets for batch in bucket.batches]
        mixed = {batch.mixed for batch in batches}
        return len(mixed) > 1 or None in mixed or any(batch.pot is not None for batch in batches)

    @classmethod
    def opening(
        cls,
        network: Network,
        ports: Sequence[Opens],
        vents: Sequence[Opens] | None = None,
        buckets: tuple[Bucket, ...] = (),
    ) -> Program:
        """Return the program in which each port, and each vent, is open for one span."""
        turns = [t for port, o in zip(network.ports, ports, strict=True) for t in o.turns(port.id)]
        for vent, o in zip(network.vents, vents or (), strict=vents is not None):
            turns += o.turns(vent.id)
        return cls(tuple(turns), buckets)
