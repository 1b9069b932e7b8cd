"""Tubes, hoses, manifolds and gaps of a job, laid on to its network."""

from __future__ import annotations

import math

import numpy as np
import numpy.typing as npt
import shapely
from shapely.geometry import LineString, Point

from bibulon.core.flow.build.network import Port, Valve, Vent, sum_at
from bibulon.core.geometry.paths import inlet_of
from bibulon.core.geometry.surface import lift_of
from bibulon.core.geometry.trimesh import TriMesh
from bibulon.core.geometry.zones import regions
from bibulon.core.model.job import FlowLine, Job
from bibulon.core.model.machine import machine_rate
from bibulon.core.model.materials import Core
from bibulon.core.stack.laid import layer_region
from bibulon.core.stack.laminate import zone_stack
from bibulon.core.units.figures import Told
from bibulon.core.units.words import tr

__all__ = [
    "GRAVITY",
    "Assembly",
    "BuildError",
    "bore_conductance",
    "feed_pressure",
    "lay_bridges",
    "lay_gap",
    "lay_lines",
    "vertices_on",
]

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]

GRAVITY = 9.80665
IDEAL = 1e4  # a line without losses: its links carry this many times what its nodes' own links do
OPEN = (
    1e6  # so many times at most do real bores lead what the cloth's links do: beyond it rounding would count
)
MOUTH = 1e3  # so many times its own conductance has the link of a hose to its line


class BuildError(Told):
    """The job lacks something that a forecast needs; the text says what to add."""


def feed_pressure(job: Job) -> float:
    """Return what drives resin in [Pa]: from an open bucket p_atm − p_vac − ρ g Δz, or what a closed mould is injected with."""
    if job.process != "infusion" and job.closed.injection is not None:
        return job.closed.injection - job.conditions.vacuum
    density = job.resin.density if job.resin else 1100.0
    return job.conditions.atmosphere - job.conditions.vacuum - density * GRAVITY * job.conditions.bucket_below


class Assembly:
    """Nodes and links while a network is put together."""

    def __init__(self, volume: Floats, a: Ints, b: Ints, g: Floats) -> None:
        self.volume, self.a, self.b, self.g = [volume], [a], [b], [g]
        self.size, self.links = len(volume), len(a)
        # Of each node that was added the one at whose height it lies, −1 for the datum.
        self.level: list[int] = []
        self._degree = sum_at(a, g, self.size) + sum_at(b, g, self.size)

    def degree(self, nodes: Ints) -> float:
        """Return the largest sum of conductances among some first nodes."""
        return float(self._degree[nodes].max())

    def add_node(self, volume: float = 0.0, level_with: int = -1) -> int:
        """Add a node, at the height of another or at that which heights count from; its number is returned."""
        self.volume.append(np.array([volume]))
        self.level.append(level_with)
        self.size += 1
        return self.size - 1

    def add_links(self, a: Ints, b: Ints, g: Floats) -> Ints:
        """Add links of conductance ``g`` [m³]; their numbers are returned."""
        self.a.append(a)
        self.b.append(b)
        self.g.append(g)
        self.links += len(a)
        return np.arange(self.links - len(a), self.links)


def vertices_on(mesh: TriMesh, path: LineString | Point, line: FlowLine) -> Ints:
    """Return the vertices on a line in its order; for a point the nearest one."""
    if isinstance(path, LineString):
        return mesh.along(path)[0]
    return np.array([int(np.argmin(np.hypot(*(mesh.points - np.array(line.path[0])).T)))])


def bore_conductance(bore: float, length: Floats | float) -> Floats:
    """Hagen–Poiseuille: π d⁴ / (128 L) [m³]; Δp/μ times it is the flow."""
    return np.asarray(math.pi * bore**4 / (128 * np.maximum(length, 1e-6)))


