"""Chains out of SVG files."""

from __future__ import annotations

import io
import math
import re
from collections import Counter
from collections.abc import Iterator
from pathlib import Path
from typing import Any

from bibulon.core.units.words import tr
from bibulon.store.durable import named
from bibulon.store.imports.chains import Chain, Drawing, DrawingError
from bibulon.store.imports.rings import UNITS

__all__ = ["read_svg"]


def read_svg(path: Path) -> Drawing:
    """Return the chains of an SVG file.

    Raises
    ------
    DrawingError : when it is none.
    """
    from svgelements import SVG

    text = path.read_text(encoding="utf-8", errors="strict")
    head = text[: text.find(">", text.find("<svg")) + 1]
    if "<svg" not in text:
        raise DrawingError(tr("{} is no SVG drawing.", named(path)))
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
        named(path), tuple(c for c in chains if len(c.corners) > 1), "mm" if size else None, dict(passed)
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
