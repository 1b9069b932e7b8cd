"""What the floor needs on paper: a page a ply, the core kit; and the same as rows for CSV."""

from __future__ import annotations

import math

import numpy as np
import shapely
import shapely.affinity
from msgspec import Struct
from shapely.geometry import LineString
from shapely.geometry.base import BaseGeometry

from bibulon.core.drawing.kit.look import rings_of
from bibulon.core.drawing.kit.pages import LEFT, RIGHT, Page, Pages
from bibulon.core.drawing.kit.scene import Area, Item, Label, Line, View
from bibulon.core.drawing.kit.tokens import PAPER, WEIGHT
from bibulon.core.geometry.zones import regions
from bibulon.core.model.job import Job, Layer
from bibulon.core.model.materials import Core, Fabric
from bibulon.core.stack.laid import layer_area, layer_region
from bibulon.core.stack.laminate import core_uptake, layer_state
from bibulon.core.units.units import System, cell_of, heading_of, show, system_of
from bibulon.core.units.words import tr

__all__ = [
    "CutPiece",
    "book_pages",
    "core_rows",
    "cut_pieces",
    "kit_pages",
    "ply_rows",
]

CORNERS = 18  # rows of a ply's corner table that are printed
CUT_KINDS = frozenset({"fabric", "core", "peel", "porous", "mesh"})


class CutPiece(Struct, frozen=True):
    """A layer as it is cut: its number from the tool, shape on the plan [m], sizes of its box [m], datum [m]."""

    number: int
    layer: Layer
    name: str
    kind: str
    shape: BaseGeometry
    area: float
    datum: tuple[float, float]

    @property
    def size(self) -> tuple[float, float]:
        """Width and height of the box around it [m]."""
        x0, y0, x1, y1 = self.shape.bounds
        return x1 - x0, y1 - y0


def cut_pieces(job: Job) -> list[CutPiece]:
    """Return every layer that is cut, tool side first; the datum is the lower left of the part's box.

    Raises
    ------
    OutlineError : when an outline is crossed or empty.
    """
    x0, y0, _, _ = regions(job.part).whole.bounds
    out = []
    for k, layer in enumerate(job.stack, 1):
        state = layer_state(layer, job)
        if state.kind in CUT_KINDS:
            shape = layer_region(job, layer)
            if not shape.is_empty:
                out.append(
                    CutPiece(k, layer, state.name, state.kind, shape, layer_area(job, layer), (x0, y0))
                )
    return out


def _where(job: Job, layer: Layer) -> str:
    names = {z.id: z.name for z in job.part.zones}
    if layer.outline is not None:
        return tr("own outline")
    return ", ".join(names.get(z, job.part.rest_name) for z in layer.zones) or tr("everywhere")


def _edge_words(layer: Layer, system: System) -> str:
    if layer.runs_on > 0:
        return tr("runs on by {}", show(layer.runs_on, "length", system))
    return (
        tr("drops off {} short", show(-layer.runs_on, "length", system))
        if layer.runs_on < 0
        else tr("to the border")
    )


def _overlap(job: Job, layer: Layer) -> float:
    return job.rules.overlap_longest if layer.overlap is None else layer.overlap


# -- rows, for tables and CSV

PLY_HEADS = (
    ("order", ""), ("layer", ""), ("kind", ""), ("angle deg", ""), ("lies in", ""), ("edge", ""), ("area", "area"),
    ("width", "length"), ("height", "length"), ("splices", ""), ("overlap", "length"), ("darts", ""),
    ("cut for right hand", ""), ("cut for left hand", ""),
)  # fmt: skip


