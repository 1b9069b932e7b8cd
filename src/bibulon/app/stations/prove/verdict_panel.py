"""Beside the leak test: where it stands, what the leak means for this part, and how it is judged."""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path

import numpy as np
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QLabel,
    QVBoxLayout,
    QWidget,
)

from bibulon.app.kit.appearance import named, tint
from bibulon.app.kit.drawing_view import DrawingView
from bibulon.app.kit.fields import AirEdit, FigureGrid, Form, UnitEdit, heading, narrow, note, push
from bibulon.app.session.session import Session
from bibulon.app.stations.prove.limits import evidence_now, limit_now
from bibulon.app.stations.shared.instrument_pick import InstrumentPick
from bibulon.app.work.ask import Ask
from bibulon.core.drawing.graphs.stages import draw_stages, tall
from bibulon.core.drawing.kit.scene import Item
from bibulon.core.drawing.kit.tokens import DAY, Theme
from bibulon.core.edit.edit import change
from bibulon.core.geometry.outline import OutlineError
from bibulon.core.leak.after import air_drawn, later, pinhole
from bibulon.core.leak.droptest import LeakResult, gel_of, judge, school_of
from bibulon.core.leak.looks import Standing, what_tells
from bibulon.core.leak.volume import bag_volume
from bibulon.core.model.job import DropTest, Job
from bibulon.core.run.recording import recordings
from bibulon.core.run.stages import ADDED, Added, added_of, last_of, leak_of
from bibulon.core.units.figures import worded
from bibulon.core.units.units import clock, show, system_of
from bibulon.core.units.words import tr

__all__ = ["VerdictPanel"]

PLACES = {
    "flange": tr("on the flange, far from the pump"),
    "hose": tr("behind a hose"),
    "pump": tr("at the pump"),
}
KINDS = {"absolute": "absolute", "dial": tr("a dial, against today's air")}


