"""Kit: all that is used up, ticked as it is laid out."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from PySide6.QtWidgets import QCheckBox, QHBoxLayout, QVBoxLayout, QWidget

from bibulon.app.kit import files
from bibulon.app.kit.fields import heading, note, push
from bibulon.app.kit.table import Cell, Column, Table
from bibulon.app.session.session import Session
from bibulon.app.stations.bag.laid import LaidBag
from bibulon.app.stations.base import SidedPage
from bibulon.app.stations.shared.figures_form import FiguresForm, Row
from bibulon.app.work.ask import Ask
from bibulon.core.bag.bag import bag_of
from bibulon.core.edit.figures import with_figure
from bibulon.core.lines.kit import KitItem, kit_of
from bibulon.core.model.job import Job
from bibulon.core.units.units import show
from bibulon.core.units.words import tr
from bibulon.store.exports.lists import write_csv, write_list

__all__ = ["KitPage"]

HEADS = (
    "laid out: what", "for", Column("needed", right=True), "packs", Column("mass", right=True), Column("price", right=True),
)  # fmt: skip

FILM = (
    Row("bag.film.name", tr("Film"), "text"),
    Row("bag.film.roll_width", tr("Roll width"), "distance", 0.1, 20.0),
    Row("bag.film.roll_length", tr("Roll length"), "distance", 1.0, 2000.0),
    Row("bag.film.elongation", tr("Stretches by"), "share", 0.0, 0.99),
    Row("bag.film.stiff_below", tr("Stiff below"), "temperature", 233.15, 373.15),
    Row("bag.film.hottest", tr("Bears"), "temperature", 303.15, 573.15),
    Row("bag.film.areal_mass", tr("Weighs"), "areal mass", 0.0, 1.0),
    Row("bag.film.price_per_m2", tr("Price a m²"), "money", 0.0, 1e4),
)
TAPE = (
    Row("bag.tape.name", tr("Tape"), "text"),
    Row("bag.tape.width", tr("Width"), "length", 1e-3, 0.2),
    Row("bag.tape.roll_length", tr("Tape on a roll"), "distance", 0.5, 200.0),
    Row("bag.tape.mass_per_m", tr("Weighs, kg a metre"), "number", 0.0, 10.0),
    Row("bag.tape.price_per_roll", tr("Price a roll"), "money", 0.0, 1e4),
)


class KitPage(SidedPage):
    """One list with a tick for each thing; at the side the film and the tape of this shop."""

    def __init__(self, session: Session, laid: LaidBag) -> None:
        super().__init__()
        self.session = session
        self.side = QWidget()
        side = QVBoxLayout(self.side)
        side.setContentsMargins(16, 12, 16, 8)
        self.film, self.tape = FiguresForm(session, FILM), FiguresForm(session, TAPE)
        self.tube = QCheckBox(tr("comes as a tube, the roll's width laid flat"))
        self.tube.clicked.connect(
            lambda on: session.edit("Change film", lambda job: with_figure(job, "bag.film.tube", on))
        )
        for widget in (heading("Film"), self.film, self.tube, heading("Sealing tape"), self.tape):
            side.addWidget(widget)
        side.addStretch()
        self.items: list[KitItem] = []
        layout = QVBoxLayout(self)
        layout.setContentsMargins(16, 4, 16, 8)
        row = QHBoxLayout()
        self.words = note("")
        row.addWidget(self.words, 1)
        for text, act in (
            (tr("Save as PDF…"), lambda: self.save("pdf")),
            (tr("Save as CSV…"), lambda: self.save("csv")),
            (tr("Shopping list…"), lambda: self.save_missing()),
        ):
            row.addWidget(push(text, act))
        layout.addLayout(row)
        self.table = Table(HEADS, "Kit")
        self.table.ticked.connect(self._ticked)
        layout.addWidget(self.table, 1)
        self.ask = Ask(self, lambda: session.number)
        self.ask.ready.connect(self._show)
        self.ask.failed.connect(lambda e: self.words.setText(str(e)))

    def fill(self) -> None:
        """Follow the job."""
        job = self.session.job
        self.film.fill()
        self.tape.fill()
        self.tube.setChecked(job.bag.film.tube)
        system = self.session.system
        self.ask.want(lambda: (job, kit_of(job, bag_of(job), system)))

    def _show(self, answer: tuple[Job, list[KitItem]]) -> None:
        job, self.items = answer
        s, done = self.session.system, set(job.bag.laid_out)
        self.table.show_rows(
            [
                (
                    Cell(tr(x.name), tick=x.key in done), tr(x.use), tr(x.told(s)), tr(x.packs),
                    show(x.mass, "mass", s) if x.mass else "", f"{x.price:.2f}" if x.price else "",
                )
                for x in self.items
            ]
        )  # fmt: skip
        self.table.fit_columns()
        laid = sum(x.key in done for x in self.items)
        missing = [x.name for x in self.items if x.missing > 0]
        words = tr(
            "{0} of {1} laid out; {2:.2f} in all, {3}.",
            laid,
            len(self.items),
            sum(x.price for x in self.items),
            show(sum(x.mass for x in self.items), "mass", s),
        )
        self.words.setText(words + (tr(" Too little: {}.", ", ".join(missing)) if missing else ""))

    def _ticked(self, row: int, ticked: bool) -> None:
        key = self.items[row].key
        done = tuple(k for k in self.session.job.bag.laid_out if k != key) + ((key,) if ticked else ())
        if self.session.edit("Tick the kit", lambda j: j.replaced(bag=j.bag.replaced(laid_out=done))):
            self._show((self.session.job, self.items))

    def _ask_path(self, title: str, ending: str) -> Path | None:
        name = tr("{} kit", self.session.job.name)
        return files.to_write(self, title, name, f"{ending.upper()} (*.{ending})")

    def save(self, kind: str, path: Path | None = None) -> None:
        """Write the kit as PDF or CSV, asking where when no path is given."""
        path = path or self._ask_path(tr("Save kit"), kind)
        if path is None:
            return
        self.session.errands.begin(
            partial(write_list, self.session.job, "kit", path, self.session.system),
            tr("The kit is saved as {}.", path.name),
            lambda error: tr("The kit could not be saved: {}", error),
        )

    def save_missing(self, path: Path | None = None) -> None:
        """Write what the shop lacks as CSV, asking where when no path is given."""
        s = self.session.system
        rows = [
            (x.name, show(x.missing, x.quantity, s) if x.quantity else f"{x.missing:.0f}") for x in self.items if x.missing > 0
        ]  # fmt: skip
        if not rows:
            self.session.said.emit(
                tr("Nothing is short: say on Bag plan how much film and tape is left."), False
            )
            return
        path = path or self._ask_path(tr("Save shopping list"), "csv")
        if path is None:
            return
        try:
            write_csv([("what", "how much"), *rows], path)
        except OSError as error:
            self.session.said.emit(tr("The shopping list could not be saved: {}", error), True)
            return
        self.session.said.emit(tr("{0} things to buy are in {1}.", len(rows), path.name), False)
