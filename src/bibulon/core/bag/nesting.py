"""Pieces of one material laid on a roll: boxes on shelves at once, or true shapes nested by ``spyrrow``.

A nest is searched for in a given time, so that it comes out a little shorter or longer each time: what was found once is kept by who is
handed in, and the same pieces are told the same length by whoever asks.
"""

from __future__ import annotations

import hashlib
import json
import random
from collections.abc import Sequence
from typing import Protocol

import numpy as np
import numpy.typing as npt
import shapely
from msgspec import Struct
from shapely.affinity import rotate, translate
from shapely.geometry import Polygon

__all__ = ["Nests", "Piece", "Placed", "Pose", "nest_of", "nested", "on_shelves", "rings", "size_of", "sound"]

Floats = npt.NDArray[np.float64]

SPARE = 0.005  # of the roll's width that a piece that is no box leaves free: 0.003 was met
SECONDS = 1  # that each phase of the search may take for one material


class Piece(Struct, frozen=True):
    """A piece to cut: its outline with the warp, or the roll's length, along x [m]; ``turns`` the ways it may lie [deg]."""

    key: str
    label: str
    material: str
    shape: Polygon
    turns: tuple[float, ...] = (0.0, 180.0)


Pose = tuple[str, float, float, float]  # key of a piece, how it is turned [deg], and where to [m]


class Nests(Protocol):
    """Keeps nests that were found, by the sum of what they are of."""

    def known(self, key: str) -> tuple[Pose, ...] | None:
        """Return the nest that was kept, if there is one."""

    def keep(self, key: str, poses: Sequence[Pose]) -> None:
        """Keep a nest."""


class Placed(Struct, frozen=True):
    """A piece where it lies on the roll: x along it and y across it [m]."""

    piece: Piece
    shape: Polygon


def rings(shape: Polygon) -> list[Floats]:
    """Return the closed lines along which a shape is cut [m], shape (k, 2) each: its outline, then its holes."""
    return [np.array(ring.coords) for ring in (shape.exterior, *shape.interiors)]


def size_of(shape: Polygon) -> tuple[float, float]:
    """Return how long and how wide a shape is along the axes [m]."""
    x0, y0, x1, y1 = shape.bounds
    return x1 - x0, y1 - y0


def on_shelves(pieces: list[Piece], width: float, apart: float) -> tuple[float, tuple[Placed, ...]]:
    """Lay boxed pieces on shelves across the roll, the longest first, each shelf as long as its first piece."""
    turned = []
    for piece in pieces:
        shapes = [rotate(piece.shape, t, origin=(0, 0)) for t in piece.turns]
        fit = [s for s in shapes if size_of(s)[1] <= width + 1e-9] or shapes[:1]
        turned.append((piece, min(fit, key=lambda s: size_of(s)[0])))
    turned.sort(key=lambda p: -size_of(p[1])[0])
    shelves: list[list[float]] = []  # where each begins, how long it is, how far across it is used
    placed, end = [], 0.0
    for piece, shape in turned:
        long, high = size_of(shape)
        shelf = next((s for s in shelves if long <= s[1] + 1e-9 and s[2] + high <= width + 1e-9), None)
        if shelf is None:
            shelf = [end + (apart if shelves else 0.0), long, 0.0]
            shelves.append(shelf)
            end = shelf[0] + long
        x0, y0, *_ = shape.bounds
        placed.append(Placed(piece, translate(shape, shelf[0] - x0, shelf[2] - y0)))
        shelf[2] += high + apart
    return end, tuple(placed)


def nested(
    pieces: list[Piece], width: float, apart: float, seed: int = 1
) -> tuple[float, tuple[Placed, ...]]:
    """Nest true shapes on the roll; the same seed gives the same plan as far as the time allowed goes."""
    return _laid(pieces, _searched(pieces, width, apart, seed))


