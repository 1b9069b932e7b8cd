"""The cut plan: every piece that a job needs as its true shape, laid on rolls as wide as they come, or out of sheets.

Pieces of one material lie in a strip as high as the roll is wide; how long the strip gets is what is pulled off.  Two
ways are tried and the shorter one is kept, boxes on shelves and true shapes nested: see ``nesting``.
"""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np
import numpy.typing as npt
import shapely
from msgspec import Struct
from msgspec.structs import replace
from shapely.affinity import rotate, scale, translate
from shapely.geometry import Polygon, box

from bibulon.core.bag.bag import Bag
from bibulon.core.bag.nesting import Nests, Piece, Placed, nest_of, on_shelves, size_of
from bibulon.core.geometry.zones import draw_factor
from bibulon.core.model.job import Job, Layer
from bibulon.core.model.materials import Core, Fabric
from bibulon.core.stack.laid import layer_region
from bibulon.core.stack.mesh_cover import mesh_cover
from bibulon.core.units.words import tr

__all__ = [
    "CutPlan",
    "RollPlan",
    "cut_plan",
    "mirrored",
    "pieces_of",
]

Floats = npt.NDArray[np.float64]

FINE = 0.002  # m to which outlines are told
NARROW = 0.1  # m: no strip is cut narrower, it would not lie
SELVAGE = 0.001  # m of the roll's width that is left besides the gap to its edges
LEAST = 1e-4  # m² of a piece worth cutting


class RollPlan(Struct, frozen=True):
    """One material: width of the roll, length pulled off [m], pieces where they lie; sheets for core.

    order : of cutting, as pieces come off the roll.
    """

    material: str
    name: str
    width: float
    length: float
    placed: tuple[Placed, ...]
    sheets: int = 0
    sheet: float = 0.0

    @property
    def used(self) -> float:
        """Area of the pieces [m²]."""
        return sum(p.shape.area for p in self.placed)

    @property
    def waste(self) -> float:
        """Share of what is pulled off that is thrown away."""
        taken = self.width * self.length
        return max(1 - self.used / taken, 0.0) if taken > 0 else 0.0

    @property
    def bound(self) -> float:
        """No plan is shorter than this: all the area, or the longest piece [m]."""
        if not self.placed:
            return 0.0
        longest = max(
            min(size_of(rotate(p.piece.shape, t, origin=(0, 0)))[0] for t in p.piece.turns)
            for p in self.placed
        )
        return max(self.used / self.width, longest)


class CutPlan(Struct, frozen=True):
    """All materials, in the order in which they are laid."""

    rolls: tuple[RollPlan, ...]

    @property
    def pulled(self) -> float:
        """What is pulled off all rolls [m²]."""
        return sum(r.width * r.length for r in self.rolls)


def _polygons(shape: shapely.Geometry) -> list[Polygon]:
    parts = [p for p in shapely.get_parts(shape) if p.geom_type == "Polygon" and p.area > LEAST]
    parts = [shapely.simplify(p, FINE) for p in parts]
    return [Polygon(p.exterior, [h for h in p.interiors if Polygon(h).area > LEAST]) for p in parts]


def pieces_of(job: Job, bag: Bag | None, wide: bool = False) -> list[Piece]:
    """Return every piece of one part: plies and what lies on them, mesh, bag film.

    Shapes are the plan's, drawn out by the root of the draw factor; plies that are wider than their roll are pieced
    together along the warp, from even strips, or when ``wide`` from strips as wide as the roll and what is left.

    Raises
    ------
    OutlineError : when an outline is crossed or empty.
    """
    out: list[Piece] = []
    for k, layer in enumerate(job.stack):
        material = job.materials[layer.material]
        if material.kind in ("coat", "tack", "core", "resin"):
            continue
        grown = math.sqrt(_growth(job, layer))
        turns = (0.0, 180.0) if isinstance(material, Fabric) else (0.0, 90.0, 180.0, 270.0)
        for n, region in enumerate(_polygons(layer_region(job, layer))):
            shape = rotate(scale(region, grown, grown, origin=(0, 0)), -layer.angle_deg, origin=(0, 0))
            name = f"{k + 1}" if n == 0 else f"{k + 1}.{n + 1}"
            overlap = job.rules.overlap_longest if layer.overlap is None else layer.overlap
            out += _pieced(
                Piece(f"{layer.id}-{n}", name, layer.material, shape, turns),
                _roll(job, layer.material),
                overlap,
                _spare(job) if wide else None,
            )
    if job.mesh is not None and (cover := mesh_cover(job)) is not None:
        for n, region in enumerate(_polygons(cover)):
            name = "mesh" if n == 0 else f"mesh.{n + 1}"
            piece = Piece(f"mesh-{n}", name, job.mesh.material, region, (0.0, 90.0, 180.0, 270.0))
            spare = _spare(job) if wide else None
            out += _pieced(piece, _roll(job, job.mesh.material), 0.01, spare)
    if bag is not None and bag.film.sheets:
        width = min(bag.film.width, job.bag.film.roll_width)
        for n in range(bag.film.strips * bag.film.sheets):
            out.append(
                Piece(f"film-{n}", tr("film {}", n + 1), "film", box(0, 0, bag.film.length, width), (0.0,))
            )
    return out


def mirrored(pieces: list[Piece]) -> list[Piece]:
    """Return the pieces of the mirror part: each turned over about the warp, so that the warp stays where it was."""
    return [
        replace(
            p,
            key=f"{p.key}-mirror",
            label=tr("{} mirror", p.label),
            shape=scale(p.shape, 1, -1, origin=(0, 0)),
        )
        for p in pieces
    ]


