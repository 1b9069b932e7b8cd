"""Which nodes a step wets, guessed: poured outward from the front, and mended where a solve shows the guess wrong."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from bibulon.core.flow import kernel
from bibulon.core.flow.build.network import Network

__all__ = ["mended", "pour", "widened"]

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]
Bools = npt.NDArray[np.bool_]


def pour(network: Network, gain: Floats, dry: Floats, blocked: Bools) -> Ints:
    """Return the dry nodes that ``gain`` [m³] fills when each full node hands on what is over.

    ``blocked`` marks nodes that take nothing: wet ones and vents.
    """
    return kernel.pour(network.links, gain, dry, blocked)


def widened(network: Network, nodes: Ints, hops: int) -> Bools:
    """Return these nodes and all that lie within so many links of them, shape (n,)."""
    return kernel.widen(network.links, nodes, hops)


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
