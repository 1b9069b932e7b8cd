"""Fonts, icons and the style sheet, made from the tokens."""

from __future__ import annotations

from functools import lru_cache
from importlib.resources import files

from PySide6.QtCore import QByteArray, QSize, Qt
from PySide6.QtGui import QColor, QFontDatabase, QIcon, QPainter, QPalette, QPixmap
from PySide6.QtSvg import QSvgRenderer
from PySide6.QtWidgets import QApplication, QWidget

from bibulon.app.kit.paint import font
from bibulon.core.drawing.kit.tokens import FAMILY, SIZE, Theme

__all__ = ["add_rules", "dress", "icon", "install", "load_fonts", "pixmap", "wear"]


@lru_cache(maxsize=1)
def load_fonts() -> None:
    """Register the fonts that ship with the program, once."""
    folder = files("bibulon").joinpath("assets/fonts")
    for style in ("Regular", "SemiBold", "Bold"):
        QFontDatabase.addApplicationFontFromData(
            QByteArray(folder.joinpath(f"BibulonFigures-{style}.ttf").read_bytes())
        )


@lru_cache(maxsize=128)
def pixmap(name: str, colour: str, size: int = 18) -> QPixmap:
    """Return an icon of the shipped set in a colour."""
    svg = files("bibulon").joinpath(f"assets/icons/{name}.svg").read_text(encoding="utf-8")
    renderer = QSvgRenderer(QByteArray(svg.replace("currentColor", colour).encode()))
    scale = 2
    image = QPixmap(QSize(size * scale, size * scale))
    image.fill(Qt.GlobalColor.transparent)
    painter = QPainter(image)
    renderer.render(painter)
    painter.end()
    image.setDevicePixelRatio(scale)
    return image


def icon(name: str, colour: str) -> QIcon:
    """Return an icon for buttons and menus."""
    return QIcon(pixmap(name, colour))


def install(theme: Theme) -> None:
    """Give the application a theme's font and colours, unless it has them; windows are dressed each by itself."""
    app = QApplication.instance()
    if not isinstance(app, QApplication) or app.property("theme") == theme.name:
        return
    if app.property("theme") is None:
        app.setStyle("Fusion")
    app.setProperty("theme", theme.name)
    app.setFont(font(SIZE["body"]))
    app.setPalette(_palette(theme))


def wear(window: QWidget, theme: Theme) -> None:
    """Dress a window and all in it.

    The sheet is the window's, not the application's: what is built before it is put into the window costs no dressing.  One sheet
    set over another dresses every widget twice, and the second time against the first.
    """
    window.setStyleSheet("")
    window.setStyleSheet(_sheet(theme))


def _palette(theme: Theme) -> QPalette:
    palette = QPalette()
    roles = QPalette.ColorRole
    for role, colour in (
        (roles.Window, theme.ground), (roles.WindowText, theme.ink), (roles.Base, theme.raised), (roles.Text, theme.ink),
        (roles.Button, theme.panel), (roles.ButtonText, theme.ink), (roles.Highlight, theme.accent),
        (roles.HighlightedText, theme.on_accent), (roles.ToolTipBase, theme.raised), (roles.ToolTipText, theme.ink),
        (roles.PlaceholderText, theme.soft), (roles.AlternateBase, theme.panel), (roles.Mid, theme.edge),
    ):  # fmt: skip
        palette.setColor(role, QColor(colour))
    return palette


def dress(part: QWidget, theme: Theme | None) -> None:
    """Give a part of the window a theme of its own, or with None the application's again: only what is in it is dressed anew."""
    part.setPalette(_palette(theme) if theme else QPalette())
    part.setProperty("worn", _sheet(theme) if theme else "")
    _dressed(part)


def add_rules(part: QWidget, rules: str) -> None:
    """Give a part rules of its own, beside the theme that it wears."""
    part.setProperty("rules", rules)
    _dressed(part)


def _dressed(part: QWidget) -> None:
    sheet = (part.property("worn") or "") + (part.property("rules") or "")
    if sheet != part.styleSheet():
        part.setStyleSheet(sheet)


def _asset(name: str) -> str:
    """Return the path of a shipped file, as style sheets want it."""
    return str(files("bibulon").joinpath("assets", *name.split("/"))).replace("\\", "/")


def _sheet(t: Theme) -> str:
    return _grounds(t) + _texts(t) + _buttons(t) + _entries(t)


