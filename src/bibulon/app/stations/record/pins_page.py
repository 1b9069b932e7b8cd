"""Plan and pins: what was found on the part and where, what it may come from, the lesson; below, the run against its plan."""

from __future__ import annotations

import uuid
from collections.abc import Iterator, Sequence
from functools import partial
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtGui import QPixmap
from PySide6.QtWidgets import (
    QButtonGroup,
    QComboBox,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QRadioButton,
    QSplitter,
    QVBoxLayout,
    QWidget,
)

from bibulon.app.kit import files
from bibulon.app.kit.appearance import named
from bibulon.app.kit.drawing_view import DrawingView
from bibulon.app.kit.fields import Form, UnitEdit, heading, narrow, note, offer, pick, push, word_of
from bibulon.app.session.session import Session
from bibulon.app.stations.base import SidedPage, titled
from bibulon.app.stations.record.photos import as_row, picture_of
from bibulon.app.stations.shared.place_plan import PlacePlan
from bibulon.core.drawing.graphs.runclock import draw_against
from bibulon.core.drawing.kit.scene import Item
from bibulon.core.drawing.kit.tokens import Theme
from bibulon.core.drawing.plan.pinplan import draw_pins, pin_near
from bibulon.core.flow.forecast import Forecast
from bibulon.core.run.journal import Entry
from bibulon.core.series.causes import KINDS, Cause, likely_causes, place_words, repair_of
from bibulon.core.series.lessons import lesson_entry, lesson_words, subjects
from bibulon.core.series.record import Defect, defects_of, pin_entry
from bibulon.core.series.rows import AFTER
from bibulon.core.units.units import clock, show
from bibulon.core.units.words import tr

__all__ = ["PinsPage"]

OWN = "something else"


