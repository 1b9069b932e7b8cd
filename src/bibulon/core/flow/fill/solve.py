"""One step of the wet region: the linear system of what is left of it, solved for the step and for its end."""

from __future__ import annotations

from functools import cached_property

import numpy as np
import numpy.typing as npt
from msgspec import Struct

from bibulon.core.flow import kernel
from bibulon.core.flow.build.network import Network, sum_at
from bibulon.core.flow.fill.condense import Band, numbers
from bibulon.core.flow.fill.factor import Symmetric
from bibulon.core.flow.fill.light import LIGHT, Light, there_is_light

__all__ = ["Around", "Given", "Solved", "System"]

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]
Bools = npt.NDArray[np.bool_]

STRONG = 1e30  # times the largest conductance: what holds a dry node at 0


class Given(Struct, frozen=True, eq=False):
    """Resin put in at a rate: nodes, volume over the step [m³], and rate per unit θ at its end [m³ Pa]."""

    nodes: Ints
    volume: Floats
    rate: Floats


class Around(Struct, frozen=True, eq=False):
    """What acts at the front when heights or gas count.

    air : pressure in dry nodes and open vents, and in wet ones before they were wet [Pa], shape (n,).
    wet_for : how long each node is wet in this step [θ], shape (n,); gravity acts in wet links alone.
    shut : links from a wet node to a dry one that pass nothing, since resin would run back through
        them; by entry of the adjacency, shape (nnz,).
    """

    air: Floats
    wet_for: Floats
    shut: Bools

    def span_of(self, i: Ints, j: Ints) -> Floats:
        """Return how long the links between nodes carry resin [θ]."""
        return np.maximum(self.wet_for[i], self.wet_for[j])


class Solved(Struct, frozen=True, eq=False):
    """A solved wet region: ∫p dt and the pressure at its end at unknown nodes, and at those held.

    number : of the unknown that stands for each node; couple : conductance to held nodes [m³], shape (k, fixed).
    """

    nodes: Ints
    u: Floats
    p: Floats
    fixed: Ints
    fixed_pressure: Floats
    couple: Floats
    number: Ints
    old: Band
    live: Ints

    def gains(self, network: Network, values: Floats, fixed_values: Floats) -> Floats:
        """Return Σ G_ij value_j at every node that is neither unknown, fixed nor eliminated, shape (n,)."""
        source = np.concatenate([self.nodes, self.fixed])
        return kernel.spread(network.links, source, np.concatenate([values, fixed_values]))

    def offers(
        self, network: Network, values: Floats, fixed_values: Floats, span: float, around: Around, wet: Bools
    ) -> tuple[Ints, Ints, Floats]:
        """Return (entry of the adjacency, dry node, volume offered) of every link from a wet node to a dry one.

        Links that are shut are told with what they would pass if they were open.
        """
        source = np.concatenate([self.nodes, self.fixed])
        amount = np.concatenate([values, fixed_values])
        rows, entry = network.entry_numbers(source)
        cols = network.neighbour[entry]
        out = ~wet[cols]
        rows, entry, cols = rows[out], entry[out], cols[out]
        drop = amount[rows] - around.air[cols] * span
        if network.lifts:
            lasting = np.where(span > 0, around.span_of(source[rows], cols), 0.0)
            drop += (network.head[source[rows]] - network.head[cols]) * lasting
        return entry, cols, network.adjacency.data[entry] * drop

    def drawn(self, network: Network, span: float) -> Floats:
        """Return what held nodes gave over the step if all that is dry had no pressure [m³], shape (fixed,)."""
        fixed, band = self.fixed, self.old
        push = self.fixed_pressure * span
        rows, cols, g = network.entries(fixed)
        at = numbers(network.size, fixed)
        among = at[cols] >= 0
        out = network.degree[fixed] * push - sum_at(rows[among], g[among] * push[at[cols[among]]], len(fixed))
        out -= network.weight[fixed] * span
        ring = at[band.ring]
        own = ring >= 0
        out[ring[own]] += band.block[np.ix_(own, own)] @ push[ring[own]] - band.weight[own] * span
        at_unknown = np.zeros(len(self.couple))
        at_unknown[self.number] = self.u
        return np.asarray(out + self.couple.T @ at_unknown)


def _unknowns(network: Network, band: Band, nodes: Ints) -> tuple[Ints, int]:
    """Return the number of the unknown that stands for each node, shape (n,), −1 for none, and how many there are.

    They stand in the order of dissection, the ring last: its block is dense.
    """
    in_ring = np.zeros(network.size, dtype=bool)
    in_ring[band.ring] = True
    unknown = nodes[band.same[nodes] == nodes]
    unknown = unknown[np.lexsort((network.rank[unknown], in_ring[unknown]))]
    number = numbers(network.size, unknown)
    number[nodes] = number[band.same[nodes]]
    return number, len(unknown)


