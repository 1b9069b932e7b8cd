"""Outlines out of drawings: DXF and SVG files read as chains of lines and arcs, joined into rings."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np
from shapely.geometry import Polygon

from bibulon.core.geometry.outline import OutlineError, check, trace
from bibulon.core.job.model import Corner, Outline

__all__ = ["UNITS", "Chain", "Drawing", "DrawingError", "Taken", "assemble", "read_drawing"]

UNITS = {"mm": 1e-3, "cm": 1e-2, "m": 1.0, "in": 0.0254, "ft": 0.3048}
_DXF_UNITS = {1: "in", 2: "ft", 4: "mm", 5: "cm", 6: "m"}
FLAT = 1e-4  # of the size of a curve, between it and the chords that stand for it
LARGEST = 60_000_000  # bytes
MOST_CORNERS = 5000


class DrawingError(ValueError):
    """A drawing that gives no outline; the text says what is wrong and where."""


@dataclass
class Chain:
    """Corners (x, y, bulge of the side that leaves it) in the drawing's units; bulge is tan(angle/4), anticlockwise positive."""

    layer: str
    corners: list[tuple[float, float, float]]
    closed: bool = False


@dataclass(frozen=True)
class Drawing:
    """What a file holds: chains, the unit that it states (None when it states none), what was passed over."""

    name: str
    chains: tuple[Chain, ...]
    unit: str | None
    passed: dict[str, int] = field(default_factory=dict)

    @property
    def layers(self) -> tuple[str, ...]:
        """Names of the layers that hold lines, in order."""
        return tuple(dict.fromkeys(c.layer for c in self.chains))


@dataclass(frozen=True)
class Taken:
    """An outline with its holes [m], the gaps that were closed [m], and what to tell the person."""

    outline: Outline
    holes: tuple[Outline, ...]
    gaps: tuple[float, ...]
    notes: tuple[str, ...]


def read_drawing(path: Path) -> Drawing:
    """Read a DXF or SVG file.

    Raises
    ------
    DrawingError : when it is none, is damaged, or holds no lines.
    """
    try:
        if path.stat().st_size > LARGEST:
            raise DrawingError(
                f"{path.name} is larger than {LARGEST // 1_000_000} MB: export the outline alone."
            )
        read = {".dxf": _read_dxf, ".svg": _read_svg}.get(path.suffix.lower())
        if read is None:
            raise DrawingError(f"{path.name} is neither DXF nor SVG.")
        drawing = read(path)
    except DrawingError:
        raise
    except OSError as error:
        raise DrawingError(f"{path.name} cannot be read: {error.strerror or error}.") from error
    except Exception as error:  # readers of foreign formats fail in ways of their own
        raise DrawingError(f"{path.name} is damaged: {_short(error)}.") from error
    for chain in drawing.chains:
        if not np.isfinite(np.array(chain.corners)).all():
            raise DrawingError(f"{path.name} holds a point that is no number, in layer {chain.layer}.")
    if not drawing.chains:
        passed = ", ".join(f"{n} × {k}" for k, n in drawing.passed.items())
        raise DrawingError(
            f"{path.name} holds no lines or arcs{f' (passed over: {passed})' if passed else ''}."
        )
    return drawing


def _short(error: Exception) -> str:
    text = " ".join(str(error).split()) or type(error).__name__
    return text[:120].rstrip(".")


# -- DXF


def _read_dxf(path: Path) -> Drawing:
    import ezdxf
    from ezdxf import recover

    try:
        document = ezdxf.readfile(path)
    except (ezdxf.DXFStructureError, UnicodeDecodeError):
        document, _ = recover.readfile(path)
    except OSError as error:
        if path.is_file():
            raise DrawingError(f"{path.name} is damaged, or no DXF file.") from error
        raise
    chains: list[Chain] = []
    passed: Counter[str] = Counter()
    for entity in document.modelspace():
        chains += _dxf_chains(entity, passed, 0)
    unit = _DXF_UNITS.get(int(document.header.get("$INSUNITS", 0)))
    return Drawing(path.name, tuple(c for c in chains if len(c.corners) > 1), unit, dict(passed))


def _dxf_chains(entity: Any, passed: Counter[str], depth: int) -> Iterator[Chain]:
    kind, layer = entity.dxftype(), str(entity.dxf.layer)
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
        size = _extent(list(entity.flattening(1e9, 8)) if kind == "ELLIPSE" else entity.control_points)
        points = [(p.x, p.y, 0.0) for p in entity.flattening(max(size * FLAT, 1e-9))]
        shut = len(points) > 3 and math.dist(points[0][:2], points[-1][:2]) < 1e-6 * max(size, 1e-9)
        yield Chain(layer, points[:-1] if shut else points, shut)
    elif kind == "INSERT" and depth < 5:
        for part in entity.virtual_entities():
            yield from _dxf_chains(part, passed, depth + 1)
    else:
        passed[kind] += 1


def _extent(points: Iterable[Any]) -> float:
    all_points = np.array([(p[0], p[1]) for p in points])
    return float(np.ptp(all_points, axis=0).max()) if len(all_points) else 0.0


