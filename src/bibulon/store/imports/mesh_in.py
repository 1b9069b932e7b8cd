"""Mould surfaces out of STL, OBJ and PLY files, and out of the faces of a DXF."""

from __future__ import annotations

import logging
from pathlib import Path
from typing import Any

import numpy as np
import numpy.typing as npt
from msgspec import Struct
from shapely.geometry import Polygon

from bibulon.core.geometry.coarser import coarser
from bibulon.core.geometry.outline import OutlineError, check
from bibulon.core.geometry.surface import (
    Lift,
    SurfaceError,
    areas_in_space,
    border_rings,
)
from bibulon.core.geometry.trimesh import TriMesh
from bibulon.core.geometry.unroll import plan_of
from bibulon.core.model.job import Corner, Outline, Surface
from bibulon.core.units.words import tr
from bibulon.store.durable import named
from bibulon.store.imports.drawing_in import UNITS
from bibulon.store.imports.dxf_chains import faces_of, open_dxf, unit_of_dxf

__all__ = ["MOST_TRIANGLES", "UPS", "MeshError", "RawMesh", "likely_up", "one_way", "read_mesh", "take_mesh"]

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]

log = logging.getLogger(__name__)

KINDS = frozenset({"stl", "obj", "ply", "dxf"})
LARGEST = 120_000_000  # bytes
MOST_TRIANGLES = 60_000  # kept of a surface; a finer one is made coarser
NEARLY_TRUE = 0.02  # by which lengths seen from above may be off: within 11° of level
LONGEST = 200.0  # m of a mould
RIM_ERROR = 2e-4  # m between the rim and the outline that stands for it

# Which way is up in the file, as the turn that brings it to z.
UPS: dict[str, Floats] = {
    "z up": np.eye(3),
    "y up": np.array([[1.0, 0, 0], [0, 0, -1], [0, 1, 0]]),
    "x up": np.array([[0.0, 0, -1], [0, 1, 0], [1, 0, 0]]),
    "z down": np.diag([1.0, -1.0, -1.0]),
    "y down": np.array([[1.0, 0, 0], [0, 0, 1], [0, -1, 0]]),
    "x down": np.array([[0.0, 0, 1], [0, 1, 0], [-1, 0, 0]]),
}


MUCH_FLATTER = 0.7  # of its height by z that a mould must measure along another axis for that to be up


class MeshError(ValueError):
    """A file that gives no mould surface; the text says what is wrong."""


class RawMesh(Struct, frozen=True, eq=False):
    """Points in the file's own unit, shape (n, 3), and triangles, shape (m, 3)."""

    name: str
    points: Floats
    triangles: Ints
    unit: str | None = None  # where the file states one
    finer: int = 0  # triangles that the file has, where that is more than are kept


def likely_up(raw: RawMesh) -> str:
    """Return a name in ``UPS``: moulds are wider than high, and most files have z up."""
    size = np.ptp(raw.points, axis=0)
    flattest = int(size.argmin())
    return f"{'xyz'[flattest]} up" if size[flattest] < MUCH_FLATTER * size[2] else "z up"


