"""The network that resin fills: nodes with pore volume, links with conductance, ports and vents."""

from __future__ import annotations

from functools import cached_property

import numpy as np
import numpy.typing as npt
import scipy
from msgspec import Struct, field
from msgspec.structs import replace

from bibulon.core.flow import kernel
from bibulon.core.flow.kernel.links import Links

__all__ = ["Network", "Port", "Valve", "Vent", "dissection_order", "sum_at"]

SETTLED = 3.0  # of the lengths over which layers come to one pressure, after which they are taken to be

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]


def sum_at(index: Ints, values: Floats, n: int) -> Floats:
    """Return the sums of ``values`` at each index below ``n``, shape (n,)."""
    return np.bincount(index, weights=values, minlength=n).astype(np.float64, copy=False)


class Port(Struct, frozen=True, eq=False):
    """Where resin enters: ``node`` is held at ``pressure`` [Pa above the vacuum] while it is open.

    With a ``rate`` [m³/s] the port gives that much instead, as long as ``pressure`` suffices; one that is ``shared``
    is what a machine gives all open ports together, each of them as much.
    ``line_nodes`` are the nodes along the feed line, for events that wait for the front.  Throttling
    a port scales the links that leave its node, the hose.
    """

    id: str
    node: int
    pressure: float
    line_nodes: Ints
    rate: float | None = None
    shared: bool = False


class Valve(Struct, frozen=True, eq=False):
    """A valve inside the network, between a manifold and a line: ``links`` from the one to the other.

    It is shut until it is turned.  ``line_nodes`` are those along the line behind it.
    """

    id: str
    links: Ints
    line_nodes: Ints


class Vent(Struct, frozen=True, eq=False):
    """Where air leaves: nodes held at ``pressure`` [Pa above the vacuum]; resin that reaches them bleeds.

    A membrane passes air and stops resin: its nodes are like any other once they are wet.  ``line_nodes`` are those of the
    line on the part, for events that wait for the front: resin shows there long before it is through the hose to the pot.
    """

    id: str
    nodes: Ints
    membrane: bool = False
    pressure: float = 0.0
    line_nodes: Ints | None = None


