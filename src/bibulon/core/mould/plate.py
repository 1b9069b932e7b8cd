"""A thin plate over a plan of any shape, with ribs: what the upper half of a mould does under pressure.

Discrete Kirchhoff triangles (Batoz, Bathe and Ho 1980): at each corner the deflection w and its slopes; along an edge w is
a cubic, so that the slope along it at its middle follows, while the slope across it is the mean of its ends'.  Slopes are
quadratic in between, and what bends is their gradient: ½ ∫ κᵀ D κ dA with D = E t³/(12 (1 − ν²)).  Ribs are beams across
it, with the plate's own deflections and slopes.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import cached_property

import numpy as np
import numpy.typing as npt
import scipy
import shapely
from msgspec import Struct
from shapely.geometry import LineString, Polygon

from bibulon.core.flow.fill.factor import Symmetric
from bibulon.core.geometry.trimesh import TriMesh, cell_size, triangulate
from bibulon.core.units.words import tr

__all__ = ["Plate", "PlateError", "bending_stiffness", "plate_over"]

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]
SHARP = np.cos(np.radians(20.0))  # of the turn at a corner, beyond which both edges' slopes are held
SETTLED = 1e-4
ROUNDS = 80  # of Newton's method on the push of the fibres


def bending_stiffness(
    modulus: float, poisson: float, thickness: float, skin: float = 0.0, apart: float = 0.0
) -> float:
    """Return D [N m]: E t³/(12 (1 − ν²)), or of two skins E t_f d²/(2 (1 − ν²)), d from middle to middle [m]."""
    if skin > 0:
        return modulus * skin * apart**2 / (2 * (1 - poisson**2))
    return modulus * thickness**3 / (12 * (1 - poisson**2))


class PlateError(RuntimeError):
    """A plate on a bed for which no balance was found; the text says what to look at."""


class Plate(Struct, frozen=True, eq=False, dict=True):
    """A plate on a mesh, its bending stiffness [N m] and Poisson's ratio, its edge held or only supported.

    ribs : places along each [m], shape (k, 2), all on the mesh, and its bending stiffness E I [N m²].
    """

    mesh: TriMesh
    stiffness: float
    poisson: float
    clamped: bool
    ribs: tuple[tuple[Floats, float], ...] = ()

    @cached_property
    def areas(self) -> Floats:
        """The plan's area that belongs to each point [m²], shape (n,)."""
        thirds = np.repeat(self.mesh.areas / 3, 3)
        return np.asarray(
            np.bincount(self.mesh.triangles.ravel(), thirds, len(self.mesh.points)), dtype=float
        )

    @cached_property
    def _edge(self) -> tuple[Ints, Floats]:
        """Points on the border, and the directions of its two edges there, shapes (k,) and (k, 2, 2)."""
        t = self.mesh.triangles
        edges = np.sort(np.vstack([t[:, [0, 1]], t[:, [1, 2]], t[:, [2, 0]]]), axis=1)
        found, count = np.unique(edges, axis=0, return_counts=True)
        border = found[count == 1]
        points = self.mesh.points
        along = points[border[:, 1]] - points[border[:, 0]]
        along /= np.linalg.norm(along, axis=1)[:, None]
        order = np.argsort(border.T.ravel(), kind="stable")
        at, direction = border.T.ravel()[order], np.vstack([along, along])[order]
        nodes, first = np.unique(at, return_index=True)
        return nodes, np.stack([direction[first], direction[np.minimum(first + 1, len(at) - 1)]], axis=1)

    @cached_property
    def _matrix(self) -> scipy.sparse.csc_array:
        """The stiffness over all unknowns (w, ∂w/∂x, ∂w/∂y) a point."""
        local, places = _elements(self.mesh, self.stiffness, self.poisson)
        rows, cols = np.repeat(places, 9, axis=1).ravel(), np.tile(places, (1, 9)).ravel()
        entries: list[tuple[npt.NDArray[np.integer], npt.NDArray[np.integer], Floats]] = [
            (rows, cols, local.ravel())
        ]
        for places_, bending in self.ribs:
            beam = _beams(self.mesh, places_, bending)
            entries.append((beam.row, beam.col, beam.data))
        size = 3 * len(self.mesh.points)
        r, c, v = (np.concatenate(part) for part in zip(*entries, strict=True))
        return scipy.sparse.coo_array((v, (r, c)), shape=(size, size)).tocsc()

    @cached_property
    def _free(self) -> scipy.sparse.csc_array:
        """From the free unknowns to all: nothing moves at the edge; a held one does not turn, another not along itself."""
        n = len(self.mesh.points)
        nodes, direction = self._edge
        inner = np.setdiff1d(np.arange(n), nodes)
        cols: list[tuple[int, float, int, float]] = []
        if not self.clamped:
            for node, (one, two) in zip(nodes, direction, strict=True):
                if abs(one @ two) < SHARP:
                    continue  # a corner: no slope along either edge, so none at all
                t = one + np.sign(one @ two) * two
                t /= np.linalg.norm(t)
                cols.append((3 * node + 1, -t[1], 3 * node + 2, t[0]))
        first = (3 * inner[:, None] + np.arange(3)).ravel()
        k = len(first)
        rows = np.concatenate([first, *([a, b] for a, _, b, _ in cols)]).astype(np.int64)
        where = np.concatenate([np.arange(k), np.repeat(np.arange(k, k + len(cols)), 2)])
        values = np.concatenate([np.ones(k), *([x, y] for _, x, _, y in cols)])
        return scipy.sparse.coo_array((values, (rows, where)), shape=(3 * n, k + len(cols))).tocsc()

    def bow(self, pressure: Floats) -> Floats:
        """Return the deflection of each point [m] under a pressure on it [Pa], shape (n,); both upward."""
        none = np.zeros_like(pressure)
        return self.bow_on(pressure, lambda _: (none, none), none)

    def bow_on(
        self,
        pressure: Floats,
        push: Callable[[Floats], tuple[Floats, Floats]],
        start: Floats,
        step: float = np.inf,
    ) -> Floats:
        """Return the deflection on a bed that pushes back.

        push : from deflections, shape (n,), to the bed's pressure [Pa] and by how much it falls a metre [Pa/m].
        start : deflections to begin from, near to where the bed alone balances; step : the most that one round moves [m].
        Newton's method, shortened until what is out of balance shrinks: (K + A k) Δw = A (p + σ(w)) − K w.

        Raises
        ------
        PlateError : when no balance is found.
        """
        free = self._free
        stiff = (free.T @ self._matrix @ free).tocsc()
        lift = free[0::3]  # the rows of w
        # Among deflections of the edge's kind the one next to the start, so that slopes are the plate's own.
        near = lift.T @ (self.areas * 1e9)
        found = np.zeros(free.shape[1])
        system = _system(stiff)
        if start.any():
            found = system.factored(near).solve(lift.T @ (self.areas * 1e9 * start))

        def amiss(at: Floats) -> Floats:
            return np.asarray(lift.T @ (self.areas * (pressure + push(lift @ at)[0])) - stiff @ at)

        load = amiss(found)
        for _ in range(ROUNDS):
            slope = push(lift @ found)[1]
            move = system.factored(lift.T @ (self.areas * slope)).solve(load)
            size = float(np.abs(lift @ move).max())
            if size <= SETTLED * max(float(np.abs(lift @ found).max()), 1e-6):
                return np.asarray(lift @ (found + move))
            share = min(1.0, step / size)
            while share > 1e-4:
                trial = amiss(found + share * move)
                if move @ trial <= abs(float(move @ load)) or np.linalg.norm(trial) < np.linalg.norm(load):
                    break
                share /= 2
            found, load = found + share * move, amiss(found + share * move)
        raise PlateError(
            tr("The upper mould finds no balance on its plies: look at cavity, stack and stiffness.")
        )


