"""What resin carries with it: when it was mixed, and air drawn from an empty bucket."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from bibulon.core.flow import kernel
from bibulon.core.flow.build.network import Network, sum_at
from bibulon.core.flow.fill.solve import Around
from bibulon.core.resin.clock import FlowClock

__all__ = ["THICKEST", "carried", "link_flux", "link_share", "mean_viscosity"]

Floats = npt.NDArray[np.float64]
Bools = npt.NDArray[np.bool_]

THICKEST = 1e6  # times the fresh viscosity: gelled resin, which flows no more
SUBSTEPS = 2  # into which a step is cut for what is carried


def mean_viscosity(law: FlowClock, born: Floats, start: float, end: float) -> Floats:
    """Return the viscosity over a step of resins mixed at ``born`` [s], as the mean of 1/μ makes it [Pa s]."""
    fresh = float(law.viscosity[0])
    if end <= start:
        end = start + 1e-6
    passed = law.thetas(end - born) - law.thetas(start - born)
    return (end - start) / np.maximum(passed, (end - start) / (THICKEST * fresh))


def link_share(network: Network, viscosity: Floats, has_resin: Bools) -> Floats:
    """Return 1/μ of each link: of its two halves in series where both hold resin, else of the one that does."""
    a, b = viscosity[network.a], viscosity[network.b]
    in_a, in_b = has_resin[network.a], has_resin[network.b]
    mean = np.where(in_a & in_b, (a + b) / 2, np.where(in_a, a, b))
    return 1.0 / mean


def link_flux(network: Network, u: Floats, wet: Bools, span: float, around: Around | None) -> Floats:
    """Return what passed each link from a to b over a step [m³], shape (m,), from ∫p dt at every node."""
    drop = u[network.a] - u[network.b]
    if network.lifts:
        lasting = around.span_of(network.a, network.b) if around is not None else np.full(len(drop), span)
        drop = drop + (network.head[network.a] - network.head[network.b]) * lasting
    flux = network.conductance * drop
    in_a, in_b = wet[network.a], wet[network.b]
    # Out of dry nodes nothing comes; between them nothing passes.
    flux = np.where(in_a, flux, np.minimum(flux, 0.0))
    flux = np.where(in_b, flux, np.maximum(flux, 0.0))
    return np.where(in_a | in_b, flux, 0.0)


def carried(
    network: Network, flux: Floats, potential: Floats, before: Floats, values: Floats, entering: Bools
) -> Floats:
    """Return carried values after a step: upwind, implicit, in substeps.

    flux : volume through each link from a to b over the step [m³], shape (m,); potential : falls
    along the flow, so that in its order the system is nearly triangular; before : resin in each
    node at its start [m³], shape (n,); values : shape (n, k); entering : nodes whose values
    are given, ports in use, shape (n,).
    """
    n = network.size
    up = np.where(flux >= 0, network.a, network.b)
    down = np.where(flux >= 0, network.b, network.a)
    part = np.abs(flux) / SUBSTEPS
    inflow, outflow = sum_at(down, part, n), sum_at(up, part, n)
    moves = inflow > 1e-14 * inflow.max(initial=0.0)
    moves &= ~entering
    used = moves[down] & (part > 0)
    up, down, part = up[used], down[used], part[used]
    # Only nodes that take part: what is dry, or at rest, keeps its values.
    here = np.zeros(n, dtype=bool)
    here[up] = here[down] = True
    nodes = np.flatnonzero(here)
    nodes = nodes[np.argsort(-potential[nodes], kind="stable")]
    k = len(nodes)
    number = np.empty(n, dtype=np.int64)
    number[nodes] = np.arange(k)
    up, down = number[up], number[down]
    moving, into, out = moves[nodes], inflow[nodes], outflow[nodes]
    held, told = before[nodes], values[nodes]
    told = kernel.carry(up, down, part, held, into, out, moving, SUBSTEPS, told)
    values = values.copy()
    values[nodes] = told
    return values