class System:
    """The linear system of a step: what is left of the wet region, and all nodes that may get wet in the step.

    Which of these are wet is told with each solve: those that are not are held at 0 by a weight on the diagonal,
    so that all solves of a step share one pattern.

    Parameters
    ----------
    band : what is left of the earlier wet region.
    reach : nodes that may be wet at the end of the step and are not in the band.
    fixed : nodes of given pressure; they lie in the band.
    """

    def __init__(self, network: Network, band: Band, reach: Ints, fixed: Ints) -> None:
        self.network, self.band, self.fixed = network, band, fixed
        live = np.concatenate([reach, band.nodes])
        held = numbers(network.size, fixed)
        nodes = live[held[live] < 0]
        number, k = _unknowns(network, band, nodes)
        # In the order of their unknowns, as the kernel takes them.
        self.nodes = nodes = nodes[np.argsort(number[nodes], kind="stable")]
        self._number, self._size, self._mine = number, k, number[nodes]
        own = np.flatnonzero(number[band.ring] >= 0)
        own = own[np.argsort(number[band.ring[own]])]
        block = band.block[np.ix_(own, own)]
        light = k > 0 and there_is_light() and 3 * len(nodes) + len(own) ** 2 // 2 < LIGHT
        upper, self._couple = kernel.assemble(
            network.links, nodes, number, k, held, len(fixed), block if light else block[:0, :0]
        )
        self._matrix: Light | Symmetric = Light(upper) if light else Symmetric.of(upper, block)
        self._strong = STRONG * float(upper.values[upper.diagonal].max(initial=1e-300))
        self._weight = sum_at(self._mine, network.weight[nodes], k)
        _hang_ring(band, number, held, own, self._couple, self._weight)

    @cached_property
    def _links(self) -> tuple[Ints, Ints]:
        """All links of the nodes, as ``Network.entry_numbers`` has them: what acts at the front goes by link."""
        return self.network.entry_numbers(self.nodes)

    def solve(
        self,
        new: Ints,
        pressure: Floats,
        dry: Floats,
        span: float,
        given: Given | None = None,
        around: Around | None = None,
    ) -> Solved:
        """Solve it.

        Parameters
        ----------
        new : nodes of the reach that are taken to be wet at the end of the step.
        pressure : at the fixed nodes [Pa].
        dry : unfilled volume of every node at the start of the step [m³], shape (n,).
        span : length of the step in ∫dt/μ [1/Pa].
        given : volumes put in at nodes of the band.
        around : air and heights, where they count.

        Raises
        ------
        SingularError : when it has no pressure of its own.
        """
        network, band, nodes, mine, k = self.network, self.band, self.nodes, self._mine, self._size
        wet = np.zeros(network.size, dtype=bool)
        wet[new] = True
        fresh = wet.copy()
        wet[band.nodes] = True
        inside = wet[nodes]
        load, push = sum_at(mine, -dry[nodes], k), np.zeros(k)
        more = np.zeros(k)
        more[mine[~inside]] = self._strong
        if around is not None:
            wet |= band.gone
            rows, entry = self._links
            to_dry = ~wet[network.neighbour[entry]]
            late, at_end, shut = _from_around(network, around, nodes, fresh, rows, entry, to_dry, span)
            load += sum_at(mine, late, k)
            push += sum_at(mine, at_end, k)
            more -= sum_at(mine, shut, k)
        flow = self._weight - self._couple @ pressure
        load += flow * span
        push += flow
        if given is not None and len(given.nodes):
            at = self._number[given.nodes]
            load[at] += given.volume
            push[at] += given.rate
        loads = np.column_stack([load, push])
        loads[mine[~inside]] = 0.0
        mine = mine[inside]
        answer = self._matrix.factored(more).solve(loads)[mine]
        live = np.concatenate([new, band.nodes])
        return Solved(
            nodes[inside], answer[:, 0], answer[:, 1], self.fixed, pressure, self._couple, mine, band, live
        )


def _hang_ring(band: Band, number: Ints, held: Ints, own: Ints, couple: Floats, weight: Floats) -> None:
    """Add what eliminated nodes do to the ring: to held nodes of it by ``couple``, by their weight to ``weight``."""
    at, others = number[band.ring[own]], np.flatnonzero(number[band.ring] < 0)
    couple[np.ix_(at, held[band.ring[others]])] += band.block[np.ix_(own, others)]
    weight[at] += band.weight[own]


def _from_around(
    network: Network,
    around: Around,
    nodes: Ints,
    fresh: Bools,
    rows: Ints,
    entry: Ints,
    to_dry: Bools,
    span: float,
) -> tuple[Floats, Floats, Floats]:
    """Return what air and heights add to the load of a step, to its end's rate, and take off the diagonal.

    ``fresh`` marks the step's new nodes, shape (n,): their links carry for part of it only.
    """
    k = len(nodes)
    i, j = nodes[rows], network.neighbour[entry]
    g = network.adjacency.data[entry]
    shut = around.shut[entry] & to_dry
    air = np.where(to_dry & ~shut, g * around.air[j], 0.0)
    load, rate = air * span, air
    if network.lifts:
        lift = g * (network.head[j] - network.head[i])
        lasting = around.span_of(i, j) if span > 0 else np.zeros(len(i))
        load = load - np.where(fresh[i], lift * (span - lasting), 0.0) - np.where(shut, lift * lasting, 0.0)
        rate = rate - np.where(shut, lift, 0.0)
    return sum_at(rows, load, k), sum_at(rows, rate, k), sum_at(rows, np.where(shut, g, 0.0), k)