def ply_rows(job: Job, system: System = "metric") -> list[tuple[str, ...]]:
    """Return a row a layer that is cut, headings first."""
    rows: list[tuple[str, ...]] = [_heads(PLY_HEADS, system)]
    for p in cut_pieces(job):
        splices = sum(s.kind == "splice" for s in p.layer.seams)
        wide, high = p.size
        rows.append(
            (
                str(p.number), p.name, p.kind, f"{p.layer.angle_deg:g}" if p.kind == "fabric" else "", _where(job, p.layer),
                _edge_words(p.layer, system), cell_of(p.area, "area", system, 4), cell_of(wide, "length", system),
                cell_of(high, "length", system), str(splices),
                cell_of(_overlap(job, p.layer), "length", system) if splices else "", str(len(p.layer.seams) - splices),
                str(job.part.copies), str(job.part.mirror_copies),
            )
        )  # fmt: skip
    return rows


CORE_HEADS = (
    ("order", ""), ("core", ""), ("lies in", ""), ("thickness", "thickness"), ("area", "area"), ("bevel", "length"), ("cut", ""),
    ("resin", "areal mass"), ("sheets with waste", ""), ("sheet", "length"),
)  # fmt: skip


def _heads(heads: tuple[tuple[str, str], ...], system: System) -> tuple[str, ...]:
    return tuple(heading_of(name, quantity, system) if quantity else name for name, quantity in heads)


def core_rows(job: Job, system: System = "metric") -> list[tuple[str, ...]]:
    """Return a row a core layer, headings first."""
    rows: list[tuple[str, ...]] = [_heads(CORE_HEADS, system)]
    copies = job.part.copies + job.part.mirror_copies
    density = job.resin.density if job.resin else 1100.0
    for p in cut_pieces(job):
        core = job.materials[p.layer.material]
        if not isinstance(core, Core):
            continue
        sheet = core.sheet_length * core.sheet_width
        count = math.ceil(copies * p.area * (1 + job.rules.waste) / sheet - 1e-9)
        rows.append(
            (
                str(p.number), core.name, _where(job, p.layer), cell_of(core.thickness, "thickness", system), cell_of(p.area, "area", system, 4),
                cell_of(p.layer.bevel, "length", system), core_words(core, system),
                cell_of(core_uptake(core, p.layer.curve).total * density, "areal mass", system),
                str(count), f"{cell_of(core.sheet_length, 'length', system)} x {cell_of(core.sheet_width, 'length', system)}",
            )
        )  # fmt: skip
    return rows


def core_words(core: Core, system: System = "metric") -> str:
    """Return how a core is cut, for people."""
    words = []

    def size(metres: float) -> str:
        return show(
            metres,
            "length",
            system,
            1 if system_of("length", system) == "metric" and round(metres * 1e3, 3) % 1 else None,
        )

    if g := core.grooves:
        words.append(tr("grooved {0} × {1} every {2}", size(g.width), size(g.depth), size(g.pitch)))
    if s := core.scores:
        words.append(
            tr(
                "scored {0}, {1} deep every {2}",
                "one way" if s.ways == 1 else "both ways",
                size(s.depth),
                size(s.pitch),
            )
        )
    if core.hole_diameter:
        words.append(tr("holes {0} every {1}", size(core.hole_diameter), size(core.hole_pitch)))
    return "; ".join(words) or "plain"


# -- pages


def book_pages(job: Job, system: System = "metric") -> list[Page]:
    """Return the ply book: one page a ply and hand, shape, angle, datum, laps and order on it."""
    book = Pages(job.name, "ply book")
    pieces = cut_pieces(job)
    first = True
    for hand, copies in (("right hand", job.part.copies), ("left hand, mirrored", job.part.mirror_copies)):
        if copies == 0:
            continue
        for piece in pieces:
            if not first:
                book.turn()
            first = False
            _ply_page(
                book, job, piece, len(job.stack), hand if job.part.mirror_copies else "", copies, system
            )
    if first:
        book.line(tr("No layer is cut: lay the stack first."))
    return book.pages


