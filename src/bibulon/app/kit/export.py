"""A drawing as a file or on the clipboard: the same shapes as on screen, as PNG, SVG or PDF."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial
from pathlib import Path

from PySide6.QtGui import QImage, QPainter

from bibulon.app.kit.paint import paint
from bibulon.core.drawing.kit.scene import Item
from bibulon.core.drawing.kit.svg import svg
from bibulon.core.units.words import tr
from bibulon.store.durable import aside, write_text
from bibulon.store.exports.dxf_items import write_items
from bibulon.store.exports.pdf import write_pages

__all__ = ["KINDS", "picture", "writing"]

KINDS = "Picture (*.png);;Drawing (*.svg);;PDF (*.pdf);;DXF (*.dxf)"
SHARP = 2  # px of the picture for one of the drawing


def picture(items: Sequence[Item], width: float, height: float, ground: str) -> QImage:
    """Return a drawing as an image."""
    image = QImage(round(width * SHARP), round(height * SHARP), QImage.Format.Format_ARGB32_Premultiplied)
    image.setDevicePixelRatio(SHARP)
    image.fill(ground)
    with QPainter(image) as painter:
        paint(painter, items)
    return image


def writing(
    items: Sequence[Item], size: tuple[float, float], ground: str, path: Path, title: str
) -> Callable[[], None]:
    """Return what writes a drawing in the form that the file's ending names: a worker may do it.

    A picture is painted now, by what paints the screen; it is packed and written then.

    Raises, when it writes
    ----------------------
    ValueError : when the ending is none of .png, .svg, .pdf, .dxf.
    OSError : when the file cannot be written.
    """
    match path.suffix.lower():
        case ".png":
            return partial(_write_picture, picture(items, *size, ground), path)
        case ".svg":
            return lambda: write_text(path, svg(items, *size, ground, title))
        case ".pdf":
            return partial(write_pages, [items], size, path, title)
        case ".dxf":
            return partial(write_items, items, size, path)
        case other:
            return partial(_refuse, other or path.name)


def _write_picture(image: QImage, path: Path) -> None:
    with aside(path) as part:
        if not image.save(str(part), "PNG"):  # type: ignore[call-overload]
            raise OSError(tr("{} could not be written", path))


def _refuse(ending: str) -> None:
    raise ValueError(tr("A drawing can be saved as .png, .svg, .pdf or .dxf, not as “{}”.", ending))
