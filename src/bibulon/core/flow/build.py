"""From a job to its network: plan mesh, sheets of each zone, lines, ports and vents."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np
import numpy.typing as npt
import shapely
from scipy import sparse
from shapely.geometry import LineString, Point
from shapely.geometry.base import BaseGeometry

from bibulon.core.flow.columns import Column, Sheet, columns, sheets_of
from bibulon.core.flow.network import Network, Port, Valve, Vent, dissection_order, sum_at
from bibulon.core.flow.orders import mark_name
from bibulon.core.geometry.flip import flipped
from bibulon.core.geometry.heights import heights
from bibulon.core.geometry.outline import check
from bibulon.core.geometry.surface import lift_of
from bibulon.core.geometry.trimesh import TriMesh, cell_size, triangulate
from bibulon.core.geometry.zones import PlanRegions, draw_factor, regions
from bibulon.core.job.materials import Core
from bibulon.core.job.model import FlowLine, Job, OnFront
from bibulon.core.stack.laid import layer_region, places, zone_of
from bibulon.core.stack.laminate import zone_stack

__all__ = ["GRAVITY", "BuildError", "FlowModel", "build", "feed_pressure", "mesh_cover"]

GRAVITY = 9.80665
IDEAL = 1e4  # a line without losses: its links carry this many times what its nodes' own links do

OPEN = (
    1e6  # so many times at most do real bores lead what the cloth's links do: beyond it rounding would count
)

CLIPPED = 0.002  # share of negative links from which edges are turned to each zone's own cloth
NEARLY_ROUND = 1.6  # ratio of main permeabilities below which cells stay equilateral

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]
Bools = npt.NDArray[np.bool_]


class BuildError(ValueError):
    """The job lacks something that a forecast needs; the text says what to add."""


@dataclass(frozen=True)
class FlowModel:
    """A network with the plan that it came from.

    node_at : node of each (vertex, sheet), −1 where there is none, shape (v, s).
    zone, meshed : zone index in ``plan.zones`` and whether flow mesh lies there, per triangle.
    lines : the vertices along each line, in its order.
    areas : of the triangles as they lie on the mould [m²], draw counted, shape (m,).
    cloth_volume : pore volume of plies, core and mesh at each node, without tubes and hoses [m³].
    clipped : share of the conductance lost to links that would have been negative.
    """

    network: Network
    mesh: TriMesh
    plan: PlanRegions
    sheets: tuple[Sheet, ...]
    columns: tuple[Column, ...]
    node_at: Ints
    zone: Ints
    meshed: Bools
    lines: dict[str, Ints]
    areas: Floats
    cloth_volume: Floats
    clipped: float

    @property
    def slots(self) -> tuple[str, ...]:
        """Names of the layers that people see, tool side first."""
        return tuple(dict.fromkeys(s.slot for s in self.sheets))

    def vertex_areas(self) -> Floats:
        """Area of each vertex as it lies on the mould [m²], shape (v,)."""
        thirds = np.repeat(self.areas / 3, 3)
        return sum_at(self.mesh.triangles.ravel(), thirds, len(self.mesh.points))


def feed_pressure(job: Job) -> float:
    """Return what drives resin from the bucket [Pa]: p_atm − p_vac − ρ g Δz."""
    density = job.resin.density if job.resin else 1100.0
    return job.conditions.atmosphere - job.conditions.vacuum - density * GRAVITY * job.conditions.bucket_below


def build(
    job: Job, points: int = 1200, parts: int = 1, pause: Callable[[], None] = lambda: None
) -> FlowModel:
    """Build the network of a job.

    Parameters
    ----------
    points : about how many points the plan mesh shall have.
    parts : into how many sheets the plies right under flow mesh are cut.
    pause : called between the longer acts; what it raises ends them.

    Raises
    ------
    BuildError : when the job has no plies, or a line lies outside the part.
    OutlineError : when an outline is crossed or empty.
    """
    plan = places(job)
    sheets = sheets_of(job, parts)
    if not sheets:
        raise BuildError("There is nothing to fill yet: lay at least one ply in Stack.")
    kinds = columns(job, tuple(plan.zones), sheets)
    paths = {line.id: _path(line) for line in job.lines}
    for line in job.lines:
        if plan.whole.distance(paths[line.id]) > 1e-6:
            raise BuildError(f"{line.label} lies outside the part: move it onto the cloth.")
    cover = mesh_cover(job)
    mesh = _plan_mesh(
        plan, _borders(job), paths, cover, points, _main_directions(plan, kinds, cover is not None), pause
    )
    centres = mesh.centroids
    zone = plan.zone_at(centres)
    meshed = _covered(cover, centres)
    kind = 2 * zone + meshed
    corners, areas = _as_laid(job, mesh, plan, zone)
    pores, a, b, g, clipped = _cells(mesh, kinds, kind, corners, areas, len(sheets))
    pause()
    if clipped > CLIPPED:
        mesh = _turned_to_cloth(mesh, kinds, kind, [paths[x.id] for x in job.lines])
        corners, areas = _as_laid(job, mesh, plan, zone)
        pause()
        pores, a, b, g, clipped = _cells(mesh, kinds, kind, corners, areas, len(sheets))
    pause()
    real = np.flatnonzero(pores > 0)
    number = np.full(len(pores), -1, dtype=np.int64)
    number[real] = np.arange(len(real))
    node_at = number.reshape(len(mesh.points), len(sheets))
    held = (number[a] >= 0) & (number[b] >= 0)
    assembly = _Assembly(pores[real].copy(), number[a[held]], number[b[held]], g[held])
    lines = {line.id: _on_line(mesh, paths[line.id], line) for line in job.lines}
    _race(job, mesh, node_at, assembly)
    ports, valves, vents = _plumb(job, mesh, paths, lines, node_at, assembly)
    vertex = np.r_[real // len(sheets), np.full(assembly.size - len(real), -1)]
    sheet = np.r_[real % len(sheets), np.full(assembly.size - len(real), -1)]
    cloth = np.r_[pores[real], np.zeros(assembly.size - len(real))]
    pause()
    network = _network(assembly, vertex, sheet, mesh, ports, vents)
    pause()
    marks = _marks(job, mesh, paths, node_at)
    network = replace(network, head=_heads(job, mesh, vertex), marks=marks, valves=valves)
    return FlowModel(network, mesh, plan, sheets, kinds, node_at, zone, meshed, lines, areas, cloth, clipped)


def _path(line: FlowLine) -> LineString | Point:
    return LineString(line.path) if len(line.path) > 1 else Point(line.path[0])


def _main_directions(plan: PlanRegions, kinds: tuple[Column, ...], with_mesh: bool) -> Floats | None:
    """Return the map of the plan in which the part's mean permeability is the same all round.

    Triangles that are even there have no negative links; None when the cloth is near enough to it.
    """
    mean = np.zeros((2, 2))
    for k, region in enumerate(plan.zones.values()):
        mean += float(region.area) * kinds[2 * k + int(with_mesh)].transmissivity.sum(axis=0)
    values, vectors = np.linalg.eigh(mean)
    if values[0] <= 0 or values[1] < NEARLY_ROUND * values[0]:
        return None
    root = vectors @ np.diag(values**-0.5) @ vectors.T
    return root / math.sqrt(float(np.linalg.det(root)))


def _turned_to_cloth(
    mesh: TriMesh, kinds: tuple[Column, ...], kind: Ints, paths: list[LineString | Point]
) -> TriMesh:
    """Return the mesh with its edges turned to each zone's own directions; lines keep theirs."""
    maps = []
    for column in kinds:
        values, vectors = np.linalg.eigh(column.transmissivity.sum(axis=0))
        scale = np.maximum(values, 1e-6 * max(float(values.max()), 1e-300)) ** -0.5
        maps.append(vectors @ np.diag(scale) @ vectors.T)
    along = [mesh.along(p)[0] for p in paths if isinstance(p, LineString)]
    kept = [np.column_stack([v[:-1], v[1:]]) for v in along if len(v) > 1]
    edges = np.vstack(kept) if kept else np.zeros((0, 2), dtype=np.int64)
    triangles = flipped(mesh.points, mesh.triangles, kind, np.array(maps), edges)
    return TriMesh(mesh.points, triangles, mesh.size, mesh.stretch)


