"""Before resin: the list that must be done before any is mixed, with its gates."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QLineEdit, QVBoxLayout, QWidget

from bibulon.app.kit.checklist import CheckList, CheckRow
from bibulon.app.kit.fields import FigureGrid, Form, heading, note, push
from bibulon.app.session.session import Session
from bibulon.app.stations.base import SidedPage, titled
from bibulon.core.leak.droptest import Verdict
from bibulon.core.leak.looks import Standing
from bibulon.core.run.before import ProofStep, overridden, proof_entry, proof_steps, proven_steps, stale
from bibulon.core.run.layup import next_gate
from bibulon.core.units.figures import worded
from bibulon.core.units.words import tr

__all__ = ["BeforePage"]

CAUTION = (
    "Peroxides, isocyanates and styrene hurt eyes, skin and lungs: gloves, eyes covered, air drawn off, as the resin's data "
    "sheet and local rules ask. Vessels under vacuum must be rated, and not of glass."
)


class BeforePage(SidedPage):
    """The list; at the side who ticks, and what stands against a gate."""

    def __init__(self, session: Session, proof: Callable[[], tuple[Verdict | None, Standing | None]]) -> None:
        super().__init__()
        self.session, self.proof = session, proof
        self.steps: list[ProofStep] = []
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        self.list = CheckList(tr("Before resin, step by step"))
        self.list.ticked.connect(self._ticked)
        layout.addWidget(titled("Before resin is mixed · in this order", None, self.list))
        self.side = QWidget()
        side = QVBoxLayout(self.side)
        side.setContentsMargins(16, 12, 16, 8)
        self.figures = FigureGrid(("done", "resin"))
        side.addWidget(self.figures)
        form = Form()
        self.by = QLineEdit()
        self.by.setAccessibleName(tr("Who ticks"))
        self.by.setPlaceholderText(tr("your name"))
        form.add("Ticked by", self.by)
        side.addWidget(form)
        side.addWidget(heading("What stands against it"))
        self.against = note("")
        side.addWidget(self.against)
        self.reason = QLineEdit()
        self.reason.setAccessibleName(tr("Reason to go on nevertheless"))
        self.reason.setPlaceholderText(tr("why it may go on nevertheless"))
        side.addWidget(self.reason)
        self.nevertheless = push("Accept the leak by name", self.accept)
        side.addWidget(self.nevertheless)
        side.addWidget(note(CAUTION))
        side.addStretch()
        session.journal_changed.connect(lambda: self.fill() if self.isVisible() else None)

    def fill(self) -> None:
        """Show the list as journal and test have it."""
        session, s = self.session, self.session.system
        verdict, standing = self.proof()
        old = stale(session.job, session.journal, session.run_clock.wall())
        self.steps = proof_steps(session.job, verdict, standing, old)
        done, reasons = proven_steps(session.journal), overridden(session.journal)
        rows = []
        for step in self.steps:
            words = worded(step.words, s)
            if step.key in reasons:
                words += tr("; nevertheless: {}", reasons[step.key])
            elif step.needs and step.key not in done:
                words += tr(" — not yet: {}", worded(step.needs, s))
            rows.append(
                CheckRow(step.stage, words, step.gate, done[step.key].words if step.key in done else "")
            )
        self.list.show_rows(rows)
        self.figures.set("done", tr("{0} of {1}", sum(x.key in done for x in self.steps), len(self.steps)))
        self.figures.set("resin", tr("may be mixed") if "mix" in done else tr("not yet"))
        against = next((x for x in self.steps if x.needs and x.key not in done), None)
        self.against.setText(worded(against.needs, s) if against else "Nothing.")
        for widget in (self.reason, self.nevertheless):
            widget.setVisible(against is not None)

    def _ticked(self, row: int, on: bool) -> None:
        step = self.steps[row]
        done = proven_steps(self.session.journal)
        if on and (gate := next_gate(self.steps, done, step)) is not None:
            self._refuse(tr("First: {}.", worded(gate.words, self.session.system)))
        elif on and step.needs:
            self._refuse(
                tr(
                    "{} It can be accepted by name and reason, at the side.",
                    worded(step.needs, self.session.system),
                )
            )
        else:
            self._write(step, on)

    def _refuse(self, words: str) -> None:
        self.session.said.emit(words, True)
        self.fill()

    def _write(self, step: ProofStep, on: bool, reason: str = "") -> None:
        by = self.by.text().strip() or "?"
        words = worded(step.words, self.session.system)
        now = self.session.run_clock.wall()
        self.session.stamp(proof_entry(step, words, by, now, on, reason))
        self.fill()

    def accept(self) -> None:
        """Open the gate that something stands against, by name and reason."""
        done = proven_steps(self.session.journal)
        step = next((x for x in self.steps if x.needs and x.key not in done), None)
        if step is None:
            return
        if not self.by.text().strip() or not self.reason.text().strip():
            self.session.said.emit(tr("A leak is accepted by name, and with a reason."), True)
            (self.reason if self.by.text().strip() else self.by).setFocus(Qt.FocusReason.OtherFocusReason)
            return
        if (gate := next_gate(self.steps, done, step)) is not None:
            self._refuse(tr("First: {}.", worded(gate.words, self.session.system)))
            return
        self._write(step, True, self.reason.text().strip())
        self.reason.clear()
