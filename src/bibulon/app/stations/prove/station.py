"""Prove: the leak test."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QFileDialog,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from bibulon.app.kit.fields import FigureGrid, Form, UnitEdit, heading, named, narrow, note, plain_table
from bibulon.app.kit.paint import paint
from bibulon.app.kit.tabs import Tabs
from bibulon.app.session.session import Session
from bibulon.app.stations.base import RailRow, Station, titled
from bibulon.app.stations.prove.hunt_page import HuntPage
from bibulon.app.work.ask import Ask
from bibulon.core.drawing.graphs.droptest import draw_drop_test
from bibulon.core.drawing.kit.tokens import DAY, Theme
from bibulon.core.edit.edit import change
from bibulon.core.findings.base import Evidence
from bibulon.core.geometry.outline import OutlineError
from bibulon.core.leak.droptest import school_of
from bibulon.core.leak.volume import bag_volume
from bibulon.core.model.job import Job, Reading
from bibulon.core.outlook.outlook import Outlook
from bibulon.core.units.figures import worded
from bibulon.core.units.units import UnitError, clock, parse, show, show_value
from bibulon.core.units.vacuum import read_vacuum, vacuum_words
from bibulon.store.imports.gaugelog import Gauge, GaugeUnclear, read_log

__all__ = ["ProveStation"]


def evidence_now(session: Session) -> Evidence | None:
    """Return what was worked out, if it is of the test as it stands."""
    outlook = session.outlook
    evidence = outlook.evidence if outlook else None
    job = session.job
    same = evidence is not None and evidence.job.test is job.test and evidence.job.rules is job.rules
    return evidence if same else None


class DropView(QWidget):
    """The record, its fit and the limit."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session, self.theme = session, DAY
        self.setMinimumHeight(200)
        self.setAccessibleName("Drop test record")
        for signal in (session.job_changed, session.outlook_changed, session.system_changed):
            signal.connect(lambda _: self.update())

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), self.theme.ground)
        job, evidence = self.session.job, evidence_now(self.session)
        result = evidence.leak if evidence else None
        paint(
            painter,
            draw_drop_test(
                job.test, result, school_of(job), self.width(), self.height(), self.theme, self.session.system
            ),
        )
        painter.end()


