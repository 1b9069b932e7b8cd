"""Any drawing as DXF: its shapes as polylines and text, a layer a colour; px become mm, y turned up."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import Any

import numpy as np

from bibulon.core.drawing.kit.scene import Area, Clip, Item, Label, Line, Picture, Texture
from bibulon.store.durable import aside

__all__ = ["write_items"]

MM = 25.4 / 96  # of a px


def write_items(items: Sequence[Item], size: tuple[float, float], path: Path) -> None:
    """Write a drawing of px ``size``; textures are left out.

    Raises
    ------
    OSError : when the file cannot be written.
    """
    import ezdxf

    document = ezdxf.new("R2010")
    document.units = 4
    _put(document.modelspace(), items, size[1])
    with aside(path) as part:
        document.saveas(part)


def _layer(colour: str | None) -> dict[str, str]:
    return {"layer": f"C{colour.lstrip('#').upper()}" if colour else "0"}


def _points(ring: np.ndarray, high: float) -> list[tuple[float, float]]:
    return [(float(x) * MM, (high - float(y)) * MM) for x, y in ring]


def _put(space: Any, items: Sequence[Item], high: float) -> None:
    for item in items:
        match item:
            case Area():
                for ring in item.rings:
                    if len(ring) > 2:
                        space.add_lwpolyline(
                            _points(ring, high), close=True, dxfattribs=_layer(item.stroke or item.fill)
                        )
            case Line():
                for part in item.paths:
                    if len(part) > 1:
                        space.add_lwpolyline(_points(part, high), dxfattribs=_layer(item.stroke))
            case Label():
                place = (item.x * MM, (high - item.y) * MM)
                text = space.add_text(item.said, height=item.size * 0.7 * MM, dxfattribs=_layer(item.colour))
                text.set_placement(place, align=_align(item.anchor))
            case Clip():
                _put(space, item.items, high)
            case Texture() | Picture():
                continue


def _align(anchor: str) -> Any:
    from ezdxf.enums import TextEntityAlignment as Align

    return {"l": Align.MIDDLE_LEFT, "m": Align.MIDDLE_CENTER, "r": Align.MIDDLE_RIGHT}[anchor]