class VerdictPanel(QWidget):
    """Verdicts, figures, and the fields of the test."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session, self.theme = session, DAY
        self.standing: Standing | None = None
        self.recorded: DropTest | None = None
        self._leaks: dict[str, LeakResult | None] = {}  # of tests that have ended, by run
        self.fits = Ask(self, lambda: session.number)
        self.fits.ready.connect(self._fitted)
        side = QVBoxLayout(self)
        side.setContentsMargins(16, 12, 16, 8)
        self.own = named(QLabel(""), "figure")
        self.own.setAccessibleName(tr("Where the test stands"))
        self.say = note()
        side.addWidget(self.own)
        side.addWidget(self.say)
        self.verdict = named(QLabel(""), "head")
        self.verdict.setAccessibleName(tr("Verdict"))
        self.why = note()
        side.addWidget(self.verdict)
        side.addWidget(self.why)
        self.figures = FigureGrid(
            ("leak, mbar·L/s", "through a hole of", "rise", "air by gel", "after 8 h shut", "what fades"), 3
        )
        side.addWidget(self.figures)
        self.interval = note()
        side.addWidget(self.interval)
        self.added: tuple[Added, ...] = ()
        self.stages = note("Each stage's leak beyond the one before it, in mbar·L/s, 19 times in 20:")
        side.addWidget(self.stages)
        self.staged = DrawingView("What each stage leaks, in mbar·L/s", self._staged, 0)
        side.addWidget(self.staged)
        side.addWidget(heading("How it is judged"))
        side.addWidget(self._judged())
        side.addWidget(heading("Gauge"))
        side.addWidget(self._gauge())
        side.addWidget(note("Vacuum vessels must be rated, and not of glass."))
        side.addStretch()

    def _judged(self) -> Form:
        form = Form()
        self.school = narrow(QComboBox())
        self.school.setAccessibleName(tr("School"))
        self.school.activated.connect(
            lambda _: self._change(tr("Choose school"), school=self.school.currentData())
        )
        form.add("School", self.school)
        self.minutes = UnitEdit("number", "Minutes of this school", 0.5, 10_000.0)
        self.minutes.committed.connect(lambda v: self._school_changed(minutes=v))
        self.minutes.refused.connect(lambda text: self.session.said.emit(text, True))
        form.add("lasts, minutes", self.minutes)
        self.allowed = UnitEdit("pressure", "Drop that this school allows", 0.0, 1e5)
        self.allowed.committed.connect(lambda v: self._school_changed(allowed_drop=v))
        self.allowed.refused.connect(lambda text: self.session.said.emit(text, True))
        form.add("allows", self.allowed)
        self.volume = UnitEdit("volume", "Volume shut off", 1e-6, 100.0)
        self.volume.committed.connect(lambda v: self._change(tr("Change volume"), volume=v))
        self.volume.refused.connect(lambda text: self.session.said.emit(text, True))
        form.add("Volume shut off", self.volume)
        self.summed = push("Sum it from the job", self.sum_volume)
        form.add("", self.summed)
        self.feed = QCheckBox(tr("feed fitted"))
        self.feed.clicked.connect(lambda on: self._change(tr("Change feed fitted"), feed_fitted=on))
        form.add("", self.feed)
        return form

    def _gauge(self) -> Form:
        form = Form()
        self.kind = narrow(QComboBox())
        self.kind.setAccessibleName(tr("Gauge reads"))
        for key, text in KINDS.items():
            self.kind.addItem(tr(text), key)
        self.kind.activated.connect(
            lambda _: self._change(tr("Say how the gauge reads"), gauge=self.kind.currentData())
        )
        form.add("Reads", self.kind)
        self.place = narrow(QComboBox())
        self.place.setAccessibleName(tr("Gauge sits"))
        for key, text in PLACES.items():
            self.place.addItem(tr(text), key)
        self.place.activated.connect(
            lambda _: self._change(tr("Say where the gauge sits"), gauge_place=self.place.currentData())
        )
        form.add("Sits", self.place)
        self.step = UnitEdit("small pressure", "Smallest step that the gauge shows", 0.0, 10_000.0)
        self.step.may_be_empty(tr("as its readings show"))
        self.step.committed.connect(lambda v: self._change(tr("Say the gauge's step"), gauge_step=v))
        self.step.cleared.connect(lambda: self._change(tr("Say the gauge's step"), gauge_step=0.0))
        self.step.refused.connect(lambda text: self.session.said.emit(text, True))
        form.add("Its step", self.step)
        self.air = AirEdit("Air today")
        self.air.understood.connect(lambda text: self.session.said.emit(text, False))
        self.air.committed.connect(self._set_air)
        self.air.refused.connect(lambda text: self.session.said.emit(text, True))
        form.add("Air today", self.air)
        self.pick = InstrumentPick(
            form, "Instrument", self._connect, lambda text: self.session.said.emit(text, True)
        )
        return form

    # -- acts

    def _set_air(self, air: float) -> None:
        if not self.session.set_air(air):
            self.fill()

    def _change(self, name: str, **fields: object) -> bool:
        return self.session.edit(name, lambda job: change(job, test=job.test.replaced(**fields)))

    def _school_changed(self, **fields: object) -> None:
        """Edit the school that is chosen, in this job's rules."""
        chosen = self.school.currentData()

        def edit(job: Job) -> Job:
            schools = tuple(s.replaced(**fields) if s.id == chosen else s for s in job.rules.schools)
            return change(job, rules=job.rules.replaced(schools=schools))

        self.session.edit("Change school", edit)

    def sum_volume(self) -> None:
        """Take the volume that is shut off from the job: pores, lines, hoses, pots."""
        try:
            volumes = bag_volume(self.session.job)
        except OutlineError as error:
            self.session.said.emit(str(error), True)
            return
        s = self.session.system
        if self._change(tr("Sum the volume"), volume=sum(volumes.values())):
            told = ", ".join(f"{name} {show(v, 'volume', s)}" for name, v in volumes.items())
            self.session.said.emit(tr("Summed, give or take a fifth: {}.", told), False)

    def _connect(self, kind: str, where: str, file: Path | None) -> str:
        """Read another gauge from now on; return why it cannot be read, or nothing."""
        return self.session.instruments.choose(kind, where, file, self.session.job.conditions.atmosphere)

    # -- shown

    def fill(self) -> None:
        """Show the job's test, and where it stands."""
        self._show_standing()
        job, s = self.session.job, self.session.system
        test = job.test
        self.school.clear()
        for school in job.rules.schools:
            self.school.addItem(school.name, school.id)
        self.school.setCurrentIndex(max(self.school.findData(test.school), 0))
        self.school.setToolTip(next((x.reason for x in job.rules.schools if x.id == test.school), ""))
        chosen = school_of(job)
        self.minutes.set_value(chosen.minutes, s)
        self.minutes.setEnabled(chosen.as_long_as == "minutes" or gel_of(job) is None)
        by_drop = chosen.allowed_drop < 1e6
        self.allowed.setEnabled(by_drop)
        self.allowed.set_value(chosen.allowed_drop if by_drop else 0.0, s)
        self.volume.set_value(test.volume, s)
        self.feed.setChecked(test.feed_fitted)
        self.kind.setCurrentIndex(self.kind.findData(test.gauge))
        self.place.setCurrentIndex(self.place.findData(test.gauge_place))
        if test.gauge_step:
            self.step.set_value(test.gauge_step, s)
        else:
            self.step.show_empty()
        self.air.set_value(job.conditions.atmosphere, s)
        self.judge()

    def stand(self, standing: Standing | None, recorded: DropTest | None = None) -> None:
        """Show where the test stands, as it records; ``recorded`` is the one that runs."""
        ended = self.recorded is not None and recorded is None
        self.standing, self.recorded = standing, recorded
        if recorded is not None or ended:
            self.judge()
        self._show_standing()

    def _show_standing(self) -> None:
        standing, s = self.standing, self.session.system
        if standing is None:
            self.own.setText(tr("Not run"))
            self.say.setText(tr("At least three readings over a minute are needed."))
            tint(self.own)
            return
        bears = tr("this part can bear {} a minute", show(standing.limit * 60, "small pressure", s))
        if standing.outcome == "good":
            self.own.setText(tr("Enough: good"))
            text = tr("Known at {0}; {1}.", clock(standing.decided_at or 0.0), bears)
        elif standing.outcome == "leaks":
            self.own.setText(tr("Enough: leaks"))
            text = tr("Known at {0}; {1}. Do not mix: hunt it.", clock(standing.decided_at or 0.0), bears)
        else:
            self.own.setText(tr("Not yet known"))
            more = standing.more
            text = f"{bears[:1].upper()}{bears[1:]}. " + (
                tr("It lies on the limit: no longer test tells; mend or accept by name.") if more is None
                else tr("About {} more will tell.", clock(max(more, 1.0)))
            )  # fmt: skip
        if standing.latest is not None and standing.outcome != "leaks":
            text = " ".join([text, *what_tells(standing.latest)[:1]])
        self.say.setText(text)
        colour = {"good": self.theme.accent, "leaks": self.theme.alarm}.get(standing.outcome, self.theme.ink)
        tint(self.own, colour)

    def judge(self) -> None:
        """Show the school's verdict, worked out off the interface thread; until it is there, that it is not."""
        job, s = self.session.job, self.session.system
        evidence, test = evidence_now(self.session), self.recorded or job.test
        if self.recorded is None:  # what was recorded before does not change while another test runs
            self._stages()
        result = evidence.leak if evidence else None
        verdict = evidence.verdict if evidence else None
        if self.recorded is not None:
            result = self.standing.latest if self.standing else None
            verdict = judge(test, result, school_of(job), job.conditions.atmosphere) if result else None
        if result is None or verdict is None:
            few = len(test.readings) < 3
            self.verdict.setText(tr("Not run" if few else "…"))
            self.why.setText(
                worded(evidence.leak_problem, s) if evidence and evidence.leak_problem
                else tr("At least three readings are needed.") if few else ""
            )  # fmt: skip
            self.interval.setText("")
            for name in self.figures.figures:
                self.figures.set(name, "—")
            return
        verdict = verdict.worded(s)
        self.verdict.setText(
            tr({"pass": "Passes", "fail": "Fails: do not shoot"}.get(verdict.outcome, "Cannot tell yet"))
        )
        tint(self.verdict, "" if verdict.outcome == "pass" else self.theme.alarm)
        self.why.setText(tr("{0}, against {1}. {2}", verdict.figure, verdict.limit, verdict.reason))
        air = job.conditions.atmosphere
        leak = max(result.leak, 0.0)
        low, high = (q * 10 for q in result.leak_interval)
        self.figures.set("leak, mbar·L/s", f"{result.leak * 10:.4f}")
        self.figures.set("rise", f"{show(result.rise * 60, 'small pressure', s)}/min")
        self.figures.set("through a hole of", tr("{:.0f} µm", pinhole(leak, air) * 1e6) if leak > 0 else "—")
        now = min(max(float(result.pressure(np.array([result.duration]))[0]), 1.0), 0.99 * air)
        after = later(result.volume, leak, now, np.array([8 * 3600.0]), air)
        self.figures.set(
            "after 8 h shut",
            show(float(after.hole[-1]), "pressure", s, 0 if system_of("pressure", s) == "metric" else 1),
        )
        self.figures.set(
            "what fades", show(result.fading, "small pressure", s) if result.fading > 0 else tr("none seen")
        )
        self.figures.set("air by gel", self._air(leak))
        self.interval.setText(tr("Leak in mbar·L/s, 19 times in 20 between {0:.4f} and {1:.4f}.", low, high))

    def _air(self, leak: float) -> str:
        """Return the share of the pores that the air let in from wet through until gel takes."""
        job = self.session.job
        forecast = self.session.outlook.forecast if self.session.outlook else None
        if forecast is None or not 0 < forecast.clock.gel < 1e8:
            return "—"
        try:
            pores = bag_volume(job).get("plies, core and mesh", 0.0)
        except OutlineError:
            return "—"
        held = (job.conditions.atmosphere + job.conditions.vacuum) / 2
        time = max(forecast.clock.gel - forecast.fill_time, 60.0)
        return tr("{:.1f} % of pores", air_drawn(leak, time, held) / pores * 100) if pores > 0 else "—"

    def _stages(self) -> None:
        """Tell what each stage's last test came to: what a later one leaks more belongs to what was added."""
        last = last_of(recordings(self.session.journal))
        new = {t.run: t for t in last.values() if t.run not in self._leaks}
        if new and not self.fits.busy:  # this is called at each tick; what was asked comes
            self.fits.want(lambda: {run: leak_of(test) for run, test in new.items()})
        known = {stage: leak for stage, t in last.items() if (leak := self._leaks.get(t.run)) is not None}
        told, self.added = [], added_of(known)
        for added in self.added:
            what = ADDED[added.stage][:1].upper() + ADDED[added.stage][1:]
            middle, low, high = (q * 10 for q in (added.leak, added.low, added.high))
            verb = "add" if added.before else "leak"
            told.append(
                tr("{0} {1} {2:.4f} mbar·L/s ({3:.4f} to {4:.4f}), ", what, verb, middle, low, high)
                + (tr("beyond doubt.") if added.sure else tr("none for certain."))
            )
        self.stages.setVisible(bool(told))
        self.staged.setVisible(bool(told))
        self.staged.setFixedHeight(round(tall(len(told))))
        self.staged.setAccessibleDescription(" ".join(told))
        self.staged.update()

    def _staged(self, width: float, height: float, theme: Theme) -> Iterable[Item]:
        limit = limit_now(self.session) * self.session.job.test.volume
        return draw_stages(self.added, limit, (width, height), theme)

    def _fitted(self, found: dict[str, LeakResult | None]) -> None:
        self._leaks |= found
        self._stages()

    def set_theme(self, theme: Theme) -> None:
        """Choose the theme."""
        self.theme = theme
        self.staged.set_theme(theme)
        self.judge()
        self._show_standing()
