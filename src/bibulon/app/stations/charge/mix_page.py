"""Mix: the card of one batch, to be read at three metres, ticked as it is made; dose and order at the side."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import QPointF, QSize, Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter
from PySide6.QtWidgets import QHBoxLayout, QLabel, QLineEdit, QVBoxLayout, QWidget

from bibulon.app.kit.appearance import named
from bibulon.app.kit.drawn import Drawn
from bibulon.app.kit.fields import FigureGrid, Form, UnitEdit, heading, note, push
from bibulon.app.kit.paint import paint
from bibulon.app.kit.rows import Rows
from bibulon.app.session.session import Session
from bibulon.app.stations.base import SidedPage
from bibulon.app.stations.shared.instrument_pick import InstrumentPick
from bibulon.core.drawing.graphs.mixcard import MixCard, draw_mix_card, mix_card
from bibulon.core.drawing.kit.scene import Label
from bibulon.core.drawing.kit.tokens import Theme
from bibulon.core.resin.charge import Charge
from bibulon.core.resin.dose import dose_of
from bibulon.core.resin.order import ADDING, order_of, order_troubles
from bibulon.core.run.mixing import MixStep, mix_entry, mix_steps, mixed_steps, refusals
from bibulon.core.run.schedule import Schedule
from bibulon.core.units.units import show
from bibulon.core.units.words import tr

__all__ = ["MixPage"]

SPOON = 2.4e-6  # m3, half a teaspoon: a measure from there on is filled and counted, not read by marks


class CardView(Drawn):
    """The card; arrows walk over batches and rows, Space or a click ticks."""

    turned = Signal(int)
    ticked = Signal(int)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.plan: Charge | None = None
        self.schedule: Schedule | None = None
        self.batch = self.row = 0
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(tr("Mixing card"))

    def sizeHint(self) -> QSize:
        return QSize(640, 480)

    @property
    def card(self) -> MixCard | None:
        """The card as it is laid out now."""
        if self.plan is None or self.session.job.resin is None:
            return None
        return mix_card(self.session.job, self.plan, self.batch, (float(self.width()), float(self.height())))

    def describe(self) -> None:
        """Tell a screen reader where the keys are."""
        card = self.card
        if card is None or self.plan is None:
            return
        self.row = min(self.row, len(card.steps) - 1)
        step, done = card.steps[self.row], mixed_steps(self.session.journal)
        told = tr("done by {}", done[step.key].by) if step.key in done else tr("not done")
        self.setAccessibleDescription(
            tr("Batch {0} of {1}; {2}: {3}", self.batch + 1, len(self.plan.batches), step.words, told)
        )
        self.update()

    def draw(self, painter: QPainter) -> None:
        job, size = self.session.job, (float(self.width()), float(self.height()))
        if self.plan is None or job.resin is None:
            words = tr("Choose a resin on the first page: it says how it is mixed.")
            paint(painter, [Label(size[0] / 2, size[1] / 2, words, self.theme.soft, 14)])
        else:
            batches = self.schedule.batches if self.schedule else ()
            times = batches[self.batch] if self.batch < len(batches) else None
            done, chosen = mixed_steps(self.session.journal), self.row if self.hasFocus() else None
            system = self.session.system
            paint(
                painter,
                draw_mix_card(job, self.plan, self.batch, times, size, self.theme, system, done, chosen),
            )

    def mousePressEvent(self, event: QMouseEvent) -> None:
        card = self.card
        at = card.step_at(QPointF(event.position()).y()) if card else None
        self.setFocus()
        if at is not None and event.button() == Qt.MouseButton.LeftButton:
            self.row = at
            self.ticked.emit(at)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key, card = Qt.Key(event.key()), self.card
        turn = {Qt.Key.Key_Right: 1, Qt.Key.Key_Left: -1}.get(key, 0)
        walk = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1}.get(key, 0)
        if turn:
            self.turned.emit(self.batch + turn)
        elif walk and card:
            self.row = max(0, min(self.row + walk, len(card.steps) - 1))
            self.describe()
        elif key == Qt.Key.Key_Space and card:
            self.ticked.emit(self.row)
        else:
            super().keyPressEvent(event)


class MixPage(SidedPage):
    """One batch at a time; left and right turn to the next."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._filling = False
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        self.view = CardView(session)
        self.view.turned.connect(self.turn_to)
        self.view.ticked.connect(self.tick)
        layout.addWidget(self.view)
        self._lay_side()
        session.journal_changed.connect(self.view.describe)

    def _lay_side(self) -> None:
        self.side = QWidget()
        side = QVBoxLayout(self.side)
        side.setContentsMargins(16, 12, 16, 8)
        self.figures = FigureGrid(("steps done", "this batch"))
        side.addWidget(self.figures)
        side.addWidget(self._fields())
        side.addWidget(note("A scale is tared with the empty bucket on it; Shoot reads it while resin runs."))
        self.dosed = note("")
        side.addWidget(self.dosed)
        side.addWidget(heading("In this order"))
        self.order = Rows()
        self.order.setAccessibleName(tr("Order of adding"))
        self.order.setMinimumHeight(110)
        side.addWidget(self.order)
        row = QHBoxLayout()
        self.earlier, self.later = (
            push("Earlier", lambda: self._move(-1)),
            push("Later", lambda: self._move(1)),
        )
        self.usual = push("Usual", lambda: self._plan("Usual order", order=None))
        for button in (self.earlier, self.later, self.usual):
            row.addWidget(button)
        side.addLayout(row)
        self.trouble = note("")
        side.addWidget(self.trouble)
        side.addWidget(named(QLabel(tr("Left and right turn to the next batch, Space ticks.")), "soft"))
        side.addStretch()

    def _fields(self) -> Form:
        """Return the fields of who mixes, where, with what."""
        session = self.session
        form = Form()
        self.by = QLineEdit()
        self.by.setAccessibleName(tr("Who mixes"))
        self.by.setPlaceholderText(tr("your name"))
        form.add("Mixed by", self.by)
        self.room, self.dose, self.syringe = (
            UnitEdit("temperature", "Temperature where it is mixed", 253.0, 333.0),
            UnitEdit("number", "Parts of peroxide to 100 of resin", 0.01, 10.0),
            UnitEdit("dose", "Syringe from mark to mark, or a spoon", 1e-8, 1e-4),
        )
        for name, field, key in (
            ("Room", self.room, "room"),
            ("Peroxide", self.dose, "dose"),
            (tr("Syringe or spoon"), self.syringe, "syringe"),
        ):
            field.committed.connect(
                lambda value, k=key, n=name: self._plan(tr("Change {}", n.lower()), **{k: value})
            )
            field.refused.connect(lambda text: self.session.said.emit(text, True))
            form.add(name, field)
        self.pick = InstrumentPick(
            form, tr("Scale under the bucket"), partial(session.instruments.choose_for, "mass"), lambda text: session.said.emit(text, True),
            without=tr("none: typed"),
        )  # fmt: skip
        return form

    @property
    def batch(self) -> int:
        """The batch shown, from 0."""
        return self.view.batch

    @property
    def steps(self) -> list[MixStep]:
        """The steps of the batch shown."""
        plan = self.view.plan
        return (
            mix_steps(self.session.job, plan.batches[self.batch]) if plan and self.session.job.resin else []
        )

    def show_charge(self, plan: Charge | None, schedule: Schedule | None) -> None:
        """Show a charge, with its times where there are any."""
        self.view.plan, self.view.schedule = plan, schedule
        self.view.batch = min(self.batch, len(plan.batches) - 1) if plan else 0
        self._fill_side()
        self.view.describe()
        self.view.update()

    def turn_to(self, batch: int) -> None:
        """Show another batch, from 0."""
        plan = self.view.plan
        if plan is not None and 0 <= batch < len(plan.batches):
            self.view.batch = batch
            self._fill_side()
            self.view.describe()

    def tick(self, row: int) -> None:
        """Tick a step, or take the tick back; what is refused is not ticked, nor is a step before those it follows."""
        steps, done, plan = self.steps, mixed_steps(self.session.journal), self.view.plan
        if plan is None or not 0 <= row < len(steps):
            return
        step = steps[row]
        if step.key not in done:
            refused = refusals(self.session.job, plan.batches[self.batch])
            before = next((s for s in steps[:row] if s.key not in done), None)
            if refused:
                self.session.said.emit(tr("Do not mix: {}.", refused[0]), True)
                return
            if before is not None:
                self.session.said.emit(tr("First: {}.", before.words), True)
                return
        now = self.session.run_clock.wall()
        self.session.stamp(mix_entry(step.key, self.by.text().strip() or "?", now, step.key not in done))
        self._fill_side()
        self.view.describe()

    def _fill_side(self) -> None:
        job, s = self.session.job, self.session.system
        plan, resin = self.view.plan, job.resin
        if plan is None or resin is None:
            return
        done = mixed_steps(self.session.journal)
        steps = self.steps
        self.figures.set("steps done", tr("{0} of {1}", sum(x.key in done for x in steps), len(steps)))
        self.figures.set("this batch", show(plan.batches[self.batch].mass, "mass", s))
        self.room.set_value(job.charge.room, s)
        self.syringe.set_value(job.charge.syringe, s)
        peroxide = resin.cures == "peroxide"
        self.dose.setEnabled(peroxide)
        self.syringe.setEnabled(peroxide)
        if peroxide:
            dose = dose_of(resin, job.charge, plan.batches[self.batch].mass)
            self.dose.set_value(dose.parts, s)
            step = job.charge.syringe
            wanted, mark = show(dose.volume, "dose", s), show(dose.mark, "dose", s)
            if step < SPOON:
                told = tr("{0} wanted, mark {1} gives {2:.2f} parts.", wanted, mark, dose.of_mark)
            else:
                count, each = round(dose.mark / step), show(step, "dose", s)
                told = tr(
                    "{0} wanted; {1} of {2}, {3} in all, gives {4:.2f} parts.",
                    wanted,
                    count,
                    each,
                    mark,
                    dose.of_mark,
                )
            self.dosed.setText(tr("Refused: {}.", dose.refused) if dose.refused else told)
        else:
            self.dose.clear()
            self.dosed.setText(
                tr("A hardener has one ratio: {:g} to 100, and no band.", resin.parts_b_per_100)
            )
        order = order_of(resin, job.charge)
        row = max(self.order.currentRow(), 0)
        self.order.clear()
        self.order.addItems([ADDING[step] for step in order])
        self.order.setCurrentRow(min(row, len(order) - 1))
        troubles = order_troubles(order, resin)
        self.trouble.setText(
            tr("Not safe: {}.", troubles[0]) if troubles else tr("Each is stirred in before the next.")
        )

    def _move(self, by: int) -> None:
        resin = self.session.job.resin
        if resin is None:
            return
        order = list(order_of(resin, self.session.job.charge))
        row = self.order.currentRow()
        to = row + by
        if 0 <= row < len(order) and 0 <= to < len(order):
            order[row], order[to] = order[to], order[row]
            self.order.setCurrentRow(to)
            self._plan("Change order of adding", order=tuple(order))

    def _plan(self, name: str, **fields: object) -> None:
        if not self.session.edit(name, lambda j: j.replaced(charge=j.charge.replaced(**fields))):
            self._fill_side()

    def set_theme(self, theme: Theme) -> None:
        """Choose the theme."""
        self.view.set_theme(theme)