def _ply_page(
    book: Pages, job: Job, piece: CutPiece, of: int, hand: str, copies: int, system: System
) -> None:  # fmt: skip
    layer = piece.layer
    angle = tr(" at {:g}°", layer.angle_deg) if piece.kind == "fabric" else ""
    book.heading(
        tr("Layer {0} of {1}: {2}{3}{4}", piece.number, of, piece.name, angle, f" · {hand}" if hand else "")
    )
    mirrored = hand.startswith("left")
    book.drawing(list(_ply_drawing(job, piece, RIGHT - LEFT, 440.0, mirrored, system)), 440.0)
    wide, high = piece.size
    facts = [
        ("cut", tr("{} of this", copies)),
        ("lies in", f"{_where(job, layer)}, {_edge_words(layer, system)}"),
        ("area", show(piece.area, "area", system)),
        (tr("box"), tr("{0} by {1}", show(wide, "length", system), show(high, "length", system))),
    ]
    fabric = job.materials[layer.material]
    if isinstance(fabric, Fabric):
        facts.append(("roll", tr("{} wide", show(fabric.roll_width, "length", system))))
        if not layer.seams and min(wide, high) > fabric.roll_width:
            facts.append(("mind", "wider than the roll: mark where it is spliced"))
    if isinstance(fabric, Core):
        facts.append(("cut as", core_words(fabric, system)))
        facts.append(("bevel", show(layer.bevel, "length", system) if layer.bevel else "none"))
    for k, seam in enumerate(layer.seams, 1):
        length = LineString(seam.path).length
        lap = (
            tr(", overlap {}", show(_overlap(job, layer), "length", system)) if seam.kind == "splice" else ""
        )
        facts.append((f"{seam.kind} {k}", tr("{0} long{1}", show(length, "length", system), lap)))
    facts.append(("laid by, at", "______________________________"))
    book.table((("", 0, "l"), ("", 110, "l")), facts)
    _corner_table(book, piece, mirrored, system)


def _corner_table(book: Pages, piece: CutPiece, mirrored: bool, system: System) -> None:
    polygons = [g for g in shapely.get_parts(piece.shape) if g.geom_type == "Polygon"]
    largest = max(polygons, key=lambda g: g.area).simplify(1e-3)
    points = np.array(largest.exterior.coords[:-1]) - piece.datum
    if mirrored:
        points[:, 0] = -points[:, 0]
    if len(points) > CORNERS:
        book.line(tr("{} corners: cut by the template or the DXF.", len(points)), size=10)
        return
    rows = [
        (str(k + 1), show(x, "length", system), show(y, "length", system))
        for k, (x, y) in enumerate(points.tolist())
    ]
    book.line(tr("Corners from the datum:"), size=10)
    book.table((("corner", 0, "l"), ("x", 130, "r"), ("y", 230, "r")), rows)


def _ply_drawing(
    job: Job, piece: CutPiece, width: float, height: float, mirrored: bool, system: System
) -> list[Item]:
    """The ply in its place on the part, with datum, fibre angle, seams and box."""
    whole = regions(job.part).whole
    turn = shapely.affinity.scale if mirrored else None
    origin = ((whole.bounds[0] + whole.bounds[2]) / 2, 0.0)

    def at_hand(shape: BaseGeometry) -> BaseGeometry:
        return turn(shape, -1, 1, origin=origin) if turn else shape

    view = View.fit(whole.bounds, width, height, 56)
    shape = at_hand(piece.shape)
    items: list[Item] = [Area(rings_of(at_hand(whole), view), None, PAPER.soft, WEIGHT["hair"], dash=(4, 3))]
    rings = rings_of(shape, view)
    items.append(Area(rings, PAPER.core if piece.kind == "core" else PAPER.cloth, PAPER.ink, WEIGHT["line"]))
    for k, seam in enumerate(piece.layer.seams, 1):
        path = view.to(np.array(at_hand(LineString(seam.path)).coords))
        items.append(
            Line([path], PAPER.ink, WEIGHT["line"], dash=(7, 3) if seam.kind == "splice" else (1.5, 3))
        )
        x, y = path.mean(axis=0)
        items.append(
            Label(float(x) + 6, float(y), f"{seam.kind} {k}", PAPER.ink, 11, anchor="l", ground=PAPER.ground)
        )
    if piece.kind == "fabric":
        items += _angle_arrow(shape, view, -piece.layer.angle_deg if mirrored else piece.layer.angle_deg)
    items += _box(shape, view, system)
    datum = at_hand(shapely.Point(piece.datum))
    items += _datum(view.to(np.array([[datum.x, datum.y]]))[0], -1.0 if mirrored else 1.0)
    return items


