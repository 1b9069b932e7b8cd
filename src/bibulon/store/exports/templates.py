"""Full-scale templates of pieces: DXF and SVG in millimetres, or sheets of paper with register marks to tape together."""

from __future__ import annotations

import math
from collections.abc import Sequence
from html import escape
from pathlib import Path

import numpy as np
from shapely.geometry import box

from bibulon.core.bag.nesting import Piece, rings
from bibulon.core.drawing.kit.scene import Clip, Item, Label, Line
from bibulon.core.drawing.kit.tokens import PAPER, WEIGHT
from bibulon.core.drawing.sheets.walkstrips import MM
from bibulon.store.durable import aside
from bibulon.store.exports.pdf import write_pages

__all__ = ["tiles", "write_templates"]

SHEET = (210.0, 297.0)  # mm
FIELD = (180.0, 260.0)  # mm of a piece on a sheet
EDGE = (15.0, 20.0)  # mm from the sheet's corner to the field


def write_templates(pieces: Sequence[Piece], path: Path, title: str) -> None:
    """Write pieces at full size in the form that the file's ending names.

    Raises
    ------
    ValueError : when the ending is none of .dxf, .svg and .pdf, or there is no piece.
    OSError : when the file cannot be written.
    """
    if not pieces:
        raise ValueError("There is no piece to draw: lay at least one ply in Stack.")
    match path.suffix.lower():
        case ".dxf":
            _write_dxf(pieces, path)
        case ".svg":
            _write_svg(pieces, path)
        case ".pdf":
            pages = [page for piece in pieces for page in tiles(piece, title)]
            write_pages(pages, (SHEET[0] * MM, SHEET[1] * MM), path, title)
        case other:
            raise ValueError(f"Templates are written as .pdf, .dxf or .svg, not as “{other or path.name}”.")


def _cuts(piece: Piece) -> list[np.ndarray]:
    """Return the closed lines along which a piece is cut [mm], its outline first, from its lower left."""
    return [(ring - piece.shape.bounds[:2]) * 1000 for ring in rings(piece.shape)]


def _apart(pieces: Sequence[Piece]) -> list[tuple[Piece, list[np.ndarray]]]:
    """Return what is cut [mm] side by side, so that none lies over another."""
    out, x = list[tuple[Piece, list[np.ndarray]]](), 0.0
    for piece in pieces:
        cuts = [ring + (x, 0.0) for ring in _cuts(piece)]
        out.append((piece, cuts))
        x = float(cuts[0][:, 0].max()) + 50
    return out


def _write_dxf(pieces: Sequence[Piece], path: Path) -> None:
    import ezdxf  # half a second that the start does without

    drawing = ezdxf.new("R2010", setup=False)
    drawing.units = 4  # millimetres
    space = drawing.modelspace()
    for piece, cuts in _apart(pieces):
        layer = f"piece {piece.label}"
        drawing.layers.add(layer)
        for ring in cuts:
            space.add_lwpolyline(ring[:-1].tolist(), close=True, dxfattribs={"layer": layer})
        x, y = cuts[0].min(axis=0)
        space.add_text(piece.label, height=20, dxfattribs={"layer": layer}).set_placement((x + 20, y + 20))
    with aside(path) as part:
        drawing.saveas(part)


def _write_svg(pieces: Sequence[Piece], path: Path) -> None:
    drawn = _apart(pieces)
    wide = max(float(cuts[0][:, 0].max()) for _, cuts in drawn)
    high = max(float(cuts[0][:, 1].max()) for _, cuts in drawn)
    rows = [
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{wide:.3f}mm" height="{high:.3f}mm" viewBox="0 0 {wide:.3f} {high:.3f}">'
    ]
    for piece, cuts in drawn:
        way = " ".join("M" + " ".join(f"{x:.3f},{high - y:.3f}" for x, y in ring[:-1]) + "Z" for ring in cuts)
        rows.append(
            f'<path d="{way}" fill="none" stroke="black" stroke-width="0.5"><title>{escape(piece.label)}</title></path>'
        )
    with aside(path) as part:
        part.write_text("\n".join([*rows, "</svg>"]), encoding="utf-8")


def tiles(piece: Piece, title: str) -> list[list[Item]]:
    """Return the sheets of one piece, row by row, with crosses where their neighbours' crosses go."""
    cuts = _cuts(piece)
    wide, high = cuts[0].max(axis=0)
    columns, rows = math.ceil(wide / FIELD[0] - 1e-9), math.ceil(high / FIELD[1] - 1e-9)
    line = piece.shape.boundary
    pages: list[list[Item]] = []
    for r in range(rows):
        for c in range(columns):
            x0, y0 = c * FIELD[0], r * FIELD[1]
            if not line.intersects(_cell(piece, x0, y0)):
                continue  # nothing is cut on this sheet
            pages.append(
                _tile(cuts, x0, y0, f"{title} · {piece.label} · row {r + 1}, sheet {c + 1} of {columns}")
            )
    return pages


def _cell(piece: Piece, x0: float, y0: float):  # type: ignore[no-untyped-def]
    left, low, *_ = piece.shape.bounds
    return box(left + x0 / 1000, low + y0 / 1000, left + (x0 + FIELD[0]) / 1000, low + (y0 + FIELD[1]) / 1000)


def _tile(cuts: list[np.ndarray], x0: float, y0: float, words: str) -> list[Item]:
    def px(p: np.ndarray) -> np.ndarray:
        return np.c_[EDGE[0] + p[:, 0] - x0, SHEET[1] - EDGE[1] - (p[:, 1] - y0)] * MM

    corners = np.array([[x0, y0], [x0 + FIELD[0], y0], [x0 + FIELD[0], y0 + FIELD[1]], [x0, y0 + FIELD[1]]])
    out: list[Item] = [Clip([px(corners)], (Line([px(ring) for ring in cuts], PAPER.ink, WEIGHT["line"]),))]
    for corner in px(corners):
        x, y = corner
        out.append(
            Line(
                [np.array([[x - 4 * MM, y], [x + 4 * MM, y]]), np.array([[x, y - 4 * MM], [x, y + 4 * MM]])],
                PAPER.soft,
                WEIGHT["hair"],
            )
        )
    out.append(Label(EDGE[0] * MM, 10 * MM, words, PAPER.ink, 11, True, "l"))
    out.append(
        Label(
            (SHEET[0] - EDGE[0]) * MM,
            10 * MM,
            "crosses 180 and 260 mm apart: print without scaling",
            PAPER.soft,
            9,
            anchor="r",
        )
    )
    return out
