"""Findings: short verdicts by weight; choosing one shows its place, reason and remedy."""

from __future__ import annotations

import getpass
import time
from collections.abc import Callable

from msgspec.structs import replace
from PySide6.QtCore import QEvent, Qt, Signal
from PySide6.QtGui import QEnterEvent, QFocusEvent, QKeyEvent, QMouseEvent
from PySide6.QtWidgets import (
    QComboBox,
    QFrame,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from bibulon.app.kit.appearance import SOFT, Bare, framed, named
from bibulon.app.kit.fields import heading, note, offer, push, word_of
from bibulon.app.kit.theme import pixmap
from bibulon.app.session.lessons import Lessons
from bibulon.app.session.session import Session
from bibulon.core.drawing.kit.tokens import DAY, Theme
from bibulon.core.edit.edit import accept
from bibulon.core.edit.limits import limits_of
from bibulon.core.findings.base import Finding
from bibulon.core.findings.first import Step, next_step
from bibulon.core.findings.judge import acceptance_of, is_accepted
from bibulon.core.model.job import Accepted
from bibulon.core.outlook.outlook import Outlook
from bibulon.core.units.words import tr

__all__ = ["FindingsPanel"]

FILTERS: dict[str, Callable[[Finding, bool], bool]] = {
    "all": lambda finding, accepted: True,
    "to settle": lambda finding, accepted: finding.weight != "note" and not accepted,
    "accepted": lambda finding, accepted: accepted,
    "notes": lambda finding, accepted: finding.weight == "note",
}
MOST = 14  # findings listed before “more” is pressed
_ICONS = {"blocking": "octagon-alert", "warning": "triangle-alert", "note": "info"}


class _Row(QFrame):
    """One finding: a line when folded, all of it when chosen."""

    chosen = Signal(str)
    hovered = Signal(object)
    rule_wanted = Signal(str)

    def __init__(self, session: Session, finding: Finding, number: int, open_: bool, theme: Theme) -> None:
        super().__init__()
        self.session, self.finding = session, finding.worded(session.system)
        finding = self.finding
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(f"{tr(finding.weight)}: {finding.title}")
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        framed(self, "openrow" if open_ else "row")
        across = QHBoxLayout(self)
        across.setContentsMargins(9, 7, 7, 7)  # beside the frame
        sign = QLabel()
        accepted = is_accepted(session.job, finding)
        colour = theme.soft if accepted or finding.weight == "note" else theme.alarm
        sign.setPixmap(pixmap(_ICONS[finding.weight], colour, 18))
        across.addWidget(sign, 0, Qt.AlignmentFlag.AlignTop)
        body = QVBoxLayout()
        body.setSpacing(2)
        title = named(QLabel(f"{finding.title}" + (f"  ({number})" if finding.places else "")), "strong")
        title.setWordWrap(True)
        if accepted:
            title.setForegroundRole(SOFT)
        body.addWidget(title)
        body.addWidget(
            note(
                tr("{0}; limit {1}", finding.number, finding.limit) + (tr("  · accepted") if accepted else "")
            )
        )
        if open_:
            self._open(body, accepted)
        across.addLayout(body, 1)

    def _open(self, body: QVBoxLayout, accepted: bool) -> None:
        finding = self.finding
        for text in (finding.why, finding.mend):
            label = QLabel(tr(text))
            label.setWordWrap(True)
            body.addWidget(label)
        if accepted:
            mine = acceptance_of(self.session.job, finding)
            assert mine is not None
            body.addWidget(note(tr("Accepted by {0}, {1}: {2}", mine.by, mine.when, mine.reason)))
        if finding.remedy:
            remedy = finding.remedy
            button = named(QPushButton(tr(remedy.label)), "act")
            button.clicked.connect(lambda: self.session.edit(remedy.label, remedy.apply))
            body.addWidget(button)
        if limits_of(finding.rule):
            words = tr("Limit by {}…", self.session.job.rules.name)
            button = push(
                words, lambda: self.rule_wanted.emit(finding.rule), tip="Shows and sets what it is judged by"
            )
            body.addWidget(button, 0, Qt.AlignmentFlag.AlignLeft)
        if finding.weight == "warning" and not accepted:
            row = QHBoxLayout()
            reason = QLineEdit()
            reason.setPlaceholderText(tr("reason to accept it"))
            reason.setAccessibleName(tr("Reason to accept this warning"))
            button = push("Accept", lambda: self._accept(reason.text().strip()))
            reason.returnPressed.connect(button.click)
            row.addWidget(reason, 1)
            row.addWidget(button)
            body.addLayout(row)

    def _accept(self, reason: str) -> None:
        if not reason:
            self.session.said.emit(tr("Say why it is accepted: the reason stays on the record."), True)
            return
        when = time.strftime("%Y-%m-%d %H:%M")
        place = self.finding.places[0] if self.finding.places else None
        accepted = Accepted(
            key=self.finding.key,
            by=getpass.getuser(),
            reason=reason,
            when=when,
            place=place,
            size=self.finding.size,
        )
        self.session.edit(tr("Accept “{}”", self.finding.title), lambda j: accept(j, accepted))

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.chosen.emit(self.finding.key)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Space):
            self.chosen.emit(self.finding.key)
        else:
            super().keyPressEvent(event)

    def enterEvent(self, event: QEnterEvent) -> None:
        self.hovered.emit(self.finding)

    def leaveEvent(self, event: QEvent) -> None:
        self.hovered.emit(None)

    def focusInEvent(self, event: QFocusEvent) -> None:
        super().focusInEvent(event)
        self.hovered.emit(self.finding)
        self.update()


