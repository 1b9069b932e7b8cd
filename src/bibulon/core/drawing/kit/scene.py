"""Plain shapes that a painter puts on screen or paper; coordinates in px, y downward."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence

import numpy as np
import numpy.typing as npt
from msgspec import Struct, field

from bibulon.core.units.words import tr

__all__ = [
    "TILES",
    "Area",
    "Clip",
    "Item",
    "Label",
    "Line",
    "Picture",
    "Texture",
    "View",
    "apart",
    "hatch",
    "spoken",
]

Floats = npt.NDArray[np.float64]


class Area(Struct, frozen=True, eq=False):
    """Closed rings, shape (k, 2) each, filled by the even-odd rule and stroked when a width is given."""

    rings: Sequence[Floats]
    fill: str | None = None
    stroke: str | None = None
    width: float = 1.0
    dash: tuple[float, ...] = ()
    opacity: float = 1.0


class Line(Struct, frozen=True, eq=False):
    """Polylines, shape (k, 2) each."""

    paths: Sequence[Floats]
    stroke: str
    width: float = 1.0
    dash: tuple[float, ...] = ()
    round_ends: bool = True
    opacity: float = 1.0


class Label(Struct, frozen=True):
    """One line of text around (x, y): ``anchor`` l, m or r; ``ground`` draws a rounded field behind it."""

    x: float
    y: float
    text: str
    colour: str
    size: float = 12.0
    bold: bool = False
    anchor: str = "m"
    ground: str | None = None
    outline: str | None = None

    @property
    def said(self) -> str:
        """Return it in the reader's language: what is measured and drawn."""
        return tr(self.text)


class Texture(Struct, frozen=True, eq=False):
    """A texture of ``hatch`` inside rings; painters may lay it as tiles, ``strokes`` are its lines."""

    rings: Sequence[Floats]
    kind: str
    colour: str
    pitch: float
    width: float = 1.0
    opacity: float = 1.0

    def strokes(self) -> Clip:
        """Return the texture as lines, clipped."""
        points = np.vstack(self.rings)
        lines = hatch(self.kind, (*points.min(axis=0), *points.max(axis=0)), self.pitch)
        return Clip(
            self.rings, (Line(lines, self.colour, self.width, round_ends=False, opacity=self.opacity),)
        )


class Picture(Struct, frozen=True):
    """A photo, as JPEG, in a field from (x, y) down and to the right."""

    x: float
    y: float
    width: float
    height: float
    jpeg: bytes


class Clip(Struct, frozen=True, eq=False):
    """Items shown only inside the rings."""

    rings: Sequence[Floats]
    items: Sequence[Item] = field(default_factory=tuple)


ROW, LONGEST = 18.0, 900  # px of a row of words, and letters that are read out at most

Item = Area | Line | Label | Clip | Texture | Picture


def spoken(items: Iterable[Item]) -> str:
    """Return what a drawing says to somebody who does not see it: its words from the top down, without the figures of its axes."""
    words = []
    for item in items:
        if isinstance(item, Clip):
            words += [x for x in item.items if isinstance(x, Label)]
        elif isinstance(item, Label):
            words.append(item)
    told = [w for w in words if sum(c.isalpha() for c in w.text) > 1]
    told.sort(key=lambda w: (round(w.y / ROW), w.x))
    text = "; ".join(dict.fromkeys(w.said.strip(" .") for w in told))
    return text if len(text) <= LONGEST else f"{text[:LONGEST].rpartition('; ')[0]} …"


def apart(items: Iterable[Item]) -> tuple[list[Item], list[Item]]:
    """Return a drawing's shapes and its words, so that the words can go over what is drawn later."""
    shapes: list[Item] = []
    words: list[Item] = []
    for item in items:
        (words if isinstance(item, Label) else shapes).append(item)
    return shapes, words


# Over how many pitches, across and down, each texture comes again.
TILES = {"weave": (1, 2), "cells": (1, 2), "holes": (1, 2), "grooves": (1, 1), "ply": (1, 1), "net": (2, 4)}


class View(Struct, frozen=True):
    """From the plan [m, y up] to px: x·scale + dx, dy − y·scale."""

    scale: float
    dx: float
    dy: float

    def to(self, points: Floats) -> Floats:
        """Return px for points [m], shape (n, 2)."""
        points = np.asarray(points, dtype=float).reshape(-1, 2)
        return points * (self.scale, -self.scale) + (self.dx, self.dy)

    def back(self, x: float, y: float) -> tuple[float, float]:
        """Return the place [m] of a px."""
        return (x - self.dx) / self.scale, (self.dy - y) / self.scale

    @classmethod
    def fit(
        cls, bounds: tuple[float, float, float, float], width: float, height: float, margin: float = 36
    ) -> View:
        """Return the view that shows bounds (x0, y0, x1, y1) [m] in the middle of a field of px."""
        x0, y0, x1, y1 = bounds
        scale = min((width - 2 * margin) / max(x1 - x0, 1e-6), (height - 2 * margin) / max(y1 - y0, 1e-6))
        scale = max(scale, 1.0)
        return cls(scale, width / 2 - (x0 + x1) / 2 * scale, height / 2 + (y0 + y1) / 2 * scale)


def hatch(kind: str, box: tuple[float, float, float, float], pitch: float) -> list[Floats]:
    """Return the lines of a texture over a box of px: weave, net, cells or ply.

    weave : short crossing strokes; net : rhombs; cells : rings of six; ply : slanted lines;
    grooves : lines both ways; holes : small rings.
    """
    x0, y0, x1, y1 = box
    if x1 - x0 <= 0 or y1 - y0 <= 0:
        return []
    if kind == "ply":
        starts = np.arange(x0 - math.ceil((y1 - y0) / pitch) * pitch, x1, pitch)
        return [np.array([[x, y1], [x + (y1 - y0), y0]]) for x in starts]
    if kind == "net":
        reach = y1 - y0
        starts = np.arange(x0 - math.ceil(reach / pitch / 2) * pitch * 2, x1 + reach, pitch * 2)
        return [np.array([[x, y0], [x + s * reach, y1]]) for x in starts for s in (-0.5, 0.5)]
    if kind == "grooves":
        upright = [np.array([[x, y0], [x, y1]]) for x in np.arange(x0 + pitch / 2, x1, pitch)]
        return upright + [np.array([[x0, y], [x1, y]]) for y in np.arange(y0 + pitch / 2, y1, pitch)]
    xs, ys = np.meshgrid(np.arange(x0, x1 + pitch, pitch), np.arange(y0, y1 + pitch, pitch))
    odd = (np.arange(ys.shape[0]) % 2)[:, None] * pitch / 2
    centres = np.c_[(xs + odd).ravel(), ys.ravel()]
    if kind in {"cells", "holes"}:
        angles = np.linspace(0, 2 * np.pi, 7)
        ring = np.c_[np.cos(angles), np.sin(angles)] * pitch * (0.34 if kind == "cells" else 0.14)
        return [c + ring for c in centres]
    half = pitch * 0.28
    across = np.array([[-half, 0.0], [half, 0.0]])
    down = across[:, ::-1]
    turns = (np.round((centres[:, 0] - x0) / pitch * 2) % 2).astype(int)
    return [c + (across if t else down) for c, t in zip(centres, turns, strict=True)]
