"""Pressure in the wet region at one moment."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt
from scipy import sparse
from scipy.sparse.linalg import splu

from bibulon.core.flow.network import Network

__all__ = ["pressure_field"]


def pressure_field(
    network: Network, wet: npt.NDArray[np.bool_], open_ports: frozenset[str]
) -> npt.NDArray[np.float64]:
    """Return the pressure above the vacuum at every node [Pa], shape (n,); 0 where dry.

    wet : nodes that are full, shape (n,); open_ports : ids of the feeds that are open.
    """
    pressure = np.zeros(network.size)
    fixed = np.zeros(network.size, dtype=bool)
    for port in network.ports:
        if port.id in open_ports:
            pressure[port.node], fixed[port.node] = port.pressure, True
    for vent in network.vents:
        fixed[vent.nodes] = True
    if not open_ports:
        return pressure
    free = np.flatnonzero(wet & ~fixed)
    if not len(free):
        return pressure
    free = free[np.argsort(network.rank[free])]
    rows = network.adjacency[free]
    matrix = sparse.diags_array(network.degree[free]) - rows[:, free]
    load = rows @ np.where(fixed, pressure, 0.0)
    factor = splu(
        matrix.tocsc(), permc_spec="NATURAL", diag_pivot_thresh=0.0, options={"SymmetricMode": True}
    )
    pressure[free] = np.maximum(factor.solve(load), 0.0)
    return pressure