def _system(matrix: scipy.sparse.csc_array) -> Symmetric:
    """Return a stiffness that a bed's may be added to, on the diagonal: each deflection stands for itself."""
    entries = matrix.tocoo()
    rows, cols = entries.coords
    above = rows < cols
    none = np.zeros(0, dtype=np.int64)
    return Symmetric(
        matrix.shape[0], rows[above].astype(np.int64), cols[above].astype(np.int64), entries.data[above], matrix.diagonal(),
        none, np.zeros((0, 0)),
    )  # fmt: skip


def plate_over(
    region: Polygon,
    stiffness: float,
    poisson: float,
    clamped: bool,
    ribs: Sequence[tuple[LineString, float]] = (),
    points: int = 700,
) -> Plate:
    """Return a plate over a region of the plan [m], with ribs along lines of given bending stiffness [N m²].

    Raises
    ------
    OutlineError : when the region is too narrow to be worked out.
    """
    size = cell_size(region.area, points)
    mesh = triangulate(region, [], size)
    along = []
    for line, bending in ribs:
        inside = line.intersection(region)
        for part in getattr(inside, "geoms", [inside]):
            if part.geom_type == "LineString" and part.length > size / 2:
                where = np.linspace(0.0, part.length, max(3, round(part.length / size) + 1))
                places = shapely.get_coordinates(shapely.line_interpolate_point(part, where))
                on = mesh.locate(places)[0] >= 0
                if on.sum() > 2:
                    along.append((places[on], bending))
    return Plate(mesh, stiffness, poisson, clamped, tuple(along))


