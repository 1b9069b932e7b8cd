"""The thread of a first job: a row above the bench that leads from step to step, in the stations themselves, and can be left."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from bibulon.app.kit.appearance import named
from bibulon.app.kit.fields import note
from bibulon.app.session.session import Session
from bibulon.core.findings.first import THREAD, Standing, Step, thread
from bibulon.core.units.words import tr

__all__ = ["FirstJob"]

KEPT = "view/first-job"


class FirstJob(QWidget):
    """What to do next and why; ``wanted`` names the station where it is done."""

    wanted = Signal(str)
    turned = Signal(bool)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.chosen: int | None = None  # a step that was pressed; else the first that is not done
        row = QHBoxLayout(self)
        row.setContentsMargins(16, 6, 12, 6)
        row.setSpacing(4)
        self.steps: list[QPushButton] = []
        for k, step in enumerate(THREAD):
            button = named(QPushButton(str(k + 1)), "step")
            button.setFixedWidth(28)
            button.setAccessibleName(tr("Step {0}: {1}", k + 1, step.title))
            button.setToolTip(tr(step.title))
            button.clicked.connect(lambda _=False, n=k: self._look(n))
            self.steps.append(button)
            row.addWidget(button)
        row.addSpacing(10)
        words = QVBoxLayout()
        words.setSpacing(0)
        self.title = named(QLabel(""), "head")
        self.text = note()
        words.addWidget(self.title)
        words.addWidget(self.text)
        row.addLayout(words, 1)
        row.addSpacing(12)
        self.there = named(QPushButton(tr("Go there")), "act")
        self.there.clicked.connect(lambda _=False: self._go())
        row.addWidget(self.there)
        self.leave = QPushButton(tr("Leave"))
        self.leave.setAccessibleName(tr("Leave the thread of the first job"))
        self.leave.clicked.connect(lambda _=False: self.turn(False))
        row.addWidget(self.leave)
        session.job_changed.connect(lambda _: self._anew())
        session.outlook_changed.connect(lambda _: self.fill())
        session.file_changed.connect(self.fill)
        session.job_opened.connect(self._anew)
        self.setVisible(False)
        self._on = session.settings.value(KEPT) == "yes"

    @property
    def on(self) -> bool:
        """Whether the thread is followed."""
        return self._on

    def turn(self, on: bool) -> None:
        """Follow the thread, or leave it; it is remembered."""
        self._on = on
        self.session.settings.setValue(KEPT, "yes" if on else "no")
        self.chosen = None
        self.turned.emit(on)
        self.fill()

    def _anew(self) -> None:
        self.chosen = None
        self.fill()

    def standing(self) -> list[tuple[Step, bool]]:
        """Return the steps as the job stands."""
        outlook, session = self.session.outlook, self.session
        forecast = outlook.forecast if outlook else None
        findings = outlook.findings if outlook else ()
        saved = session.path is not None and not session.modified
        return thread(Standing(session.job, forecast, findings, saved))

    def _look(self, k: int) -> None:
        self.chosen = k
        self.fill()

    def fill(self) -> None:
        """Show the step that is next, or that was pressed."""
        self.setVisible(self._on)
        if not self._on:
            return
        steps = self.standing()
        at = self._at(steps)
        for k, (button, (step, done)) in enumerate(zip(self.steps, steps, strict=True)):
            button.setProperty("state", "now" if k == at else "done" if done else "open")
            button.setText("✓" if done and k != at else str(k + 1))
            button.setToolTip(f"{step.title}{': done' if done else ''}")
            button.update()
        if at is None:
            self.title.setText(tr("A plan that fills, with nothing that blocks it"))
            self.text.setText(
                tr("Bag, Charge and Prove take it to the day; practise it first: Ctrl+K, “rehearse”.")
            )
            self.there.setVisible(False)
            return
        step = steps[at][0]
        self.title.setText(tr("{0} of {1}: {2}", at + 1, len(steps), step.title))
        self.text.setText(f"{step.text} {step.why}")
        self.there.setVisible(True)
        self.there.setText(tr("Go to {}", step.station))

    def _at(self, steps: list[tuple[Step, bool]]) -> int | None:
        """Return the step that is shown; None once all are done."""
        if self.chosen is not None:
            return self.chosen
        return next((k for k, (_, done) in enumerate(steps) if not done), None)

    def _go(self) -> None:
        at = self._at(self.standing())
        if at is not None:
            self.wanted.emit(THREAD[at].station)