# -- SVG


def _read_svg(path: Path) -> Drawing:
    from svgelements import SVG

    text = path.read_text(encoding="utf-8", errors="strict")
    head = text[: text.find(">", text.find("<svg")) + 1]
    if "<svg" not in text:
        raise DrawingError(f"{path.name} is no SVG drawing.")
    import io
    import re

    size = re.search(r"\bwidth\s*=\s*[\"']\s*([\d.eE+]+)\s*(mm|cm|in|m)\b", head)
    svg = SVG.parse(io.StringIO(text), ppi=96, reify=True)
    chains: list[Chain] = []
    passed: Counter[str] = Counter()
    for layer, shape in _svg_shapes(svg, "drawing"):
        chains += _svg_chains(layer, shape, passed)
    # Lengths come in the reader's px once the drawing states its width with a unit.
    scale = float(size[1]) * UNITS[size[2]] * 1e3 / float(svg.width) if size else 1.0
    for chain in chains:
        # y runs down in the file and up on the plan, so arcs turn the other way.
        chain.corners = [(x * scale, -y * scale, -b) for x, y, b in chain.corners]
    return Drawing(
        path.name, tuple(c for c in chains if len(c.corners) > 1), "mm" if size else None, dict(passed)
    )


def _svg_shapes(group: Any, name: str) -> Iterator[tuple[str, Any]]:
    from svgelements import Group, Shape

    for item in group:
        if isinstance(item, Group):
            told = item.values.get("attributes", {})
            label = next((v for k, v in told.items() if k.endswith("label") and v), None)
            yield from _svg_shapes(item, str(label or item.id or name))
        elif isinstance(item, Shape):
            yield name, item


def _svg_chains(layer: str, shape: Any, passed: Counter[str]) -> Iterator[Chain]:
    from svgelements import Arc, Close, Line, Move, Path

    path = Path(shape)
    box = path.bbox()
    size = max(box[2] - box[0], box[3] - box[1]) if box else 0.0
    chain: Chain | None = None
    for segment in path:
        if isinstance(segment, Move):
            if chain and len(chain.corners) > 1:
                yield chain
            chain = Chain(layer, [(segment.end.x, segment.end.y, 0.0)])
            continue
        if chain is None:
            continue
        if isinstance(segment, Close):
            chain.closed = True
            if (
                len(chain.corners) > 1
                and math.dist(chain.corners[0][:2], chain.corners[-1][:2]) < 1e-9 + 1e-7 * size
            ):
                chain.corners.pop()
        elif isinstance(segment, Line):
            chain.corners.append((segment.end.x, segment.end.y, 0.0))
        elif isinstance(segment, Arc) and abs(segment.rx - segment.ry) < 1e-6 * max(segment.rx, 1e-12):
            pieces = 2 if abs(segment.sweep) > math.pi * 0.999 else 1
            bulge = math.tan(segment.sweep / pieces / 4)
            for k in range(pieces):
                x, y, _ = chain.corners[-1]
                chain.corners[-1] = (x, y, bulge)
                end = segment.point((k + 1) / pieces)
                chain.corners.append((end.x, end.y, 0.0))
        else:
            count = max(8, min(96, math.ceil(segment.length(error=1e-3) / max(size, 1e-9) * 120)))
            chain.corners += [
                (p.x, p.y, 0.0) for p in (segment.point(k / count) for k in range(1, count + 1))
            ]
    if chain and len(chain.corners) > 1:
        if not chain.closed and math.dist(chain.corners[0][:2], chain.corners[-1][:2]) < 1e-7 * max(
            size, 1e-9
        ):
            chain.closed = True
            chain.corners.pop()
        yield chain


# -- from chains to an outline


def assemble(drawing: Drawing, layers: Iterable[str], unit: str, tolerance: float) -> Taken:
    """Join chains into rings and take the largest as the outline, those inside it as holes.

    Parameters
    ----------
    unit : a name in ``UNITS``.
    tolerance : gaps up to this are closed [m].

    Raises
    ------
    DrawingError : when a ring does not close within the tolerance, or crosses itself; says where.
    """
    scale, wanted = UNITS[unit], set(layers)
    chains = [
        Chain(c.layer, [(x * scale, y * scale, b) for x, y, b in c.corners], c.closed)
        for c in drawing.chains
        if c.layer in wanted
    ]
    if not chains:
        raise DrawingError("No layer is chosen: choose those that hold the outline.")
    rings, gaps, loose = _rings(chains, tolerance)
    if not rings:
        worst = max(loose, key=lambda c: _length(c))
        (x, y, _), (u, v, _) = worst.corners[0], worst.corners[-1]
        gap = math.hypot(x - u, y - v)
        raise DrawingError(
            f"No ring closes: the longest line ends at x {u * 1e3:.1f} mm, y {v * 1e3:.1f} mm, "
            f"{gap * 1e3:.1f} mm from where it began; gaps up to {tolerance * 1e3:.1f} mm are closed."
        )
    outlines = sorted((_outline(r) for r in rings), key=lambda o: -Polygon(trace(o)).area)
    try:
        whole = check(outlines[0])
        inside = [(o, check(o)) for o in outlines[1:]]
    except OutlineError as error:
        raise DrawingError(str(error)) from error
    low = whole.bounds
    holes = tuple(o for o, shape in inside if whole.contains(shape))
    notes = []
    if apart := len(inside) - len(holes):
        notes.append(f"{apart} outline{'s' if apart > 1 else ''} beside the largest left out.")
    if loose:
        notes.append(f"{len(loose)} open line{'s' if len(loose) > 1 else ''} left out.")
    if gaps:
        notes.append(f"{len(gaps)} gaps closed, the widest {max(gaps) * 1e3:.2f} mm.")
    if drawing.passed:
        notes.append("Passed over: " + ", ".join(f"{n} × {k}" for k, n in drawing.passed.items()) + ".")
    moved = [
        tuple(c.model_copy(update={"x": c.x - low[0], "y": c.y - low[1]}) for c in o)
        for o in (outlines[0], *holes)
    ]
    return Taken(moved[0], tuple(moved[1:]), tuple(gaps), tuple(notes))


