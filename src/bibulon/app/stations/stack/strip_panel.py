"""A bench strip: front position against time, pasted or typed, and the permeability that it tells."""

from __future__ import annotations

import time
from collections.abc import Iterator

from PySide6.QtCore import Signal
from PySide6.QtGui import QGuiApplication
from PySide6.QtWidgets import QCheckBox, QHBoxLayout, QVBoxLayout, QWidget

from bibulon.app.kit.drawing_view import DrawingView
from bibulon.app.kit.fields import Form, UnitEdit, heading, note, push
from bibulon.app.kit.table import Column, Table
from bibulon.app.session.session import Session
from bibulon.core.drawing.graphs.graphs import draw_strip
from bibulon.core.drawing.kit.scene import Item
from bibulon.core.drawing.kit.tokens import Theme
from bibulon.core.model.materials import About, Fabric, Material
from bibulon.core.resin.clock import viscosity_at
from bibulon.core.run.marks import strip_of_run
from bibulon.core.stack.striptest import Strip, StripError, StripResult, fit_strip
from bibulon.core.units.pasted import PasteError, columns_of
from bibulon.core.units.units import UnitError, parse, show
from bibulon.core.units.words import tr

__all__ = ["StripPanel"]

ROWS = 6  # empty ones kept below the readings


