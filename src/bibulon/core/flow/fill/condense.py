"""The wet region of a network as a linear system in which the filled inside is eliminated.

A column of nodes, all layers of one place, that is full and has full columns around it never
changes again while ports and viscosity stay.  It is eliminated once: what it does to the rest is
a dense block on the ring of nodes beside it.  Every later solve touches that ring, the columns in
which layers are still dry, and the new nodes.  Nodes of columns that are wet in some layers only
stay as they are: eliminated, a mesh that runs ahead would couple all the plies below it.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
import numpy.typing as npt

from bibulon.core.flow.build.network import Network, sum_at
from bibulon.core.flow.fill.factor import Factor, Reducing, SingularError, factored, reducing

__all__ = [
    "Around",
    "Band",
    "Given",
    "Inside",
    "Solved",
    "condense",
    "solve",
]

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]
Bools = npt.NDArray[np.bool_]


@dataclass(frozen=True)
class Band:
    """The wet region as later solves see it.

    nodes : wet nodes that are still in the system, shape (k,); gone : eliminated ones, shape (n,).
    same : for each node the one that stands for it, shape (n,); layers of a column that are at one
    pressure have one.  ring : those that stand and lie beside eliminated ones, shape (r,); block :
    what these add to the Laplacian there [m³], shape (r, r); weight : and to what gravity puts in
    [m³ Pa], shape (r,).
    """

    nodes: Ints
    gone: Bools
    same: Ints
    ring: Ints
    block: Floats
    weight: Floats

    @classmethod
    def start(cls, network: Network, nodes: Ints) -> Band:
        """Begin with some nodes, nothing eliminated and nothing merged."""
        none, n = np.zeros(0, dtype=np.int64), network.size
        return cls(nodes, np.zeros(n, dtype=bool), np.arange(n), none, np.zeros((0, 0)), np.zeros(0))

    def joined(self, fresh: Ints) -> Band:
        """Return this band with some nodes added that were not in the system."""
        return replace(self, nodes=np.concatenate([self.nodes, fresh]))

    def inside(self) -> Bools:
        """Return which nodes are in the system or were eliminated from it, shape (n,)."""
        out = self.gone.copy()
        out[self.nodes] = True
        return out


@dataclass(frozen=True)
class Given:
    """Resin put in at a rate: nodes, volume over the step [m³], and rate per unit θ at its end [m³ Pa]."""

    nodes: Ints
    volume: Floats
    rate: Floats


@dataclass(frozen=True)
class Around:
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


@dataclass(frozen=True)
class Solved:
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
        amount = np.concatenate([values, fixed_values])
        rows, cols, g = network.entries(source)
        return sum_at(cols, g * amount[rows], network.size)

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
        at = _numbers(network.size, fixed)
        among = at[cols] >= 0
        out = network.degree[fixed] * push - sum_at(rows[among], g[among] * push[at[cols[among]]], len(fixed))
        out -= network.weight[fixed] * span
        ring = at[band.ring]
        own = ring >= 0
        out[ring[own]] += band.block[np.ix_(own, own)] @ push[ring[own]] - band.weight[own] * span
        at_unknown = np.zeros(len(self.couple))
        at_unknown[self.number] = self.u
        return np.asarray(out + self.couple.T @ at_unknown)


@dataclass(frozen=True)
class Inside:
    """What finds ∫p dt again in nodes that were eliminated.

    nodes : all of them, shape (e,); number : of the unknown that stood for each; ring : what they hang on.
    """

    nodes: Ints
    number: Ints
    ring: Ints
    weight: Floats
    factor: Factor | None
    schur: Floats

    def values(self, u: Floats, span: float) -> Floats:
        """Return ∫p dt [Pa θ] at the eliminated nodes, given it at the ring in ``u``, shape (n,)."""
        if self.factor is None:
            return np.zeros(0)
        k = len(self.weight)
        load = np.zeros(k + len(self.ring))
        load[:k] = self.weight * span
        free = self.factor.solve(load)
        back = np.zeros_like(load)
        back[k:] = self.schur @ (u[self.ring] - free[k:])
        return np.asarray(free + self.factor.solve(back))[self.number]


def _numbers(n: int, nodes: Ints) -> Ints:
    """Return the position in ``nodes`` of each of n nodes, −1 elsewhere."""
    number = np.full(n, -1, dtype=np.int64)
    number[nodes] = np.arange(len(nodes))
    return number


def _well_behind(network: Network, inside: Bools, merge: bool) -> Bools:
    """Return which columns are full and stand back far enough from all that are not, shape (columns,)."""
    waits = np.zeros(network.columns, dtype=bool)
    waits[network.column[~inside]] = True
    return np.asarray(~network.widened(waits, (network.settling if merge else 2) - 1))


def _merged(
    network: Network, band: Band, live: Ints, go: Ints, rest: Ints, touched: Bools, own: Bools
) -> Ints:
    """Return the node that stands for each, shape (n,), once the layers of what goes and of its ring are one.

    ``touched`` marks the ring, and is widened by what was merged into it.
    """
    joins = np.zeros(network.columns, dtype=bool)
    joins[network.column[rest[touched[rest]]]] = True
    joins[network.column[go]] = True
    joins &= own & ~network.apart
    mine = live[joins[network.column[live]]]
    same = band.same.copy()
    same[mine] = network.foot[network.column[mine]]
    touched[rest[joins[network.column[rest]]]] = True
    return same


@dataclass(frozen=True)
class _Going:
    """Which nodes leave the system: ``go`` all of them, ``leaving`` those that stand; ``rest`` stays, ``ring`` of it stands
    beside what left, ``hung`` is all that hangs on the ring; ``same`` as in ``Band``; ``inside`` marks all that is wet.
    """

    go: Ints
    rest: Ints
    same: Ints
    leaving: Ints
    ring: Ints
    hung: Ints
    inside: Bools
    links: tuple[Ints, Ints, Floats]  # of what goes, as ``Network.entries`` has them


def _going(network: Network, band: Band, live: Ints, stays: Bools, merge: bool) -> _Going:
    """Choose the columns that are full and lie some way behind those that are not."""
    n = network.size
    inside = band.gone.copy()
    inside[live] = True
    own = np.ones(network.columns, dtype=bool)
    own[network.column[stays]] = False
    going = (_well_behind(network, inside, merge) & own)[network.column[live]]
    go, rest = live[going], live[~going]
    was_ring = np.zeros(n, dtype=bool)
    was_ring[band.ring] = True
    touched = was_ring.copy()
    links = network.entries(go)
    touched[links[1]] = True
    touched &= ~band.gone
    touched[go] = False
    same = _merged(network, band, live, go, rest, touched, own) if merge and len(go) else band.same
    leaving = go[same[go] == go]
    leaving = leaving[np.lexsort((network.rank[leaving], was_ring[leaving]))]
    ring = rest[touched[rest] & (same[rest] == rest)]
    return _Going(go, rest, same, leaving, ring, rest[touched[rest]], inside, links)


def _reduced(network: Network, band: Band, chosen: _Going, number: Ints) -> tuple[Reducing, Floats]:
    """Return the factor of what goes and of its ring, and the diagonal that it was given, shape (k + m,).

    Raises
    ------
    SingularError : when they have no pressure of their own.
    """
    k, size = len(chosen.leaving), len(chosen.leaving) + len(chosen.ring)
    rows, cols, g = chosen.links
    # Links of what goes; those among the ring stay with the network.
    i, to = number[chosen.go[rows]], number[cols]
    apart = i != to
    diagonal = sum_at(i[apart], g[apart], size)
    linked = apart & (to >= 0)
    i, to, g = i[linked], to[linked], g[linked]
    mirrored = to >= k
    # So that the factor exists; ``condense`` takes it off again.
    diagonal += sum_at(number[chosen.hung], network.degree[chosen.hung], size)
    factor = reducing(
        size,
        np.concatenate([i, to[mirrored]]),
        np.concatenate([to, i[mirrored]]),
        -np.concatenate([g, g[mirrored]]),
        diagonal,
        number[band.ring],
        band.block,
    )
    return factor, diagonal


def condense(network: Network, band: Band, live: Ints, stays: Bools, merge: bool) -> tuple[Band, Inside]:
    """Eliminate the columns that are full and lie some way behind those that are not.

    live : wet nodes in the system; stays : nodes that are never eliminated, shape (n,); merge :
    whether the layers of what goes and of the ring that it leaves are taken to be at one pressure,
    which makes them as few as those of a single layer.  They stand back far enough from the front,
    from ports and from vents for it, see ``Network.settling``.
    """
    chosen = _going(network, band, live, stays, merge and network.columns < network.size)
    go, ring = chosen.go, chosen.ring
    no_number = np.zeros(0, dtype=np.int64)
    none = Inside(go[:0], no_number, no_number, np.zeros(0), None, np.zeros((0, 0)))
    if not len(go):
        return replace(band, nodes=live), none
    k, m = len(chosen.leaving), len(ring)
    number = _numbers(network.size, np.concatenate([chosen.leaving, ring]))
    number = np.where(chosen.inside, number[chosen.same], -1)
    try:
        factor, diagonal = _reduced(network, band, chosen, number)
    except SingularError:
        return replace(band, nodes=live), none
    schur = factor.schur(k)
    put = sum_at(number[go], network.weight[go], k + m)
    put += sum_at(number[band.ring], band.weight, k + m)
    weight, put = put[:k], put[k:]
    if network.lifts:
        put = put + schur @ factor.solve(np.concatenate([weight, np.zeros(m)]))[k:]
    gone = band.gone.copy()
    gone[go] = True
    block = schur - np.diag(diagonal[k:])
    left = Band(chosen.rest, gone, chosen.same, ring, block, put)
    return left, Inside(go, number[go], ring, weight, factor, schur)


def _unknowns(network: Network, band: Band, nodes: Ints) -> tuple[Ints, int]:
    """Return the number of the unknown that stands for each node, shape (n,), −1 for none, and how many there are.

    They stand in the order of dissection, the ring last: its block is dense.
    """
    in_ring = np.zeros(network.size, dtype=bool)
    in_ring[band.ring] = True
    unknown = nodes[band.same[nodes] == nodes]
    unknown = unknown[np.lexsort((network.rank[unknown], in_ring[unknown]))]
    number = _numbers(network.size, unknown)
    number[nodes] = number[band.same[nodes]]
    return number, len(unknown)


def solve(
    network: Network,
    band: Band,
    new: Ints,
    fixed: Ints,
    fixed_pressure: Floats,
    dry: Floats,
    span: float,
    given: Given | None = None,
    around: Around | None = None,
) -> Solved:
    """Solve the wet region for one step.

    Parameters
    ----------
    band : what is left of the earlier wet region.
    new : nodes taken to be wet at the end of the step and not in the band.
    fixed, fixed_pressure : nodes of given pressure [Pa]; they lie in the band.
    dry : unfilled volume of every node at the start of the step [m³], shape (n,).
    span : length of the step in ∫dt/μ [1/Pa].
    given : volumes put in at nodes of the band.
    around : air and heights, where they count.
    """
    live = np.concatenate([new, band.nodes])
    held = _numbers(network.size, fixed)
    nodes = live[held[live] < 0]
    number, k = _unknowns(network, band, nodes)
    mine = number[nodes]
    rows, entry = network.entry_numbers(nodes)
    cols, g = network.neighbour[entry], network.adjacency.data[entry]
    i, to = mine[rows], number[cols]
    apart = i != to
    diagonal = sum_at(i[apart], g[apart], k)
    load, push = sum_at(mine, -dry[nodes], k), np.zeros(k)
    if around is not None:
        wet, fresh = band.gone.copy(), np.zeros(network.size, dtype=bool)
        wet[live], fresh[new] = True, True
        late, at_end, shut = _from_around(network, around, nodes, fresh, rows, entry, ~wet[cols], span)
        load += sum_at(mine, late, k)
        push += sum_at(mine, at_end, k)
        diagonal -= sum_at(mine, shut, k)
    own = number[band.ring] >= 0
    block = band.block if own.all() else band.block[np.ix_(own, own)]
    among = apart & (to >= 0)
    factor = factored(k, i[among], to[among], -g[among], diagonal, number[band.ring[own]], block)
    couple = np.zeros((k, len(fixed)))
    direct = held[cols] >= 0
    np.subtract.at(couple, (i[direct], held[cols[direct]]), g[direct])
    weight = sum_at(mine, network.weight[nodes], k)
    _hang_ring(band, number, held, own, couple, weight)
    flow = weight - couple @ fixed_pressure
    load += flow * span
    push += flow
    if given is not None and len(given.nodes):
        at = number[given.nodes]
        load[at] += given.volume
        push[at] += given.rate
    answer = factor.solve(np.column_stack([load, push]))[mine]
    return Solved(nodes, answer[:, 0], answer[:, 1], fixed, fixed_pressure, couple, mine, band, live)


def _hang_ring(band: Band, number: Ints, held: Ints, own: Bools, couple: Floats, weight: Floats) -> None:
    """Add what eliminated nodes do to the ring: to held nodes of it by ``couple``, by their weight to ``weight``."""
    at = number[band.ring[own]]
    if not own.all():
        couple[np.ix_(at, held[band.ring[~own]])] += band.block[np.ix_(own, ~own)]
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
