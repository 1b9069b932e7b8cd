"""Loading: the check list of closing the mould, with its gates, ticked by name into the record."""

from __future__ import annotations

from PySide6.QtWidgets import QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from bibulon.app.kit.checklist import CheckList, CheckRow
from bibulon.app.kit.drawing_view import DrawingView
from bibulon.app.kit.fields import FigureGrid, Form, note
from bibulon.app.session.session import Session
from bibulon.app.stations.base import SidedPage, titled
from bibulon.core.drawing.kit.scene import Item
from bibulon.core.drawing.kit.tokens import Theme
from bibulon.core.drawing.section.flange import draw_flange
from bibulon.core.run.layup import next_gate
from bibulon.core.run.loading import LoadStep, load_entry, load_steps, loaded_steps
from bibulon.core.units.figures import worded
from bibulon.core.units.words import tr

__all__ = ["LoadPage"]

CAUTION = (
    "Hands out before the flange is drawn down: it crushes fingers. Styrene and solvents burn: air, no flame."
)


class LoadPage(SidedPage):
    """The list, the flange cut through beside it."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.steps: list[LoadStep] = []
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        self.list = CheckList(tr("Loading and closing, step by step"))
        self.list.ticked.connect(self._ticked)
        layout.addWidget(titled("Loading and closing · in this order", None, self.list), 5)
        self.cut = DrawingView("Flange cut through", self._cut, 160)
        layout.addWidget(titled("Where seals and channel lie", None, self.cut), 4)
        self.side = QWidget()
        side = QVBoxLayout(self.side)
        side.setContentsMargins(16, 12, 16, 8)
        self.figures = FigureGrid(("done", "next gate"))
        side.addWidget(self.figures)
        form = Form()
        self.by = QLineEdit()
        self.by.setAccessibleName(tr("Who ticks"))
        self.by.setPlaceholderText(tr("your name"))
        form.add("Ticked by", self.by)
        side.addWidget(form)
        self.next = note("")
        side.addWidget(self.next)
        side.addWidget(note(CAUTION))
        side.addStretch()
        session.journal_changed.connect(lambda: self.fill() if self.isVisible() else None)

    def fill(self) -> None:
        """Show the list as journal and job have it."""
        s, done = self.session.system, loaded_steps(self.session.journal)
        self.steps = load_steps(self.session.job)
        due = [x for x in self.steps if x.key not in done]
        self.list.show_rows(
            [
                CheckRow(x.stage, worded(x.words, s), x.gate, done[x.key].words if x.key in done else "")
                for x in self.steps
            ]
        )
        self.figures.set("done", tr("{0} of {1}", len(self.steps) - len(due), len(self.steps)))
        gate = next((x for x in due if x.gate), None)
        self.figures.set("next gate", tr("{} before it", due.index(gate)) if gate else tr("all open"))
        caution = f" {due[0].caution}" if due and due[0].caution else ""
        self.next.setText(
            tr("Next: {0}.{1}", worded(due[0].words, s), caution)
            if due
            else tr("The mould is shut and holds: mix resin.")
        )
        self.cut.update()

    def _ticked(self, row: int, wanted: bool) -> None:
        step = self.steps[row]
        before = next_gate(self.steps, loaded_steps(self.session.journal), step)
        if wanted and before is not None:
            self.session.said.emit(tr("First: {}.", worded(before.words, self.session.system)), True)
            self.fill()
            return
        now = self.session.run_clock.wall()
        entry = load_entry(step, worded(step.words, "metric"), self.by.text().strip() or "?", now, wanted)
        self.session.stamp(entry)
        self.fill()

    def _cut(self, width: float, height: float, theme: Theme) -> list[Item]:
        return list(
            draw_flange(self.session.job, 0.0, (width, min(height, 260.0)), theme, self.session.system)
        )

    def set_theme(self, theme: Theme) -> None:
        """Choose the theme."""
        self.cut.set_theme(theme)