class PinsPage(SidedPage):
    """The plan, the clock below it, and at the side the pin that is chosen or made."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.at: tuple[float, float] | None = None
        self.chosen: Defect | None = None
        self.defects: tuple[Defect, ...] = ()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        self.plan = PlacePlan(
            session, "The part with its pins", "Arrows move the place, Enter pins it, Delete takes the chosen pin off.",
            lambda look: draw_pins(session.job, self.forecast, self.defects, self.at, look), lambda: self.at,
        )  # fmt: skip
        self.plan.entered.connect(self.pin)
        self.plan.pointed.connect(self.point)
        self.plan.dropped.connect(self.unpin)
        self.clock = DrawingView("The run against its plan", self._against, 130)
        split = QSplitter(Qt.Orientation.Vertical)
        split.addWidget(titled("What was found on the part", None, self.plan))
        split.addWidget(titled("The run against its plan", None, self.clock))
        split.setSizes([460, 160])
        layout.addWidget(split)
        self._lay_side()

    def _lay_side(self) -> None:
        self.side = QWidget()
        side = QVBoxLayout(self.side)
        side.setContentsMargins(16, 12, 16, 8)
        self.title = heading("Point at the part")
        side.addWidget(self.title)
        self.told = note()
        side.addWidget(self.told)
        form = Form()
        self.kind = QComboBox()
        offer(self.kind, KINDS)
        self.kind.activated.connect(lambda _: self._offer())
        form.add("Found", self.kind)
        self.wide = UnitEdit("length", "How wide", 0.0005, 10.0)
        self.wide.set_value(0.05, self.session.system)
        self.wide.refused.connect(lambda text: self.session.said.emit(text, True))
        self.wide.committed.connect(lambda _: self._offer())
        form.add("How wide", self.wide)
        side.addWidget(form)
        side.addWidget(named(QLabel(tr("It may come from")), "soft"))
        self.causes = QButtonGroup(self)
        self.offered = QVBoxLayout()
        side.addLayout(self.offered)
        self.own = QLineEdit()
        self.own.setPlaceholderText(tr("in your own words"))
        self.own.setAccessibleName(tr("Cause in your own words"))
        side.addWidget(self.own)
        row = QHBoxLayout()
        self.keep = named(QPushButton(tr("Pin it")), "act")
        self.keep.clicked.connect(lambda _=False: self.pin())
        self.drop = push("Take the pin off", self.unpin)
        self.photo = push("Photo…", self._ask_photo)
        for button in (self.keep, self.drop, self.photo):
            row.addWidget(button)
        side.addLayout(row)
        self._lay_lesson(side)

    def _lay_lesson(self, side: QVBoxLayout) -> None:
        self.picture = QLabel()
        self.picture.setAccessibleName(tr("Photo of the pin"))
        self.picture.setAlignment(Qt.AlignmentFlag.AlignLeft)
        side.addWidget(self.picture)
        self.mend = note()
        side.addWidget(self.mend)
        side.addWidget(heading("Lesson for the next one"))
        lesson = QHBoxLayout()
        self.lesson = QLineEdit()
        self.lesson.setPlaceholderText(tr("one sentence"))
        self.lesson.setAccessibleName(tr("Lesson for the next one"))
        self.lesson.returnPressed.connect(self.learn)
        self.learned = push("Keep", self.learn)
        lesson.addWidget(self.lesson, 1)
        lesson.addWidget(self.learned)
        side.addLayout(lesson)
        tie = Form()
        self.about = narrow(QComboBox())
        self.about.setAccessibleName(tr("What the lesson is about"))
        tie.add("It is about", self.about)
        side.addWidget(tie)
        self.lessons = note()
        side.addWidget(self.lessons)
        side.addStretch()

    # -- what is shown

    @property
    def forecast(self) -> Forecast | None:
        """Return the forecast as it stands."""
        outlook = self.session.outlook
        return outlook.forecast if outlook else None

    def fill(self) -> None:
        """Follow job and journal."""
        self.defects = defects_of(self.session.journal)
        if self.chosen is not None:
            self.chosen = next((d for d in self.defects if d.uid == self.chosen.uid), None)
        self._offer()
        self.lessons.setText(
            "\n".join(lesson_words(self.session.journal)) or tr("None yet: what would you do otherwise?")
        )
        self.plan.update()
        self.clock.update()

    def point(self, x: float, y: float) -> None:
        """Choose the pin at a place [m], or the place itself."""
        near = pin_near(self.defects, x, y, self.plan.view())
        self.chosen = near
        self.at = (near.x, near.y) if near else (x, y)
        if near is not None:
            pick(self.kind, near.kind)
            self.wide.set_value(near.size, self.session.system)
        self._offer()
        self.plan.update()

    def _offer(self) -> None:
        """Say what is known of the place, and what a defect there may come from."""
        job, s = self.session.job, self.session.system
        for button in self.causes.buttons():
            self.causes.removeButton(button)
            self.offered.removeWidget(button)
            button.hide()
            button.deleteLater()
        self.drop.setEnabled(self.chosen is not None)
        self.photo.setEnabled(self.chosen is not None)
        self.keep.setEnabled(self.at is not None)
        self.keep.setText(tr("Change the pin" if self.chosen else "Pin it"))
        self._show_photo()
        self._fill_about()
        if self.at is None:
            self.title.setText(tr("Point at the part"))
            self.told.setText(tr("Click where something was found; arrows and Enter do as well."))
            self.mend.setText("")
            return
        x, y = self.at
        self.title.setText(f"x {show(x, 'length', s)}, y {show(y, 'length', s)}")
        known = place_words(job, self.forecast, x, y)
        self.told.setText(
            ", ".join(f"{words} {clock(t) if t < 1e8 else 'never'}" for words, t in known) or tr("The forecast says nothing of this place.")
        )  # fmt: skip
        kind = word_of(self.kind)
        evidence = self.session.outlook.evidence if self.session.outlook else None
        leak = evidence is not None and evidence.verdict is not None and evidence.verdict.outcome == "fail"
        found = likely_causes(job, self.forecast, kind, x, y, leak=leak)
        self._offer_causes(found)
        if kind in ("dry", "porous"):
            mend = repair_of(job, x, y, self.wide.value())
            self.mend.setText(
                tr(
                    "To mend it: about {0} of resin. {1} Gloves, glasses, the data sheet's cautions.",
                    show(mend.resin, "weighed", s),
                    " ".join(mend.steps),
                )
            )
        else:
            self.mend.setText("")

    def _offer_causes(self, found: Sequence[Cause]) -> None:
        taken = self.chosen.cause if self.chosen else ""
        for k, cause in enumerate(found):
            button = QRadioButton(cause.words)
            button.setToolTip(tr(cause.why))
            button.setChecked(cause.words == taken)
            self.causes.addButton(button, k)
            self.offered.addWidget(button)
        other = QRadioButton(OWN)
        other.setChecked(bool(taken) and taken not in {c.words for c in found})
        self.causes.addButton(other, len(found))
        self.offered.addWidget(other)
        if other.isChecked() and not self.own.hasFocus():
            self.own.setText(taken)

    def _fill_about(self) -> None:
        """Offer what a lesson may be about; what was chosen stays chosen while it is there."""
        chosen = self.about.currentText()
        self.about.clear()
        for words, tied in subjects(self.session.job, self.at):
            self.about.addItem(tr(words), tied)
        at = self.about.findText(chosen)
        self.about.setCurrentIndex(max(at, 0) if chosen != tr("the whole part") else 0)

    def _show_photo(self) -> None:
        image = picture_of(self.session.journal, self.chosen.uid) if self.chosen else None
        self.picture.setVisible(image is not None)
        if image is not None:
            pixmap = QPixmap.fromImage(image)
            self.picture.setPixmap(
                pixmap.scaled(
                    300, 120, Qt.AspectRatioMode.KeepAspectRatio, Qt.TransformationMode.SmoothTransformation
                )
            )

    def _against(self, width: float, height: float, theme: Theme) -> Iterator[Item]:
        return draw_against(self.session.job, self.forecast, self.session.journal, width, height, theme)

    # -- acts

    def cause(self) -> str:
        """Return the cause that is taken; empty where it is left open."""
        button = self.causes.checkedButton()
        if button is None:
            return ""
        return self.own.text().strip() if button.text() == OWN else button.text()

    def pin(self) -> None:
        """Note what was found at the place: a row of its own, also when a pin is changed."""
        if self.at is None:
            self.session.said.emit(tr("Point at the part first."), True)
            return
        uid = self.chosen.uid if self.chosen else uuid.uuid4().hex[:8]
        now = self.session.run_clock.wall()
        entry = pin_entry(
            uid, word_of(self.kind), round(self.at[0], 4), round(self.at[1], 4), self.wide.value(), self.cause(), "", now
        )  # fmt: skip
        if self.session.stamp(entry):
            self.chosen = next((d for d in defects_of(self.session.journal) if d.uid == uid), None)
            self.fill()

    def unpin(self) -> None:
        """Note that it was no defect after all."""
        if self.chosen is None:
            return
        text = tr("{} taken off", self.chosen.kind)
        now = self.session.run_clock.wall()
        if self.session.stamp(Entry(AFTER, 0.0, "undefect", {"id": self.chosen.uid, "text": text}, now)):
            self.chosen = None
            self.fill()

    def learn(self) -> None:
        """Keep a sentence for the next one."""
        tied = self.about.currentData() or {}
        try:
            entry = lesson_entry(self.lesson.text(), tied, self.session.run_clock.wall())
        except ValueError as error:
            self.session.said.emit(f"{str(error).capitalize()}.", True)
            return
        if self.session.stamp(entry):
            self.lesson.clear()
            self.fill()

    def _ask_photo(self) -> None:
        kinds = tr("Pictures ({})", " ".join(f"*{ending}" for ending in files.PICTURES))
        path = files.to_read(self, tr("Photo of the pin"), kinds)
        if path is not None:
            self.take_photo(path)

    def take_photo(self, path: Path) -> None:
        """Copy a photo into the job, smaller and without what a camera writes into it."""
        if self.chosen is None:
            self.session.said.emit(tr("Choose a pin first."), True)
            return
        session, number = self.session, self.session.number

        def took(entry: Entry) -> str:
            if session.number != number:
                return tr("{} was not taken: another job is open by now.", path.name)
            if session.stamp(entry):
                self._show_photo()
            return ""

        session.errands.begin(partial(as_row, path, self.chosen.uid, session.run_clock.wall()), took, str)

    def set_theme(self, theme: Theme) -> None:
        """Choose the theme."""
        self.plan.set_theme(theme)
        self.clock.set_theme(theme)