class StripPanel(QWidget):
    """Readings, what the strip was filled with, and the fit; ``kept`` hands on K and where it comes from."""

    kept = Signal(float, object)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.readings: list[tuple[float, float]] = []
        self.result: StripResult | None = None
        self._texts: list[list[str]] = []  # as typed: a reading counts once both its cells are there
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 4, 0, 0)
        layout.addWidget(heading("Permeability from a bench strip"))
        across = QHBoxLayout()
        left = QVBoxLayout()
        heads = (Column("time", 80, typed=True), Column("front", typed=True))
        self.table = Table(heads, "Readings of the strip", ordered=True, pasting=self.paste)
        self.table.setFixedWidth(176)
        self.table.typed.connect(self._typed)
        left.addWidget(self.table, 1)
        row = QHBoxLayout()
        row.addWidget(push("Paste", self.paste))
        tip = tr("Take the marks of this job's last run: how far each lies from the first feed")
        row.addWidget(push("Run", self.from_run, name="Readings from this job's last run", tip=tip))
        row.addWidget(push("Clear", self._clear))
        left.addLayout(row)
        across.addLayout(left)
        self.graph = DrawingView("Strip test", self._items, 140)
        across.addWidget(self.graph, 1)
        layout.addLayout(across, 1)
        layout.addLayout(self._filled_with())
        row = QHBoxLayout()
        self.words = note()
        row.addWidget(self.words, 1)
        self.keep = push("Take this permeability", self._keep)
        row.addWidget(self.keep)
        layout.addLayout(row)
        self._fill()
        self._fit()

    def _filled_with(self) -> QHBoxLayout:
        """Return the fields of what the strip was filled with."""
        session = self.session
        form = QHBoxLayout()
        self.fields: dict[str, UnitEdit] = {}
        for name, quantity, value in (
            ("pull", "pressure", 98000.0), ("viscosity", "viscosity", 0.1), ("porosity", "share", 0.5),
        ):  # fmt: skip
            box = Form()
            field = UnitEdit(quantity, tr("Strip {}", name), 0.0)
            field.set_value(value, session.system)
            field.committed.connect(lambda _: self._fit())
            field.refused.connect(lambda text: session.said.emit(text, True))
            self.fields[name] = field
            box.add(name, field)
            form.addWidget(box)
        self.late = QCheckBox(tr("began late"))
        self.late.setToolTip(tr("Fit as well when the front began"))
        self.late.toggled.connect(lambda _: self._fit())
        form.addWidget(self.late)
        return form

    def set_theme(self, theme: Theme) -> None:
        """Choose the theme of the graph."""
        self.graph.set_theme(theme)

    def show_material(self, material: Material) -> None:
        """Offer the fabric's own porosity, and the job's pull and resin."""
        job, s = self.session.job, self.session.system
        if isinstance(material, Fabric) and not self.readings:
            self.fields["porosity"].set_value(1 - material.vf_ref, s)
            self.fields["pull"].set_value(job.conditions.atmosphere - job.conditions.vacuum, s)
            if job.resin is not None:
                mu = viscosity_at(job.resin, job.conditions.resin_temperature)
                self.fields["viscosity"].set_value(mu, s)

    def _items(self, width: float, height: float, theme: Theme) -> Iterator[Item]:
        return draw_strip(self.readings, self.result, width, height, theme)

    def _fill(self) -> None:
        s = self.session.system
        self._texts = [[f"{t:g} s", show(x, "length", s)] for t, x in self.readings]
        self._texts += [["", ""] for _ in range(ROWS)]
        self.table.show_rows(self._texts)

    def _typed(self, row: int, column: int, text: str) -> None:
        self._texts[row][column] = text
        self.table.show_rows(self._texts)
        found = []
        for r, texts in enumerate(self._texts):
            if not all(texts):
                continue
            try:
                seconds = texts[0] if any(ch.isalpha() or ch == ":" for ch in texts[0]) else f"{texts[0]} s"
                found.append((parse(seconds, "time"), parse(texts[1], "length", self.session.system)))
            except UnitError as error:
                self.session.said.emit(tr("Reading {0}: {1}", r + 1, error), True)
                return
        self.readings = found
        self._fit()

    def paste(self) -> None:
        """Take time and front position off the clipboard; bare times are seconds."""
        text = QGuiApplication.clipboard().text()
        try:
            columns = (("time", "time"), ("front", "length"))
            rows = columns_of(text, columns, self.session.system, 2, {"time": "s"})
        except PasteError as error:
            self.session.said.emit(str(error), True)
            return
        self.show_readings([(t, x) for t, x in rows])

    def from_run(self) -> None:
        """Take the front marks of the job's last run, by their distance from the feed that opened first."""
        found = strip_of_run(self.session.job, self.session.journal)
        if not found:
            self.session.said.emit(tr("This job's run has no marks of the front yet."), True)
            return
        self.show_readings(found)

    def show_readings(self, readings: list[tuple[float, float]]) -> None:
        """Take readings (time [s], front position [m]) and fit them."""
        self.readings = list(readings)
        self._fill()
        self._fit()

    def _clear(self) -> None:
        self.show_readings([])

    def _fit(self) -> None:
        self.result = None
        if self.readings:
            strip = Strip(
                self.fields["pull"].value(), self.fields["viscosity"].value(), self.fields["porosity"].value(),
                tuple(self.readings),
            )  # fmt: skip
            try:
                self.result = fit_strip(strip, self.late.isChecked())
            except StripError as error:
                self.words.setText(str(error))
        else:
            self.words.setText(
                tr("Mark how far the front has run down a strip of this cloth, with the time.")
            )
        if self.result is not None:
            low, high = self.result.interval
            odd = (
                ""
                if self.result.even
                else tr(" It does not go with the root of time: the strip is uneven, or leaks.")
            )
            self.words.setText(
                tr(
                    "K {0:.2e} m², 9 times in 10 between {1:.2e} and {2:.2e}.{3}",
                    self.result.permeability,
                    low,
                    high,
                    odd,
                )
            )
        self.keep.setEnabled(self.result is not None)
        self.graph.update()

    def _keep(self) -> None:
        if self.result is None:
            return
        low, high = self.result.interval
        source = tr("bench strip, {0} readings, {1}", len(self.readings), time.strftime("%Y-%m-%d"))
        self.kept.emit(
            self.result.permeability, About(source=source, confidence="measured", low=low, high=high)
        )
