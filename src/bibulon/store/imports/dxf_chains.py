"""Chains and faces out of DXF files."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Iterable, Iterator
from pathlib import Path
from typing import Any

import numpy as np

from bibulon.core.units.words import tr
from bibulon.store.durable import named
from bibulon.store.imports.chains import Chain, Drawing, DrawingError

__all__ = ["faces_of", "open_dxf", "read_dxf", "unit_of_dxf"]

UNITS_BY_CODE = {1: "in", 2: "ft", 4: "mm", 5: "cm", 6: "m"}
FLAT = 1e-4  # of the size of a curve, between it and the chords that stand for it
DEEPEST = 5  # blocks within blocks
MOST = 200_000  # entities, blocks counted each time that they are placed
PLACED = 6  # what an entity of a placed block costs more than one that stands there


class _Budget:
    """Counts what was looked at, so that blocks placed within blocks come to an end."""

    def __init__(self) -> None:
        self.left = MOST

    def spend(self, much: int = 1) -> None:
        self.left -= much
        if self.left < 0:
            raise DrawingError(tr("The drawing holds more than {} things: export the outline alone.", MOST))


def open_dxf(path: Path) -> Any:
    """Open a DXF file, a damaged one as far as it goes.

    Raises
    ------
    DrawingError : when it is none.
    """
    import ezdxf
    from ezdxf import recover

    try:
        return ezdxf.readfile(path)
    except (ezdxf.DXFStructureError, UnicodeDecodeError):
        return recover.readfile(path)[0]
    except OSError as error:
        if path.is_file():
            raise DrawingError(tr("{} is damaged, or no DXF file.", named(path))) from error
        raise


def unit_of_dxf(document: Any) -> str | None:
    """Return the unit that a DXF states; None when it states none that we know."""
    return UNITS_BY_CODE.get(int(document.header.get("$INSUNITS", 0)))


def read_dxf(path: Path) -> Drawing:
    """Return the chains of a DXF file, and how many faces it holds beside them.

    Raises
    ------
    DrawingError : when it is none, or holds too much.
    """
    document = open_dxf(path)
    chains: list[Chain] = []
    passed: Counter[str] = Counter()
    budget = _Budget()
    for entity in document.modelspace():
        chains += _chains(entity, passed, 0, budget)
    faces = 0 if chains else sum(1 for _ in faces_of(document))
    unit = unit_of_dxf(document)
    return Drawing(named(path), tuple(c for c in chains if len(c.corners) > 1), unit, dict(passed), faces)


def _chains(entity: Any, passed: Counter[str], depth: int, budget: _Budget) -> Iterator[Chain]:
    kind, layer = entity.dxftype(), str(entity.dxf.layer)
    budget.spend(1 if depth == 0 else PLACED)
    if kind == "LINE":
        a, b = entity.dxf.start, entity.dxf.end
        yield Chain(layer, [(a.x, a.y, 0.0), (b.x, b.y, 0.0)])
    elif kind == "LWPOLYLINE":
        yield Chain(layer, [(x, y, b) for x, y, b in entity.get_points("xyb")], bool(entity.closed))
    elif kind == "POLYLINE" and entity.is_2d_polyline:
        points = [(v.dxf.location.x, v.dxf.location.y, v.dxf.get("bulge", 0.0)) for v in entity.vertices]
        yield Chain(layer, points, bool(entity.is_closed))
    elif kind == "ARC":
        a, b = entity.start_point, entity.end_point
        turn = math.radians((entity.dxf.end_angle - entity.dxf.start_angle) % 360 or 360)
        if turn > math.pi:  # more than half a circle: two sides keep the rise within the chord's reach
            middle = math.radians(entity.dxf.start_angle) + turn / 2
            x = entity.dxf.center.x + entity.dxf.radius * math.cos(middle)
            y = entity.dxf.center.y + entity.dxf.radius * math.sin(middle)
            yield Chain(layer, [(a.x, a.y, math.tan(turn / 8)), (x, y, math.tan(turn / 8)), (b.x, b.y, 0.0)])
        else:
            yield Chain(layer, [(a.x, a.y, math.tan(turn / 4)), (b.x, b.y, 0.0)])
    elif kind == "CIRCLE":
        c, r = entity.dxf.center, entity.dxf.radius
        bulge = math.tan(math.pi / 8)
        yield Chain(layer, [(c.x + r, c.y, bulge), (c.x, c.y + r, bulge), (c.x - r, c.y, bulge), (c.x, c.y - r, bulge)], True)  # fmt: skip
    elif kind in {"ELLIPSE", "SPLINE"}:
        curve = _curve(entity, kind)
        if curve is None:
            passed[f"{kind} without size"] += 1
            return
        size = _extent(curve)
        shut = len(curve) > 3 and math.dist(curve[0][:2], curve[-1][:2]) < 1e-6 * max(size, 1e-9)
        budget.spend(len(curve) // 50)
        yield Chain(layer, curve[:-1] if shut else curve, shut)
    elif kind == "INSERT" and depth < DEEPEST:
        for part in entity.virtual_entities():
            yield from _chains(part, passed, depth + 1, budget)
    else:
        passed[kind] += 1


def _curve(entity: Any, kind: str) -> list[tuple[float, float, float]] | None:
    """Return points along a curve, so close that chords stand for it; None when it has no size."""
    if kind == "ELLIPSE":
        rough = [entity.dxf.center + entity.dxf.major_axis, entity.dxf.center - entity.dxf.major_axis]
    else:
        rough = [*entity.control_points, *entity.fit_points]
    size = _extent(rough)
    if not (math.isfinite(size) and size > 0):
        return None
    return [(p.x, p.y, 0.0) for p in entity.flattening(size * FLAT)]


def _extent(points: Iterable[Any]) -> float:
    all_points = np.array([(p[0], p[1]) for p in points])
    return float(np.ptp(all_points, axis=0).max()) if len(all_points) else 0.0


def faces_of(document: Any) -> Iterator[list[tuple[float, float, float]]]:
    """Yield the corners (x, y, z) of every face of a DXF: faces, polyface meshes, grids and meshes, blocks included."""
    yield from _faces(document.modelspace(), 0, _Budget())


def _faces(
    entities: Iterable[Any], depth: int, budget: _Budget
) -> Iterator[list[tuple[float, float, float]]]:
    for entity in entities:
        budget.spend(1 if depth == 0 else PLACED)
        kind = entity.dxftype()
        if kind in {"3DFACE", "SOLID", "TRACE"}:
            if kind == "3DFACE":
                yield _clean(entity.wcs_vertices())
        elif kind == "POLYLINE" and (entity.is_poly_face_mesh or entity.is_polygon_mesh):
            yield from (
                _clean(f.wcs_vertices()) for f in entity.virtual_entities() if f.dxftype() == "3DFACE"
            )
        elif kind == "MESH":
            with entity.edit_data() as data:
                corners = [tuple(float(c) for c in v) for v in data.vertices]
                yield from ([corners[i] for i in face] for face in data.faces)
        elif kind == "INSERT" and depth < DEEPEST:
            yield from _faces(entity.virtual_entities(), depth + 1, budget)


def _clean(vertices: Iterable[Any]) -> list[tuple[float, float, float]]:
    """Return a face's corners without those that stand twice."""
    out: list[tuple[float, float, float]] = []
    for v in vertices:
        corner = (float(v.x), float(v.y), float(v.z))
        if corner not in out:
            out.append(corner)
    return out
