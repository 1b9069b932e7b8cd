"""The readings of the test as a table, typed or loaded."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtGui import QGuiApplication
from PySide6.QtWidgets import (
    QHBoxLayout,
    QLabel,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from bibulon.app.kit import files
from bibulon.app.kit.fields import push
from bibulon.app.kit.table import Column, Table
from bibulon.app.session.session import Session
from bibulon.app.work.ask import Ask
from bibulon.core.edit.edit import change
from bibulon.core.leak.droptest import LeakError, at_one_temperature
from bibulon.core.model.drop_test import Reading, Warmth
from bibulon.core.units.pasted import PasteError, columns_of
from bibulon.core.units.units import UnitError, clock, parse, show_value, unit_of
from bibulon.core.units.vacuum import read_vacuum, vacuum_words
from bibulon.core.units.words import tr
from bibulon.store.imports.gaugelog import Gauge, GaugeUnclear, read_log
from bibulon.store.imports.templog import read_temperatures
from bibulon.store.salvage import plainly

__all__ = ["ReadingsPage"]

SHOWN = 2000  # rows; a longer record is shown by every so manieth


class ReadingsPage(QWidget):
    """Time and pressure, with the acts that fill and clear them."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._log = Path()
        self._step = 1
        self.reader = Ask(session, lambda: session.number)
        self.reader.ready.connect(
            lambda readings: self._change(
                tr("Load gauge log"), readings=readings, warmth=(), recorded_at=None
            )
        )
        self.reader.failed.connect(self._on_log_failure)
        self.warm = Ask(session, lambda: session.number)
        self.warm.ready.connect(self._warmed)
        self.warm.failed.connect(lambda error: session.said.emit(str(error), True))
        layout = QVBoxLayout(self)
        layout.setContentsMargins(16, 8, 16, 12)
        self.asking = self._asking_row()
        session.job_opened.connect(lambda: self.asking.setVisible(False))
        layout.addWidget(self.asking)
        lower = QHBoxLayout()
        heads = (Column("time", 130, typed=True), Column("pressure", typed=True))
        self.table = Table(heads, "Gauge readings", ordered=True, pasting=self.paste)
        self.table.typed.connect(self._typed)
        lower.addWidget(self.table, 3)
        acts = QVBoxLayout()
        for text, act in (
            (tr("Load gauge log…"), self._load),
            (tr("Load temperature log…"), self._load_warmth),
            (tr("Add reading"), self._add),
            (tr("Remove reading"), self._remove),
            ("Clear", self._clear),
        ):
            acts.addWidget(push(text, act))
        acts.addStretch()
        lower.addLayout(acts, 1)
        layout.addLayout(lower, 1)

    def _asking_row(self) -> QWidget:
        """How the gauge of a log reads, asked where its heading does not say."""
        box = QWidget()
        row = QHBoxLayout(box)
        row.setContentsMargins(0, 0, 0, 4)
        row.addWidget(QLabel(tr("How does this gauge read?")))
        answers: tuple[tuple[str, Gauge], ...] = (
            ("Absolute", "absolute"),
            (tr("Below today's air"), "below"),
        )
        for text, gauge in answers:
            button = QPushButton(tr(text))
            button.clicked.connect(lambda _=False, g=gauge: self._read(self._log, g))
            row.addWidget(button)
        row.addStretch()
        box.setVisible(False)
        return box

    def fill(self) -> None:
        """Show the job's readings."""
        s, readings = self.session.system, self.session.job.test.readings
        unit = unit_of("pressure", s)
        self._step = max(1, -(-len(readings) // SHOWN))
        shown = readings[:: self._step]
        self.table.set_heads([tr("time m:ss"), tr("pressure {}, absolute", unit)])
        self.table.show_rows([(clock(r.time), show_value(r.pressure, "pressure", s, 2)) for r in shown])

    def _change(self, name: str, **fields: object) -> bool:
        return self.session.edit(name, lambda job: change(job, test=job.test.replaced(**fields)))

    def _typed(self, shown: int, column: int, text: str) -> None:
        readings = list(self.session.job.test.readings)
        row = shown * self._step
        old = readings[row]
        try:
            if column == 0:
                new = Reading(
                    time=parse(text if ":" in text else f"{text} min", "time"), pressure=old.pressure
                )
            else:
                new = Reading(time=old.time, pressure=self._pressure(text))
        except (UnitError, ValueError) as error:
            self.session.said.emit(str(error), True)
            return
        readings[row] = new
        readings.sort(key=lambda r: r.time)
        self._change(tr("Change reading"), readings=tuple(readings))

    def paste(self) -> None:
        """Take the readings off the clipboard: time, in minutes when bare, and absolute pressure."""
        columns = (("time", "time"), ("pressure", "pressure"))
        text = QGuiApplication.clipboard().text()
        try:
            rows = columns_of(text, columns, self.session.system, 2, {"time": "min"})
            readings = tuple(Reading(time=t, pressure=p) for t, p in sorted(rows))
        except (PasteError, ValueError) as error:
            self.session.said.emit(plainly(error), True)
            return
        if self._change(tr("Paste readings"), readings=readings, warmth=(), recorded_at=None):
            self.session.said.emit(tr("{} readings pasted.", len(readings)), False)

    def _pressure(self, text: str) -> float:
        """Return a typed reading; a bare number is absolute, as the heading says, words and dials decide else."""
        air, system = self.session.job.conditions.atmosphere, self.session.system
        if any(c.isalpha() for c in text):
            value = read_vacuum(text, air, system)
            self.session.said.emit(tr("Read as {}.", vacuum_words(value, air)), False)
            return value
        return parse(text, "pressure", system)

    def _add(self) -> None:
        readings = self.session.job.test.readings
        last = readings[-1] if readings else Reading(time=-0.0, pressure=2000)
        time = last.time + 60 if readings else 0.0
        self._change(tr("Add reading"), readings=(*readings, Reading(time=time, pressure=last.pressure)))
        self.table.choose(self.table.row_count() - 1, 1)

    def _remove(self) -> None:
        row, readings = self.table.current_row() * self._step, self.session.job.test.readings
        if 0 <= row < len(readings):
            self._change(tr("Remove reading"), readings=readings[:row] + readings[row + 1 :])

    def _clear(self) -> None:
        self._change(tr("Clear readings"), readings=(), warmth=(), recorded_at=None)

    def _load(self) -> None:
        path = files.to_read(self, tr("Load gauge log"), "Gauge logs (*.csv *.txt *.tsv)")
        if path is not None:
            self.load_log(path)

    def _load_warmth(self) -> None:
        path = files.to_read(self, tr("Load temperature log"), "Logs (*.csv *.txt *.tsv)")
        if path is not None:
            self.load_warmth(path)

    def load_warmth(self, path: Path) -> None:
        """Take the bag's temperature out of a log beside the gauge's."""
        self.warm.want(lambda: read_temperatures(path))

    def _warmed(self, logged: list[tuple[float, float]]) -> None:
        try:
            at_one_temperature(self.session.job.test.readings, logged)
            warmth = tuple(Warmth(time=t, temperature=k) for t, k in logged)
        except (LeakError, ValueError) as error:
            self.session.said.emit(str(error), True)
            return
        if self._change(tr("Load temperature log"), warmth=warmth):
            self.session.said.emit(tr("The leak is told as it would be at one temperature."), False)

    def load_log(self, path: Path) -> None:
        """Take the readings of a gauge log."""
        self._read(path, None)

    def _read(self, path: Path, gauge: Gauge | None) -> None:
        air = self.session.job.conditions.atmosphere
        self._log = path
        self.asking.setVisible(False)
        self.reader.want(lambda: read_log(path, gauge, air))

    def _on_log_failure(self, error: Exception) -> None:
        """Tell what is wrong; a log that does not say how its gauge reads is asked about."""
        self.asking.setVisible(isinstance(error, GaugeUnclear))
        self.session.said.emit(str(error), True)
