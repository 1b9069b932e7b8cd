"""What resin carries with it: when it was mixed, and air drawn from an empty bucket."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from bibulon.core.flow import kernel
from bibulon.core.flow.build.network import Network
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
    """Return 1/μ of each link: of its two halves in series, or of the one that holds resin where the other does not."""
    mean = (viscosity[network.a] + viscosity[network.b]) / 2
    in_a = has_resin[network.a]
    mixed = np.flatnonzero(in_a != has_resin[network.b])
    mean[mixed] = viscosity[np.where(in_a[mixed], network.a[mixed], network.b[mixed])]
    return 1.0 / mean


def link_flux(network: Network, u: Floats, wet: Bools, span: float, around: Around | None) -> Floats:
    """Return what passed each link from a to b over a step [m³], shape (m,), from ∫p dt at every node."""
    if not network.lifts and not u[~wet].any():
        u = np.maximum(u, 0.0)
        return network.conductance * (u[network.a] - u[network.b])
    # Out of dry nodes nothing comes; between them nothing passes.
    here = np.flatnonzero(wet[network.a] | wet[network.b])
    a, b = network.a[here], network.b[here]
    drop = u[a] - u[b]
    if network.lifts:
        lasting = around.span_of(a, b) if around is not None else span
        drop = drop + (network.head[a] - network.head[b]) * lasting
    flux = np.zeros(len(network.a))
    low, high = np.where(wet[b], -np.inf, 0.0), np.where(wet[a], np.inf, 0.0)
    flux[here] = np.clip(network.conductance[here] * drop, low, high)
    return flux


def carried(
    network: Network, flux: Floats, potential: Floats, before: Floats, values: Floats, entering: Bools
) -> Floats:
    """Return carried values after a step: upwind, implicit, in substeps.

    flux : volume through each link from a to b over the step [m³], shape (m,); potential : falls
    along the flow, so that in its order the system is nearly triangular; before : resin in each
    node at its start [m³], shape (n,); values : shape (n, k); entering : nodes whose values
    are given, ports in use, shape (n,).
    """
    order = np.argsort(-potential)
    return kernel.carry(network.a, network.b, flux, order, before, entering, SUBSTEPS, values)
