"""How far resin comes from a feed before it gels: x = √(2 K Δp ∫dt/μ / φ) of a stack."""

from __future__ import annotations

import math

import numpy as np
from msgspec import Struct

from bibulon.core.flow.build.builder import feed_pressure
from bibulon.core.flow.build.orders import part_temperature
from bibulon.core.geometry.zones import regions
from bibulon.core.model.job import Job, Layer
from bibulon.core.resin.clock import flow_clock
from bibulon.core.stack.laminate import layer_state, zone_stack

__all__ = ["Reach", "reach_of", "window_of"]


class Reach(Struct, frozen=True):
    """How far resin comes with the mesh over the stack, and through the stack alone [m]."""

    meshed: float
    bare: float


def window_of(job: Job) -> float:
    """Return how long resin may run [s]: to gel, less the rule's margin; inf where it does not gel."""
    if job.resin is None:
        return math.inf
    gel = flow_clock(job.resin, part_temperature(job), job.conditions.mixed_before_start).gel
    return gel * (1 - job.rules.gel_margin) if gel < 1e8 else math.inf


def reach_of(job: Job, window: float) -> Reach | None:
    """Return the reach in a window [s], in the zone with the least; None without plies, resin or pull."""
    if job.resin is None or not job.stack or feed_pressure(job) <= 0 or not math.isfinite(window):
        return None
    clock = flow_clock(job.resin, part_temperature(job), job.conditions.mixed_before_start)
    drive = feed_pressure(job) * clock.theta(window)
    net = layer_state(Layer(id="net", material=job.mesh.material), job) if job.mesh else None
    meshed, bare = [], []
    for zone, region in regions(job.part).zones.items():
        layers = [s for s in zone_stack(job, zone).layers if s.kind in {"fabric", "porous", "core"}]
        if region.is_empty or not layers:
            continue
        lead = sum(float(np.linalg.eigvalsh(s.k_plane)[0]) * s.thickness for s in layers)
        pores = sum(s.pores for s in layers)
        bare.append(math.sqrt(2 * lead * drive / pores))
        if net is not None:
            lead += float(net.k_plane[0, 0]) * net.thickness
            pores += net.pores
        for s in (s for s in zone_stack(job, zone).layers if s.kind == "mesh"):
            lead += float(np.linalg.eigvalsh(s.k_plane)[0]) * s.thickness
            pores += s.pores
        meshed.append(math.sqrt(2 * lead * drive / pores))
    return Reach(min(meshed), min(bare)) if bare else None