def mesh_cover(job: Job) -> BaseGeometry | None:
    """Return where flow mesh lies [m]: its outline less the zones that bar it; None without mesh.

    Raises
    ------
    OutlineError : when its outline is crossed or empty.
    """
    if job.mesh is None:
        return None
    cover: BaseGeometry = check(job.mesh.outline)
    over = regions(job.part).over
    for zone in job.part.zones:
        if zone.kind == "no-mesh":
            cover = cover.difference(over[zone.id])
    return cover


def _borders(job: Job) -> list[BaseGeometry]:
    """Return what edges of cells follow: borders of zones, outlines of plies; laps and drop-offs are too narrow."""
    own = [layer_region(job, x).boundary for x in job.stack if x.outline is not None]
    return [*own, *(z.boundary for z in regions(job.part).zones.values() if not z.is_empty)]


def _as_laid(job: Job, mesh: TriMesh, plan: PlanRegions, zone: Ints) -> tuple[Floats, Floats]:
    """Return the triangles' corners laid flat, shape (m, 3, 2), and their areas [m²], as they lie on the mould.

    On a surface both are the surface's own; on a plan, areas are drawn out by the zone's draw factor.
    """
    lift = lift_of(job.part)
    if lift is not None:
        corners = lift.corners(mesh)
        return corners, TriMesh(corners.reshape(-1, 2), np.arange(3 * len(corners)).reshape(-1, 3), 0.0).areas
    factor = np.array([draw_factor(job.part, zone_of(place)) for place in plan.zones])
    return mesh.points[mesh.triangles], mesh.areas * factor[zone]


