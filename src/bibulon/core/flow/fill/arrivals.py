"""When nodes got full inside a step, and when the front passed their points."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from bibulon.core.flow import kernel
from bibulon.core.flow.build.network import Network, sum_at
from bibulon.core.flow.fill.solve import Around, Solved

__all__ = ["arrivals", "passed"]

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]
Bools = npt.NDArray[np.bool_]

# Nodes that the front has reached and not filled are 0.38 full in the mean, on strips and discs at any angle: of a
# node's filling this share goes evenly and the rest ever faster, for which the mean would be 1/2 and 1/3.  That mean
# alone asks for 0.28; strips at any angle and discs come out best with somewhat more.
EVENLY = 0.4
JUMP = 0.7  # of the drop from the nodes behind, that a node's pressure takes at once when it is full (see _by_pressure)
# Links ahead count by this power of how far they lead: full rows of nodes that lie across the flow stand half a row
# back from the front, rows that lie along it 0.35 of a cell, as the balance of a front that moves evenly has it.
BY_LENGTH = 0.5
STOOD = 3.0  # times later than foretold: the front stood still between


def arrivals(
    network: Network,
    dry: Floats,
    wet: Bools,
    solved: Solved,
    new: Ints,
    gain: Floats,
    speed0: float,
    speed1: float,
    span: float,
    around: Around | None = None,
) -> tuple[Ints, Floats]:
    """Return the nodes filled in a step and when, counted from its start [θ].

    Their order and about when by their pressures; by these the volume in the network at each such moment; then put
    on the curve θ(V) that has the known volumes and slopes 1/Q at both ends.

    dry : what was left to fill at the step's start [m³], shape (n,); wet : which nodes were full and no vent.
    gain : what was offered to nodes that stay dry [m³], shape (n,).
    speed0, speed1 : flow into dry nodes at the step's ends per unit θ [m³ Pa].
    """
    nodes, raw = _by_pressure(network, solved, new, span, around)
    if not len(nodes):
        return nodes, raw
    done, gained = _volume_at(network, dry, wet, nodes, raw, gain, span)
    if gained <= 0:
        return nodes, raw
    x = np.maximum.accumulate(np.clip(done / gained, 0.0, 1.0))
    mean = span / gained
    slope0 = min(1 / speed0 if speed0 > 0 else 3 * mean, 3 * mean) * gained
    slope1 = min(1 / speed1 if speed1 > 0 else 3 * mean, 3 * mean) * gained
    curve = (x**3 - 2 * x**2 + x) * slope0 + (3 * x**2 - 2 * x**3) * span + (x**3 - x**2) * slope1
    # What filled in this step was not full at its start.
    return nodes, np.clip(curve, 1e-6 * span, span)


def _by_pressure(
    network: Network, solved: Solved, new: Ints, span: float, around: Around | None
) -> tuple[Ints, Floats]:
    """Return the nodes that a step filled, in order, and about when each was full [θ].

    The pressure p of a node jumps by p0 when it is full and then rises evenly, so that u = ∫p dt = τ (p + p0) / 2 a
    time τ later.  On rows of nodes p0 is between none and all of the drop from the row behind, by how full the next
    row is.
    """
    filled = np.zeros(network.size, dtype=bool)
    filled[new] = True
    fresh = filled[solved.nodes]
    nodes, u, p = solved.nodes[fresh], solved.u[fresh], solved.p[fresh]
    pressure = np.zeros(network.size)
    pressure[solved.nodes], pressure[solved.fixed] = solved.p, solved.fixed_pressure
    if around is not None:
        u, p = u - around.air[nodes] * span, p - around.air[nodes]
    flow, weighed = kernel.drops(network.links, nodes, pressure)
    jump = np.divide(weighed, flow, out=np.zeros_like(p), where=flow > 0)
    back = np.divide(2 * u, p + np.minimum(JUMP * jump, p), out=np.zeros_like(u), where=p > 0)
    raw = np.clip(span - back, 0.0, span)
    order = np.argsort(raw, kind="stable")
    return nodes[order], raw[order]


def _volume_at(
    network: Network, dry: Floats, wet: Bools, nodes: Ints, raw: Floats, gain: Floats, span: float
) -> tuple[Floats, float]:
    """Return the volume taken since the step's start at each node's moment, and at its end [m³].

    Each node fills, ever faster as the front comes up behind it, from when the first beside it was full; the nodes
    that stay dry to what they got.
    """
    full_at = np.full(network.size, np.inf)
    full_at[wet] = 0.0
    full_at[nodes] = raw
    dry = np.maximum(dry, 0.0)  # what was over already when the step began fills nothing more
    partly = np.minimum(gain, dry)
    partly[wet] = 0.0
    partly[nodes] = 0.0
    reached = np.flatnonzero(partly > 0)
    filling = np.concatenate([nodes, reached])
    begun = kernel.least(network.links, filling, full_at)
    ended = np.concatenate([raw, np.full(len(reached), span)])
    begun = np.minimum(np.where(np.isfinite(begun), begun, 0.0), ended - 1e-4 * span)
    volume = np.concatenate([dry[nodes], partly[reached]])
    lasts = ended - begun
    when = np.concatenate([begun, ended])
    order = np.argsort(when, kind="stable")
    when = when[order]
    first, pace = EVENLY * volume / lasts, 2 * (1 - EVENLY) * volume / lasts**2
    gets_faster = np.concatenate([pace, -pace])[order].cumsum()
    jumps = np.concatenate([first, -first - pace * lasts])[order]
    steps = np.diff(when)
    flow = jumps.cumsum() + np.concatenate([[0.0], (gets_faster[:-1] * steps).cumsum()])
    taken = (flow[:-1] * steps + gets_faster[:-1] * steps**2 / 2).cumsum()
    return np.interp(raw, when, np.concatenate([[0.0], taken])), float(volume.sum())


def passed(network: Network, filled_at: Floats, nodes: Ints) -> Floats:
    """Return when the front passed the points of some nodes [s], shape (k,).

    When a node is full the front stands half way to the nodes ahead, as links carry the flow to them.  How long it
    took to get there follows from the slope of the times around the node: least squares over the nodes beside it,
    without those ahead at which it came much later than those behind foretell, since there it stood still.
    Nodes without a place, or with nothing ahead, such as those at a wall, are passed when they are full.
    """
    own, count = filled_at[nodes], len(nodes)
    if not len(network.place):
        return own
    rows, cols, g = network.entries(nodes)
    beside = (network.sheet[cols] == network.sheet[nodes[rows]]) & (network.sheet[cols] >= 0) & (g > 0)
    beside &= np.isfinite(own[rows])
    rows, cols, g = rows[beside], cols[beside], g[beside]
    way = network.place[cols] - network.place[nodes[rows]]
    later = filled_at[cols] - own[rows]
    behind = _slopes(rows, way, later, later <= 0, count)
    foretold = np.einsum("ij,ij->i", behind[rows], way)
    used = (later <= 0) | (later <= STOOD * np.maximum(foretold, 0.0))
    steps = np.maximum(np.einsum("ij,ij->i", _slopes(rows, way, later, used, count)[rows], way), 0.0)
    total = sum_at(rows, g * steps**BY_LENGTH, count)
    half = np.divide(
        sum_at(rows, g * steps ** (1 + BY_LENGTH), count), 2 * total, out=np.zeros(count), where=total > 0
    )
    return np.maximum(own - half, 0.0)


def _slopes(rows: Ints, way: Floats, later: Floats, used: Bools, count: int) -> Floats:
    """Return the slope of the times at each node by least squares over some of its links [s/m], shape (count, 2)."""
    rows, way, later = rows[used], way[used], later[used]
    xx, yy, xy = (sum_at(rows, way[:, i] * way[:, j], count) for i, j in ((0, 0), (1, 1), (0, 1)))
    tx, ty = (sum_at(rows, way[:, i] * later, count) for i in (0, 1))
    # One link, or links in a row, tell the slope along them alone: a touch of damping leaves it none across.
    damp = 1e-6 * (xx + yy)
    xx, yy = xx + damp, yy + damp
    det = (xx * yy - xy**2)[:, None]
    slope = np.column_stack([yy * tx - xy * ty, xx * ty - xy * tx])
    return np.divide(slope, det, out=np.zeros_like(slope), where=det > 0)