def lay_lines(
    job: Job,
    mesh: TriMesh,
    paths: dict[str, LineString | Point],
    lines: dict[str, Ints],
    node_at: Ints,
    net: Assembly,
) -> tuple[tuple[Port, ...], tuple[Valve, ...], tuple[Vent, ...]]:
    """Lay the lines onto the top sheet of the plies below them."""
    ports, valves, vents = [], [], []
    pull, lift, machine = feed_pressure(job), lift_of(job.part), machine_rate(job)
    bodies = {}
    for manifold in job.manifolds:
        hose = math.pi / 4 * manifold.hose_bore**2 * manifold.hose_length
        bodies[manifold.id] = body = net.add_node(manifold.volume + hose)
        bucket, g = net.add_node(), bore_conductance(manifold.hose_bore, manifold.hose_length)
        net.add_links(np.array([bucket]), np.array([body]), g.reshape(1))
        ports.append(
            Port(manifold.id, bucket, pull + _lift(job, manifold.id), np.array([body]), machine, shared=True)
        )
    for line in job.lines:
        vertices, nodes = _top(lines[line.id], node_at)
        if not len(nodes):
            raise BuildError(tr("{} lies where there is no cloth: lay a ply there or move it.", line.label))
        points = mesh.points[vertices]
        if line.bore > 0 and isinstance(paths[line.id], LineString):
            way = _closed(np.arange(len(nodes)), line.is_ring)
            _lay_tube(net, nodes[way], (lift(points) if lift else points)[way], line.bore)
        if line.role == "vacuum":
            above = 0.0 if line.pull is None else line.pull - job.conditions.vacuum
            at = along = np.unique(nodes)
            if (
                line.pot is not None
                and not line.membrane
                and min(line.bore, line.hose_bore, line.hose_length) > 0
            ):
                at = np.array([_pot_end(net, at, line)])
            vents.append(Vent(line.id, at, line.membrane, above, along))
        else:
            start = bodies[line.manifold] if line.manifold else net.add_node()
            inlet = int(np.argmin(np.hypot(*(points - np.array(inlet_of(line))).T)))
            links = _feed(net, nodes, nodes[inlet : inlet + 1], line, start)
            if line.manifold:
                valves.append(Valve(line.id, links, nodes))
            else:
                ports.append(
                    Port(
                        line.id, start, pull + _lift(job, line.id), nodes, line.rate or machine,
                        shared=line.rate is None,
                    )
                )  # fmt: skip
    return tuple(ports), tuple(valves), tuple(vents)


def _top(vertices: Ints, node_at: Ints) -> tuple[Ints, Ints]:
    """Return those of some vertices where there is cloth, and the node of its top sheet at each."""
    vertices = vertices[(node_at[vertices] >= 0).any(axis=1)]
    return vertices, np.array([node_at[v][node_at[v] >= 0][-1] for v in vertices], dtype=np.int64)


def _closed(places: Ints, ring: bool) -> Ints:
    """Return places along a curve, the first once more at the end where it is a ring: each is named once."""
    return np.append(places, places[:1]) if ring and len(places) > 2 else places


def _lift(job: Job, inlet: str) -> float:
    """Return what an inlet's own bucket stands higher than the job's, as a pressure [Pa]."""
    density = job.resin.density if job.resin else 1100.0
    for bucket in job.buckets:
        if bucket.below is not None and (not bucket.feeds or inlet in bucket.feeds):
            return density * GRAVITY * (job.conditions.bucket_below - bucket.below)
    return 0.0


def _lay_tube(net: Assembly, nodes: Ints, points: Floats, bore: float) -> None:
    """Give a line's nodes the tube's own volume and join them along it."""
    step = np.linalg.norm(np.diff(points, axis=0), axis=1)
    share = np.zeros(len(nodes))
    share[:-1] += step / 2
    share[1:] += step / 2
    np.add.at(net.volume[0], nodes, math.pi / 4 * bore**2 * share)
    if len(nodes) > 1:
        most = OPEN * net.degree(nodes)
        net.add_links(nodes[:-1], nodes[1:], np.minimum(bore_conductance(bore, step), most))


