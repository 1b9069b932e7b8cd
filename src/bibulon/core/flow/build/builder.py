"""From a job to its network: plan mesh, sheets of each zone, lines, ports and vents."""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np
import numpy.typing as npt
import scipy
import shapely
from msgspec import Struct
from msgspec.structs import replace
from shapely.geometry import LineString, Point
from shapely.geometry.base import BaseGeometry

from bibulon.core.flow.build.columns import Column, Sheet, columns, sheets_of
from bibulon.core.flow.build.network import Network, Port, Vent, dissection_order, sum_at
from bibulon.core.flow.build.orders import mark_name
from bibulon.core.flow.build.tubes import (
    GRAVITY,
    Assembly,
    BuildError,
    feed_pressure,
    lay_bridges,
    lay_gap,
    lay_lines,
    vertices_on,
)
from bibulon.core.geometry.flip import flipped
from bibulon.core.geometry.heights import heights
from bibulon.core.geometry.paths import BESIDE, shape_of
from bibulon.core.geometry.prepared import within
from bibulon.core.geometry.surface import lift_of
from bibulon.core.geometry.trimesh import TriMesh, cell_size, triangulate
from bibulon.core.geometry.zones import PlanRegions, draw_factor, regions
from bibulon.core.model.job import Job, OnFront
from bibulon.core.stack.laid import layer_region, places, zone_of
from bibulon.core.stack.mesh_cover import mesh_cover
from bibulon.core.units.words import tr

__all__ = ["GRAVITY", "BuildError", "FlowModel", "build", "feed_pressure"]


CLIPPED = 0.002  # share of negative links from which edges are turned to each zone's own cloth
NEARLY_ROUND = 1.6  # ratio of main permeabilities below which cells stay equilateral

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]
Bools = npt.NDArray[np.bool_]


