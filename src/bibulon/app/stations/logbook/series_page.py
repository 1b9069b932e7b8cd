"""A series of parts: every figure on its chart, what drifts, and the part that is pointed at."""

from __future__ import annotations

import math
from collections.abc import Iterator
from functools import partial
from pathlib import Path

from PySide6.QtCore import QPointF, Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent
from PySide6.QtWidgets import (
    QComboBox,
    QHBoxLayout,
    QVBoxLayout,
    QWidget,
)

from bibulon.app.kit import files
from bibulon.app.kit.appearance import Bare
from bibulon.app.kit.drawing_view import DrawingView
from bibulon.app.kit.fields import narrow, note, push
from bibulon.app.session.log import Log
from bibulon.app.session.session import Session
from bibulon.app.work.errands import not_written
from bibulon.core.drawing.graphs.controlchart import HEIGHT, draw_control, part_at
from bibulon.core.drawing.kit.scene import Item, Label
from bibulon.core.drawing.kit.tokens import Theme
from bibulon.core.series.record import FIGURES
from bibulon.core.series.run import Series, series_of
from bibulon.core.series.service import due
from bibulon.core.series.table import read_series, series_table
from bibulon.core.units.units import clock, show
from bibulon.core.units.words import tr
from bibulon.store.durable import write_text
from bibulon.store.logbook import LogRow

__all__ = ["SeriesPage", "told"]

LEAST = 3  # parts of a mould that are a series


def told(key: str, value: float, session: Session) -> str:
    """Return a figure of a series in the person's units."""
    quantity = FIGURES[key][1]
    if quantity == "time":
        return clock(value)
    if quantity == "leak":
        return f"{value * 10:.2f} mbar·L/s"
    return show(value, quantity, session.system)


class _Charts(DrawingView):
    """All charts of a series, one below the other; a click or arrows choose a part."""

    pointed = Signal(int)

    def __init__(self, page: SeriesPage) -> None:
        super().__init__(tr("Control charts of the series"), self._items, 200)
        self.page = page
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)

    def _items(self, width: float, height: float, theme: Theme) -> Iterator[Item]:
        page = self.page
        if page.series is None:
            yield Label(width / 2, 60, page.problem, theme.soft, 14)
            return
        for k, (key, chart) in enumerate(page.series.charts.items()):
            words = FIGURES[key][0]
            if key in page.series.moved:
                words += tr(": rises") if page.series.moved[key] > 0 else tr(": falls")
            yield from draw_control(
                chart, page.series.parts[key], len(page.rows), words[:1].upper() + words[1:],
                partial(self._told, key), width, k * HEIGHT, theme, page.part,
                [n for n, r in enumerate(page.rows) if r.serviced],
            )  # fmt: skip

    def _told(self, key: str, value: float) -> str:
        return told(key, value, self.page.session)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._point(event.position())

    def _point(self, at: QPointF) -> None:
        if self.page.rows:
            self.pointed.emit(part_at(at.x(), float(self.width()), len(self.page.rows)))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        by = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(Qt.Key(event.key()))
        if by and self.page.rows and self.page.part is not None:
            self.pointed.emit(min(max(self.page.part + by, 0), len(self.page.rows) - 1))
        else:
            super().keyPressEvent(event)