class ProveStation(Station):
    """Readings typed or loaded, the fit, and the verdict of a school."""

    name = "Prove"
    takes = frozenset({".csv", ".txt", ".tsv"})

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.view = DropView(session)
        self.drop = QWidget()
        self.hunt = HuntPage(session)
        self.bench = self.tabs = Tabs("Prove", [("Drop test", self.drop), ("Hunt", self.hunt)])
        self.tabs.shown.connect(lambda _: self._fill_hunt())
        layout = QVBoxLayout(self.drop)
        layout.setContentsMargins(0, 0, 0, 12)
        layout.addWidget(titled("Pressure in the bag with the pump shut off", None, self.view), 6)
        self.reader = Ask(session, lambda: session.number)
        self.reader.ready.connect(lambda readings: self._change("Load gauge log", readings=readings))
        self.reader.failed.connect(self._on_log_failure)
        self._log = Path()
        self.asking = self._asking_row()
        session.job_opened.connect(lambda: self.asking.setVisible(False))
        layout.addWidget(self.asking)
        lower = QHBoxLayout()
        lower.setContentsMargins(16, 4, 16, 0)
        self.table = plain_table(("time", "pressure"), "Gauge readings")
        self.table.itemChanged.connect(self._typed)
        lower.addWidget(self.table, 3)
        acts = QVBoxLayout()
        for text, act in (
            ("Load gauge log…", self._load),
            ("Add reading", self._add),
            ("Remove reading", self._remove),
            ("Clear", self._clear),
        ):
            button = QPushButton(text)
            button.clicked.connect(act)
            acts.addWidget(button)
        acts.addStretch()
        lower.addLayout(acts, 1)
        layout.addLayout(lower, 4)
        self.side = QWidget()
        side = QVBoxLayout(self.side)
        side.setContentsMargins(16, 12, 16, 8)
        self.verdict = named(QLabel(""), "figure")
        self.verdict.setAccessibleName("Verdict")
        self.why = note()
        side.addWidget(self.verdict)
        side.addWidget(self.why)
        self.figures = FigureGrid(("leak, mbar·L/s", "rise", "after an hour", "what fades"))
        side.addWidget(self.figures)
        self.interval = note()
        side.addWidget(self.interval)
        side.addWidget(heading("How it is judged"))
        form = Form()
        self.school = narrow(QComboBox())
        self.school.activated.connect(self._set_school)
        form.add("School", self.school)
        self.volume = UnitEdit("volume", "Volume shut off", 1e-6, 100.0)
        self.volume.committed.connect(lambda v: self._change("Change volume", volume=v))
        self.volume.refused.connect(lambda text: session.said.emit(text, True))
        form.add("Volume shut off", self.volume)
        self.summed = QPushButton("Sum it from the job")
        self.summed.clicked.connect(lambda _=False: self._sum_volume())
        form.add("", self.summed)
        self.feed = QCheckBox("feed fitted")
        self.feed.clicked.connect(lambda on: self._change("Change feed fitted", feed_fitted=on))
        form.add("", self.feed)
        side.addWidget(form)
        side.addWidget(note("Vacuum vessels must be rated, and not of glass."))
        side.addStretch()
        self._filling = False
        self.follow()
        session.outlook_changed.connect(lambda _: self._judge(self.session.job))

    def set_theme(self, theme: Theme) -> None:
        self.view.theme = theme
        self.view.update()
        self.hunt.set_theme(theme)

    def _fill_hunt(self) -> None:
        """Work the hunt out when its page is open."""
        if self.tabs.current is self.hunt:
            self.hunt.fill()

    def _sum_volume(self) -> None:
        """Take the volume that is shut off from the job: pores, lines, hoses, pots."""
        try:
            volumes = bag_volume(self.session.job)
        except OutlineError as error:
            self.session.said.emit(str(error), True)
            return
        s = self.session.system
        if self._change("Sum the volume", volume=sum(volumes.values())):
            told = ", ".join(f"{name} {show(v, 'volume', s)}" for name, v in volumes.items())
            self.session.said.emit(f"Summed, give or take a fifth: {told}.", False)

    def _asking_row(self) -> QWidget:
        """How the gauge of a log reads, asked where its heading does not say."""
        box = QWidget()
        row = QHBoxLayout(box)
        row.setContentsMargins(16, 4, 16, 4)
        row.addWidget(QLabel("How does this gauge read?"))
        answers: tuple[tuple[str, Gauge], ...] = (("Absolute", "absolute"), ("Below today's air", "below"))
        for text, gauge in answers:
            button = QPushButton(text)
            button.clicked.connect(lambda _=False, g=gauge: self._read(self._log, g))
            row.addWidget(button)
        row.addStretch()
        box.setVisible(False)
        return box

    def row(self, job: Job, outlook: Outlook | None) -> RailRow:
        evidence = outlook.evidence if outlook else None
        if evidence is None or evidence.verdict is None or evidence.leak is None:
            return RailRow("not run", "open")
        state = {"pass": "settled", "fail": "blocked"}.get(evidence.verdict.outcome, "warned")
        return RailRow(f"{evidence.leak.leak * 10:.4f} mbar·L/s", state)  # type: ignore[arg-type]

    def fill(self) -> None:
        self._filling = True
        job, s = self.session.job, self.session.system
        test = job.test
        unit = "mbar" if s == "metric" else "inHg"
        self.table.setHorizontalHeaderLabels(["time m:ss", f"pressure {unit}, absolute"])
        self.table.setRowCount(len(test.readings))
        for r, reading in enumerate(test.readings):
            self.table.setItem(r, 0, QTableWidgetItem(clock(reading.time)))
            self.table.setItem(r, 1, QTableWidgetItem(show_value(reading.pressure, "pressure", s, 2)))
        self.table.setColumnWidth(0, 130)
        self.school.clear()
        for school in job.rules.schools:
            self.school.addItem(school.name, school.id)
        self.school.setCurrentIndex(max(self.school.findData(test.school), 0))
        self.volume.set_value(test.volume, s)
        self.feed.setChecked(test.feed_fitted)
        self._fill_hunt()
        self._judge(job)
        self._filling = False

    def _judge(self, job: Job) -> None:
        """Show the verdict, worked out off the interface thread; until it is there, that it is not."""
        evidence = evidence_now(self.session)
        if evidence is None or evidence.leak is None or evidence.verdict is None:
            self.verdict.setText("Not run" if len(job.test.readings) < 3 else "…")
            why = "At least three readings are needed." if len(job.test.readings) < 3 else ""
            self.why.setText(worded(evidence.leak_problem, self.session.system) if evidence else why)
            self.interval.setText("")
            for name in self.figures.figures:
                self.figures.set(name, "—")
            return
        result, verdict = evidence.leak, evidence.verdict.worded(self.session.system)
        self.verdict.setText(
            {"pass": "Passes", "fail": "Fails: do not shoot"}.get(verdict.outcome, "Cannot tell yet")
        )
        self.verdict.setStyleSheet("" if verdict.outcome == "pass" else f"color: {self.view.theme.alarm};")
        self.why.setText(f"{verdict.figure}, against {verdict.limit}. {verdict.reason}")
        s = self.session.system
        low, high = (q * 10 for q in result.leak_interval)
        self.figures.set("leak, mbar·L/s", f"{result.leak * 10:.4f}")
        self.figures.set("rise", f"{show(result.rise * 60, 'pressure', s, 2)}/min")
        last = result.pressure(np.array([3600.0]))[0]
        self.figures.set("after an hour", show(float(last), "pressure", s, 0 if s == "metric" else 1))
        self.figures.set(
            "what fades", show(result.fading, "pressure", s, 1) if result.fading else "none seen"
        )
        self.interval.setText(f"Leak in mbar·L/s, 19 times in 20 between {low:.4f} and {high:.4f}.")

    def _change(self, name: str, **fields: object) -> bool:
        def edit(job: Job) -> Job:
            return change(job, test=job.test.replaced(**fields))

        return self.session.edit(name, edit)

    def _set_school(self) -> None:
        self._change("Choose school", school=self.school.currentData())

    def _typed(self, item: QTableWidgetItem) -> None:
        if self._filling:
            return
        readings = list(self.session.job.test.readings)
        old = readings[item.row()]
        try:
            if item.column() == 0:
                new = Reading(
                    time=parse(item.text() if ":" in item.text() else f"{item.text()} min", "time"),
                    pressure=old.pressure,
                )
            else:
                new = Reading(time=old.time, pressure=self._pressure(item.text()))
        except (UnitError, ValueError) as error:
            self.session.said.emit(str(error), True)
            self.fill()
            return
        readings[item.row()] = new
        readings.sort(key=lambda r: r.time)
        self._change("Change reading", readings=tuple(readings))

    def _pressure(self, text: str) -> float:
        """Return a typed reading; a bare number is absolute, as the heading says, words and dials decide else."""
        air, system = self.session.job.conditions.atmosphere, self.session.system
        if any(c.isalpha() for c in text):
            value = read_vacuum(text, air, system)
            self.session.said.emit(f"Read as {vacuum_words(value, air)}.", False)
            return value
        return parse(text, "pressure", system)

    def _add(self) -> None:
        readings = self.session.job.test.readings
        last = readings[-1] if readings else Reading(time=-0.0, pressure=2000)
        time = last.time + 60 if readings else 0.0
        self._change("Add reading", readings=(*readings, Reading(time=time, pressure=last.pressure)))
        self.table.setCurrentCell(len(self.session.job.test.readings) - 1, 1)

    def _remove(self) -> None:
        row, readings = self.table.currentRow(), self.session.job.test.readings
        if 0 <= row < len(readings):
            self._change("Remove reading", readings=readings[:row] + readings[row + 1 :])

    def _clear(self) -> None:
        self._change("Clear readings", readings=())

    def _load(self) -> None:
        name, _ = QFileDialog.getOpenFileName(
            self.bench, "Load gauge log", "", "Gauge logs (*.csv *.txt *.tsv)"
        )
        if name:
            self.load_log(Path(name))

    def take_file(self, path: Path) -> None:
        """Read a gauge's log."""
        self.load_log(path)

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
