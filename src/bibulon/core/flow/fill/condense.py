"""The wet region of a network as a linear system in which the filled inside is eliminated.

A column of nodes, all layers of one place, that is full and has full columns around it never
changes again while ports and viscosity stay.  It is eliminated once: what it does to the rest is
a dense block on the ring of nodes beside it.  Every later solve touches that ring, the columns in
which layers are still dry, and the new nodes.  Nodes of columns that are wet in some layers only
stay as they are: eliminated, a mesh that runs ahead would couple all the plies below it.
"""

from __future__ import annotations

import numpy as np
import numpy.typing as npt
from msgspec import Struct
from msgspec.structs import replace

from bibulon.core.flow.build.network import Network, sum_at
from bibulon.core.flow.fill.factor import Reduced, SingularError, Symmetric

__all__ = ["Band", "Inside", "condense", "numbers"]

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]
Bools = npt.NDArray[np.bool_]

CROWDED = 55  # entries of the ring's block for each node that was eliminated, from which these cost less as they are


class Band(Struct, frozen=True, eq=False):
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


class Inside(Struct, frozen=True, eq=False):
    """What finds ∫p dt again in nodes that were eliminated.

    nodes : all of them, shape (e,); number : of the unknown that stood for each, what left
    before the ring; ring : what they hang on; weight : what gravity puts into what left [m³ Pa].
    """

    nodes: Ints
    number: Ints
    ring: Ints
    weight: Floats
    reduced: Reduced | None

    def values(self, u: Floats, span: float) -> Floats:
        """Return ∫p dt [Pa θ] at the eliminated nodes, given it at the ring in ``u``, shape (n,)."""
        if self.reduced is None:
            return np.zeros(0)
        held = u[self.ring]
        left = self.reduced.within(self.weight * span, held)
        return np.concatenate([left, held])[self.number]


def numbers(n: int, nodes: Ints) -> Ints:
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


class _Going(Struct, frozen=True, eq=False):
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


def _reduced(network: Network, band: Band, chosen: _Going, number: Ints) -> tuple[Reduced, Floats]:
    """Return what goes eliminated from its ring, and the diagonal that it was given, shape (k + m,).

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
    # Each pair once: what goes tells links among itself from both ends.
    once = apart & (to > i)
    # So that the factor exists; ``condense`` takes it off again.
    diagonal += sum_at(number[chosen.hung], network.degree[chosen.hung], size)
    reduced = Symmetric(
        size,
        i[once],
        to[once],
        -g[once],
        diagonal,
        number[band.ring],
        band.block,
    ).reduced(k)
    return reduced, diagonal


def condense(network: Network, band: Band, live: Ints, stays: Bools, merge: bool) -> tuple[Band, Inside]:
    """Eliminate the columns that are full and lie some way behind those that are not, if that makes the system cheaper.

    live : wet nodes in the system; stays : nodes that are never eliminated, shape (n,); merge :
    whether the layers of what goes and of the ring that it leaves are taken to be at one pressure,
    which makes them as few as those of a single layer.  They stand back far enough from the front,
    from ports and from vents for it, see ``Network.settling``.
    """
    chosen = _going(network, band, live, stays, merge and network.columns < network.size)
    go, ring = chosen.go, chosen.ring
    no_number = np.zeros(0, dtype=np.int64)
    none = Inside(go[:0], no_number, no_number, np.zeros(0), None)
    # A long front, or many, has a ring as long: where little lies behind it its dense block would cost more than that.
    if not len(go) or len(ring) ** 2 > CROWDED * (int(band.gone.sum()) + len(go)):
        return replace(band, nodes=live), none
    k, m = len(chosen.leaving), len(ring)
    number = numbers(network.size, np.concatenate([chosen.leaving, ring]))
    number = np.where(chosen.inside, number[chosen.same], -1)
    try:
        reduced, diagonal = _reduced(network, band, chosen, number)
    except SingularError:
        return replace(band, nodes=live), none
    put = sum_at(number[go], network.weight[go], k + m)
    put += sum_at(number[band.ring], band.weight, k + m)
    weight, put = put[:k], put[k:]
    if network.lifts:
        put = put + reduced.pushed(weight)
    gone = band.gone.copy()
    gone[go] = True
    block = reduced.schur - np.diag(diagonal[k:])
    left = Band(chosen.rest, gone, chosen.same, ring, block, put)
    return left, Inside(go, number[go], ring, weight, reduced)