def _feed(net: Assembly, nodes: Ints, first: Ints, line: FlowLine, start: int) -> Ints:
    """Join a feed line to its bucket or manifold, the node ``start``, at ``first`` of its nodes; the links are returned.

    A hose is a node of its own: in a place's node it would keep that dry, and what waits there for the front waiting, until
    the hose is full.
    """
    if line.bore > 0 and line.hose_bore > 0 and line.hose_length > 0:
        most = OPEN * net.degree(nodes)
        hose = net.add_node(math.pi / 4 * line.hose_bore**2 * line.hose_length, int(first[0]))
        inlet = np.array([hose])
        g = np.minimum(bore_conductance(line.hose_bore, line.hose_length), most).reshape(1)
        net.add_links(inlet, first, np.minimum(MOUTH * g, most))
    else:
        inlet = first if line.bore > 0 else nodes
        g = np.full(len(inlet), IDEAL * net.degree(nodes))
    return net.add_links(np.full(len(inlet), start), inlet, g)


def _pot_end(net: Assembly, nodes: Ints, line: FlowLine) -> int:
    """Lead a vacuum line's hose to its catch pot; the node at the pot is returned.

    The line passes air all along while any of it is dry, so that each of its nodes has its share of the
    hose; once all is wet they add up to it.
    """
    end = net.add_node(math.pi / 4 * line.hose_bore**2 * line.hose_length)
    g = float(bore_conductance(line.hose_bore, line.hose_length)) / len(nodes)
    net.add_links(nodes, np.full(len(nodes), end), np.full(len(nodes), g))
    return end


def lay_gap(job: Job, mesh: TriMesh, node_at: Ints, net: Assembly) -> None:
    """Lay the gap along the rim, that of holes with it, and core edges, in which resin races: a slit of width g and height H.

    Between plates Q = H g³/(12 μ) dp/dx.  It joins the top sheet of the plies, or the core's own.
    """
    gap = job.conditions.edge_gap
    if gap <= 0:
        return
    edge, thickness = regions(job.part).whole.boundary, zone_stack(job, "rim").thickness
    edges = [(ring, thickness) for ring in shapely.get_parts(edge)]
    for layer in job.stack:
        core = job.materials[layer.material]
        if isinstance(core, Core):
            for ring in shapely.get_parts(layer_region(job, layer).boundary):
                edges.append((ring, core.thickness))
    for ring, height in edges:
        if height <= 0 or ring.is_empty:
            continue
        vertices, nodes = _top(mesh.along(ring)[0], node_at)
        if len(nodes) < 2:
            continue
        way = _closed(np.arange(len(nodes)), True)
        nodes, step = nodes[way], np.hypot(*np.diff(mesh.points[vertices[way]], axis=0).T)
        apart = (step > 0) & (nodes[:-1] != nodes[1:])
        net.add_links(nodes[:-1][apart], nodes[1:][apart], height * gap**3 / (12 * step[apart]))
        share = np.zeros(len(nodes))
        share[:-1] += step / 2
        share[1:] += step / 2
        np.add.at(net.volume[0], nodes, gap * height * share)


def lay_bridges(job: Job, mesh: TriMesh, node_at: Ints, net: Assembly) -> None:
    """Lay what a bridged bag leaves open over the stack: a slit as high as its gap, g³/12 in every direction.

    It joins the topmost sheet; a place smaller than the mesh's cells counts at the nearest point.
    """
    for bridge in job.bag.bridges:
        off = np.hypot(*(mesh.points - (bridge.x, bridge.y)).T)
        within = off <= max(bridge.width / 2, float(off.min()) + 1e-9)
        within &= (node_at >= 0).any(axis=1)
        vertices = np.flatnonzero(within)
        if not len(vertices):
            continue
        top = np.array([node_at[v][node_at[v] >= 0][-1] for v in vertices])
        net.volume[0][top] += bridge.gap * np.pi * bridge.width**2 / 4 / len(top)
        node_of = np.full(len(mesh.points), -1)
        node_of[vertices] = top
        edges = np.vstack([mesh.triangles[:, [0, 1]], mesh.triangles[:, [1, 2]], mesh.triangles[:, [2, 0]]])
        edges = np.unique(np.sort(edges[within[edges].all(axis=1)], axis=1), axis=0)
        if len(edges):  # links of even triangles carry T/√3 each, twice inside
            even = np.full(len(edges), bridge.gap**3 / 12 / np.sqrt(3))
            net.add_links(node_of[edges[:, 0]], node_of[edges[:, 1]], even)