def _plan_mesh(
    plan: PlanRegions,
    borders: list[BaseGeometry],
    paths: dict[str, LineString | Point],
    cover: BaseGeometry | None,
    points: int,
    stretch: Floats | None,
    pause: Callable[[], None],
) -> TriMesh:
    size = cell_size(plan.whole.area, points)
    curves = [*paths.values(), *borders]
    if cover is not None:
        curves.append(cover.boundary)
    return triangulate(plan.whole, curves, size, stretch, pause)


def _covered(cover: BaseGeometry | None, centres: Floats) -> Bools:
    if cover is None:
        return np.zeros(len(centres), dtype=bool)
    shapely.prepare(cover)
    return shapely.contains_xy(cover, centres[:, 0], centres[:, 1])


def _cells(
    mesh: TriMesh, kinds: tuple[Column, ...], kind: Ints, corners: Floats, areas: Floats, s: int
) -> tuple[Floats, Ints, Ints, Floats, float]:
    """Return pore volumes of (vertex, sheet), links between them, and the share clipped.

    Linear triangles: the link of an edge is −b_i·T b_j / 4A with T = K h and b the edge normals.
    """
    opposite = np.roll(corners, -1, axis=1) - np.roll(corners, -2, axis=1)
    normal = np.stack([-opposite[..., 1], opposite[..., 0]], axis=-1)  # (m, 3, 2)
    flat = TriMesh(corners.reshape(-1, 2), np.arange(3 * len(corners)).reshape(-1, 3), 0.0).areas
    volume = np.zeros(len(mesh.points) * s)
    rows, cols, values = [], [], []
    for index in np.unique(kind):
        column = kinds[index]
        mine = np.flatnonzero(kind == index)
        tri, n, area = mesh.triangles[mine], normal[mine], areas[mine]
        third = np.repeat(area / 3, 3)
        at_vertex = sum_at(tri.ravel(), third, len(mesh.points))
        for k in np.flatnonzero(column.present):
            volume[k::s] += column.pores[k] * at_vertex
            if column.transmissivity[k].any():
                turned = n @ column.transmissivity[k]
                for i, j in ((0, 1), (1, 2), (2, 0)):
                    rows.append(tri[:, i] * s + k)
                    cols.append(tri[:, j] * s + k)
                    values.append(-np.einsum("ij,ij->i", turned[:, i], n[:, j]) / (4 * flat[mine]))
        for low, high, per_area in column.joints():
            used = np.flatnonzero(at_vertex > 0)
            rows.append(used * s + low)
            cols.append(used * s + high)
            values.append(per_area * at_vertex[used])
    return volume, *_merged(rows, cols, values, s)


