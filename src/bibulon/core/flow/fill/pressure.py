"""Pressure in the wet region at one moment."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt
from msgspec.structs import replace

from bibulon.core.flow.build.network import Network, sum_at
from bibulon.core.flow.fill.carry import link_share
from bibulon.core.flow.fill.condense import numbers
from bibulon.core.flow.fill.factor import SingularError, Symmetric
from bibulon.core.flow.fill.history import Frame, History

__all__ = ["pressure_at", "pressure_field"]

Floats = npt.NDArray[np.float64]
# Of a node's conductance, which ties a region without any pressure of its own to nought; the second where rounding hides the first.
FAINT = (1e-12, 1e-9)


def pressure_at(history: History, time: float, viscosity: Floats | None = None) -> Floats:
    """Return the pressure above the vacuum at every node at a moment [Pa], shape (n,); 0 where dry.

    viscosity : of the resin in each node then, where it differs from place to place, shape (n,).
    """
    frame = history.frame_at(time)
    return pressure_field(history.network, history.filled_at <= time, frame, viscosity)


def pressure_field(
    network: Network, wet: npt.NDArray[np.bool_], frame: Frame, viscosity: Floats | None = None
) -> Floats:
    """Return the pressure above the vacuum at every node [Pa], shape (n,); that of the air where dry.

    wet : nodes that are full, shape (n,); frame : what ports, vents and shut-in air are at.
    """
    for port, share in zip(network.ports, frame.share, strict=True):
        if 0 < share < 1:
            hose = (network.a == port.node) | (network.b == port.node)
            network = replace(
                network, conductance=np.where(hose, network.conductance * share, network.conductance)
            )
    for valve, share in zip(network.valves, frame.valve_share, strict=True):
        scale = np.ones(len(network.a))
        scale[valve.links] = share
        network = network.carrying(scale)
    if viscosity is not None:
        network = network.carrying(link_share(network, viscosity, wet))
    pressure = np.zeros(network.size)
    if len(frame.gas):
        pressure[~wet] = frame.gas[~wet]
    fixed = np.zeros(network.size, dtype=bool)
    for vent, at in zip(network.vents, frame.at_vent, strict=True):
        if not np.isnan(at) and not vent.membrane:
            pressure[vent.nodes], fixed[vent.nodes] = at, True
    for port, at in zip(network.ports, frame.at_port, strict=True):
        if not np.isnan(at):
            pressure[port.node], fixed[port.node] = at, True
    free = np.flatnonzero(wet & ~fixed)
    if not len(free):
        return pressure
    free = free[np.argsort(network.rank[free])]
    pressure[free] = 0.0
    rows, cols, g = network.entries(free)
    to, none = numbers(network.size, free)[cols], np.zeros(0, dtype=np.int64)
    above = to > rows  # each pair once
    load = sum_at(rows, g * pressure[cols], len(free)) + network.weight[free]
    for faint in FAINT:
        diagonal = network.degree[free] * (1 + faint)
        matrix = Symmetric(len(free), rows[above], to[above], -g[above], diagonal, none, np.zeros((0, 0)))
        try:
            pressure[free] = matrix.factored().solve(load)
            break
        except SingularError:
            if faint == FAINT[-1]:
                raise
    if not network.lifts:
        pressure[free] = np.maximum(pressure[free], 0.0)
    return pressure
