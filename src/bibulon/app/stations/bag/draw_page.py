"""Draw down: the check list of this job with its gates, and pins where the bag was found to bridge."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QHBoxLayout,
    QLineEdit,
    QListWidgetItem,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from bibulon.app.kit.checklist import CheckList, CheckRow
from bibulon.app.kit.fields import FigureGrid, Form, heading, note
from bibulon.app.kit.rows import Rows
from bibulon.app.session.session import Session
from bibulon.app.stations.bag.laid import LaidBag
from bibulon.app.stations.bag.views import BagPlanView, Pins
from bibulon.app.stations.base import SidedPage, titled
from bibulon.core.drawing.kit.tokens import Theme
from bibulon.core.model.bag import Bridge
from bibulon.core.run.drawdown import (
    DrawStep,
    bridge_entry,
    bridges_found,
    draw_entry,
    draw_steps,
    drawn_steps,
    waiting,
)
from bibulon.core.run.layup import next_gate
from bibulon.core.units.figures import worded
from bibulon.core.units.units import show
from bibulon.core.units.words import tr

__all__ = ["DrawPage"]

CAUTION = (
    "A vessel under vacuum can burst inwards: take only pots that are rated for it, and wear eye protection. Hands stay out "
    "from under a film that is being drawn down. The pump's own papers and local rules come first."
)


class DrawPage(SidedPage):
    """The list, the plan beside it."""

    def __init__(self, session: Session, laid: LaidBag) -> None:
        super().__init__()
        self.session, self.laid = session, laid
        self.steps: list[DrawStep] = []
        self._filling = False
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        self.list = CheckList(tr("Draw-down, step by step"))
        self.list.ticked.connect(self._ticked)
        self.list.currentRowChanged.connect(self._look_at)
        layout.addWidget(titled("Draw down · in this order", None, self.list), 5)
        self.plan = BagPlanView(session, laid, self._pins, film=False)
        self.plan.pinned.connect(self.pin)
        layout.addWidget(titled("Where it was found to bridge", None, self.plan), 6)
        self._lay_side()
        laid.changed.connect(self.fill)
        session.journal_changed.connect(lambda: self.fill() if self.isVisible() else None)

    def _lay_side(self) -> None:
        self.side = QWidget()
        side = QVBoxLayout(self.side)
        side.setContentsMargins(16, 12, 16, 8)
        self.figures = FigureGrid(("done", "next gate", "bridges", "left in the part"))
        side.addWidget(self.figures)
        form = Form()
        self.by = QLineEdit()
        self.by.setAccessibleName(tr("Who ticks"))
        self.by.setPlaceholderText(tr("your name"))
        form.add("Ticked by", self.by)
        side.addWidget(form)
        self.next = note("")
        side.addWidget(self.next)
        side.addWidget(heading("Bridges"))
        self.pin_button = QPushButton(tr("Pin a bridge on the plan"))
        self.pin_button.setCheckable(True)
        self.pin_button.toggled.connect(self._pin_mode)
        side.addWidget(self.pin_button)
        self.found = Rows()
        self.found.setAccessibleName(tr("Bridges found; ticked ones stay in the part"))
        self.found.setMinimumHeight(64)
        self.found.itemChanged.connect(self._stays)
        side.addWidget(self.found)
        side.addWidget(note("A tick: it stays, and the forecast holds more resin there."))
        side.addWidget(note(CAUTION))
        side.addStretch()

    # -- shown

    def fill(self) -> None:
        """Show list, pins and figures as journal and job have them."""
        bag, s = self.laid.bag, self.session.system
        if bag is None:
            return
        done = drawn_steps(self.session.journal)
        self.steps = draw_steps(self.laid.job or self.session.job, bag)
        due = waiting(self.steps, done)
        self._filling = True
        self.list.show_rows(
            [
                CheckRow(x.stage, worded(x.words, s), x.gate, done[x.key].words if x.key in done else "")
                for x in self.steps
            ]
        )
        self._fill_bridges()
        self._filling = False
        count = sum(x.key in done for x in self.steps)
        self.figures.set("done", tr("{0} of {1}", count, len(self.steps)))
        gate = next((x for x in due if x.gate), None)
        self.figures.set("next gate", tr("{} before it", len(due) - 1) if gate else tr("all open"))
        self.next.setText(
            tr("Next: {}.", worded(due[0].words, s))
            if due
            else tr("The bag is down. Go on to Prove, and do not mix resin before it holds.")
        )
        self.plan.update()

    def _fill_bridges(self) -> None:
        kept = {b.id for b in self.session.job.bag.bridges}
        found = bridges_found(self.session.journal)
        self.found.clear()
        for k, bridge in enumerate(found, 1):
            s = self.session.system
            item = QListWidgetItem(f"{k}: {show(bridge.x, 'length', s)}, {show(bridge.y, 'length', s)}")
            item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
            item.setCheckState(Qt.CheckState.Checked if bridge.id in kept else Qt.CheckState.Unchecked)
            item.setData(Qt.ItemDataRole.UserRole, bridge)
            self.found.addItem(item)
        self.figures.set("bridges", str(len(found)))
        self.figures.set("left in the part", str(len(kept)))

    def _pins(self) -> Pins:
        kept = {b.id for b in self.session.job.bag.bridges}
        return tuple((b.id, (b.x, b.y), b.id in kept) for b in bridges_found(self.session.journal))

    def _look_at(self, row: int) -> None:
        """Choose on the plan the pleat nearest to where a step is done."""
        if self._filling or not 0 <= row < len(self.steps) or self.laid.bag is None:
            return
        at = self.steps[row].at
        if at is not None and self.laid.bag.pleats:
            self.laid.choose(min(self.laid.bag.pleats, key=lambda p: abs(p.at - at)).id)

    # -- acts

    @property
    def who(self) -> str:
        """Who ticks."""
        return self.by.text().strip() or "?"

    def _ticked(self, row: int, wanted: bool) -> None:
        step = self.steps[row]
        first = next_gate(self.steps, drawn_steps(self.session.journal), step)
        if wanted and first is not None:
            self.session.said.emit(tr("First: {}.", worded(first.words, self.session.system)), True)
            self.fill()
            return
        now = self.session.run_clock.wall()
        if not self.session.stamp(draw_entry(step, worded(step.words, "metric"), self.who, now, wanted)):
            self.fill()

    def _pin_mode(self, on: bool) -> None:
        self.plan.pinning = on
        self.plan.setCursor(Qt.CursorShape.CrossCursor if on else Qt.CursorShape.ArrowCursor)

    def pin(self, x: float, y: float) -> None:
        """Put a bridge on record."""
        key = f"B{len(bridges_found(self.session.journal)) + 1}"
        self.session.stamp(bridge_entry(key, x, y, self.who, self.session.run_clock.wall()))
        self.pin_button.setChecked(False)
        self.fill()

    def _stays(self, item: QListWidgetItem) -> None:
        if self._filling:
            return
        bridge = item.data(Qt.ItemDataRole.UserRole)
        rest = tuple(b for b in self.session.job.bag.bridges if b.id != bridge.id)
        if item.checkState() == Qt.CheckState.Checked:
            rest = (*rest, Bridge(id=bridge.id, x=bridge.x, y=bridge.y))
        self.session.edit("Leave the bridge", lambda j: j.replaced(bag=j.bag.replaced(bridges=rest)))

    def set_theme(self, theme: Theme) -> None:
        """Choose the theme of the plan."""
        self.plan.set_theme(theme)
