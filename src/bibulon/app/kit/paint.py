"""Put plain shapes on a QPainter."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Iterable, Sequence
from functools import lru_cache
from pathlib import Path
from typing import Any

import numpy as np
import numpy.typing as npt
from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import (
    QBrush,
    QColor,
    QFont,
    QFontMetricsF,
    QImage,
    QPainter,
    QPainterPath,
    QPen,
    QPixmap,
    QPolygonF,
)
from PySide6.QtWidgets import QWidget
from shiboken6 import VoidPtr

from bibulon.core.drawing.kit.scene import (
    TILES,
    Area,
    Clip,
    Item,
    Label,
    Line,
    Picture,
    Texture,
    hatch,
    spoken,
)
from bibulon.core.drawing.kit.tokens import FAMILY
from bibulon.core.units.words import tr

__all__ = ["font", "paint", "paint_png", "paint_told", "tell"]


def font(size: float, bold: bool = False) -> QFont:
    """Return the program's font at a size in px."""
    made = QFont(FAMILY)
    made.setPixelSize(max(1, round(size)))
    made.setWeight(QFont.Weight.DemiBold if bold else QFont.Weight.Normal)
    return made


def _polygon(points: npt.NDArray[np.float64]) -> QPolygonF:
    """Copy points into a polygon in one piece: one object a point costs more than painting it."""
    polygon = QPolygonF()
    polygon.resize(len(points))
    # QPointF is two doubles; the stubs know neither data() nor that VoidPtr is a buffer.
    memory: Any = VoidPtr(polygon.data(), points.size * 8, True)  # type: ignore[call-arg, arg-type]
    np.frombuffer(memory, dtype=np.float64)[:] = np.ascontiguousarray(points, dtype=np.float64).ravel()
    return polygon


_KEPT: OrderedDict[tuple[int, bool], tuple[object, QPainterPath]] = OrderedDict()
AMID = Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextDontClip  # joined once: it costs as much as a line
FEW = 6  # points, which a path takes one by one sooner than in one piece
KEEP = 256  # paths of tuples of rings: those that drawings hand over again and again


def _path(rings: Sequence[npt.NDArray[np.float64]], closed: bool) -> QPainterPath:
    """Return the path of rings; that of a tuple is kept, with the tuple, so that its id stays its own."""
    if not isinstance(rings, tuple):
        return _made(rings, closed)
    key = (id(rings), closed)
    if key in _KEPT:
        _KEPT.move_to_end(key)
        return _KEPT[key][1]
    path = _made(rings, closed)
    _KEPT[key] = (rings, path)
    if len(_KEPT) > KEEP:
        _KEPT.popitem(last=False)
    return path


def _made(rings: Sequence[npt.NDArray[np.float64]], closed: bool) -> QPainterPath:
    path = QPainterPath()
    path.setFillRule(Qt.FillRule.OddEvenFill)
    for ring in rings:
        if len(ring) < 2:
            continue
        if len(ring) <= FEW:
            (x, y), *others = ring.tolist()
            path.moveTo(x, y)
            for x, y in others:
                path.lineTo(x, y)
        else:
            path.addPolygon(_polygon(ring))
        if closed:
            path.closeSubpath()
    return path


@lru_cache(maxsize=512)
def _pen(colour: str | None, width: float, dash: tuple[float, ...], round_ends: bool = True) -> QPen:
    if colour is None:
        return QPen(Qt.PenStyle.NoPen)
    pen = QPen(QColor(colour), width)
    pen.setCapStyle(Qt.PenCapStyle.RoundCap if round_ends and not dash else Qt.PenCapStyle.FlatCap)
    pen.setJoinStyle(Qt.PenJoinStyle.RoundJoin)
    if dash:
        pen.setDashPattern([d / max(width, 0.1) for d in dash])
    return pen