def read_mesh(path: Path) -> RawMesh:
    """Read a surface; points that coincide become one, triangles without area go, and one that is too fine is made coarser.

    Raises
    ------
    MeshError : when the file is no such surface, is damaged or too fine.
    """
    kind = path.suffix.lower().lstrip(".")
    if kind not in KINDS:
        raise MeshError(tr("{} is neither STL, OBJ, PLY nor DXF.", named(path)))
    try:
        if path.stat().st_size > LARGEST:
            raise MeshError(
                tr("{0} is larger than {1} MB: export it coarser.", named(path), LARGEST // 1000000)
            )
        unit = None
        if kind == "dxf":
            points, triangles, unit = _faces_of_dxf(path)
        else:
            points, triangles = _loaded(path, kind)
    except MeshError:
        raise
    except OSError as error:
        raise MeshError(tr("{0} cannot be read: {1}.", named(path), error.strerror or error)) from error
    except Exception as error:  # readers of foreign formats fail in ways of their own
        log.info("%s: %s", path, error)
        raise MeshError(tr("{0} is damaged, or no {1} file.", named(path), kind.upper())) from error
    if points.ndim != 2 or not len(triangles) or triangles.ndim != 2:
        raise MeshError(tr("{} holds no triangles.", named(path)))
    if not np.isfinite(points).all():
        raise MeshError(tr("{} holds a point that is no number.", named(path)))
    if triangles.min() < 0 or triangles.max() >= len(points):
        raise MeshError(tr("{} names a point that is not there.", named(path)))
    if len(triangles) <= MOST_TRIANGLES:
        return RawMesh(path.name, points, triangles, unit)
    fewer_points, fewer = coarser(points, triangles, 9 * MOST_TRIANGLES // 10, keep_rim=True)
    if len(fewer) > MOST_TRIANGLES:  # a rim of so many points that nothing else may go, or a skin in shreds
        raise MeshError(
            tr("{0} has {1} triangles, and no more than {2} can be kept: export it coarser.", named(path), len(triangles), MOST_TRIANGLES)
        )  # fmt: skip
    return RawMesh(path.name, fewer_points, fewer, unit, len(triangles))


def _loaded(path: Path, kind: str) -> tuple[Floats, Ints]:
    import trimesh

    loaded: Any = trimesh.load(path, file_type=kind, force="mesh", process=True, skip_materials=True)
    return np.asarray(loaded.vertices, dtype=np.float64), np.asarray(loaded.faces, dtype=np.int64)


def _faces_of_dxf(path: Path) -> tuple[Floats, Ints, str | None]:
    """Return the triangles of a drawing's faces and meshes; points that coincide are one."""
    corners: list[tuple[tuple[float, float, float], ...]] = []
    document = open_dxf(path)
    for face in faces_of(document):
        corners += [(face[0], face[k], face[k + 1]) for k in range(1, len(face) - 1)]
        if len(corners) > 4 * MOST_TRIANGLES:
            raise MeshError(
                tr("{0} has more than {1} faces: export it coarser.", named(path), 4 * MOST_TRIANGLES)
            )
    if not corners:
        raise MeshError(tr("{} holds no faces.", named(path)))
    soup = np.array(corners, dtype=np.float64).reshape(-1, 3)
    near = 1e-7 * float(np.ptp(soup, axis=0).max() or 1.0)
    _, first, which = np.unique(np.round(soup / near), axis=0, return_index=True, return_inverse=True)
    triangles = which.reshape(-1, 3).astype(np.int64)
    whole = np.array([len(set(t)) == 3 for t in triangles.tolist()])
    return soup[first], triangles[whole], unit_of_dxf(document)


def take_mesh(
    raw: RawMesh, unit: str, up: str, unrolled: bool | None = None
) -> tuple[Surface, Outline, tuple[Outline, ...]]:
    """Turn a raw mesh upright and lay it on the plan; returns the surface, its outline and holes.

    Parameters
    ----------
    unit : a name in ``UNITS``; up : a name in ``UPS``; unrolled : or seen from above, or None for what suits it: from
        above where that is nearly true to length, else the truer of both: plies are cut by the plan.

    Raises
    ------
    MeshError : when it cannot be laid on a plan.
    """
    space = raw.points @ UPS[up].T * UNITS[unit]
    triangles = one_way(raw.triangles)
    size = float(np.ptp(space, axis=0).max())
    if size > LONGEST:
        raise MeshError(tr("It is {0:,.0f} m long in {1}: choose another unit.", size, unit))
    areas = areas_in_space(space, triangles)
    if areas.sum() <= 1e-8:
        raise MeshError(tr("The surface has no area."))
    kept = areas > 1e-12 * areas.sum()
    used, flat = np.unique(triangles[kept], return_inverse=True)
    space, triangles = space[used], flat.reshape(-1, 3)
    space = space - np.r_[space[:, :2].min(axis=0), space[:, 2].min()]
    seen = TriMesh(space[:, :2], triangles, 0.0).areas.sum()
    if seen < 0:
        triangles = triangles[:, ::-1]
    try:
        unrolled, plan = _plan(space, triangles, unrolled)
        rings = border_rings(triangles)
    except SurfaceError as error:
        raise MeshError(str(error)) from error
    corner = plan.min(axis=0)
    plan = plan - corner
    shapes = sorted((Polygon(plan[r]) for r in rings), key=lambda p: -p.area)
    outlines = [_outline(s) for s in shapes]
    try:
        whole = check(outlines[0])
    except OutlineError as error:
        raise MeshError(tr("The rim crosses itself on the plan: {}", error)) from error
    surface = Surface(
        space=tuple(map(tuple, np.round(space, 7).tolist())),
        plan=tuple(map(tuple, np.round(plan, 7).tolist())),
        triangles=tuple(map(tuple, triangles.tolist())),
        laid="unrolled" if unrolled else "above",
        source=raw.name,
    )
    return (
        surface,
        outlines[0],
        tuple(o for o, s in zip(outlines[1:], shapes[1:], strict=True) if whole.contains(s)),
    )


def _plan(space: Floats, triangles: Ints, unrolled: bool | None) -> tuple[bool, Floats]:
    """Return whether a surface is unrolled, and its plan; SurfaceError when it cannot be laid so."""
    if unrolled is not None:
        return unrolled, plan_of(space, triangles, unrolled)
    try:
        above = plan_of(space, triangles, False)
    except SurfaceError:
        return True, plan_of(space, triangles, True)
    seen = _off(space, triangles, above)
    if seen < NEARLY_TRUE:
        return False, above
    try:
        flat = plan_of(space, triangles, True)
    except SurfaceError:
        return False, above
    return (True, flat) if _off(space, triangles, flat) < seen else (False, above)


def _off(space: Floats, triangles: Ints, plan: Floats) -> float:
    """Return by what share the lengths on a plan are off at worst."""
    short, long = Lift(space, TriMesh(plan, triangles, 1.0)).off_length
    return max(-short, long)


def _outline(ring: Polygon) -> Outline:
    points = ring.simplify(RIM_ERROR).exterior.coords[:-1]
    return tuple(Corner(x=float(x), y=float(y)) for x, y in points)


def one_way(triangles: Ints) -> Ints:
    """Turn triangles so that neighbours run the same way round.

    Raises
    ------
    MeshError : when the surface has only one side.
    """
    from collections import deque

    n = int(triangles.max()) + 1
    beside: dict[int, list[tuple[int, bool]]] = {}
    for t, (a, b, c) in enumerate(triangles.tolist()):
        for i, j in ((a, b), (b, c), (c, a)):
            beside.setdefault(min(i, j) * n + max(i, j), []).append((t, i < j))
    links: list[list[tuple[int, bool]]] = [[] for _ in range(len(triangles))]
    for sharing in beside.values():
        if len(sharing) == 2:
            (s, up), (t, down) = sharing
            links[s].append((t, up == down))
            links[t].append((s, up == down))
    flipped = np.zeros(len(triangles), dtype=np.int8)
    seen = np.zeros(len(triangles), dtype=bool)
    for start in range(len(triangles)):
        if seen[start]:
            continue
        seen[start] = True
        line = deque([start])
        while line:
            s = line.popleft()
            for t, against in links[s]:
                wanted = flipped[s] ^ int(against)
                if not seen[t]:
                    seen[t], flipped[t] = True, wanted
                    line.append(t)
                elif flipped[t] != wanted:
                    raise MeshError(tr("The surface has one side only, like a twisted band: it is no mould."))
    out = triangles.copy()
    out[flipped == 1] = out[flipped == 1][:, ::-1]
    return out
