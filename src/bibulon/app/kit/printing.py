"""Pages to a printer of this desk, by its own dialog, with a preview."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from PySide6.QtGui import QPainter
from PySide6.QtWidgets import QWidget

from bibulon.app.kit.paint import paint
from bibulon.core.drawing.kit.scene import Item

if TYPE_CHECKING:
    from PySide6.QtPrintSupport import QPrinter

__all__ = ["lay_pages", "preview"]


def preview(parent: QWidget, pages: Sequence[Sequence[Item]], size: tuple[float, float], title: str) -> None:
    """Show pages of px ``size`` as they will print; the person prints them there, or does not."""
    from PySide6.QtPrintSupport import (  # what a desk's printers take, once one is wanted
        QPrinter,
        QPrintPreviewDialog,
    )

    printer = QPrinter(QPrinter.PrinterMode.HighResolution)
    printer.setDocName(title)
    dialog = QPrintPreviewDialog(printer, parent)
    dialog.setWindowTitle(title)
    dialog.paintRequested.connect(lambda to: lay_pages(to, pages, size))
    dialog.exec()


def lay_pages(printer: QPrinter, pages: Sequence[Sequence[Item]], size: tuple[float, float]) -> None:
    """Paint pages of px ``size`` on a printer, as large as its paper allows."""
    with QPainter(printer) as painter:
        field = printer.pageRect(printer.Unit.DevicePixel)
        by = min(field.width() / size[0], field.height() / size[1])
        for k, items in enumerate(pages):
            if k:
                printer.newPage()
            painter.save()
            painter.scale(by, by)
            paint(painter, items)
            painter.restore()