class Network(Struct, frozen=True, eq=False, dict=True):
    """Nodes and links.

    volume : pore volume of each node [m³], shape (n,).
    a, b : the nodes that each link joins, shape (m,).
    conductance : K A / L of each link [m³]; times Δp/μ it is a flow [m³/s], shape (m,).
    vertex, sheet : the mesh vertex and the sheet of each node, shape (n,); −1 for ports.
    rank : an elimination order that keeps factors sparse, shape (n,).
    valves : those that lie on links, not at a port.
    head : ρ g z of each node [Pa], shape (n,); empty where heights do not count.
    marks : places that an event waits for the front at, by name.
    place : where each node lies on the plan [m], shape (n, 2), nan for ports; empty where nodes have no place.
    """

    volume: Floats
    a: Ints
    b: Ints
    conductance: Floats
    vertex: Ints
    sheet: Ints
    rank: Ints
    ports: tuple[Port, ...]
    vents: tuple[Vent, ...]
    head: Floats = field(default_factory=lambda: np.zeros(0))
    marks: dict[str, Ints] = field(default_factory=dict)
    valves: tuple[Valve, ...] = ()
    place: Floats = field(default_factory=lambda: np.zeros((0, 2)))

    @cached_property
    def lifts(self) -> bool:
        """Whether heights differ, so that gravity counts."""
        return bool(len(self.head)) and float(np.ptp(self.head)) > 0.0

    @cached_property
    def weight(self) -> Floats:
        """What gravity puts into each node when all its links are wet, Σ G (h_j − h_i) [m³ Pa], shape (n,)."""
        if not self.lifts:
            return np.zeros(self.size)
        return np.asarray(self.adjacency @ self.head - self.degree * self.head, dtype=np.float64)

    def carrying(self, share: Floats) -> Network:
        """Return this network with each link's conductance times ``share``, shape (m,)."""
        out = replace(self, conductance=self.conductance * share)
        # What hangs on the links' ends alone is the same: steps of carried age make many of these.
        for name in ("column", "columns", "foot", "beside", "settling", "apart", "_pattern"):
            out.__dict__[name] = getattr(self, name)
        return out

    def watched(self, name: str) -> Ints:
        """Return the nodes of a mark, or along a port's or vent's line.

        Raises
        ------
        KeyError : when nothing has that name.
        """
        if name in self.marks:
            return self.marks[name]
        for inlet in self.inlets:
            if inlet.id == name:
                return inlet.line_nodes
        for vent in self.vents:
            if vent.id == name:
                return vent.nodes if vent.line_nodes is None else vent.line_nodes
        raise KeyError(name)

    @property
    def inlets(self) -> list[Port | Valve]:
        """All that lets resin into a line: ports, and valves on manifolds."""
        return [*self.ports, *self.valves]

    @property
    def size(self) -> int:
        """How many nodes there are."""
        return len(self.volume)

    @cached_property
    def _pattern(self) -> tuple[Ints, Ints, Ints, Ints | None]:
        """Return the (indptr, indices) of the adjacency, the entry of each link from a to b, then b to a, and the link of each entry.

        That is None where two links join the same nodes.
        """
        n = self.size
        rows, cols = np.r_[self.a, self.b], np.r_[self.b, self.a]
        keys, entry = np.unique(rows * n + cols, return_inverse=True)
        indptr = np.r_[0, np.cumsum(np.bincount(keys // n, minlength=n))]
        link = None
        if len(keys) == len(entry):
            link = np.empty(len(keys), dtype=np.int64)
            link[entry] = np.tile(np.arange(len(self.a)), 2)
        return indptr, keys % n, entry, link

    @cached_property
    def adjacency(self) -> scipy.sparse.csr_array:
        """Conductances as a symmetric matrix without diagonal, shape (n, n)."""
        indptr, indices, entry, link = self._pattern
        if link is not None:
            data = self.conductance[link]
        else:
            data = sum_at(entry, np.r_[self.conductance, self.conductance], len(indices))
        return scipy.sparse.csr_array((data, indices, indptr), shape=(self.size, self.size))

    @cached_property
    def links(self) -> Links:
        """The links of each node, as the kernel takes them."""
        return Links(self._pattern[0], self._pattern[1], self.adjacency.data)

    @cached_property
    def neighbour(self) -> Ints:
        """Return the node at the far end of each entry of the adjacency, shape (nnz,): SciPy keeps those in half the width."""
        return self._pattern[1]

    def entry_numbers(self, which: Ints) -> tuple[Ints, Ints]:
        """Return (position in ``which``, entry of the adjacency) of all links of some nodes."""
        return kernel.entries(self.links, which)

    def entries(self, which: Ints) -> tuple[Ints, Ints, Floats]:
        """Return (position in ``which``, node at the other end, conductance) of all links of some nodes."""
        return kernel.links(self.links, which)

    @cached_property
    def column(self) -> Ints:
        """Number of the column of each node, shape (n,): nodes of one place that resin passes between."""
        through = self._through
        links = scipy.sparse.coo_array(
            (np.ones(int(through.sum())), (self.a[through], self.b[through])), shape=(self.size,) * 2
        )
        return scipy.sparse.csgraph.connected_components(links, directed=False)[1].astype(np.int64)

    @property
    def _through(self) -> npt.NDArray[np.bool_]:
        """Which links go through the thickness, shape (m,)."""
        return (self.vertex[self.a] == self.vertex[self.b]) & (self.vertex[self.a] >= 0)

    @cached_property
    def columns(self) -> int:
        """How many columns there are."""
        return int(self.column.max(initial=-1)) + 1

    @cached_property
    def foot(self) -> Ints:
        """The first node of each column, shape (columns,)."""
        return np.unique(self.column, return_index=True)[1].astype(np.int64)

    @cached_property
    def beside(self) -> tuple[Ints, Ints]:
        """Pairs of columns that links join."""
        a, b = self.column[self.a], self.column[self.b]
        apart = a != b
        pairs = np.unique(np.minimum(a, b)[apart] * self.columns + np.maximum(a, b)[apart])
        return pairs // self.columns, pairs % self.columns

    @cached_property
    def settling(self) -> int:
        """How many columns behind a dry one layers are at one pressure.

        Under a layer that leads by far, a difference through the thickness dies away over
        (2/π) √(T R): T the transmissivity of the other layers, R the resistance through all of
        them, the slowest cosine across a sheet.  Links of a cell stand for both.
        """
        through = self._through
        if not through.any():
            return 2
        plane = self.degree - sum_at(self.a[through], self.conductance[through], self.size)
        plane = (plane - sum_at(self.b[through], self.conductance[through], self.size)) / 6
        lead = np.zeros(self.columns)
        np.maximum.at(lead, self.column, plane)
        others = sum_at(self.column, plane, self.columns) - lead
        across = 1 / np.maximum(self.conductance[through], 1e-300)
        resistance = sum_at(self.column[self.a[through]], across, self.columns)
        reach = 2 / np.pi * np.sqrt(np.maximum(others, 0.0) * resistance)
        return int(np.clip(np.ceil(SETTLED * np.quantile(reach[resistance > 0], 0.9)), 3, 60))

    @cached_property
    def apart(self) -> npt.NDArray[np.bool_]:
        """Which columns are so near to a port or vent that their layers are at pressures of their own."""
        out = np.zeros(self.columns, dtype=bool)
        for inlet in self.inlets:
            out[self.column[inlet.line_nodes]] = True
        for vent in self.vents:
            out[self.column[vent.nodes]] = True
        return self.widened(out, self.settling)

    def widened(self, columns: npt.NDArray[np.bool_], by: int) -> npt.NDArray[np.bool_]:
        """Return these columns and all that lie within so many columns of them."""
        near, far = self.beside
        for _ in range(by):
            now = columns.copy()
            now[near[columns[far]]] = True
            now[far[columns[near]]] = True
            columns = now
        return columns

    @cached_property
    def degree(self) -> Floats:
        """Sum of the conductances at each node [m³], shape (n,)."""
        return sum_at(self.a, self.conductance, self.size) + sum_at(self.b, self.conductance, self.size)


def dissection_order(points: Floats, a: Ints, b: Ints) -> Ints:
    """Return ranks of a nested dissection by coordinates (George 1973), shape (n,).

    Each level halves every block across its longer side; the nodes of one half that touch the
    other separate them and are eliminated after both.

    points : shape (n, 2) [m]; a, b : links between them.
    """
    n = len(points)
    depth = np.full(n, -1, dtype=np.int64)
    block = np.zeros(n, dtype=np.int64)
    live = np.arange(n)
    level = 0
    while len(live) and level < 20:
        side = _halves(points[live], block[live])
        half = np.full(n, -1, dtype=np.int64)
        half[live] = side
        crossing = (half[a] >= 0) & (half[b] >= 0) & (block[a] == block[b]) & (half[a] != half[b])
        a_low = half[a[crossing]] == 0
        cut = np.where(a_low, a[crossing], b[crossing])
        depth[cut] = level
        block[live] = 2 * block[live] + side
        live = live[depth[live] < 0]
        keep = ~((depth[a] >= 0) | (depth[b] >= 0))
        a, b = a[keep], b[keep]
        level += 1
        _, where, count = np.unique(block[live], return_inverse=True, return_counts=True)
        done = count[where] <= 12 if len(live) else np.zeros(0, dtype=bool)
        depth[live[done]] = level
        live = live[~done]
    depth[live] = level
    rank = np.empty(n, dtype=np.int64)
    rank[np.lexsort((block, -depth))] = np.arange(n)
    return rank


def _halves(points: Floats, block: Ints) -> Ints:
    """Return 0 or 1 for each point: below or above its block's median along the longer side."""
    _, block, count = np.unique(block, return_inverse=True, return_counts=True)
    blocks = len(count)
    low, high = np.full((blocks, 2), np.inf), np.full((blocks, 2), -np.inf)
    for axis in range(2):
        np.minimum.at(low[:, axis], block, points[:, axis])
        np.maximum.at(high[:, axis], block, points[:, axis])
    axis = np.argmax(high - low, axis=1)
    value = points[np.arange(len(points)), axis[block]]
    order = np.lexsort((value, block))
    start = np.r_[0, np.cumsum(count)[:-1]]
    position = np.empty(len(points), dtype=np.int64)
    position[order] = np.arange(len(points))
    return (position - start[block] >= count[block] // 2).astype(np.int64)