def _elements(mesh: TriMesh, stiffness: float, poisson: float) -> tuple[Floats, Ints]:
    """Return the stiffness of each triangle, shape (m, 9, 9), and its unknowns, shape (m, 9)."""
    p = mesh.points[mesh.triangles]
    m = len(p)
    double = 2 * mesh.areas
    # Gradients of the barycentric coordinates, shape (m, 3, 2).
    grad = np.empty((m, 3, 2))
    for i, (j, k) in enumerate(((1, 2), (2, 0), (0, 1))):
        grad[:, i, 0] = (p[:, j, 1] - p[:, k, 1]) / double
        grad[:, i, 1] = (p[:, k, 0] - p[:, j, 0]) / double
    to_slopes = _slopes(p)
    d = stiffness * np.array([[1, poisson, 0], [poisson, 1, 0], [0, 0, (1 - poisson) / 2]])
    out = np.zeros((m, 9, 9))
    for at in np.array([[0.5, 0.5, 0], [0, 0.5, 0.5], [0.5, 0, 0.5]]):  # exact for quadratics
        shape = np.empty((m, 6, 2))  # gradients of the six quadratic shape functions
        for i in range(3):
            shape[:, i] = (4 * at[i] - 1) * grad[:, i]
        for e, (i, j) in enumerate(((0, 1), (1, 2), (2, 0))):
            shape[:, 3 + e] = 4 * (at[i] * grad[:, j] + at[j] * grad[:, i])
        curve = np.zeros((m, 3, 12))
        curve[:, 0, 0::2], curve[:, 1, 1::2] = shape[:, :, 0], shape[:, :, 1]
        curve[:, 2, 0::2], curve[:, 2, 1::2] = shape[:, :, 1], shape[:, :, 0]
        b = curve @ to_slopes
        out += np.einsum("m,mia,ij,mjb->mab", mesh.areas / 3, b, d, b, optimize=True)
    places = (3 * mesh.triangles[:, :, None] + np.arange(3)).reshape(m, 9)
    return out, places


def _slopes(p: Floats) -> Floats:
    """Return the map from a triangle's nine unknowns to the slopes at corners and middles of edges, shape (m, 12, 9)."""
    out = np.zeros((len(p), 12, 9))
    for i in range(3):
        out[:, 2 * i, 3 * i + 1] = out[:, 2 * i + 1, 3 * i + 2] = 1.0
    for e, (i, j) in enumerate(((0, 1), (1, 2), (2, 0))):
        edge = p[:, j] - p[:, i]
        length = np.linalg.norm(edge, axis=1)
        t = edge / length[:, None]
        n = np.stack([-t[:, 1], t[:, 0]], axis=1)
        for axis in range(2):
            row = 6 + 2 * e + axis
            out[:, row, 3 * i] -= 1.5 / length * t[:, axis]
            out[:, row, 3 * j] += 1.5 / length * t[:, axis]
            for c in (i, j):
                for other in range(2):
                    along, across = t[:, other] * t[:, axis], n[:, other] * n[:, axis]
                    out[:, row, 3 * c + 1 + other] += -0.25 * along + 0.5 * across
    return out


def _beams(mesh: TriMesh, places: Floats, bending: float) -> scipy.sparse.coo_array:
    """Return what a chain of beams through places of the plan [m] adds: cubic in between, w and slope those of the plate.

    They need not lie on points of the mesh: at a place w = Σ L_i (w_i + ½ ∇w_i·(x − x_i)) and ∇w = Σ L_i ∇w_i, which is exact
    for what bends evenly.
    """
    triangle, share = mesh.locate(places)
    corners = mesh.triangles[triangle]
    off = places[:, None, :] - mesh.points[corners]
    k, n = len(places), len(mesh.points)
    ways = np.gradient(places, axis=0)
    ways /= np.linalg.norm(ways, axis=1)[:, None]
    rows, cols, values = [], [], []
    for c in range(3):
        weight = share[:, c]
        for axis in range(2):
            rows += [2 * np.arange(k), 2 * np.arange(k) + 1]
            cols += [3 * corners[:, c] + 1 + axis] * 2
            values += [weight * off[:, c, axis] / 2, weight * ways[:, axis]]
        rows.append(2 * np.arange(k))
        cols.append(3 * corners[:, c])
        values.append(weight)
    down = scipy.sparse.coo_array(
        (np.concatenate(values), (np.concatenate(rows), np.concatenate(cols))), shape=(2 * k, 3 * n)
    ).tocsr()
    beam = np.zeros((2 * k, 2 * k))
    for a in range(k - 1):
        length = float(np.linalg.norm(places[a + 1] - places[a]))
        beam[2 * a : 2 * a + 4, 2 * a : 2 * a + 4] += bending / length**3 * _beam(length)
    return (down.T @ scipy.sparse.csr_array(beam) @ down).tocoo()


def _beam(length: float) -> Floats:
    """Return the stiffness of a beam of unit E I/l³ over w and slope at its ends."""
    one = length
    return np.array(
        [
            [12, 6 * one, -12, 6 * one], [6 * one, 4 * one**2, -6 * one, 2 * one**2],
            [-12, -6 * one, 12, -6 * one], [6 * one, 2 * one**2, -6 * one, 4 * one**2],
        ]
    )  # fmt: skip
