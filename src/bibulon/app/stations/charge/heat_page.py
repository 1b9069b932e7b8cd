"""Bucket heat: how a batch warms by itself in its vessel, at rest and stirred, against the sheet's pot life."""

from __future__ import annotations

import math

from msgspec import Struct
from PySide6.QtWidgets import QCheckBox, QComboBox, QGridLayout, QLabel, QVBoxLayout, QWidget

from bibulon.app.kit.drawing_view import DrawingView
from bibulon.app.kit.fields import UnitEdit, note, push
from bibulon.app.session.session import Session
from bibulon.app.work.ask import Ask
from bibulon.core.drawing.graphs.bucketheat import draw_bucket_heat
from bibulon.core.drawing.kit.scene import Item, Label
from bibulon.core.drawing.kit.tokens import Theme
from bibulon.core.model.job import Job
from bibulon.core.resin.bucket import BucketHeat, Vessel, bucket_heat, fitted_heat, heat_by_reading
from bibulon.core.units.units import clock, show
from bibulon.core.units.words import tr

__all__ = ["HeatPage"]

UNLIKELY = 8e4  # J/kg of whole cure that no casting resin falls short of
VESSELS = {"pot": tr("a round pot"), "tray": tr("a square tray"), "bath": tr("a pot in a bath of water")}


class _Told(Struct, frozen=True):
    """An answer: the course, the life that the fit meets, the heat so fitted."""

    heat: BucketHeat
    fitted: float
    met: float
    read: bool = False


