"""How large everything is drawn: by the person's choice, else by the font that the desktop was set to.

Text, room and drawings grow together, so that nothing is cut off that was not before; it takes effect at the start
of the program, since it has to be known before the first window.
"""

from __future__ import annotations

import os

from PySide6.QtCore import QSettings
from PySide6.QtGui import QGuiApplication

__all__ = ["SIZES", "apply", "chosen", "other", "scale_of_font"]

SIZES = (100, 112, 125, 150, 175, 200)  # per cent
USUAL_PX = 10.0 * 96 / 72  # a desktop's usual font: 10 points at 96 dots an inch
SLACK = 1.12  # desktops differ by so much without anybody having asked for larger text


def chosen(settings: QSettings) -> int | None:
    """Return the size chosen [%], or None where the desktop's is followed."""
    try:
        value = int(str(settings.value("text_size", "")))
    except ValueError:
        return None
    return value if value in SIZES else None


def other(settings: QSettings, steps: int) -> int:
    """Choose a size some steps larger, or smaller, than now; return it [%]."""
    now = chosen(settings) or 100
    size = SIZES[min(max(SIZES.index(now) + steps, 0), len(SIZES) - 1)]
    settings.setValue("text_size", size)
    return size


def scale_of_font(pixels: float) -> int:
    """Return the size that goes with a desktop's font of so many pixels [%]."""
    ratio = pixels / USUAL_PX
    if ratio < SLACK:
        return 100
    return max((s for s in SIZES if s <= ratio * 102), default=100)


def apply(settings: QSettings, arguments: list[str]) -> None:
    """Set the size for the application that is made next; a factor set from outside stays."""
    if "QT_SCALE_FACTOR" in os.environ:
        return
    size = chosen(settings) or _of_desktop(arguments)
    if size != 100:
        os.environ["QT_SCALE_FACTOR"] = f"{size / 100:g}"


def _of_desktop(arguments: list[str]) -> int:
    """Ask the desktop for its font: by an application that is gone again before the real one is made."""
    probe = QGuiApplication(arguments)
    font, screen = QGuiApplication.font(), QGuiApplication.primaryScreen()
    dots = screen.logicalDotsPerInch() if screen else 96.0
    pixels = font.pixelSize() if font.pixelSize() > 0 else font.pointSizeF() * dots / 72
    probe.shutdown()
    return scale_of_font(pixels)
