"""Bag plan: the bag from above over its walk-round, with pleat, film and tape at the side."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QComboBox,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QSplitter,
    QVBoxLayout,
    QWidget,
)

from bibulon.app.kit import files
from bibulon.app.kit.appearance import named
from bibulon.app.kit.fields import (
    FigureGrid,
    Form,
    UnitEdit,
    heading,
    note,
    offer,
    pick,
    push,
    word_of,
)
from bibulon.app.session.session import Session
from bibulon.app.stations.bag.laid import LaidBag
from bibulon.app.stations.bag.views import BagPlanView, WalkView
from bibulon.app.stations.base import titled
from bibulon.core.bag.hand import add_pleat, split_pleat, work_out
from bibulon.core.bag.walk import tape_offset
from bibulon.core.drawing.kit.tokens import Theme
from bibulon.core.model.bag import BagPlan
from bibulon.core.units.units import show
from bibulon.core.units.words import tr
from bibulon.store.exports.walkstrip import write_walk

__all__ = ["BagPage"]

SCHOOLS = {
    "single bag": tr("one film on a tape"),
    "double bag": tr("two films with breather between them"),
    "envelope": tr("a bag all round a loose tool"),
    "membrane": tr("a reusable bag with a seal of its own"),
}
FIGURES = ("tape", "pleats", "film", "film cut", "waste", "tubes through")


class BagPage(QWidget):
    """Plan and walk-round."""

    def __init__(self, session: Session, laid: LaidBag) -> None:
        super().__init__()
        self.session, self.laid = session, laid
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        self.plan, self.walk = BagPlanView(session, laid), WalkView(session, laid)
        self.split = QSplitter(Qt.Orientation.Vertical)
        self.split.addWidget(
            titled("Bag · from above", named(QLabel(tr("walk round from S, clockwise")), "soft"), self.plan)
        )
        self.split.addWidget(
            titled(
                "Walk-round",
                named(
                    QLabel(
                        tr(
                            "bars: film of each side, filled as far as pleats hold it; the mark is what the mould asks"
                        )
                    ),
                    "soft",
                ),
                self.walk,
            )
        )
        self.split.setStretchFactor(0, 6)
        self.split.setStretchFactor(1, 4)
        self.split.setSizes([400, 250])
        layout.addWidget(self.split)
        self._lay_side()
        laid.changed.connect(self.show_bag)
        laid.chose.connect(self.show_pleat)

    def _lay_side(self) -> None:
        self.side = QWidget()
        side = QVBoxLayout(self.side)
        side.setContentsMargins(16, 12, 16, 8)
        self.figures = FigureGrid(FIGURES, 3)
        side.addWidget(self.figures)
        self.pleat_head = heading("Pleat")
        side.addWidget(self.pleat_head)
        form = Form()
        self.tall = UnitEdit("length", "Size of the pleat", 0.005, 1.0)
        self.at = UnitEdit("distance", "How far along the walk", 0.0, 1e4)
        self.lean = QComboBox()
        offer(self.lean, ["with the walk", "against the walk"])
        self.lean.setAccessibleName(tr("Which way the pleat leans"))
        self.lean.activated.connect(lambda _: self.laid.change(tr("Turn pleat"), lean=word_of(self.lean)))
        self.tall.committed.connect(lambda v: self.laid.change(tr("Change pleat"), size=v))
        self.at.committed.connect(lambda v: self.laid.change(tr("Move pleat"), at=v))
        for name, field in (("Size", self.tall), ("At", self.at), ("Leans", self.lean)):
            form.add(name, field)
        side.addWidget(form)
        self.why = note()
        side.addWidget(self.why)
        grid = QGridLayout()
        self.buttons: dict[str, QPushButton] = {}
        for k, (text, act) in enumerate(
            (("Split in two", self.split_in_two), ("Take away", self.laid.remove), (tr("Add a pleat"), self.add), ("Work out pleats", self.work_out))
        ):  # fmt: skip
            button = push(text, act)
            self.buttons[text] = button
            grid.addWidget(button, k // 2, k % 2)
        side.addLayout(grid)
        side.addWidget(heading("Bag"))
        side.addWidget(self._bag_form())
        row = QHBoxLayout()
        self.print = push("Walk-round 1:1 as PDF…", self.save_walk)
        row.addWidget(self.print)
        side.addLayout(row)
        side.addStretch()

    def _bag_form(self) -> Form:
        form = Form()
        self.school = QComboBox()
        self.school.setAccessibleName(tr("School of bag"))
        for key, words in SCHOOLS.items():
            self.school.addItem(tr(key), key)
            self.school.setItemData(self.school.count() - 1, words, Qt.ItemDataRole.ToolTipRole)
        self.school.activated.connect(
            lambda _: self._set(tr("Choose school"), school=self.school.currentData())
        )
        form.add("School", self.school)
        self.fields: dict[str, UnitEdit] = {}
        for key, name, quantity, low, high in (
            ("allowance", "Allowance", "share", 0.0, 1.0),
            ("tape_off", tr("Tape outside the part"), "length", 0.0, 1.0),
            ("roll_width", tr("Film roll"), "distance", 0.1, 10.0),
            ("temperature", tr("Film is at"), "temperature", 253.0, 423.0),
            ("film_left", tr("Film left"), "distance", 0.0, 1e4),
            ("tape_left", tr("Tape left"), "distance", 0.0, 1e4),
        ):
            field = UnitEdit(quantity, name, low, high)
            field.committed.connect(lambda value, k=key, n=name: self._commit(k, n, value))
            field.refused.connect(lambda text: self.session.said.emit(text, True))
            self.fields[key] = field
            form.add(name, field)
        return form

    # -- what is shown

    def show_bag(self) -> None:
        """Show the bag that is there now."""
        bag, job, s = self.laid.bag, self.session.job, self.session.system
        if bag is None:
            for name in FIGURES:
                self.figures.set(name, "—")
        else:
            pieces = bag.film.strips * bag.film.sheets
            self.figures.set("tape", show(bag.tape.total, "distance", s))
            self.figures.set("pleats", str(len(bag.pleats)))
            self.figures.set("film", show(bag.film.lies * bag.film.sheets, "area", s, 1))
            self.figures.set("film cut", tr("{0} piece{1}", pieces, "s" * (pieces != 1)))
            self.figures.set("waste", show(bag.film.waste, "share", s))
            self.figures.set("tubes through", str(len(bag.tubes)))
            self.fields["allowance"].set_value(bag.allowance, s)
            self.fields["tape_off"].set_value(tape_offset(job), s)
        self.fields["roll_width"].set_value(job.bag.film.roll_width, s)
        self.fields["temperature"].set_value(
            job.bag.temperature if job.bag.temperature is not None else job.conditions.resin_temperature, s
        )
        for key, value in (("film_left", job.bag.film_left), ("tape_left", job.bag.tape_left)):
            field = self.fields[key]
            if value is None:
                field.clear()
                field.setPlaceholderText(tr("not counted"))
            else:
                field.set_value(value, s)
        self.school.setCurrentIndex(max(self.school.findData(job.bag.school), 0))
        self.buttons["Work out pleats"].setEnabled(job.bag.pleats is not None)
        self.show_pleat()

    def show_pleat(self) -> None:
        """Show the chosen pleat."""
        pleat, s = self.laid.chosen, self.session.system
        own: tuple[QWidget, ...] = (
            self.tall, self.at, self.lean, self.buttons["Split in two"], self.buttons["Take away"],
        )  # fmt: skip
        for field in own:
            field.setEnabled(pleat is not None)
        if pleat is None:
            self.pleat_head.setText(tr("Pleat"))
            self.tall.clear()
            self.at.clear()
            self.why.setText(tr("Choose one on the plan or on the walk; drag it along the tape."))
            return
        self.pleat_head.setText(tr("Pleat at {}", show(pleat.at, "distance", s, 2)))
        self.tall.set_value(pleat.size, s)
        self.at.set_value(pleat.at, s)
        pick(self.lean, pleat.lean)
        self.why.setText(
            tr("Here {}.", pleat.why) if not pleat.closing else tr("Laid last: takes up what is left over.")
        )

    # -- acts

    def _commit(self, key: str, name: str, value: float) -> None:
        if key == "roll_width":
            film = self.session.job.bag.film.replaced(roll_width=value)
            self._set(tr("Change film"), film=film)
        else:
            self._set(tr("Change {}", name.lower()), **{key: value})

    def _set(self, name: str, **fields: object) -> None:
        def edited(plan: BagPlan) -> BagPlan:
            return plan.replaced(**fields)

        if not self.session.edit(name, lambda j: j.replaced(bag=edited(j.bag))):
            self.show_bag()

    def split_in_two(self) -> None:
        """Put two pleats in place of the chosen one."""
        bag, pleat = self.laid.bag, self.laid.chosen
        if bag is not None and pleat is not None:
            self.session.edit("Split pleat", lambda j: split_pleat(j, bag, pleat.id))

    def add(self) -> None:
        """Add a pleat beside the chosen one, or where the film is shortest of pleats."""
        bag, pleat = self.laid.bag, self.laid.chosen
        if bag is None:
            return
        if pleat is not None:
            at = pleat.at + 0.1
        else:
            side = max(bag.sides, key=lambda s: s.needed - s.held).side
            at = (side.start + side.end) / 2
        self.session.edit("Add pleat", lambda j: add_pleat(j, bag, at))

    def work_out(self) -> None:
        """Let the pleats follow from the mould again."""
        self.session.edit("Work out pleats", work_out)

    def save_walk(self, path: Path | None = None) -> None:
        """Write the walk-round at full size, asking where when no path is given."""
        bag = self.laid.bag
        if bag is None:
            self.session.said.emit(self.laid.problem or tr("The bag is still being worked out."), True)
            return
        if path is None:
            name = tr("{} walk-round", self.session.job.name)
            path = files.to_write(self, tr("Save walk-round"), name, "PDF (*.pdf)")
        if path is None:
            return
        self.session.errands.begin(
            partial(write_walk, self.session.job.name, bag, path, self.session.system),
            lambda pages: tr(
                "The walk-round is saved as {0}: {1} strips to lay along the flange.", path.name, pages
            ),
            lambda error: tr("The walk-round could not be saved: {}", error),
        )

    def set_theme(self, theme: Theme) -> None:
        """Choose the theme of the drawings."""
        self.plan.set_theme(theme)
        self.walk.set_theme(theme)
