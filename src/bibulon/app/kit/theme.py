"""Fonts, icons and the palette of a theme, made from the tokens."""

from __future__ import annotations

from functools import lru_cache

from PySide6.QtCore import QByteArray, QSize, Qt
from PySide6.QtGui import QColor, QFontDatabase, QIcon, QPainter, QPalette, QPixmap
from PySide6.QtSvg import QSvgRenderer
from PySide6.QtWidgets import QAbstractScrollArea, QApplication, QToolTip, QWidget

from bibulon.app.kit.appearance import (
    ACCENT,
    ALARM,
    ALARM_GROUND,
    EDGE,
    GROUND,
    ON_ACCENT,
    PANEL,
    RAISED,
    SOFT,
)
from bibulon.app.kit.assets import ASSETS
from bibulon.app.kit.look import Look
from bibulon.app.kit.paint import font
from bibulon.core.drawing.kit.tokens import SIZE, Theme

__all__ = ["dress", "icon", "install", "load_fonts", "pixmap"]


@lru_cache(maxsize=1)
def load_fonts() -> None:
    """Register the fonts that ship with the program, once."""
    folder = ASSETS / "fonts"
    for style in ("Regular", "SemiBold", "Bold"):
        QFontDatabase.addApplicationFontFromData(
            QByteArray((folder / f"BibulonFigures-{style}.ttf").read_bytes())
        )


@lru_cache(maxsize=128)
def pixmap(name: str, colour: str, size: int = 18) -> QPixmap:
    """Return an icon of the shipped set in a colour."""
    svg = (ASSETS / f"icons/{name}.svg").read_text(encoding="utf-8")
    renderer = QSvgRenderer(QByteArray(svg.replace("currentColor", colour).encode()))
    scale = 2
    image = QPixmap(QSize(size * scale, size * scale))
    image.fill(Qt.GlobalColor.transparent)
    with QPainter(image) as painter:
        renderer.render(painter)
    image.setDevicePixelRatio(scale)
    return image


def icon(name: str, colour: str) -> QIcon:
    """Return an icon for buttons and menus."""
    return QIcon(pixmap(name, colour))


def install(theme: Theme) -> None:
    """Give the application our look, and a theme's font and colours, unless it has them."""
    app = QApplication.instance()
    if not isinstance(app, QApplication) or app.property("theme") == theme.name:
        return
    if app.property("theme") is None:
        app.setStyle(Look())
        app.setFont(font(SIZE["body"]))
        app.focusChanged.connect(_frames_anew)
    app.setProperty("theme", theme.name)
    app.setPalette(_palette(theme))
    QToolTip.setPalette(_palette(theme))


def _frames_anew(*widgets: QWidget | None) -> None:
    """What scrolls draws its contents anew when the focus comes or goes, and its frame not."""
    for widget in widgets:
        if isinstance(widget, QAbstractScrollArea):
            widget.update()


@lru_cache(maxsize=8)
def _palette(theme: Theme) -> QPalette:
    palette = QPalette()
    roles = QPalette.ColorRole
    for role, colour in (
        (GROUND, theme.ground), (roles.WindowText, theme.ink), (RAISED, theme.raised), (roles.Text, theme.ink),
        (roles.Button, theme.panel), (roles.ButtonText, theme.ink), (ACCENT, theme.accent),
        (ON_ACCENT, theme.on_accent), (roles.ToolTipBase, theme.raised), (roles.ToolTipText, theme.ink),
        (SOFT, theme.soft), (PANEL, theme.panel), (EDGE, theme.edge), (ALARM, theme.alarm),
        (ALARM_GROUND, theme.alarm_ground), (roles.Link, theme.accent), (roles.LinkVisited, theme.accent),
    ):  # fmt: skip
        palette.setColor(role, QColor(colour))
    for role in (roles.WindowText, roles.Text, roles.ButtonText):
        palette.setColor(QPalette.ColorGroup.Disabled, role, QColor(theme.soft))
    return palette


def dress(part: QWidget, theme: Theme | None) -> None:
    """Give a part of the window a theme of its own, or with None the application's again."""
    part.setPalette(_palette(theme) if theme else QPalette())
    part.setAutoFillBackground(True)
