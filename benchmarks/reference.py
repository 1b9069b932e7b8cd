"""The textbook way, kept as an honest reference: solve, step until the next cell is full, repeat."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt
from scipy import sparse
from scipy.sparse.linalg import splu

from bibulon.core.flow.build.network import Network

__all__ = ["one_cell_at_a_time"]


def one_cell_at_a_time(network: Network) -> npt.NDArray[np.float64]:
    """Return when each node is full in units of ∫dt/μ [1/Pa], shape (n,); all ports open, vents at the vacuum."""
    n = network.size
    laplacian = sparse.csr_array(sparse.diags_array(network.degree) - network.adjacency)
    fixed = np.zeros(n)
    wet, vent = np.zeros(n, dtype=bool), np.zeros(n, dtype=bool)
    for port in network.ports:
        fixed[port.node], wet[port.node] = port.pressure, True
    ports = wet.copy()
    for v in network.vents:
        vent[v.nodes] = True
    left, when, time = network.volume.copy(), np.where(wet, 0.0, np.inf), 0.0
    while True:
        pressure = fixed.copy()
        inside = np.flatnonzero(wet & ~ports & ~vent)
        if len(inside):
            rows = laplacian[inside]
            factor = splu(
                sparse.csc_array(rows[:, inside]),
                permc_spec="MMD_AT_PLUS_A",
                diag_pivot_thresh=0.0,
                options={"SymmetricMode": True},
            )
            pressure[inside] = factor.solve(-(rows @ fixed))
        rate = np.where(wet, 0.0, -(laplacian @ pressure))
        flowing = np.flatnonzero(rate > 1e-12 * rate.max(initial=0.0))
        if not len(flowing):
            return when
        wait = left[flowing] / rate[flowing]
        step = float(wait.min())
        time += step
        left[flowing] -= rate[flowing] * step
        full = flowing[wait <= step * (1 + 1e-9)]
        wet[full], left[full], when[full] = True, 0.0, time