def _grounds(t: Theme) -> str:
    """Return the rules of what lies behind all else, of lists and of bars."""
    return f"""
    QWidget {{ font-family: "{FAMILY}"; color: {t.ink}; font-size: {SIZE["body"]:.0f}px; }}
    QMainWindow, QStackedWidget, QSplitter {{ background: {t.ground}; }}
    QToolTip {{ background: {t.raised}; color: {t.ink}; border: 1px solid {t.edge}; padding: 4px; }}
    #rail, #clock {{ background: {t.panel}; }}
    #side {{ background: {t.panel}; border-left: 1px solid {t.edge}; }}
    #over {{ background: {t.raised}; border: 2px solid {t.accent}; border-radius: 8px; }}
    #clockpanel {{ background: {t.panel}; }}
    QListWidget {{ background: {t.raised}; border: 1px solid {t.edge}; }}
    QListWidget::item {{ padding: 6px 8px; }}
    QListWidget::item:selected {{ background: {t.accent}; color: {t.on_accent}; }}
    #raised {{ background: {t.raised}; border: 1px solid {t.accent}; border-radius: 4px; }}
    #side QStackedWidget, #side QScrollArea {{ background: transparent; }}
    QScrollBar:vertical {{ background: transparent; width: 10px; margin: 0; }}
    QScrollBar:horizontal {{ background: transparent; height: 10px; margin: 0; }}
    QScrollBar::handle {{ background: {t.edge}; border-radius: 4px; min-height: 28px; min-width: 28px; }}
    QScrollBar::handle:hover {{ background: {t.soft}; }}
    QScrollBar::add-line, QScrollBar::sub-line, QScrollBar::add-page, QScrollBar::sub-page {{ background: none; border: none;
        width: 0; height: 0; }}
    QComboBox::drop-down {{ border: none; width: 22px; }}
    QComboBox::down-arrow {{ image: url("{_asset("icons/chevron-down.svg")}"); width: 14px; height: 14px; }}
    QSplitter::handle {{ background: {t.edge}; width: 1px; }}
    #topbar {{ background: {t.ground}; border-bottom: 1px solid {t.edge}; }}
    """


def _texts(t: Theme) -> str:
    """Return the rules of words by their weight."""
    return f"""
    #title {{ font-size: {SIZE["head"]:.0f}px; font-weight: 600; }}
    #head {{ font-size: {SIZE["head"] - 2:.0f}px; font-weight: 600; }}
    #soft {{ color: {t.soft}; font-size: {SIZE["small"] + 1:.0f}px; }}
    #alarm {{ color: {t.alarm}; font-weight: 600; }}
    #hugefigure {{ font-size: {SIZE["huge"]:.0f}px; font-weight: 700; }}
    #figure3 {{ font-size: 17px; font-weight: 600; }}
    #figure {{ font-size: 22px; font-weight: 600; }}
    """


def _buttons(t: Theme) -> str:
    """Return the rules of what is pressed, and of where the focus is."""
    return f"""
    QPushButton, QToolButton, QComboBox {{ background: {t.raised}; border: 1px solid {t.edge}; border-radius: 4px;
        padding: 5px 10px; min-height: 18px; }}
    QPushButton:hover, QToolButton:hover {{ border-color: {t.accent}; }}
    QPushButton:focus, QToolButton:focus, QComboBox:focus, QLineEdit:focus, QAbstractItemView:focus, QListWidget:focus {{
        border: 2px solid {t.accent}; }}
    QPushButton#act {{ background: {t.accent}; color: {t.on_accent}; border-color: {t.accent}; font-weight: 600; }}
    QPushButton#act:disabled {{ background: {t.raised}; color: {t.soft}; border-color: {t.edge}; }}
    QPushButton#step {{ padding: 3px 0; }}
    QPushButton#step[state="now"] {{ background: {t.accent}; color: {t.on_accent}; font-weight: 600; }}
    QPushButton#step[state="done"] {{ color: {t.accent}; font-weight: 600; }}
    QPushButton#tile {{ text-align: left; padding: 0; }}
    QPushButton#tab {{ background: transparent; border: none; border-bottom: 3px solid transparent; border-radius: 0; padding: 4px 10px; color: {t.soft}; }}
    QPushButton#tab:hover {{ color: {t.ink}; }}
    QPushButton#tab:checked {{ background: transparent; color: {t.ink}; border-bottom: 3px solid {t.accent}; }}
    QPushButton#tab:focus {{ border: 2px solid {t.accent}; border-radius: 4px; }}
    QPushButton:checked, QToolButton:checked {{ background: {t.accent}; color: {t.on_accent}; }}
    QPushButton:disabled, QToolButton:disabled {{ color: {t.soft}; }}
    QToolButton#flat {{ border-color: transparent; background: transparent; padding: 4px; }}
    QToolButton#flat:checked {{ background: {t.accent}; color: {t.on_accent}; }}
    QToolButton#flat:focus {{ border: 2px solid {t.accent}; }}
    QToolButton::menu-indicator {{ image: none; }}
    """


def _entries(t: Theme) -> str:
    """Return the rules of what is typed into, of tables and of menus."""
    return f"""
    QLineEdit, QPlainTextEdit {{ background: {t.raised}; border: 1px solid {t.edge}; border-radius: 4px; padding: 4px 6px; }}
    QLineEdit[wrong="true"] {{ border: 2px solid {t.alarm}; background: {t.alarm_ground}; }}
    QTableView {{ background: {t.raised}; border: 1px solid {t.edge}; gridline-color: {t.edge};
        selection-background-color: {t.accent}; selection-color: {t.on_accent}; }}
    QHeaderView::section {{ background: {t.panel}; color: {t.soft}; border: none; border-bottom: 1px solid {t.edge}; padding: 4px 6px; }}
    QTableCornerButton::section {{ background: {t.panel}; border: none; }}
    QScrollArea {{ border: none; background: transparent; }}
    QScrollArea > QWidget > QWidget {{ background: transparent; }}
    QMenu {{ background: {t.raised}; border: 1px solid {t.edge}; }}
    QMenu::item:selected {{ background: {t.accent}; color: {t.on_accent}; }}
    QProgressBar {{ border: none; background: {t.edge}; max-height: 4px; }}
    QProgressBar::chunk {{ background: {t.accent}; }}
    """