def _merged(
    rows: list[Ints], cols: list[Ints], values: list[Floats], s: int
) -> tuple[Ints, Ints, Floats, float]:
    """Add up the links that join the same nodes; drop those that come out negative.

    The share dropped is of the conductance in the plane: ``s`` nodes stand over each other.
    """
    if not rows:
        return np.zeros(0, dtype=np.int64), np.zeros(0, dtype=np.int64), np.zeros(0), 0.0
    a, b, g = np.concatenate(rows), np.concatenate(cols), np.concatenate(values)
    a, b = np.minimum(a, b), np.maximum(a, b)
    n = int(b.max()) + 1
    total = sparse.coo_array((g, (a, b)), shape=(n, n)).tocsr().tocoo()
    good = total.data > 0
    row, col = total.coords
    weight = float(np.abs(total.data[row // s != col // s]).sum())
    clipped = float(-total.data[~good].sum()) / weight if weight else 0.0
    return row[good].astype(np.int64), col[good].astype(np.int64), total.data[good], clipped


class _Assembly:
    """Nodes and links while a network is put together."""

    def __init__(self, volume: Floats, a: Ints, b: Ints, g: Floats) -> None:
        self.volume, self.a, self.b, self.g = [volume], [a], [b], [g]
        self.size, self.links = len(volume), len(a)
        self._degree = sum_at(a, g, self.size) + sum_at(b, g, self.size)

    def degree(self, nodes: Ints) -> float:
        """Return the largest sum of conductances among some first nodes."""
        return float(self._degree[nodes].max())

    def add_node(self, volume: float = 0.0) -> int:
        """Add a node; its number is returned."""
        self.volume.append(np.array([volume]))
        self.size += 1
        return self.size - 1

    def add_links(self, a: Ints, b: Ints, g: Floats) -> Ints:
        """Add links of conductance ``g`` [m³]; their numbers are returned."""
        self.a.append(a)
        self.b.append(b)
        self.g.append(g)
        self.links += len(a)
        return np.arange(self.links - len(a), self.links)


def _on_line(mesh: TriMesh, path: LineString | Point, line: FlowLine) -> Ints:
    """Return the vertices on a line in its order; for a point the nearest one."""
    if isinstance(path, LineString):
        return mesh.along(path)[0]
    return np.array([int(np.argmin(np.hypot(*(mesh.points - np.array(line.path[0])).T)))])


def bore_conductance(bore: float, length: Floats | float) -> Floats:
    """Hagen–Poiseuille: π d⁴ / (128 L) [m³]; Δp/μ times it is the flow."""
    return np.asarray(math.pi * bore**4 / (128 * np.maximum(length, 1e-6)))


def _plumb(
    job: Job,
    mesh: TriMesh,
    paths: dict[str, LineString | Point],
    lines: dict[str, Ints],
    node_at: Ints,
    net: _Assembly,
) -> tuple[tuple[Port, ...], tuple[Valve, ...], tuple[Vent, ...]]:
    """Lay the lines onto the top sheet of the plies below them."""
    ports, valves, vents = [], [], []
    pull, lift = feed_pressure(job), lift_of(job.part)
    bodies = {}
    for manifold in job.manifolds:
        hose = math.pi / 4 * manifold.hose_bore**2 * manifold.hose_length
        bodies[manifold.id] = body = net.add_node(manifold.volume + hose)
        bucket, g = net.add_node(), bore_conductance(manifold.hose_bore, manifold.hose_length)
        net.add_links(np.array([bucket]), np.array([body]), g.reshape(1))
        ports.append(Port(manifold.id, bucket, pull + _lift(job, manifold.id), np.array([body])))
    for line in job.lines:
        vertices = lines[line.id]
        nodes = np.array([node_at[v][node_at[v] >= 0][-1] for v in vertices if (node_at[v] >= 0).any()])
        if not len(nodes):
            raise BuildError(f"{line.label} lies where there is no cloth: lay a ply there or move it.")
        if line.bore > 0 and isinstance(paths[line.id], LineString):
            points = mesh.points[vertices]
            _lay_tube(net, nodes, lift(points) if lift else points, line.bore)
        if line.role == "vacuum":
            above = 0.0 if line.pull is None else line.pull - job.conditions.vacuum
            at = np.unique(nodes)
            if (
                line.pot is not None
                and not line.membrane
                and min(line.bore, line.hose_bore, line.hose_length) > 0
            ):
                at = np.array([_pot_end(net, at, line)])
            vents.append(Vent(line.id, at, line.membrane, above))
        else:
            start = bodies[line.manifold] if line.manifold else net.add_node()
            links = _feed(net, nodes, line, start)
            if line.manifold:
                valves.append(Valve(line.id, links, nodes))
            else:
                ports.append(Port(line.id, start, pull + _lift(job, line.id), nodes, line.rate))
    return tuple(ports), tuple(valves), tuple(vents)


def _lift(job: Job, inlet: str) -> float:
    """Return what an inlet's own bucket stands higher than the job's, as a pressure [Pa]."""
    density = job.resin.density if job.resin else 1100.0
    for bucket in job.buckets:
        if bucket.below is not None and (not bucket.feeds or inlet in bucket.feeds):
            return density * GRAVITY * (job.conditions.bucket_below - bucket.below)
    return 0.0


def _heads(job: Job, mesh: TriMesh, vertex: Ints) -> Floats:
    """Return ρ g z of every node [Pa]; empty on a level mould, where layers' own thickness is left out."""
    lift = lift_of(job.part)
    if job.resin is None or not (job.part.heights or lift):
        return np.zeros(0)
    if lift is None:
        z = heights(job.part, mesh.points)
    else:
        z = lift(mesh.points)[:, 2]
        z = z - z.min()  # the bucket's height counts from the lowest place
    at_node = np.where(vertex >= 0, z[np.maximum(vertex, 0)], 0.0)
    return job.resin.density * GRAVITY * at_node


def _marks(job: Job, mesh: TriMesh, paths: dict[str, LineString | Point], node_at: Ints) -> dict[str, Ints]:
    """Return the nodes that must be wet before the front counts as so far beyond a line."""
    buckets = [batch.poured for bucket in job.buckets for batch in bucket.batches]
    rules = [when for line in job.lines for when in line.moments] + buckets
    marks = {}
    for when in rules:
        if isinstance(when, OnFront) and when.beyond > 0:
            near = shapely.dwithin(shapely.points(mesh.points), paths[when.line], when.beyond)
            columns = node_at[np.flatnonzero(near)]
            marks[mark_name(when)] = np.array(
                [c[c >= 0][-1] for c in columns if (c >= 0).any()], dtype=np.int64
            )
    return marks


def _lay_tube(net: _Assembly, nodes: Ints, points: Floats, bore: float) -> None:
    """Give a line's nodes the tube's own volume and join them along it."""
    step = np.linalg.norm(np.diff(points, axis=0), axis=1)
    share = np.zeros(len(nodes))
    share[:-1] += step / 2
    share[1:] += step / 2
    np.add.at(net.volume[0], nodes, math.pi / 4 * bore**2 * share)
    if len(nodes) > 1:
        most = OPEN * net.degree(nodes)
        net.add_links(nodes[:-1], nodes[1:], np.minimum(bore_conductance(bore, step), most))


def _feed(net: _Assembly, nodes: Ints, line: FlowLine, start: int) -> Ints:
    """Join a feed line to its bucket or manifold, the node ``start``; the links are returned."""
    if line.bore > 0 and line.hose_bore > 0 and line.hose_length > 0:
        inlet = nodes[:1]
        net.volume[0][inlet] += math.pi / 4 * line.hose_bore**2 * line.hose_length
        g = np.minimum(bore_conductance(line.hose_bore, line.hose_length), OPEN * net.degree(nodes)).reshape(
            1
        )
    else:
        inlet = nodes[:1] if line.bore > 0 else nodes
        g = np.full(len(inlet), IDEAL * net.degree(nodes))
    return net.add_links(np.full(len(inlet), start), inlet, g)


def _pot_end(net: _Assembly, nodes: Ints, line: FlowLine) -> int:
    """Lead a vacuum line's hose to its catch pot; the node at the pot is returned.

    The line passes air all along while any of it is dry, so that each of its nodes has its share of the
    hose; once all is wet they add up to it.
    """
    end = net.add_node(math.pi / 4 * line.hose_bore**2 * line.hose_length)
    g = float(bore_conductance(line.hose_bore, line.hose_length)) / len(nodes)
    net.add_links(nodes, np.full(len(nodes), end), np.full(len(nodes), g))
    return end


def _race(job: Job, mesh: TriMesh, node_at: Ints, net: _Assembly) -> None:
    """Lay the gap along the rim and core edges, in which resin races: a slit of width g and height H.

    Between plates Q = H g³/(12 μ) dp/dx.  It joins the top sheet of the plies, or the core's own.
    """
    gap = job.conditions.edge_gap
    if gap <= 0:
        return
    whole = regions(job.part).whole
    edges = [(whole.exterior, zone_stack(job, "rim").thickness)]
    for layer in job.stack:
        core = job.materials[layer.material]
        if isinstance(core, Core):
            for ring in shapely.get_parts(layer_region(job, layer).boundary):
                edges.append((ring, core.thickness))
    for ring, height in edges:
        if height <= 0 or ring.is_empty:
            continue
        vertices, _ = mesh.along(ring)
        nodes = np.array([node_at[v][node_at[v] >= 0][-1] for v in vertices if (node_at[v] >= 0).any()])
        points = mesh.points[[v for v in vertices if (node_at[v] >= 0).any()]]
        if len(nodes) < 2:
            continue
        step = np.hypot(*np.diff(points, axis=0).T)
        apart = (step > 0) & (nodes[:-1] != nodes[1:])
        net.add_links(nodes[:-1][apart], nodes[1:][apart], height * gap**3 / (12 * step[apart]))
        share = np.zeros(len(nodes))
        share[:-1] += step / 2
        share[1:] += step / 2
        np.add.at(net.volume[0], nodes, gap * height * share)


def _network(
    net: _Assembly, vertex: Ints, sheet: Ints, mesh: TriMesh, ports: tuple[Port, ...], vents: tuple[Vent, ...]
) -> Network:
    a, b, g = np.concatenate(net.a), np.concatenate(net.b), np.concatenate(net.g)
    both = (vertex[a] >= 0) & (vertex[b] >= 0) & (vertex[a] != vertex[b])
    pairs = np.unique(vertex[a][both] * len(mesh.points) + vertex[b][both])
    rank = dissection_order(mesh.points, *np.divmod(pairs, len(mesh.points)))
    by_vertex = np.where(vertex >= 0, rank[np.maximum(vertex, 0)], len(mesh.points))
    order = np.lexsort((sheet, by_vertex))
    node_rank = np.empty(len(order), dtype=np.int64)
    node_rank[order] = np.arange(len(order))
    return Network(np.concatenate(net.volume), a, b, g, vertex, sheet, node_rank, ports, vents)