def _growth(job: Job, layer: Layer) -> float:
    zones = layer.zones or ("rim",)
    return max(draw_factor(job.part, z) for z in zones) if job.part.surface is None else 1.0


def _spare(job: Job) -> float:
    """Return what the widest strips leave of a roll's width [m]: the gap to its edges, and a little."""
    return 2 * job.rules.cut_apart + SELVAGE


def _roll(job: Job, material: str) -> float:
    if material == "film":
        return job.bag.film.roll_width
    held = job.materials[material]
    return held.roll_width if isinstance(held, Fabric) else job.rules.roll_other


def _pieced(piece: Piece, roll: float, overlap: float, spare: float | None = None) -> list[Piece]:
    """Cut a piece that is wider than the roll into strips along the warp, each overlapping the next.

    All are as wide as the others, or all but the last as wide as the roll less ``spare`` [m].
    """
    sizes = [size_of(rotate(piece.shape, t, origin=(0, 0)))[1] for t in piece.turns]
    if min(sizes) <= roll + 1e-9:
        fits = tuple(t for t, high in zip(piece.turns, sizes, strict=True) if high <= roll + 1e-9)
        return [replace(piece, turns=fits)]
    x0, y0, x1, y1 = piece.shape.bounds
    count = math.ceil((y1 - y0 - overlap) / (roll - overlap) - 1e-9)
    high = (y1 - y0 - overlap) / count + overlap
    if spare is not None:
        last = max(y1 - y0 - (count - 1) * (roll - spare - overlap), NARROW)
        if last < high:
            high = (y1 - y0 - last) / (count - 1) + overlap
    out: list[Piece] = []
    for k in range(count):
        low = y0 + k * (high - overlap)
        for part in _polygons(piece.shape.intersection(box(x0, low, x1, min(low + high, y1)))):
            n = len(out) + 1
            out.append(
                replace(
                    piece,
                    key=f"{piece.key}-{n}",
                    label=f"{piece.label}{chr(96 + min(n, 26))}",
                    shape=part,
                    turns=(0.0, 180.0),
                )
            )
    return out


def cut_plan(
    job: Job,
    bag: Bag | None,
    *,
    nest: bool = True,
    nests: Nests | None = None,
    again: bool = False,
    progress: Callable[[int, int], None] | None = None,
    stopped: Callable[[], bool] | None = None,
) -> CutPlan:
    """Return the plan of all materials; those not reached when it is stopped lie on shelves.

    nest : whether closer ways are searched for; those that ``nests`` has kept are taken in either case,
    and with ``again`` shorter ones are looked for all the same.

    Raises
    ------
    OutlineError : when an outline is crossed or empty.
    """
    even, wide = (_by_material(pieces_of(job, bag, way)) for way in (False, True))
    rolls: list[RollPlan] = []
    for k, (material, pieces) in enumerate(even.items()):
        width = _roll(job, material)
        ways = [pieces, *([wide[material]] if wide[material] != pieces else [])]
        found = []
        for way in ways:  # tapers lie closer in even strips, what is straight in wide ones
            search = nest and not (stopped is not None and stopped())
            found.append(_shortest(way, width, job.rules.cut_apart, nests, search, again))
        length, placed = min(found, key=lambda f: f[0])
        name = job.bag.film.name if material == "film" else job.materials[material].name
        order = tuple(sorted(placed, key=lambda p: (round(p.shape.bounds[0], 3), p.shape.bounds[1])))
        rolls.append(RollPlan(material, name, width, length, order))
        if progress is not None:
            progress(k + 1, len(even))
    return CutPlan((*rolls, *_cores(job)))


def _by_material(pieces: list[Piece]) -> dict[str, list[Piece]]:
    out: dict[str, list[Piece]] = {}
    for piece in pieces:
        out.setdefault(piece.material, []).append(piece)
    return out


def _shortest(
    pieces: list[Piece], width: float, apart: float, nests: Nests | None, search: bool, again: bool
) -> tuple[float, tuple[Placed, ...]]:
    """Return the length of the shorter of both ways to lay pieces on a roll, and where they lie."""
    shelves = on_shelves(pieces, width, apart)
    if len(pieces) < 2 or _full(pieces, width, shelves[0]):
        return shelves
    closer = nest_of(pieces, width, apart, nests, search, again)
    return closer if closer is not None and closer[0] < shelves[0] else shelves


def _full(pieces: list[Piece], width: float, length: float) -> bool:
    """Whether no plan can be much shorter than this one."""
    return sum(p.shape.area for p in pieces) / (width * length) > 0.97


def _cores(job: Job) -> list[RollPlan]:
    """Return core out of whole sheets, laid edge to edge over where it goes."""
    out = []
    for layer in job.stack:
        core = job.materials[layer.material]
        if not isinstance(core, Core):
            continue
        long, wide = core.sheet_length, core.sheet_width
        sheets: list[Placed] = []
        count = 0
        for region in _polygons(layer_region(job, layer)):
            x0, y0, x1, y1 = region.bounds
            for i in range(math.ceil((x1 - x0) / long - 1e-9)):
                for j in range(math.ceil((y1 - y0) / wide - 1e-9)):
                    cell = box(x0 + i * long, y0 + j * wide, x0 + (i + 1) * long, y0 + (j + 1) * wide)
                    parts = _polygons(region.intersection(cell))
                    if not parts:
                        continue
                    for part in parts:
                        piece = Piece(
                            f"{layer.id}-{count}", tr("core {}", count + 1), layer.material, part, (0.0,)
                        )
                        sheets.append(
                            Placed(piece, translate(part, count * long - cell.bounds[0], -cell.bounds[1]))
                        )
                    count += 1
        if count:
            out.append(RollPlan(layer.material, core.name, wide, count * long, tuple(sheets), count, long))
    return out