class FlowModel(Struct, frozen=True, eq=False):
    """A network with the plan that it came from.

    node_at : node of each (vertex, sheet), −1 where there is none, shape (v, s).
    zone, meshed : zone index in ``plan.zones`` and whether flow mesh lies there, per triangle.
    lines : the vertices along each line, in its order.
    areas : of the triangles as they lie on the mould [m²], draw counted, shape (m,).
    cloth_volume : pore volume of plies, core and mesh at each node, without tubes and hoses [m³].
    cloth_links : how many links, the first ones, run through cloth and core; the others are lines, gaps and hoses.
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
    cloth_links: int = 0

    @property
    def slots(self) -> tuple[str, ...]:
        """Names of the layers that people see, tool side first."""
        return tuple(dict.fromkeys(s.slot for s in self.sheets))

    def vertex_areas(self) -> Floats:
        """Area of each vertex as it lies on the mould [m²], shape (v,)."""
        thirds = np.repeat(self.areas / 3, 3)
        return sum_at(self.mesh.triangles.ravel(), thirds, len(self.mesh.points))


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
        raise BuildError(tr("There is nothing to fill yet: lay at least one ply in Stack."))
    kinds = columns(job, tuple(plan.zones), sheets)
    paths = _paths(job, plan)
    laid = _laid_cells(job, plan, kinds, paths, points, len(sheets), pause)
    mesh, cells = laid.mesh, laid.cells
    pause()
    assembly, real, number = cells.assembled()
    cloth_links = assembly.links
    node_at = number.reshape(len(mesh.points), len(sheets))
    lines = {line.id: vertices_on(mesh, paths[line.id], line) for line in job.lines}
    lay_gap(job, mesh, node_at, assembly)
    lay_bridges(job, mesh, node_at, assembly)
    ports, valves, vents = lay_lines(job, mesh, paths, lines, node_at, assembly)
    tubes = assembly.size - len(real)
    vertex = np.r_[real // len(sheets), np.full(tubes, -1)]
    sheet = np.r_[real % len(sheets), np.full(tubes, -1)]
    cloth = np.r_[cells.pores[real], np.zeros(tubes)]
    pause()
    network = _network(assembly, vertex, sheet, mesh, ports, vents)
    pause()
    marks = _marks(job, mesh, paths, node_at)
    place = np.where(vertex[:, None] >= 0, mesh.points[np.maximum(vertex, 0)], np.nan)
    level = np.array(assembly.level, dtype=np.int64)
    height_of = np.r_[vertex[: len(real)], np.where(level >= 0, vertex[level], -1)]
    network = replace(network, head=_heads(job, mesh, height_of), marks=marks, valves=valves, place=place)
    return FlowModel(
        network, mesh, plan, sheets, kinds, node_at, laid.zone, laid.meshed, lines, laid.areas, cloth, cells.clipped,
        cloth_links,
    )  # fmt: skip


def _paths(job: Job, plan: PlanRegions) -> dict[str, LineString | Point]:
    """Return the shape of each line's path by its id.

    Raises
    ------
    BuildError : when one lies outside the part, and not just beside its edge.
    """
    paths = {line.id: shape_of(line.path) for line in job.lines}
    for line in job.lines:
        if plan.whole.distance(paths[line.id]) > BESIDE:
            raise BuildError(tr("{} lies outside the part: move it onto the cloth.", line.label))
    return paths


class _Laid(Struct, frozen=True, eq=False):
    """A mesh of the plan with what each triangle is of: zone and mesh or none, its area as laid [m²], and the cells."""

    mesh: TriMesh
    cells: _Cells
    zone: Ints
    meshed: Bools
    areas: Floats


def _laid_cells(
    job: Job, plan: PlanRegions, kinds: tuple[Column, ...], paths: dict[str, LineString | Point], points: int, sheets: int,
    pause: Callable[[], None],
) -> _Laid:  # fmt: skip
    """Mesh the plan, and once more along the cloth where links of the first would have had to be clipped."""
    cover = mesh_cover(job)
    mesh = _plan_mesh(
        plan, _borders(job), paths, cover, points, _main_directions(plan, kinds, cover is not None), pause
    )
    centres = mesh.centroids
    zone = plan.zone_at(centres)
    meshed = _covered(cover, centres)
    kind = 2 * zone + meshed
    corners, areas = _as_laid(job, mesh, plan, zone)
    cells = _cells(mesh, kinds, kind, corners, areas, sheets)
    pause()
    if cells.clipped > CLIPPED:
        mesh = _turned_to_cloth(mesh, kinds, kind, [paths[x.id] for x in job.lines])
        corners, areas = _as_laid(job, mesh, plan, zone)
        pause()
        cells = _cells(mesh, kinds, kind, corners, areas, sheets)
    return _Laid(mesh, cells, zone, meshed, areas)


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
    return within(cover, centres)


class _Cells(Struct, frozen=True, eq=False):
    """The cloth as nodes: pores of (vertex, sheet) [m³], links from a to b of conductance g [m³], and the share clipped."""

    pores: Floats
    a: Ints
    b: Ints
    g: Floats
    clipped: float

    def assembled(self) -> tuple[Assembly, Ints, Ints]:
        """Return those that hold anything, with which they are, and the number of each, −1 for none."""
        real = np.flatnonzero(self.pores > 0)
        number = np.full(len(self.pores), -1, dtype=np.int64)
        number[real] = np.arange(len(real))
        held = (number[self.a] >= 0) & (number[self.b] >= 0)
        return (
            Assembly(self.pores[real].copy(), number[self.a[held]], number[self.b[held]], self.g[held]),
            real,
            number,
        )


def _cells(
    mesh: TriMesh, kinds: tuple[Column, ...], kind: Ints, corners: Floats, areas: Floats, s: int
) -> _Cells:
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
    return _Cells(volume, *_merged(rows, cols, values, s))


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
    total = scipy.sparse.coo_array((g, (a, b)), shape=(n, n)).tocsr().tocoo()
    good = total.data > 0
    row, col = total.coords
    weight = float(np.abs(total.data[row // s != col // s]).sum())
    clipped = float(-total.data[~good].sum()) / weight if weight else 0.0
    return row[good].astype(np.int64), col[good].astype(np.int64), total.data[good], clipped


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


def _network(
    net: Assembly, vertex: Ints, sheet: Ints, mesh: TriMesh, ports: tuple[Port, ...], vents: tuple[Vent, ...]
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
