"""Plain shapes as PDF, painted with ReportLab; no window system is needed."""

from __future__ import annotations

import logging
from collections.abc import Iterable, Sequence
from functools import lru_cache
from io import BytesIO
from pathlib import Path
from typing import TYPE_CHECKING

from bibulon.core.drawing.kit.scene import Area, Clip, Item, Label, Line, Picture, Texture
from bibulon.core.units.words import tr
from bibulon.store.durable import aside

if TYPE_CHECKING:  # half a second of imports, wanted only when something is written
    from reportlab.pdfgen.canvas import Canvas

__all__ = ["write_pages"]

log = logging.getLogger(__name__)
POINT = 72 / 96  # a px of the page in PDF points


@lru_cache(maxsize=1)
def _fonts() -> tuple[str, str]:
    from importlib.resources import as_file, files

    from reportlab.pdfbase import pdfmetrics
    from reportlab.pdfbase.ttfonts import TTFont

    folder = files("bibulon").joinpath("assets/fonts")
    for name, style in (("Figures", "Regular"), ("FiguresBold", "SemiBold")):
        with as_file(folder.joinpath(f"BibulonFigures-{style}.ttf")) as path:
            pdfmetrics.registerFont(TTFont(name, str(path)))
    return "Figures", "FiguresBold"


def write_pages(pages: Sequence[Sequence[Item]], size: tuple[float, float], path: Path, title: str) -> None:
    """Write pages of px ``size`` as PDF, aside first, so that a failed write leaves an older file whole."""
    with aside(path) as part:
        _write(pages, size, part, title)


def _write(pages: Sequence[Sequence[Item]], size: tuple[float, float], part: Path, title: str) -> None:
    from reportlab.pdfgen.canvas import Canvas

    canvas = Canvas(str(part), pagesize=(size[0] * POINT, size[1] * POINT), invariant=1)
    canvas.setTitle(title)
    canvas.setCreator("Bibulon")
    for page in pages:
        canvas.saveState()
        canvas.scale(POINT, POINT)
        _paint(canvas, page, size[1])
        canvas.restoreState()
        canvas.showPage()
    canvas.save()


def _path(canvas: Canvas, rings: Iterable, closed: bool, high: float):  # type: ignore[no-untyped-def]
    path = canvas.beginPath()
    for ring in rings:
        points = ring.tolist()
        if len(points) < 2:
            continue
        path.moveTo(points[0][0], high - points[0][1])
        for x, y in points[1:]:
            path.lineTo(x, high - y)
        if closed:
            path.close()
    return path


def _stroke(
    canvas: Canvas, colour: str | None, width: float, dash: tuple[float, ...], opacity: float
) -> None:
    from reportlab.lib.colors import HexColor

    if colour:
        canvas.setStrokeColor(HexColor(colour), alpha=opacity)
    canvas.setLineWidth(width)
    canvas.setDash(list(dash) if dash else [])


def _paint(canvas: Canvas, items: Iterable[Item], high: float) -> None:
    from reportlab.lib.colors import HexColor

    for item in items:
        match item:
            case Area():
                if item.fill:
                    canvas.setFillColor(HexColor(item.fill), alpha=item.opacity)
                _stroke(canvas, item.stroke, item.width, item.dash, item.opacity)
                canvas.drawPath(
                    _path(canvas, item.rings, True, high),
                    stroke=int(bool(item.stroke)),
                    fill=int(bool(item.fill)),
                    fillMode=0,
                )
            case Line():
                _stroke(canvas, item.stroke, item.width, item.dash, item.opacity)
                canvas.setLineCap(1 if item.round_ends and not item.dash else 0)
                canvas.drawPath(_path(canvas, item.paths, False, high), stroke=1, fill=0)
            case Label():
                _label(canvas, item, high)
            case Texture():
                _paint(canvas, [item.strokes()], high)
            case Picture():
                _picture(canvas, item, high)
            case Clip():
                canvas.saveState()
                canvas.clipPath(_path(canvas, item.rings, True, high), stroke=0, fill=0, fillMode=0)
                _paint(canvas, item.items, high)
                canvas.restoreState()


def _picture(canvas: Canvas, item: Picture, high: float) -> None:
    """Lay a photo; one that cannot be read leaves its field empty."""
    from reportlab.lib.utils import ImageReader

    try:
        photo = ImageReader(BytesIO(item.jpeg))
        canvas.drawImage(photo, item.x, high - item.y - item.height, item.width, item.height)
    except (OSError, ValueError, SyntaxError) as error:  # what the readers of pictures raise
        log.warning(tr("a photo was left out: %s"), error)


def _label(canvas: Canvas, item: Label, high: float) -> None:

    from reportlab.lib.colors import HexColor
    from reportlab.pdfbase import pdfmetrics

    name = _fonts()[int(item.bold)]
    width = pdfmetrics.stringWidth(item.said, name, item.size)
    left = item.x - {"l": 0.0, "m": width / 2, "r": width}[item.anchor]
    base = high - item.y - item.size * 0.34
    if item.ground:
        canvas.setFillColor(HexColor(item.ground), alpha=1)
        if item.outline:
            canvas.setStrokeColor(HexColor(item.outline), alpha=1)
            canvas.setDash([])
        tall = item.size * 1.35
        canvas.roundRect(
            left - 5,
            high - item.y - tall / 2,
            width + 10,
            tall,
            tall / 2.4,
            stroke=int(bool(item.outline)),
            fill=1,
        )
    canvas.setFont(name, item.size)
    canvas.setFillColor(HexColor(item.colour), alpha=1)
    canvas.drawString(left, base, item.said)