class SeriesPage(QWidget):
    """Charts of the parts of one mould; ``chose`` tells which of the log's jobs is pointed at."""

    chose = Signal(object)

    def __init__(self, session: Session, log: Log) -> None:
        super().__init__()
        self.session, self.log = session, log
        self.series: Series | None = None
        self.rows: list[LogRow] = []
        self.part: int | None = None
        self.problem = ""
        self.typed: list[dict[str, float]] = []  # out of a table, of parts that have no job
        layout = QVBoxLayout(self)
        layout.setContentsMargins(16, 6, 16, 8)
        row = QHBoxLayout()
        self.mould = narrow(QComboBox())
        self.mould.setAccessibleName(tr("Mould of the series"))
        self.mould.activated.connect(lambda _: self.fill())
        row.addWidget(self.mould, 1)
        self.out = push("Figures as CSV…", self._save)
        self.into = push("Take figures from CSV…", self._load)
        row.addWidget(self.into)
        row.addWidget(self.out)
        layout.addLayout(row)
        self.words = note()
        layout.addWidget(self.words)
        self.charts = _Charts(self)
        self.charts.pointed.connect(self.point)
        scroll = Bare()
        scroll.setWidgetResizable(True)
        scroll.setWidget(self.charts)
        scroll.setAccessibleName(tr("Charts"))
        layout.addWidget(scroll, 1)

    def fill(self) -> None:
        """Follow the log."""
        moulds: dict[str, int] = {}
        for r in self.log.every:
            if r.figures and r.mould:
                moulds[r.mould] = moulds.get(r.mould, 0) + 1
        many = sorted((m for m, n in moulds.items() if n >= LEAST), key=lambda m: -moulds[m])
        before = self.mould.currentData()
        self.mould.blockSignals(True)
        self.mould.clear()
        for m in many:
            self.mould.addItem(tr("Mould {0}, {1} parts", m, moulds[m]), m)
        if before in many:
            self.mould.setCurrentIndex(many.index(before))
        self.mould.blockSignals(False)
        chosen = self.mould.currentData()
        self.rows = sorted(
            (r for r in self.log.every if r.figures and r.mould == chosen),
            key=lambda r: (r.shot_at or 0.0, str(r.path)),
        )
        figures = [r.figures for r in self.rows] + self.typed
        if len(figures) < LEAST:
            self.series = None
            self.problem = tr(
                "A series is {} parts or more out of one mould that were shot or weighed.", LEAST
            )
        else:
            self.series = series_of(figures)
        self.part = None if not self.rows else min(self.part or len(self.rows) - 1, len(self.rows) - 1)
        self._tell()
        self.charts.setMinimumHeight(int(HEIGHT * max(len(self.series.charts), 1)) if self.series else 200)
        self.charts.update()

    def _tell(self) -> None:
        series = self.series
        if series is None:
            self.words.setText("")
            self.out.setEnabled(False)
            return
        self.out.setEnabled(True)
        few = [FIGURES[k][0] for k, c in series.charts.items() if not c.firm and math.isfinite(c.lower)]
        words = [tr("It may be: {}.", w) for w in series.words] or [tr("Nothing drifts.")]
        words += self.service_words()
        if few:
            words.append(tr("Few parts yet: the dotted limits of {} are a guess from them.", ", ".join(few)))
        words.append(
            tr("Limits come from the first {} parts; a large diamond fires a rule.", series.baseline)
        )
        self.words.setText(" ".join(words))

    def service_words(self) -> list[str]:
        """Return what was serviced last, and when a figure that drifts passes its limit."""
        assert self.series is not None
        since = max((n + 1 for n, r in enumerate(self.rows) if r.serviced), default=0)
        words: list[str] = []
        past: list[str] = []
        if since:
            done = len(self.rows) - since
            what = ", ".join(self.rows[since - 1].serviced)
            words.append(
                tr("Serviced after part {0} ({1}), {2} part{3} ago.", since, what, done, "s" * (done != 1))
            )
        for key, chart in self.series.charts.items():
            new = [v for v, p in zip(chart.values, self.series.parts[key], strict=True) if p >= since]
            side = self.series.moved.get(key, 0)
            when = due(new, chart.upper if side > 0 else chart.lower, side) if side else None
            if when is None:
                continue
            if when.middle < 1:
                past.append(FIGURES[key][0])
            else:
                name = FIGURES[key][0].capitalize()
                high = f"{when.high:.0f}" if when.high < 1000 else "many"
                words.append(
                    tr(
                        "{0} passes its limit in about {1:.0f} parts ({2:.0f} to {3}).",
                        name,
                        when.middle,
                        when.low,
                        high,
                    )
                )
        if past:
            words.append(tr("Past its limit: {}. Service is due now.", ", ".join(past)))
        return words

    def point(self, part: int) -> None:
        """Point at a part."""
        self.part = part
        self.charts.update()
        if part < len(self.rows):
            self.chose.emit(self.rows[part])

    def why(self, part: int) -> list[str]:
        """Return which figures of a part fire, each with the first of its rules."""
        if self.series is None:
            return []
        return [
            f"{FIGURES[key][0]} ({rules[0]}{' and more' if len(rules) > 1 else ''})"
            for key, chart in self.series.charts.items()
            if (rules := [s.rule for s in chart.signals if self.series.parts[key][s.point] == part])
        ]

    def _save(self) -> None:
        path = files.to_write(self, tr("Figures of the series"), tr("figures of the series"), "CSV (*.csv)")
        if path is not None:
            self.write(path)

    def write(self, path: Path) -> None:
        """Write the figures of the series."""
        parts = [(r.name, r.figures) for r in self.rows]
        try:
            write_text(path, series_table(parts))
        except OSError as error:
            self.session.said.emit(not_written(path)(error), True)
            return
        self.session.said.emit(tr("{0} parts written to {1}.", len(parts), path.name), False)

    def _load(self) -> None:
        path = files.to_read(self, tr("Figures of parts"), "CSV (*.csv)")
        if path is not None:
            self.take(path)

    def take(self, path: Path) -> None:
        """Take figures of parts that have no job here, after those of the log."""
        try:
            self.typed = [figures for _, figures in read_series(path.read_text(encoding="utf-8-sig"))]
        except (OSError, ValueError) as error:
            self.session.said.emit(f"{path.name}: {error}", True)
            return
        self.session.said.emit(tr("{0} parts taken from {1}.", len(self.typed), path.name), False)
        self.fill()

    def set_theme(self, theme: Theme) -> None:
        """Choose the theme."""
        self.charts.set_theme(theme)
