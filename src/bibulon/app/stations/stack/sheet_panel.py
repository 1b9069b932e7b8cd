"""A resin from its data sheet or from measured points, with the fit drawn."""

from __future__ import annotations

from collections.abc import Iterator

from PySide6.QtCore import Signal
from PySide6.QtGui import QGuiApplication
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from bibulon.app.kit.drawing_view import DrawingView
from bibulon.app.kit.fields import Form, UnitEdit, heading, note, push
from bibulon.app.session.session import Session
from bibulon.app.work.ask import Ask
from bibulon.core.drawing.graphs.graphs import draw_resin_course
from bibulon.core.drawing.kit.scene import Item
from bibulon.core.drawing.kit.tokens import Theme
from bibulon.core.model.materials import Resin, TabulatedViscosity
from bibulon.core.resin.datasheet import HEAT_CAPACITY, DataSheet, SheetError, SheetFit, fit_sheet
from bibulon.core.units.pasted import PasteError, columns_of
from bibulon.core.units.units import UnitError, parse, show
from bibulon.core.units.words import tr
from bibulon.store.salvage import plainly

__all__ = ["SheetPanel"]

FITTING = "Fitting…"
SAFETY = "The product's own data and safety sheets come first; a pot heats itself and may smoke."


class SheetPanel(QWidget):
    """What a sheet gives on the left, the course of viscosity on the right; ``fitted`` hands on the resin."""

    fitted = Signal(object)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.resin: Resin | None = None
        self.sheet: DataSheet | None = None
        self.later = Ask(self, lambda: (session.number, self.resin))
        self.later.ready.connect(self._on_fit)
        self.later.failed.connect(self._on_failure)
        self.later.rested.connect(self._on_rest)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 4, 0, 0)
        layout.addWidget(heading("Viscosity and cure from the data sheet"))
        across = QHBoxLayout()
        across.addWidget(self._told())
        self.graph = DrawingView("Course of the viscosity", self._items, 150)
        across.addWidget(self.graph, 1)
        layout.addLayout(across, 1)
        self.words = note(SAFETY)
        layout.addWidget(self.words)

    def _told(self) -> QWidget:
        """Return the fields of what the sheet says."""
        session = self.session
        left = QWidget()
        left.setFixedWidth(246)
        column = QVBoxLayout(left)
        column.setContentsMargins(0, 0, 8, 0)
        form = Form()
        self.viscosities = QLineEdit("300 mPa.s at 25 °C")
        self.viscosities.setToolTip(
            tr("One or more, parted by commas: “300 mPa.s at 25 °C, 140 mPa.s at 40 °C”")
        )
        form.add("Viscosity", self.viscosities)
        self.fields: dict[str, UnitEdit] = {}
        for name, label, quantity, value in (
            ("gel", tr("Gel time"), "time", 1800.0), ("mass", "of", "mass", 0.1), ("room", "at", "temperature", 298.15),
        ):  # fmt: skip
            field = UnitEdit(
                quantity, {"mass": "Mass that gels", "room": "Room it gels in"}.get(name, label), 0.0
            )
            field.set_value(value, session.system)
            field.refused.connect(lambda text: session.said.emit(text, True))
            self.fields[name] = field
            form.add(label, field)
        self.peak = QLineEdit()
        self.peak.setPlaceholderText(tr("if the sheet tells it"))
        form.add("Exotherm peak", self.peak)
        self.cures = QComboBox()
        self.cures.setAccessibleName(tr("Cures by"))
        for words, key in ((tr("a hardener"), "hardener"), (tr("a peroxide"), "peroxide")):
            self.cures.addItem(tr(words), key)
        form.add("Cures by", self.cures)
        column.addWidget(form)
        row = QHBoxLayout()
        row.addWidget(push("Fit", self.fit, tip="Fit viscosity and cure to the sheet"))
        tip = tr("Take measured viscosity against time off the clipboard")
        row.addWidget(push("Paste points", self.paste, tip=tip))
        column.addLayout(row)
        column.addStretch()
        return left

    def set_theme(self, theme: Theme) -> None:
        """Choose the theme of the graph."""
        self.graph.set_theme(theme)

    def show_resin(self, resin: Resin) -> None:
        """Show a resin."""
        if self.resin is None or self.resin.viscosity != resin.viscosity:
            self.sheet = None if self.sheet is None or self.resin is None else self.sheet
        self.resin = resin
        self.cures.setCurrentIndex(self.cures.findData(resin.cures))
        self.graph.update()

    def _items(self, width: float, height: float, theme: Theme) -> Iterator[Item]:
        if self.resin is None:
            return iter(())
        warm = self.session.job.conditions.resin_temperature
        return draw_resin_course(self.resin, warm, self.sheet, width, height, theme, self.session.system)

    def _read(self) -> DataSheet:
        """Return what was typed.

        Raises
        ------
        ValueError : when a figure cannot be read.
        """
        s = self.session.system
        points = []
        for word in self.viscosities.text().split(","):
            value, at, warm = word.partition(" at ")
            if not at:
                raise UnitError(tr("“{}” lacks its temperature: type “300 mPa.s at 25 °C”", word.strip()))
            points.append((parse(warm, "temperature", s), parse(value, "viscosity", s)))
        peak = parse(self.peak.text(), "temperature", s) if self.peak.text().strip() else None
        density = self.resin.density if self.resin else 1100.0
        return DataSheet(
            tuple(points), self.fields["gel"].value(), self.fields["mass"].value(), self.fields["room"].value(), peak, density,
            self.cures.currentData(),
        )  # fmt: skip

    def fit(self) -> None:
        """Fit the sheet off the interface thread."""
        try:
            sheet = self._read()
        except (UnitError, SheetError) as error:
            self.words.setText(str(error))
            return
        self.words.setText(FITTING)
        self.later.want(lambda: (sheet, fit_sheet(sheet)))

    def _on_fit(self, answer: tuple[DataSheet, SheetFit]) -> None:
        if self.resin is None:
            return
        self.sheet, fit = answer
        s = self.session.system
        worst = max((abs(m) for m in fit.misses), default=0.0)
        told = [
            tr(
                "Gel of the stated mass {0:.1f} min, peak {1}; viscosities missed by {2:.1f} % at most.",
                fit.gel_time / 60,
                show(fit.peak, "temperature", s, 0),
                worst * 100,
            )
        ]
        if fit.assumed:
            told.append(tr("Assumed: {}.", "; ".join(fit.assumed)))
        self.words.setText(" ".join([*told, SAFETY]))
        resin = self.resin.replaced(
            viscosity=fit.law, gel_time=None, source="fitted to its data sheet", cures=self.sheet.cures, heat=fit.heat,
            specific_heat=HEAT_CAPACITY,
        )  # fmt: skip
        self.resin = resin
        self.graph.update()
        self.fitted.emit(resin)

    def _on_failure(self, error: Exception) -> None:
        self.words.setText(str(error))

    def _on_rest(self) -> None:
        if self.words.text() == FITTING:  # another resin was chosen before the answer came
            self.words.setText(SAFETY)

    def paste(self) -> None:
        """Take measured viscosity against time off the clipboard."""
        if self.resin is None:
            return
        text = QGuiApplication.clipboard().text()
        try:
            rows = columns_of(
                text, (("time", "time"), ("viscosity", "viscosity")), self.session.system, 2, {"time": "min"}
            )
            law = TabulatedViscosity(times=tuple(r[0] for r in rows), values=tuple(r[1] for r in rows))
        except (PasteError, ValueError) as error:
            self.session.said.emit(plainly(error), True)
            return
        self.sheet = None
        resin = self.resin.replaced(viscosity=law, source=tr("{} measured points", len(rows)))
        self.resin = resin
        self.words.setText(
            tr("{} measured points; between them the viscosity grows evenly in proportion.", len(rows))
        )
        self.graph.update()
        self.fitted.emit(resin)
