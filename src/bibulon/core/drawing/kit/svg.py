"""Plain shapes as SVG text: the same items that the screen and the PDF paint."""

from __future__ import annotations

import base64
from collections.abc import Iterable, Sequence
from html import escape
from itertools import count

import numpy as np
import numpy.typing as npt

from bibulon.core.drawing.kit.scene import Area, Clip, Item, Label, Line, Picture, Texture
from bibulon.core.drawing.kit.tokens import FAMILY

__all__ = ["svg"]

Floats = npt.NDArray[np.float64]
LETTER = 0.56  # mean width of a letter, of its size: SVG cannot measure text


def svg(items: Iterable[Item], width: float, height: float, ground: str, title: str) -> str:
    """Return a drawing of px ``width`` by ``height`` as an SVG document."""
    clips = count(1)
    body = "\n".join(_item(item, clips) for item in items)
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{width:g}" height="{height:g}" viewBox="0 0 {width:g} {height:g}">\n'
        f"<title>{escape(title)}</title>\n"
        f'<rect width="100%" height="100%" fill="{ground}"/>\n'
        f'<g font-family="{FAMILY}, Atkinson Hyperlegible Next, sans-serif" stroke-linejoin="round">\n{body}\n</g>\n</svg>\n'
    )


def _path(rings: Sequence[Floats], closed: bool) -> str:
    out = []
    for ring in rings:
        if len(ring) > 1:
            out.append("M" + "L".join(f"{x:.2f} {y:.2f}" for x, y in ring.tolist()) + ("Z" if closed else ""))
    return "".join(out)


def _stroke(colour: str | None, width: float, dash: tuple[float, ...], round_ends: bool) -> str:
    if colour is None:
        return ' stroke="none"'
    dashes = f' stroke-dasharray="{" ".join(f"{d:g}" for d in dash)}"' if dash else ""
    cap = ' stroke-linecap="round"' if round_ends and not dash else ""
    return f' stroke="{colour}" stroke-width="{width:g}"{dashes}{cap}'


def _item(item: Item, clips: count[int]) -> str:
    match item:
        case Area():
            fill = item.fill or "none"
            pen = _stroke(item.stroke, item.width, item.dash, True)
            return f'<path d="{_path(item.rings, True)}" fill="{fill}" fill-rule="evenodd" opacity="{item.opacity:g}"{pen}/>'
        case Line():
            pen = _stroke(item.stroke, item.width, item.dash, item.round_ends)
            return f'<path d="{_path(item.paths, False)}" fill="none" opacity="{item.opacity:g}"{pen}/>'
        case Clip():
            name = f"clip{next(clips)}"
            inside = "\n".join(_item(i, clips) for i in item.items)
            ring = (
                f'<clipPath id="{name}"><path d="{_path(item.rings, True)}" clip-rule="evenodd"/></clipPath>'
            )
            return f'{ring}<g clip-path="url(#{name})">{inside}</g>'
        case Texture():
            return _item(item.strokes(), clips)
        case Picture():
            data = base64.b64encode(item.jpeg).decode("ascii")
            return (
                f'<image x="{item.x:.1f}" y="{item.y:.1f}" width="{item.width:.1f}" height="{item.height:.1f}" '
                f'href="data:image/jpeg;base64,{data}"/>'
            )
        case _:
            return _label(item)


def _label(item: Label) -> str:
    width = len(item.said) * item.size * LETTER
    left = item.x - {"l": 0.0, "m": width / 2, "r": width}[item.anchor]
    field = ""
    if item.ground:
        tall = item.size * 1.5
        field = (
            f'<rect x="{left - 6:.1f}" y="{item.y - tall / 2:.1f}" width="{width + 12:.1f}" height="{tall:.1f}" '
            f'rx="{tall / 2.4:.1f}" fill="{item.ground}"{_stroke(item.outline, 1.6, (), True)}/>'
        )
    anchor = {"l": "start", "m": "middle", "r": "end"}[item.anchor]
    weight = ' font-weight="600"' if item.bold else ""
    return (
        f'{field}<text x="{item.x:.1f}" y="{item.y + item.size * 0.35:.1f}" font-size="{item.size:g}" '
        f'fill="{item.colour}" text-anchor="{anchor}"{weight}>{escape(item.said)}</text>'
    )
