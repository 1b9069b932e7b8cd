"""Which nodes a step wets: a guess, poured outward from the front at first, mended where a solve shows it wrong."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from bibulon.core.flow import kernel
from bibulon.core.flow.build.network import Network

__all__ = ["mended"]

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]
Bools = npt.NDArray[np.bool_]


def mended(network: Network, gain: Floats, dry: Floats, wrong: Ints, over: Ints, wet: Bools, *, pours: bool) -> Bools:  # fmt: skip
    """Return what is wet: without what went dry, with what was over-full.

    ``pours`` : what is over is poured on outward rather than added singly; only where nothing went dry.
    """
    if pours:
        over = kernel.pour(network.links, gain, dry, wet)
    wet = wet.copy()
    wet[wrong] = False
    wet[over] = True
    return wet
