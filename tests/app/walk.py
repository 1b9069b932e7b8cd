"""A walk through every station and page of a window, and what of its text is cut off."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterator

from PySide6.QtCore import QEvent, QEventLoop, Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import (
    QAbstractButton,
    QAbstractSpinBox,
    QApplication,
    QComboBox,
    QLabel,
    QLineEdit,
    QPlainTextEdit,
    QPushButton,
    QScrollArea,
    QStyle,
    QStyleOptionButton,
    QTableView,
    QToolButton,
    QWidget,
)
from shiboken6 import isValid

from bibulon.app.kit.tabs import Tabs
from bibulon.app.work.ask import Ask

__all__ = ["alike", "cut_off", "deaf", "metric", "pages", "unspoken"]

DRAWN = 90  # px from which on a painted widget is a drawing, and no row or sign
SLACK = 1  # px by which rounding may be off


def pages(window, only: frozenset[str] = frozenset()) -> Iterator[str]:
    """Go to every page of every station that stands for the job, or only some; yield its name once it is shown."""
    for k, station in enumerate(window.stations):
        if not station.stands(window.session.job) or (only and station.name not in only):
            continue
        window.go(k)
        QApplication.processEvents()
        tabs = [t for t in window.findChildren(Tabs) if t.isVisible()]
        outer = [t for t in tabs if not any(o is not t and o.isAncestorOf(t) for o in tabs)]
        if not outer:
            yield station.name
        for tab in outer:
            for button in tab.findChildren(QPushButton, "tab"):
                if button.isVisible() and button.parentWidget().isVisible():
                    button.click()
                    QApplication.processEvents()
                    yield f"{station.name}, {button.text()}"


PATIENT = True  # whether answers of workers are waited for: where only fixed words count, they are not


def rest(window) -> None:
    """Wait for what workers answer, and until it is laid out: a wrapped text takes some passes."""
    asks = [*window.findChildren(Ask), *window.session.findChildren(Ask)]
    while PATIENT and any(ask.busy for ask in asks):
        QApplication.processEvents(QEventLoop.ProcessEventsFlag.WaitForMoreEvents)
    for _ in range(4):
        QApplication.processEvents()


def cut_off(window) -> list[str]:
    """Return every text that does not fit where it stands, by how many pixels."""
    rest(window)
    found = []
    for widget in window.findChildren(QWidget):
        if widget.isVisible() and not widget.visibleRegion().isEmpty() and (lacks := _lacks(widget)) > SLACK:
            text = widget.text() if hasattr(widget, "text") else widget.currentText()
            found.append(f"{type(widget).__name__} “{text}” lacks {lacks} px")
    found += [
        f"a panel is {over} px too wide"
        for over in map(_too_wide, window.findChildren(QScrollArea))
        if over > SLACK
    ]
    return found


def _too_wide(area: QScrollArea) -> int:
    body = area.widget()
    barred = area.horizontalScrollBarPolicy() == Qt.ScrollBarPolicy.ScrollBarAlwaysOff
    return body.width() - area.viewport().width() if body is not None and area.isVisible() and barred else 0


def _lacks(widget: QWidget) -> int:
    """Return by how many pixels a widget is too small for its text; 0 when it has none, or wraps or elides by design."""
    metrics = widget.fontMetrics()
    if isinstance(widget, QLabel):
        if (
            not widget.text()
            or widget.wordWrap()
            or widget.textFormat() == Qt.TextFormat.RichText
            or widget.pixmap()
        ):
            tall = widget.heightForWidth(widget.width()) if widget.wordWrap() and widget.text() else 0
            return max(tall - widget.height(), 0)
        wide = max(metrics.horizontalAdvance(line) for line in widget.text().split("\n"))
        return max(
            wide - widget.contentsRect().width(), metrics.height() - 3 - widget.contentsRect().height()
        )
    if isinstance(widget, QPushButton):
        option = QStyleOptionButton()
        widget.initStyleOption(option)
        inside = widget.style().subElementRect(QStyle.SubElement.SE_PushButtonContents, option, widget)
        icon = widget.iconSize().width() + 4 if not widget.icon().isNull() else 0
        wide = max(metrics.horizontalAdvance(line) for line in widget.text().split("\n"))
        return wide + icon - inside.width()
    if isinstance(widget, QToolButton):
        shown = widget.toolButtonStyle() != Qt.ToolButtonStyle.ToolButtonIconOnly and (
            widget.icon().isNull() or widget.toolButtonStyle() != Qt.ToolButtonStyle.ToolButtonIconOnly
        )
        return metrics.horizontalAdvance(widget.text()) - widget.width() if shown and widget.text() else 0
    if isinstance(widget, QAbstractButton):
        return widget.sizeHint().width() - widget.width() if widget.text() else 0
    if isinstance(widget, QComboBox):
        return (
            metrics.horizontalAdvance(widget.currentText()) + 30 - widget.width()
            if not widget.isEditable()
            else 0
        )
    if isinstance(widget, QLineEdit):
        return (
            metrics.horizontalAdvance(widget.text()) + 12 - widget.width()
            if widget.text() and widget.isReadOnly()
            else 0
        )
    return 0


WAYS = (Qt.Key.Key_Right, Qt.Key.Key_Left, Qt.Key.Key_Down, Qt.Key.Key_Up, Qt.Key.Key_Return)


def deaf(window) -> list[str]:
    """Return every drawing that hears the mouse and no key, or that Tab does not come to."""
    rest(window)
    return [
        f"{type(w).__name__} “{w.accessibleName()}”"
        for w in window.findChildren(QWidget)
        if isValid(w)  # a key may have what is told written anew
        and w.isVisible()
        and w.isEnabled()
        and min(w.width(), w.height()) > DRAWN
        and _ours(w, "mousePressEvent", "mouseReleaseEvent")
        and not (w.focusPolicy() & Qt.FocusPolicy.TabFocus and any(_hears(w, key) for key in WAYS))
    ]


def _ours(widget: QWidget, *names: str) -> bool:
    mine = [k for k in type(widget).__mro__ if k.__module__.startswith("bibulon.app")]
    return any(name in k.__dict__ for k in mine for name in names)


def _hears(widget: QWidget, key: Qt.Key) -> bool:
    pressed = QKeyEvent(QEvent.Type.KeyPress, key, Qt.KeyboardModifier.NoModifier)
    widget.event(pressed)  # straight to it: what it does not take would go on to its parents
    return pressed.isAccepted()


def alike(window) -> list[str]:
    """Return every name that two controls have between which somebody who does not see them would have to choose."""
    names = Counter(
        (type(w).__name__, w.accessibleName() or (w.text() if isinstance(w, QAbstractButton) else ""))
        for w in window.findChildren(QWidget)
        if isinstance(w, QLineEdit | QComboBox | QAbstractButton | QPlainTextEdit | QAbstractSpinBox)
        and w.isVisible()
        and w.isEnabled()
    )
    return [f"{kind} “{name}”" for (kind, name), count in names.items() if count > 1]


METRIC = re.compile(r"(?<![\w.])\d[\d.,]*\s?(mm|cm²|m²|m|kg|mbar|°C|L|kN)(?![\w/²³·])")
# Names of things, a gauge's own word, permeabilities, and what an empty page shows as an example to type over.
TOLD_SO = re.compile(r"invented|mbar absolute|e-\d\d|^12 kg$|^2 g$")


def metric(window) -> list[str]:
    """Return every text that is told in metric units."""
    rest(window)
    texts = [
        w.text() for w in window.findChildren(QWidget) if isinstance(w, QLabel | QLineEdit) and w.isVisible()
    ]
    for view in window.findChildren(QTableView):
        if view.isVisible() and view.model() is not None:
            rows = range(min(view.model().rowCount(), 30))
            cells = [view.model().index(r, c) for r in rows for c in range(view.model().columnCount())]
            texts += [str(cell.data() or "") for cell in cells]
    return [text for text in texts if METRIC.search(text) and not TOLD_SO.search(text)]


def unspoken(window) -> list[str]:
    """Return every drawing that a screen reader has no name or no words for."""
    rest(window)
    window.grab()
    return [
        f"{type(w).__name__} “{w.accessibleName()}”"
        for w in window.findChildren(QWidget)
        if w.isVisible()
        and not isinstance(w, QTableView)  # its cells are read one by one
        and not window.rail.isAncestorOf(w)  # the name of a row says all of it
        and any("paintEvent" in k.__dict__ for k in type(w).__mro__ if k.__module__.startswith("bibulon.app"))
        and min(w.width(), w.height()) > DRAWN
        and not (w.accessibleName() and w.accessibleDescription())
    ]
