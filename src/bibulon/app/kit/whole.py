"""A drawing that fails leaves words in its place: an error that went on into Qt, its painter at work, would end the program."""

from __future__ import annotations

import logging
from collections.abc import Callable

from PySide6.QtCore import Qt
from PySide6.QtGui import QPainter
from PySide6.QtWidgets import QWidget

from bibulon.core.units.words import tr

__all__ = ["paint_whole"]

log = logging.getLogger(__name__)


def paint_whole(widget: QWidget, draw: Callable[[QPainter], None]) -> None:
    """Paint a widget; an error is logged once until it is drawn again, and said where the drawing should be."""
    try:
        with QPainter(widget) as painter:
            draw(painter)
    except Exception:
        if not widget.property("undrawn"):
            log.exception("%s could not be drawn", type(widget).__name__)
        widget.setProperty("undrawn", True)
        with QPainter(widget) as painter:
            painter.fillRect(widget.rect(), widget.palette().window())
            painter.setPen(widget.palette().windowText().color())
            middle = Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap
            painter.drawText(
                widget.rect(), middle, tr("This could not be drawn. Your job is kept; the log says why.")
            )
    else:
        if widget.property("undrawn"):
            widget.setProperty("undrawn", False)