class FindingsPanel(QWidget):
    """The list, by station; ``shown`` gives the finding chosen, ``hovered`` the one looked at, or None."""

    shown = Signal(object)
    hovered = Signal(object)
    wanted = Signal(str)  # a station
    rule_wanted = Signal(str)  # that of a finding

    def __init__(self, session: Session, here: str = "") -> None:
        super().__init__()
        self.session, self.theme = session, DAY
        self.findings: tuple[Finding, ...] = ()
        self.open_key = ""
        self.most = MOST
        self._built: object = None
        self.led = False  # by the thread of a first job, which says what is next
        self.here = here  # the station that is open
        layout = QVBoxLayout(self)
        layout.setContentsMargins(12, 4, 8, 8)
        line = QHBoxLayout()
        line.addWidget(heading("Findings"))
        line.addStretch()
        self.judging = named(QLabel(tr("judging anew…")), "soft")
        self.judging.setVisible(False)
        line.addWidget(self.judging)
        self.count = named(QLabel(""), "soft")
        line.addWidget(self.count)
        self.filter = QComboBox()
        offer(self.filter, FILTERS)
        self.filter.setAccessibleName(tr("Which findings are listed"))
        self.filter.currentTextChanged.connect(lambda _: self._build())
        line.addWidget(self.filter)
        layout.addLayout(line)
        self.area = Bare()
        self.area.setWidgetResizable(True)
        self.area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.area.setAccessibleName(tr("Findings"))
        layout.addWidget(self.area, 1)
        self.lessons = Lessons(session)
        self.lessons.changed.connect(self._build)
        session.outlook_changed.connect(self._on_outlook)
        session.system_changed.connect(lambda _: self._build())
        self._build()

    def set_theme(self, theme: Theme) -> None:
        """Choose the theme."""
        if theme is not self.theme:
            self.theme = theme
            self._build()

    def set_led(self, led: bool) -> None:
        """Leave it to the thread of a first job to say what is next, or say it here."""
        if led != self.led:
            self.led = led
            self._build()

    def set_here(self, station: str) -> None:
        """Say which station is open: there is no way to lead to it."""
        if station == self.here:
            return
        left, self.here = self.here, station
        step = None if self.led else next_step(self.session.job)
        if step is not None and step.station in (left, station):
            self._build()

    def _on_outlook(self, outlook: Outlook) -> None:
        self.findings = outlook.findings
        self.judging.setVisible(not outlook.judged)
        if self._told() != self._built:
            self._build()

    def _told(self) -> object:
        """Return all that the list shows: what does not change it need not build it anew."""
        job = self.session.job
        rows = [
            (replace(f, remedy=None), f.remedy.label if f.remedy else "", is_accepted(job, f))
            for f in self.findings
        ]
        return rows, self.session.problem, self.session.system, next_step(job)

    def _listed(self) -> list[tuple[int, Finding]]:
        """Return the findings that the filter lets through, with their numbers on the plan."""
        wanted, job = FILTERS[word_of(self.filter)], self.session.job
        return [(n, f) for n, f in enumerate(self.findings, start=1) if wanted(f, is_accepted(job, f))]

    def _build(self) -> None:
        body = QWidget()
        layout = QVBoxLayout(body)
        layout.setContentsMargins(0, 0, 4, 0)
        layout.setSpacing(2)
        self._built = self._told()
        every = self._listed()
        listed = every[: self.most]
        stations = list(dict.fromkeys(f.station for _, f in listed))
        for station in stations:
            if len(stations) > 1:
                layout.addWidget(note(station))
            for number, finding in listed:
                if finding.station == station:
                    row = _Row(self.session, finding, number, finding.key == self.open_key, self.theme)
                    row.chosen.connect(self.choose)
                    row.hovered.connect(self.hovered)
                    row.rule_wanted.connect(self.rule_wanted)
                    layout.addWidget(row)
        if not listed:
            empty = tr("Nothing found.") if not self.findings else tr("None of this kind.")
            layout.addWidget(note(self.session.problem or empty))
        if not self.led and (step := next_step(self.session.job)) is not None:
            self._add_step(layout, step)
        if len(every) > len(listed):
            more = QPushButton(tr("Show {} more", len(every) - len(listed)))
            more.clicked.connect(self._show_all)
            layout.addWidget(more)
        if self.lessons.found:
            layout.addWidget(note("Lessons of jobs like this one"))
            for text, job in self.lessons.found:
                layout.addWidget(note(f"“{text}” ({job})"))
        layout.addStretch()
        self.area.setWidget(body)
        settle = sum(1 for f in self.findings if f.weight != "note" and not is_accepted(self.session.job, f))
        notes = len(self.findings) - sum(1 for f in self.findings if f.weight != "note")
        words = tr("{} note", notes) + ("" if notes == 1 else "s")
        self.count.setText(tr("{0} to settle · {1}", settle, words) if self.findings else "")

    def _add_step(self, layout: QVBoxLayout, step: Step) -> None:
        """Say what is next, with the way there when that is elsewhere."""
        words = QLabel(tr(step.text))
        words.setWordWrap(True)
        layout.insertWidget(0, words)
        if step.station == self.here:
            return
        button = named(QPushButton(tr("Go to {}", step.station)), "act")
        button.clicked.connect(lambda: self.wanted.emit(step.station))
        layout.insertWidget(1, button)

    def _show_all(self) -> None:
        self.most = len(self.findings)
        self._build()

    def choose(self, key: str) -> None:
        """Open a finding, or fold it again."""
        self.open_key = "" if key == self.open_key else key
        self._build()
        self.shown.emit(next((f for f in self.findings if f.key == self.open_key), None))