def _angle_arrow(shape: BaseGeometry, view: View, angle: float) -> list[Item]:
    point = shapely.point_on_surface(shape)
    x, y = view.to(np.array([[point.x, point.y]]))[0]
    c, s = math.cos(math.radians(angle)), -math.sin(math.radians(angle))
    along, across = np.array([c, s]), np.array([-s, c])
    tip, tail = np.array([x, y]) + 42 * along, np.array([x, y]) - 42 * along
    head = [np.array([tip - 9 * along + 4 * across, tip, tip - 9 * along - 4 * across])]
    return [
        Line([np.array([tail, tip]), *head], PAPER.ink, WEIGHT["line"]),
        Line([np.array([[x, y], [x + 34, y]])], PAPER.soft, WEIGHT["hair"], dash=(2, 2)),
        Label(float(x) + 40, float(y) + 14, f"{angle:+g}°", PAPER.ink, 12, True, "l", PAPER.ground),
    ]


def _box(shape: BaseGeometry, view: View, system: System) -> list[Item]:
    x0, y0, x1, y1 = shape.bounds
    (a, b), (c, d) = view.to(np.array([[x0, y0], [x1, y1]]))
    below, beside = b + 16, c + 16
    return [
        Line([np.array([[a, below], [c, below]]), np.array([[a, below - 4], [a, below + 4]]), np.array([[c, below - 4], [c, below + 4]])], PAPER.soft, WEIGHT["thin"]),
        Label((a + c) / 2, below + 11, show(x1 - x0, "length", system), PAPER.soft, 11),
        Line([np.array([[beside, b], [beside, d]]), np.array([[beside - 4, b], [beside + 4, b]]), np.array([[beside - 4, d], [beside + 4, d]])], PAPER.soft, WEIGHT["thin"]),
        Label(beside + 6, (b + d) / 2, show(y1 - y0, "length", system), PAPER.soft, 11, anchor="l"),
    ]  # fmt: skip


def _datum(place: np.ndarray, side: float) -> list[Item]:
    x, y = float(place[0]), float(place[1])
    arms = [np.array([[x - 8, y], [x + 26 * side, y]]), np.array([[x, y + 8], [x, y - 26]])]
    return [
        Line(arms, PAPER.alarm, WEIGHT["line"]),
        Label(x + 30 * side, y, "x", PAPER.alarm, 11, anchor="l" if side > 0 else "r"),
        Label(x, y - 34, "y", PAPER.alarm, 11),
        Label(x - 10 * side, y + 14, "datum", PAPER.alarm, 11, anchor="r" if side > 0 else "l"),
    ]


def kit_pages(job: Job, system: System = "metric") -> list[Page]:
    """Return the core kit: each core with its shape, and how many sheets."""
    kit = Pages(job.name, "core kit")
    rows = core_rows(job, system)
    if len(rows) == 1:
        kit.line(tr("There is no core in this stack."))
        return kit.pages
    kit.rows(
        rows,
        (
            (0, 0, "l"),
            (1, 50, "l"),
            (2, 280, "l"),
            (3, 470, "r"),
            (4, 540, "r"),
            (5, 600, "r"),
            (8, 690, "r"),
        ),
    )
    for piece in (p for p in cut_pieces(job) if p.kind == "core"):
        core = job.materials[piece.layer.material]
        assert isinstance(core, Core)
        kit.heading(tr("Layer {0}: {1}", piece.number, piece.name))
        kit.drawing(_ply_drawing(job, piece, RIGHT - LEFT, 330.0, False, system), 330.0)
        kit.line(
            tr(
                "{0}. Bevel {1}.",
                core_words(core, system).capitalize(),
                show(piece.layer.bevel, "length", system),
            )
        )
    return kit.pages