@lru_cache(maxsize=64)
def _tile(kind: str, colour: str, pitch: float, width: float, ratio: float) -> QPixmap:
    """Return one tile of a texture: thousands of strokes cost more than a fill."""
    across, down = (n * pitch for n in TILES[kind])
    image = QPixmap(max(round(across * ratio), 1), max(round(down * ratio), 1))
    image.setDevicePixelRatio(ratio)
    image.fill(Qt.GlobalColor.transparent)
    with QPainter(image) as painter:
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(_pen(colour, width, (), False))
        lines = hatch(kind, (-across * 2, -down * 2, across * 3, down * 3), pitch)
        painter.drawPath(_made(lines, closed=False))
    return image


def paint(painter: QPainter, items: Iterable[Item]) -> None:
    """Draw items in order."""
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    for item in items:
        match item:
            case Area():
                painter.setOpacity(item.opacity)
                painter.setPen(_pen(item.stroke, item.width, item.dash))
                painter.setBrush(QColor(item.fill) if item.fill else Qt.BrushStyle.NoBrush)
                painter.drawPath(_path(item.rings, closed=True))
            case Line():
                painter.setOpacity(item.opacity)
                painter.setPen(_pen(item.stroke, item.width, item.dash, item.round_ends))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawPath(_path(item.paths, closed=False))
            case Label():
                painter.setOpacity(1.0)
                _label(painter, item)
            case Texture():
                painter.setOpacity(item.opacity)
                ratio = painter.device().devicePixelRatioF()
                brush = QBrush(_tile(item.kind, item.colour, item.pitch, item.width, ratio))
                painter.fillPath(_path(item.rings, closed=True), brush)
            case Picture():
                painter.setOpacity(1.0)
                painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
                field = QRectF(item.x, item.y, item.width, item.height)
                painter.drawImage(field, QImage.fromData(item.jpeg))
            case Clip():
                painter.save()
                painter.setClipPath(_path(item.rings, closed=True), Qt.ClipOperation.IntersectClip)
                paint(painter, item.items)
                painter.restore()
    painter.setOpacity(1.0)


@lru_cache(maxsize=64)
def _font(size: float, bold: bool) -> QFont:
    return font(size, bold)


@lru_cache(maxsize=2048)
def _advance(text: str, size: float, bold: bool) -> float:
    """Return how wide a text is [px]: to shape it takes longer than to paint it."""
    return QFontMetricsF(_font(size, bold)).horizontalAdvance(text)


def _label(painter: QPainter, item: Label) -> None:
    width, height = _advance(item.said, item.size, item.bold), item.size * 1.25
    left = item.x - {"l": 0.0, "m": width / 2, "r": width}[item.anchor]
    box = QRectF(left, item.y - height / 2, width, height)
    if item.ground:
        field = box.adjusted(-6, -2, 6, 2)
        painter.setPen(_pen(item.outline, 1.6, ()) if item.outline else QPen(Qt.PenStyle.NoPen))
        painter.setBrush(QColor(item.ground))
        painter.drawRoundedRect(field, field.height() / 2.4, field.height() / 2.4)
    painter.setFont(_font(item.size, item.bold))
    painter.setPen(QColor(item.colour))
    painter.drawText(box.adjusted(-2, 0, 2, 0), AMID, item.said)


def paint_told(widget: QWidget, painter: QPainter, items: Iterable[Item]) -> None:
    """Draw items in order, and let the widget say their words to a screen reader, unless it says something of its own."""
    drawn = list(items)
    paint(painter, drawn)
    tell(widget, drawn)


def tell(widget: QWidget, drawn: Iterable[Item]) -> None:
    """Let a widget say the words of what it has drawn, unless it says something of its own."""
    if widget.accessibleDescription() in ("", widget.property("spoken")):
        words = spoken(drawn) or widget.accessibleName()
        widget.setProperty("spoken", words)
        widget.setAccessibleDescription(tr(words))


def paint_png(items: Iterable[Item], side: int, ground: str, path: Path) -> None:
    """Write shapes without words as a square PNG of so many px a side; no display is wanted.

    Raises
    ------
    OSError : when it cannot be written.
    """
    image = QImage(side, side, QImage.Format.Format_ARGB32)
    image.fill(QColor(ground))
    with QPainter(image) as painter:
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        paint(painter, items)
    if not image.save(str(path)):
        raise OSError(tr("{} could not be written", path))
