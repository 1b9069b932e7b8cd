"""The rail: the stations in shop order, each with its one figure and how it stands."""

from __future__ import annotations

from collections.abc import Sequence

from msgspec.structs import replace
from PySide6.QtCore import QRectF, Qt, Signal
from PySide6.QtGui import QColor, QFocusEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QResizeEvent
from PySide6.QtWidgets import QFrame, QScrollArea, QVBoxLayout, QWidget

from bibulon.app.kit.appearance import named
from bibulon.app.kit.paint import font
from bibulon.app.kit.theme import pixmap
from bibulon.app.kit.whole import paint_whole
from bibulon.app.stations.base import RailRow, Station
from bibulon.core.drawing.kit.tokens import DAY, Theme
from bibulon.core.units.words import tr

__all__ = ["Rail", "keys_of", "slots_of"]

_ICONS = {"settled": "circle-check", "open": "circle", "warned": "triangle-alert", "blocked": "octagon-alert"}
_WORDS = {"settled": "settled", "open": "open", "warned": tr("has warnings"), "blocked": "blocked"}
WIDTH, HEIGHT, LOW = 152, 56, 49  # px; a row is low where not all find room
TOP = 8
BAR = 12  # px that a scroll bar may take of it
MORE = 16  # px of a small figure


def keys_of(number: int) -> tuple[str, ...]:
    """Return the keys that go to a place of the rail: Alt with its number, 0 for the tenth, none beyond."""
    return (f"Alt+{number % 10}",) if number <= 10 else ()


class _Row(QWidget):
    """One station of the rail."""

    chosen = Signal(int)
    grown = Signal()

    def __init__(self, index: int, name: str, number: int) -> None:
        super().__init__()
        self.index, self.name, self.number = index, name, number
        self.state = RailRow("—", "open")
        self.current = False
        self.theme: Theme = DAY
        self.low = False
        self.setMinimumWidth(WIDTH - BAR)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.set(self.state)

    def set(self, state: RailRow) -> None:
        self.state = state = replace(state, figure=tr(state.figure), more=tuple(map(tr, state.more)))
        told = ", ".join((state.figure, *state.more))
        self.setAccessibleName(f"{tr(self.name)}: {told}, {tr(_WORDS[state.state])}")
        self.stand(self.low)
        keys = "".join(f"{k}: " for k in keys_of(self.number))
        self.setToolTip(f"{keys}{tr(self.name)}, {told}")
        self.update()

    def wanted(self, low: bool) -> int:
        """Return how high it is."""
        return (LOW if low else HEIGHT) + MORE * len(self.state.more)

    def stand(self, low: bool) -> None:
        """Be as high as what it tells asks for."""
        self.low, before = low, self.height()
        self.setFixedHeight(self.wanted(low))
        if self.height() != before:
            self.grown.emit()

    def paintEvent(self, event: QPaintEvent) -> None:
        paint_whole(self, self._draw)

    def _draw(self, painter: QPainter) -> None:
        t = self.theme
        painter.fillRect(self.rect(), QColor(t.raised if self.current else t.panel))
        if self.current:
            painter.fillRect(0, 0, 4, self.height(), QColor(t.accent))
        colour = (
            t.alarm
            if self.state.state in {"warned", "blocked"}
            else (t.ink if self.state.state == "settled" else t.soft)
        )
        room = self.width() - 40
        painter.drawPixmap(15, 10, pixmap(_ICONS[self.state.state], colour, 15))
        painter.setPen(QColor(t.ink))
        painter.setFont(font(15, True))
        painter.drawText(QRectF(38, 6, self.width() - 42, 22), Qt.AlignmentFlag.AlignVCenter, tr(self.name))
        painter.setFont(font(13))
        painter.setPen(QColor(t.soft))
        painter.drawText(
            QRectF(38, 28, room, 20),
            Qt.AlignmentFlag.AlignVCenter,
            self._short(painter, self.state.figure, room),
        )
        painter.setFont(font(12))
        for k, text in enumerate(self.state.more):
            painter.drawText(
                QRectF(38, 48 + MORE * k, room, MORE),
                Qt.AlignmentFlag.AlignVCenter,
                self._short(painter, text, room),
            )
        if self.hasFocus():
            painter.setPen(QColor(t.accent))
            painter.drawRect(self.rect().adjusted(1, 1, -2, -2))

    @staticmethod
    def _short(painter: QPainter, text: str, room: int) -> str:
        """Return a figure as far as there is room beside a scroll bar; the tool tip has it whole."""
        return painter.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, room)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.chosen.emit(self.index)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space):
            self.chosen.emit(self.index)
        elif event.key() in (Qt.Key.Key_Down, Qt.Key.Key_Up):
            self.focusNextPrevChild(event.key() == Qt.Key.Key_Down)
        else:
            super().keyPressEvent(event)

    def focusInEvent(self, event: QFocusEvent) -> None:
        super().focusInEvent(event)
        self.update()


class Rail(QScrollArea):
    """All rows; ``chosen`` gives the index of the station wanted.  It scrolls when there are more than fit."""

    chosen = Signal(int)

    def __init__(self, names: list[tuple[str, int]]) -> None:
        super().__init__()
        named(self, "rail")
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setWidgetResizable(True)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.setAccessibleName(tr("Stations"))
        self.setFixedWidth(WIDTH)
        body = QWidget()
        named(body, "rail")
        self.setWidget(body)
        layout = QVBoxLayout(body)
        layout.setContentsMargins(0, TOP, 0, 0)
        layout.setSpacing(0)
        self.rows = [_Row(k, name, number) for k, (name, number) in enumerate(names)]
        for row in self.rows:
            row.chosen.connect(self.chosen)
            row.grown.connect(self._settle)
            layout.addWidget(row)
        layout.addStretch()

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._settle()

    def _settle(self) -> None:
        """Let rows be low where they would not all find room otherwise."""
        shown = [row for row in self.rows if not row.isHidden()]
        low = TOP + sum(row.wanted(False) for row in shown) > self.viewport().height()
        for row in self.rows:
            if row.low != low:
                row.stand(low)

    def set_theme(self, theme: Theme) -> None:
        """Choose the theme."""
        for row in self.rows:
            row.theme = theme
            row.update()

    def set_current(self, index: int) -> None:
        """Show which station is open."""
        for row in self.rows:
            row.current = row.index == index
            row.update()
        self.ensureWidgetVisible(self.rows[index], 0, 8)


def slots_of(stations: Sequence[Station]) -> list[list[int]]:
    """Return stations by their places on the rail: those that stand in for each other have one."""
    slots: list[list[int]] = []
    for k, station in enumerate(stations):
        other = next(
            (s for s in slots if station.instead_of and stations[s[0]].name == station.instead_of), None
        )
        if other is not None:
            other.append(k)
        else:
            slots.append([k])
    return slots