def _searched(pieces: list[Piece], width: float, apart: float, seed: int = 1) -> tuple[Pose, ...]:
    import spyrrow

    items = [
        spyrrow.Item(p.key, [(1000 * x, 1000 * y) for x, y in p.shape.exterior.coords[:-1]], 1, list(p.turns))
        for p in pieces
    ]
    instance = spyrrow.StripPackingInstance("roll", 1000 * width, items)
    config = spyrrow.StripPackingConfig(
        total_computation_time=None, exploration_time=SECONDS, compression_time=SECONDS, num_workers=1, seed=seed,
        min_items_separation=1000 * apart if apart > 0 else None,
    )  # fmt: skip
    placed = instance.solve(config).placed_items
    return tuple((i.id, i.rotation, i.translation[0] / 1000, i.translation[1] / 1000) for i in placed)


def _laid(pieces: list[Piece], poses: Sequence[Pose]) -> tuple[float, tuple[Placed, ...]]:
    """Return the length of a nest, and its pieces where they lie.

    Raises
    ------
    ValueError : when it is not of these pieces, each once.
    """
    by_key = {p.key: p for p in pieces}
    if sorted(by_key) != sorted(key for key, *_ in poses):
        raise ValueError("a nest of other pieces")
    placed = tuple(
        Placed(by_key[key], translate(rotate(by_key[key].shape, turn, origin=(0, 0)), x, y))
        for key, turn, x, y in poses
    )
    return max(p.shape.bounds[2] for p in placed), placed


def _sum_of(pieces: list[Piece], width: float, apart: float) -> str:
    """Return what tells this nest from all others: shapes, ways they may lie, roll and gap."""
    told = [
        (p.key, p.turns, [(round(x, 7), round(y, 7)) for x, y in p.shape.exterior.coords]) for p in pieces
    ]
    return hashlib.sha256(json.dumps([told, width, apart]).encode()).hexdigest()


def nest_of(
    pieces: list[Piece], width: float, apart: float, nests: Nests | None, search: bool, again: bool = False
) -> tuple[float, tuple[Placed, ...]] | None:
    """Return the nest of pieces as it was found once, or as it is found now; None where there is none that can be cut.

    again : whether one is searched for though one is kept, from another seed; the shorter of both is kept.
    """
    key = _sum_of(pieces, width, apart)
    known = _known(pieces, width, nests, key)
    if not all(_fits(p, width - 2 * apart) for p in pieces):
        return known
    if not search or (known is not None and not again):
        return known
    try:
        poses = _searched(pieces, width, apart, 1 if known is None else random.randrange(2, 2**31))
        found = _laid(pieces, poses)
    except (KeyboardInterrupt, SystemExit):
        raise
    except BaseException:
        # No nesting here, or a shape that it does not take (its panics are no Exception): shelves stand.
        return known
    if not sound(found[1], width) or (known is not None and found[0] >= known[0]):
        return known
    if nests is not None:
        nests.keep(key, poses)
    return found


def _fits(piece: Piece, width: float) -> bool:
    """Whether there is room for a piece between the gaps at a roll's edges: the search gives up loudly where there is none.

    It makes curved outlines plainer, and by that a little larger.
    """
    box = shapely.box(*piece.shape.bounds)
    room = width - (1e-6 if piece.shape.area > (1 - 1e-9) * box.area else SPARE * width)
    return min(size_of(rotate(piece.shape, t, origin=(0, 0)))[1] for t in piece.turns) <= room


def _known(
    pieces: list[Piece], width: float, nests: Nests | None, key: str
) -> tuple[float, tuple[Placed, ...]] | None:
    """Return a nest that was kept, if it is of these pieces and can be cut."""
    poses = nests.known(key) if nests is not None else None
    if poses is None:
        return None
    try:
        length, placed = _laid(pieces, poses)
    except ValueError:  # kept by a program that told its pieces otherwise
        return None
    return (length, placed) if sound(placed, width) else None


def sound(placed: tuple[Placed, ...], width: float) -> bool:
    """Whether no piece lies over another or off the roll."""
    for k, a in enumerate(placed):
        x0, y0, _, y1 = a.shape.bounds
        if x0 < -1e-6 or y0 < -1e-6 or y1 > width + 1e-6:
            return False
        if any(a.shape.intersection(b.shape).area > 1e-8 for b in placed[:k]):
            return False
    return True