def _length(chain: Chain) -> float:
    points = np.array([c[:2] for c in chain.corners])
    return float(np.hypot(*np.diff(points, axis=0).T).sum())


def _rings(chains: list[Chain], tolerance: float) -> tuple[list[Chain], list[float], list[Chain]]:
    """Return closed chains, gaps that were closed, and chains that stay open."""
    rings = [c for c in chains if c.closed and len(c.corners) > 1]
    open_, gaps, loose = [c for c in chains if not c.closed], [], []
    while open_:
        chain = open_.pop()
        while True:
            end = chain.corners[-1]
            shut = math.dist(end[:2], chain.corners[0][:2]) if len(chain.corners) > 2 else math.inf
            near = min(
                ((math.dist(end[:2], c.corners[k][:2]), i, k) for i, c in enumerate(open_) for k in (0, -1)),
                default=(math.inf, -1, 0),
            )
            if shut <= min(tolerance, near[0]):
                if shut > 1e-7:
                    gaps.append(shut)
                if shut <= tolerance:
                    chain.corners.pop()
                rings.append(Chain(chain.layer, chain.corners, True))
                break
            if near[0] > tolerance:
                # From its other end it may still go on.
                first = chain.corners[0]
                back = min(
                    (
                        (math.dist(first[:2], c.corners[k][:2]), i, k)
                        for i, c in enumerate(open_)
                        for k in (0, -1)
                    ),
                    default=(math.inf, -1, 0),
                )
                if back[0] > tolerance:
                    loose.append(chain)
                    break
                chain = Chain(chain.layer, _reversed(chain.corners))
                continue
            other = open_.pop(near[1])
            corners = other.corners if near[2] == 0 else _reversed(other.corners)
            if near[0] > 1e-7:
                gaps.append(near[0])
            chain = Chain(chain.layer, [*chain.corners[:-1], *corners])
    return rings, gaps, loose


def _reversed(corners: list[tuple[float, float, float]]) -> list[tuple[float, float, float]]:
    """Return a chain walked the other way: each side's bulge moves to its other end, turned."""
    back = corners[::-1]
    bulges = [-c[2] for c in corners[-2::-1]] + [0.0]
    return [(x, y, b) for (x, y, _), b in zip(back, bulges, strict=True)]


def _outline(chain: Chain) -> Outline:
    """Return a ring as corners; bow is bulge times half the chord, outward positive."""
    corners = [
        c
        for c, d in zip(chain.corners, [*chain.corners[1:], chain.corners[0]], strict=True)
        if math.dist(c[:2], d[:2]) > 1e-7
    ]
    if len(corners) == 2 and any(abs(c[2]) > 1e-9 for c in corners):
        corners = _halved(corners)
    if len(corners) < 3:
        raise DrawingError("A ring has fewer than three corners.")
    if len(corners) > MOST_CORNERS:
        raise DrawingError(f"A ring has {len(corners)} corners: {MOST_CORNERS} at most.")
    # The turn of the corners alone, as ``outline`` takes it.
    twice = sum(a[0] * b[1] - b[0] * a[1] for a, b in zip(corners, [*corners[1:], corners[0]], strict=True))
    turn = 1.0 if twice >= 0 else -1.0
    return tuple(
        Corner(x=a[0], y=a[1], bow=turn * a[2] * math.dist(a[:2], b[:2]) / 2)
        for a, b in zip(corners, [*corners[1:], corners[0]], strict=True)
    )


def _halved(corners: list[tuple[float, float, float]]) -> list[tuple[float, float, float]]:
    """Cut the sides of a lens in two, so that it has corners enough."""
    out = []
    for (x, y, b), (u, v, _) in zip(corners, [*corners[1:], corners[0]], strict=True):
        # The arc's middle lies bulge × half the chord to the right of the chord.
        mx, my = (x + u) / 2 + b * (v - y) / 2, (y + v) / 2 - b * (u - x) / 2
        half = math.tan(math.atan(b) / 2)
        out += [(x, y, half), (mx, my, half)]
    return out
