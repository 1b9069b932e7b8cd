"""What a widget with a name looks like: the font and the colour of its words, the ground that it lies on."""

from __future__ import annotations

from typing import TypeVar

from PySide6.QtCore import Qt
from PySide6.QtGui import QColor, QFont, QPalette
from PySide6.QtWidgets import QFrame, QScrollArea, QWidget

from bibulon.app.kit.paint import font
from bibulon.core.drawing.kit.tokens import SIZE

__all__ = [
    "ACCENT",
    "ALARM",
    "ALARM_GROUND",
    "EDGE",
    "GROUND",
    "HEAVY",
    "ON_ACCENT",
    "PANEL",
    "PLAIN",
    "RAISED",
    "SOFT",
    "STRONG",
    "Bare",
    "framed",
    "named",
    "tint",
    "words",
]

_Role = QPalette.ColorRole
# By what role of a palette each colour of a theme is known.
GROUND, PANEL, RAISED, EDGE = _Role.Window, _Role.AlternateBase, _Role.Base, _Role.Mid
SOFT, ACCENT, ON_ACCENT = _Role.PlaceholderText, _Role.Highlight, _Role.HighlightedText
ALARM, ALARM_GROUND = _Role.BrightText, _Role.Midlight

PLAIN, STRONG, HEAVY = QFont.Weight.Normal, QFont.Weight.DemiBold, QFont.Weight.Bold

# Size [px], weight and colour of words.
_TEXTS: dict[str, tuple[float, QFont.Weight, QPalette.ColorRole | None]] = {
    "title": (SIZE["head"], STRONG, None), "head": (SIZE["head"] - 2, STRONG, None),
    "strong": (SIZE["body"], STRONG, None), "soft": (SIZE["small"] + 1, PLAIN, SOFT),
    "alarm": (SIZE["body"], STRONG, ALARM),
    "hugefigure": (SIZE["huge"], HEAVY, None), "figure": (22, STRONG, None), "figure3": (17, STRONG, None),
    "act": (SIZE["body"], STRONG, None), "told": (20, PLAIN, SOFT), "cardtitle": (13, STRONG, SOFT),
}  # fmt: skip
_GROUNDS = {
    "side": PANEL,
    "rail": PANEL,
    "clock": PANEL,
    "clockpanel": PANEL,
    "topbar": GROUND,
    "board": GROUND,
}

_W = TypeVar("_W", bound=QWidget)


def named(widget: _W, name: str) -> _W:
    """Give a widget a name that the look knows it by, and what goes with it."""
    widget.setObjectName(name)
    text = _TEXTS.get(name)
    if text is not None:
        size, weight, role = text
        words(widget, size, weight)
        if role is not None:
            widget.setForegroundRole(role)
    ground = _GROUNDS.get(name)
    if ground is not None:
        widget.setBackgroundRole(ground)
        widget.setAutoFillBackground(True)
    return widget


_F = TypeVar("_F", bound=QFrame)


def framed(frame: _F, name: str) -> _F:
    """Give a frame a name that the look knows its ground and edge by."""
    frame.setFrameShape(QFrame.Shape.StyledPanel)
    return named(frame, name)


def words(widget: QWidget, size: float, weight: QFont.Weight) -> None:
    """Write a widget's words at a size [px] and weight."""
    made = font(size)
    made.setWeight(weight)
    widget.setFont(made)


def tint(widget: QWidget, ink: str = "", ground: str = "") -> None:
    """Write a widget's words in a colour, on a ground of another; with neither, in those of what it stands in."""
    colours = QPalette()
    if ink:
        colours.setColor(_Role.WindowText, QColor(ink))
    if ground:
        colours.setColor(GROUND, QColor(ground))
    widget.setAutoFillBackground(bool(ground))
    widget.setPalette(colours)


class Bare(QScrollArea):
    """What scrolls, without a frame and with no ground of its own."""

    def __init__(self) -> None:
        super().__init__()
        self.setFrameShape(QScrollArea.Shape.NoFrame)
        self.viewport().setAutoFillBackground(False)

    def setWidget(self, widget: QWidget) -> None:
        if (
            self.widgetResizable()
        ):  # else it is measured at once, with all in it, for a size that it never has
            widget.setAttribute(Qt.WidgetAttribute.WA_Resized)
        super().setWidget(widget)
        widget.setAutoFillBackground(False)
