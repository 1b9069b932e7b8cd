"""What is set of the line chosen: its kind, when it opens and shuts, hose and fittings."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QComboBox, QFormLayout, QLineEdit, QVBoxLayout, QWidget

from bibulon.app.kit.fields import Form, UnitEdit, heading, narrow, offer, pick, push, word_of
from bibulon.app.session.session import Session
from bibulon.core.edit.edit import change_line, remove_line
from bibulon.core.edit.plumb import change_hose, set_kind
from bibulon.core.geometry.paths import shape_of
from bibulon.core.model.job import AtTime, ByHand, FlowLine, OnEmpty, OnFront, Opening
from bibulon.core.model.line_kinds import kind_of, kinds_of, words_of
from bibulon.core.model.machine import machine_rate
from bibulon.core.units.units import UnitError, show
from bibulon.core.units.vacuum import read_vacuum, show_vacuum, vacuum_words
from bibulon.core.units.words import tr

__all__ = ["LineInspector", "RuleEdit"]

RULES = ("at a time", "when the front has passed", "when a bucket is empty", "by hand")
STAYS = "stays open"


class RuleEdit(QWidget):
    """When something is done: the rule, what it waits for, how far beyond, and a time or a delay."""

    changed = Signal(object)  # Opening | None

    def __init__(self, session: Session, name: str, may_stay: bool) -> None:
        super().__init__()
        self.session, self.may_stay = session, may_stay
        self.own = ""
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        self.form = Form()
        self.rule = narrow(QComboBox())
        offer(self.rule, [*RULES, *([STAYS] if may_stay else [])])
        self.rule.activated.connect(lambda _: self._chosen())
        self.form.add(name, self.rule)
        self.target = narrow(QComboBox())
        self.target.setAccessibleName(tr("{}: what it waits for", name))
        self.target.activated.connect(lambda _: self._tell())
        self.form.add("it waits for", self.target)
        self.beyond = UnitEdit("length", tr("{}: front gone beyond it by", name), 0.0, 5.0)
        self.beyond.committed.connect(lambda _: self._tell())
        self.form.add("gone beyond by", self.beyond)
        self.time = UnitEdit("time", tr("{}: time or delay", name), 0.0, 1e6)
        self.time.committed.connect(lambda _: self._tell())
        self.form.add("at, or later by", self.time)
        for field in (self.beyond, self.time):
            field.refused.connect(lambda text: session.said.emit(text, True))
        layout.addWidget(self.form)

    def show_rule(self, when: Opening | None, own: str) -> None:
        """Show a rule of a line."""
        self.own, s, job = own, self.session.system, self.session.job
        index = 4
        match when:
            case AtTime():
                index = 0
                self.time.set_value(when.time, s)
            case OnFront():
                index = 1
                self.time.set_value(when.delay, s)
                self.beyond.set_value(when.beyond, s)
            case OnEmpty():
                index = 2
                self.time.set_value(when.delay, s)
            case ByHand():
                index = 3
                self.time.set_value(when.about, s)
        self.rule.setCurrentIndex(index)
        self.target.clear()
        if index == 1:
            for line in job.lines:
                self.target.addItem(tr("the line itself") if line.id == own else line.label, line.id)
            assert isinstance(when, OnFront)
            self.target.setCurrentIndex(max(self.target.findData(when.line), 0))
        elif index == 2:
            for bucket in job.buckets:
                self.target.addItem(bucket.id, bucket.id)
            assert isinstance(when, OnEmpty)
            self.target.setCurrentIndex(max(self.target.findData(when.bucket), 0))
        layout = self.form.layout()
        assert isinstance(layout, QFormLayout)
        layout.setRowVisible(self.target, index in {1, 2})
        layout.setRowVisible(self.beyond, index == 1)
        layout.setRowVisible(self.time, index != 4)

    def _chosen(self) -> None:
        """Begin with what is usual for the rule chosen."""
        now = self.session.moment if self.session.moment > 0 else 0.0
        job = self.session.job
        match self.rule.currentIndex():
            case 0:
                self.changed.emit(AtTime(time=now))
            case 1:
                self.changed.emit(OnFront(line=self.own))
            case 2 if job.buckets:
                self.changed.emit(OnEmpty(bucket=job.buckets[0].id))
            case 2:
                self.session.said.emit(tr("There is no bucket to wait for: add one in the diagram."), True)
                self.changed.emit(AtTime(time=now))
            case 3:
                self.changed.emit(ByHand(about=now))
            case _:
                self.changed.emit(None)

    def _tell(self) -> None:
        time, target = self.time.value(), self.target.currentData()
        match self.rule.currentIndex():
            case 0:
                self.changed.emit(AtTime(time=time))
            case 1:
                self.changed.emit(
                    OnFront(line=str(target or self.own), beyond=self.beyond.value(), delay=time)
                )
            case 2:
                self.changed.emit(OnEmpty(bucket=str(target), delay=time))
            case 3:
                self.changed.emit(ByHand(about=time))


class LineInspector(QWidget):
    """What is set of the line chosen."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        self.title = heading("")
        layout.addWidget(self.title)
        form = Form()
        self.label = QLineEdit()
        self.label.setMaxLength(24)
        self.label.editingFinished.connect(self._rename)
        form.add("Called", self.label)
        self.kind = narrow(QComboBox())
        self.kind.activated.connect(lambda _: self._kind())
        form.add("Is", self.kind)
        layout.addWidget(form)
        self.opens = RuleEdit(session, "Opens", False)
        self.opens.changed.connect(lambda when: self._edit("Change opening", opens=when))
        self.rule, self.time = self.opens.rule, self.opens.time
        layout.addWidget(self.opens)
        self.shuts = RuleEdit(session, "Shuts", True)
        self.shuts.changed.connect(lambda when: self._edit("Change shutting", shuts=when))
        layout.addWidget(self.shuts)
        form = Form()
        self.pull = QLineEdit()
        self.pull.setPlaceholderText(tr("the job's vacuum"))
        self.pull.setAccessibleName(tr("Held at an absolute pressure"))
        self.pull.editingFinished.connect(self._pull)
        self.pull_row = (form, self.pull)
        form.add("Held at", self.pull)
        self.rate = UnitEdit("flow", tr("What a pump gives this feed"), 1e-9, 0.01)
        self.rate.committed.connect(lambda v: self._edit("Change what the pump gives", rate=v))
        self.rate.cleared.connect(lambda: self._edit("Change what the pump gives", rate=None))
        form.add("Pumped at", self.rate)
        self._lay_hose(form)
        layout.addWidget(form)
        self.remove = push("Remove line", self._remove)
        layout.addWidget(self.remove)
        for signal in (session.selection_changed, session.job_changed, session.system_changed):
            signal.connect(lambda _: self._fill())
        self._fill()

    def _lay_hose(self, form: Form) -> None:
        session, self.hose_row = self.session, form
        self.hose_length = UnitEdit("distance", "Hose length", 0.0, 100.0)
        self.hose_length.committed.connect(lambda v: self._edit("Change hose", hose_length=v))
        form.add("Hose length", self.hose_length)
        self.hose_bore = UnitEdit("length", "Hose bore", 0.0, 0.2)
        self.hose_bore.committed.connect(lambda v: self._edit("Change hose", hose_bore=v))
        form.add("Hose bore", self.hose_bore)
        self.hose_at = UnitEdit("distance", tr("How far along it the hose joins"), 0.0, 1000.0)
        self.hose_at.committed.connect(self._join)
        form.add("Hose joins at", self.hose_at)
        self.bore = UnitEdit("length", "Tube bore", 0.0, 0.2)
        self.bore.committed.connect(lambda v: self._edit("Change tube", bore=v))
        form.add("Tube bore", self.bore)
        self.tube = narrow(QComboBox())
        offer(self.tube, ["soft", "hard"])
        self.tube.activated.connect(lambda _: self._hose(tube=word_of(self.tube)))
        form.add("Hose is", self.tube)
        self.clamp = narrow(QComboBox())
        offer(self.clamp, ["ball valve", "screw clamp", "lever clamp", "pliers", "none"])
        self.clamp.activated.connect(lambda _: self._hose(clamp=word_of(self.clamp)))
        form.add("Shut by", self.clamp)
        for field in (self.rate, self.hose_length, self.hose_bore, self.hose_at, self.bore):
            field.refused.connect(lambda text: session.said.emit(text, True))

    def line(self) -> FlowLine | None:
        """Return the line chosen."""
        return next((x for x in self.session.job.lines if x.id == self.session.selected), None)

    def _fill(self) -> None:
        line, s = self.line(), self.session.system
        if line is None:
            return
        feed = line.role == "feed"
        self.title.setText(f"{'Feed' if feed else 'Vacuum'} {line.label}")
        if not self.label.hasFocus():
            self.label.setText(line.label)
        self.kind.clear()
        for kind in kinds_of(self.session.job, line):
            self.kind.addItem(tr(kind), kind)
            self.kind.setItemData(self.kind.count() - 1, words_of(self.session.job, kind), 3)
        pick(self.kind, kind_of(self.session.job, line))
        self.opens.setVisible(feed)
        self.opens.show_rule(line.opens, line.id)
        self.shuts.show_rule(line.shuts, line.id)
        layout = self.pull_row[0].layout()
        assert isinstance(layout, QFormLayout)
        layout.setRowVisible(self.pull, not feed)
        # A bag's feed is drawn; one that a file gives a pump has it all the same.
        layout.setRowVisible(
            self.rate, feed and (self.session.job.process != "infusion" or line.rate is not None)
        )
        machine = machine_rate(self.session.job)
        self.rate.may_be_empty(tr("as the machine gives") if machine else tr("by pressure alone"))
        if line.rate is None:
            self.rate.show_empty()
        else:
            self.rate.set_value(line.rate, s)
        air = self.session.job.conditions.atmosphere
        self.pull.setText(show_vacuum(line.pull, air, s) if line.pull is not None else "")
        self.hose_length.set_value(line.hose_length, s)
        self.hose_bore.set_value(line.hose_bore, s)
        self.hose_at.set_value(line.hose_at * shape_of(line.path).length, s)
        layout = self.hose_row.layout()
        assert isinstance(layout, QFormLayout)
        layout.setRowVisible(self.hose_at, len(line.path) > 1)
        self.bore.set_value(line.bore, s)
        pick(self.tube, line.hose.tube)
        pick(self.clamp, line.hose.clamp)

    def _edit(self, name: str, **fields: object) -> None:
        line = self.line()
        if line is not None and not self.session.edit(
            tr("{0} of {1}", name, line.label), lambda j: change_line(j, line.id, **fields)
        ):
            self._fill()

    def _hose(self, **fields: Any) -> None:
        line = self.line()
        if line is not None:
            self.session.edit(
                tr("Change hose of {}", line.label), lambda j: change_hose(j, line.id, **fields)
            )

    def _join(self, along: float) -> None:
        """Join the hose so far along the line; beyond its end at its end, which is said."""
        line = self.line()
        if line is None:
            return
        length = shape_of(line.path).length
        if along > length:
            text = tr(
                "{0} is {1} long: its hose joins at its end.",
                line.label,
                show(length, "distance", self.session.system),
            )
            self.session.said.emit(text, False)
        self._edit("Move hose", hose_at=min(along / length, 1.0))

    def _kind(self) -> None:
        line, kind = self.line(), word_of(self.kind)
        if line is not None:
            self.session.edit(tr("Make {0} a {1}", line.label, kind), lambda j: set_kind(j, line.id, kind))

    def _pull(self) -> None:
        line, text = self.line(), self.pull.text().strip()
        if line is None:
            return
        try:
            air = self.session.job.conditions.atmosphere
            pull = read_vacuum(text, air, self.session.system) if text else None
        except UnitError as error:
            self.session.said.emit(str(error), True)
            self._fill()
            return
        if pull != line.pull:
            self._edit("Change pull", pull=pull)
            if pull is not None:
                self.session.said.emit(tr("Read as {}.", vacuum_words(pull, air)), False)

    def _rename(self) -> None:
        text = self.label.text().strip()
        line = self.line()
        if line and text and text != line.label:
            self._edit("Rename", label=text)
        elif line:
            self.label.setText(line.label)

    def _remove(self) -> None:
        line = self.line()
        if line is not None:
            self.session.edit(tr("Remove {}", line.label), lambda j: remove_line(j, line.id))