class HeatPage(QWidget):
    """One chart with what it depends on above it."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.told: _Told | None = None
        self.problem = ""
        self.mass: float | None = None  # None: the first batch's
        self._first = 1.0
        layout = QVBoxLayout(self)
        layout.setContentsMargins(16, 8, 16, 8)
        layout.addLayout(self._fields())
        self.words = note("")
        layout.addWidget(self.words)
        self.chart = DrawingView("Temperature of the batch over time", self._items, 140)
        layout.addWidget(self.chart, 1)
        self._follow_fields()
        self.ask = Ask(self, lambda: session.number)
        self.ask.ready.connect(self._show)
        self.ask.failed.connect(self._fail)

    def _follow_fields(self) -> None:
        self.temperatures = {"start": 295.15, "room": 295.15}
        self.batch.committed.connect(self._set_mass)
        self.start.committed.connect(lambda v: self._set("start", v))
        self.room.committed.connect(lambda v: self._set("room", v))
        self.read: dict[str, float] = {}
        self.reading.committed.connect(lambda v: self._read("reading", v))
        self.read_at.committed.connect(lambda v: self._read("time", v))
        for field in (self.batch, self.start, self.room, self.reading, self.read_at):
            field.refused.connect(lambda text: self.session.said.emit(text, True))
        self.vessel.activated.connect(self._choose_vessel)
        self.by_sheet.toggled.connect(lambda _: self.ask_again())

    def _fields(self) -> QGridLayout:
        """Return the fields of what stands where, and of what was read in it."""
        grid = QGridLayout()
        self.batch = UnitEdit("mass", "Mass in the vessel", 0.02, 500.0)
        self.start = UnitEdit("temperature", "Temperature when mixed", 253.0, 373.0)
        self.room = UnitEdit("temperature", "Temperature of the room", 253.0, 333.0)
        self.vessel = QComboBox()
        self.vessel.setAccessibleName(tr("What it stands in"))
        for key, words in VESSELS.items():
            self.vessel.addItem(tr(words), key)
        self.by_sheet = QCheckBox(tr("heat by the sheet"))
        self.by_sheet.setChecked(True)
        for k, (name, field) in enumerate(
            (
                (tr("In it"), self.batch),
                (tr("Mixed at"), self.start),
                ("Room", self.room),
                ("Vessel", self.vessel),
            )
        ):
            grid.addWidget(QLabel(tr(name)), 0, 2 * k)
            grid.addWidget(field, 0, 2 * k + 1)
        self.reading = UnitEdit("temperature", "Read in the bucket", 253.0, 473.0)
        self.read_at = UnitEdit("time", "Read so long after mixing", 0.0, 6 * 3600.0)
        for k, (name, field) in enumerate((("Read", self.reading), ("after", self.read_at))):
            grid.addWidget(QLabel(tr(name)), 1, 2 * k)
            grid.addWidget(field, 1, 2 * k + 1)
        self.forget = push("Forget it", self._forget)
        grid.addWidget(self.by_sheet, 1, 4, 1, 3)
        grid.addWidget(self.forget, 1, 7)
        return grid

    def _set_mass(self, value: float) -> None:
        self.mass = value
        self.ask_again()

    def _set(self, name: str, value: float) -> None:
        self.temperatures[name] = value
        self.ask_again()

    def _read(self, name: str, value: float) -> None:
        """Take a reading of the bucket: once both temperature and time are there, the heat follows from it."""
        self.read[name] = value
        if len(self.read) == 2:
            self.ask_again()

    def _forget(self) -> None:
        self.read = {}
        self.reading.clear()
        self.read_at.clear()
        self.ask_again()

    def _choose_vessel(self, k: int) -> None:
        kind = self.vessel.itemData(k)
        self.session.edit("Choose vessel", lambda j: j.replaced(charge=j.charge.replaced(vessel=kind)))
        self.ask_again()

    def fill(self, first_batch: float) -> None:
        """Follow the job: its resin, its vessel and its first batch [kg]."""
        job, s = self.session.job, self.session.system
        self.temperatures["start"] = job.conditions.resin_temperature
        self._first = first_batch
        self.batch.set_value(self.mass if self.mass is not None else first_batch, s)
        self.start.set_value(self.temperatures["start"], s)
        self.room.set_value(self.temperatures["room"], s)
        self.vessel.setCurrentIndex(self.vessel.findData(job.charge.vessel))
        self.ask_again()

    def ask_again(self) -> None:
        """Work it out for what is set now."""
        job, fitted = self.session.job, self.by_sheet.isChecked()
        mass = self.mass if self.mass is not None else self._first
        start, room = self.temperatures["start"], self.temperatures["room"]
        read = (self.read["time"], self.read["reading"]) if len(self.read) == 2 else None
        self.by_sheet.setEnabled(read is None)
        self.ask.want(lambda: _worked_out(job, mass, start, room, fitted, read))

    def _show(self, told: _Told) -> None:
        self.told, self.problem = told, ""
        heat, s = told.heat, self.session.system
        early, late = heat.life
        gels = heat.gels(core=True)
        words = [tr("{} deep.", show(heat.fill, "length", s))]
        if math.isfinite(early):
            words.append(
                tr(
                    "Fit for use for {0} at rest, {1} stirred through.",
                    clock(early),
                    clock(late) if math.isfinite(late) else "longer",
                )
            )
        if math.isfinite(gels):
            words.append(tr("Gels in the core after {}.", clock(gels)))
        if told.read:
            words.append(tr("Heat {:.0f} kJ/kg, by what was read in the bucket.", told.fitted / 1000.0))
        elif self.by_sheet.isChecked():
            words.append(
                tr(
                    "Heat fitted: {0:.0f} kJ/kg meets {1} where the sheet says {2}.",
                    told.fitted / 1000.0,
                    clock(told.met),
                    clock(self._pot_life),
                )
            )
            if told.fitted < UNLIKELY:
                words.append(tr("That is little for a resin: cure law and sheet may not be of one product."))
        words.append(
            tr(
                "At rest and stirred are bounds: resin in a bucket moves a little by itself. A bath cools the skin, not the core."
            )
        )
        self.words.setText(" ".join(words))
        layout = self.layout()
        if layout is not None:
            layout.activate()  # the words wrap to more lines than before: make room now
        self.chart.setAccessibleDescription(self.words.text())
        self.chart.update()

    def _fail(self, error: Exception) -> None:
        self.told, self.problem = None, str(error)
        self.words.setText(self.problem)
        self.chart.update()

    @property
    def _pot_life(self) -> float:
        resin = self.session.job.resin
        return resin.pot_life if resin else 0.0

    def _items(self, width: float, height: float, theme: Theme) -> list[Item]:
        if self.told is None:
            return [Label(width / 2, height / 2, self.problem or tr("Working it out …"), theme.soft, 14)]
        return list(
            draw_bucket_heat(self.told.heat, self._pot_life, (width, height), theme, self.session.system)
        )

    def set_theme(self, theme: Theme) -> None:
        """Choose the theme."""
        self.chart.set_theme(theme)


def _worked_out(
    job: Job, mass: float, start: float, room: float, fitted: bool, read: tuple[float, float] | None
) -> _Told:
    if job.resin is None:
        raise ValueError(tr("Choose a resin first: its cure law says how it heats itself."))
    vessel = Vessel(job.charge.vessel, job.charge.width)
    if read is not None:
        heat = heat_by_reading(job.resin, mass, start, room, vessel, *read)
        return _Told(bucket_heat(job.resin.replaced(heat=heat), mass, start, room, vessel), heat, 0.0, True)
    heat, met = fitted_heat(job.resin) if fitted else (job.resin.heat, 0.0)
    return _Told(bucket_heat(job.resin.replaced(heat=heat), mass, start, room, vessel), heat, met)
