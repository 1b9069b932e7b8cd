"""Which nodes a step wets, guessed: poured outward from the front, and mended where a solve shows the guess wrong."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from bibulon.core.flow.build.network import Network, sum_at

__all__ = ["mended", "pour", "widened"]

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]
Bools = npt.NDArray[np.bool_]


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
        near = cols[g > 0]  # none that is blocked
        near = near[held[near] > dry[near]]
        reached = np.zeros(network.size, dtype=bool)
        reached[near] = True
        front = reached.nonzero()[0]
    return np.concatenate(found) if found else np.zeros(0, dtype=np.int64)


def widened(network: Network, nodes: Ints, hops: int) -> Bools:
    """Return these nodes and all that lie within so many links of them, shape (n,)."""
    near = np.zeros(network.size, dtype=bool)
    near[nodes] = True
    ring = np.flatnonzero(near)
    for _ in range(hops):
        _, cols, g = network.entries(ring)
        reached = np.zeros(network.size, dtype=bool)
        reached[cols[g > 0]] = True
        reached &= ~near
        near |= reached
        ring = np.flatnonzero(reached)
    return near


def mended(network: Network, gain: Floats, dry: Floats, wrong: Ints, over: Ints, wet: Bools, *, pours: bool) -> Bools:  # fmt: skip
    """Return what is wet: without what went dry, with what was over-full.

    ``pours`` : what is over is poured on outward rather than added singly; only where nothing went dry.
    """
    if pours:
        over = pour(network, gain, dry, wet)
    wet = wet.copy()
    wet[wrong] = False
    wet[over] = True
    return wet
