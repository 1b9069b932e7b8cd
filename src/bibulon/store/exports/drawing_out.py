"""The plan as DXF and its outlines as SVG, arcs kept as arcs; both in millimetres."""

from __future__ import annotations

import math
from collections.abc import Sequence
from html import escape
from pathlib import Path

import shapely
from shapely.geometry.base import BaseGeometry

from bibulon.core.geometry.zones import regions
from bibulon.core.model.job import Corner, Drawn, Job
from bibulon.core.stack.laid import layer_region
from bibulon.store.durable import aside, write_text

__all__ = ["write_dxf", "write_svg"]


def _bulges(corners: Sequence[Corner]) -> list[tuple[float, float, float]]:
    """Return (x, y, bulge) in mm; see ``drawing_in``."""
    after = [*corners[1:], corners[0]]
    twice = sum(a.x * b.y - b.x * a.y for a, b in zip(corners, after, strict=True))
    turn = 1.0 if twice >= 0 else -1.0
    return [
        (a.x * 1e3, a.y * 1e3, turn * a.bow * 2 / math.hypot(b.x - a.x, b.y - a.y))
        for a, b in zip(corners, after, strict=True)
    ]


def _named_outlines(job: Job) -> list[tuple[str, Sequence[Corner]]]:
    out: list[tuple[str, Sequence[Corner]]] = [("OUTLINE", job.part.outline)]
    out += [("HOLES", hole) for hole in job.part.holes]
    out += [(f"ZONE {z.name}", z.area.outline) for z in job.part.zones if isinstance(z.area, Drawn)]
    if job.mesh:
        out += [("MESH", ring) for ring in job.mesh.rings]
    return out


def _safe(layer: str) -> str:
    """Return a layer name without the characters that DXF bars."""
    return "".join("_" if c in "<>/\\\":;?*|='`," else c for c in layer)[:120]


def write_dxf(job: Job, path: Path) -> None:
    """Write outline, holes, zones, plies, mesh and lines, a layer each, in mm.

    Raises
    ------
    OutlineError : when an outline is crossed or empty.
    OSError : when the file cannot be written.
    """
    import ezdxf

    document = ezdxf.new("R2010")
    document.units = 4
    space = document.modelspace()

    def ring(layer: str, points: list[tuple[float, float, float]], closed: bool = True) -> None:
        name = _safe(layer)
        if name not in document.layers:
            document.layers.add(name)
        space.add_lwpolyline(points, format="xyb", close=closed, dxfattribs={"layer": name})

    for layer, corners in _named_outlines(job):
        ring(layer, _bulges(corners))
    plan = regions(job.part)
    for zone in job.part.zones:
        if not isinstance(zone.area, Drawn) and zone.id in plan.zones:
            for points in _flat(plan.zones[zone.id]):
                ring(f"ZONE {zone.name}", points)
    for k, x in enumerate(job.stack, 1):
        if x.zones or x.outline or x.runs_on:
            for points in _flat(layer_region(job, x)):
                ring(f"PLY {k:02d} {job.materials[x.material].name} {x.angle_deg:+.0f}", points)
        for seam in x.seams:
            ring(f"SEAMS {k:02d}", [(a * 1e3, b * 1e3, 0.0) for a, b in seam.path], False)
    for line in job.lines:
        if len(line.path) > 1:
            ring(f"{line.role.upper()} {line.label}", [(a * 1e3, b * 1e3, 0.0) for a, b in line.path], False)
    with aside(path) as part:
        document.saveas(part)


def _flat(shape: BaseGeometry) -> list[list[tuple[float, float, float]]]:
    out = []
    for polygon in shapely.get_parts(shape):
        if polygon.geom_type == "Polygon":
            for edge in (polygon.exterior, *polygon.interiors):
                out.append([(x * 1e3, y * 1e3, 0.0) for x, y in edge.coords[:-1]])
    return out


def write_svg(job: Job, path: Path) -> None:
    """Write the outlines full size, a group each, with arcs.

    Raises
    ------
    OutlineError : when an outline is crossed or empty.
    OSError : when the file cannot be written.
    """
    x0, y0, x1, y1 = (v * 1e3 for v in regions(job.part).whole.bounds)
    pad = 10.0
    wide, high = x1 - x0 + 2 * pad, y1 - y0 + 2 * pad
    rows = [
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{wide:.6f}mm" height="{high:.6f}mm" '
        f'viewBox="0 0 {wide:.6f} {high:.6f}">'
    ]
    for layer, corners in _named_outlines(job):
        moved = [(x - x0 + pad, y1 - y + pad, -b) for x, y, b in _bulges(corners)]
        rows.append(
            f'<g id="{escape(layer)}"><path d="{_path(moved)}" fill="none" stroke="#000" stroke-width="0.3"/></g>'
        )
    write_text(path, "\n".join([*rows, "</svg>\n"]))


def _path(corners: list[tuple[float, float, float]]) -> str:
    x, y, _ = corners[0]
    words = [f"M {x:.9g} {y:.9g}"]
    for (ax, ay, bulge), (bx, by, _) in zip(corners, [*corners[1:], corners[0]], strict=True):
        if abs(bulge) < 1e-12:
            words.append(f"L {bx:.9g} {by:.9g}")
            continue
        chord = math.hypot(bx - ax, by - ay)
        radius = chord * (1 + bulge**2) / (4 * abs(bulge))
        words.append(
            f"A {radius:.12g} {radius:.12g} 0 {int(abs(bulge) > 1)} {int(bulge > 0)} {bx:.9g} {by:.9g}"
        )
    return " ".join([*words, "Z"])
