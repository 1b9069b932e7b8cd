"""Charge: how much resin, where it goes, how it is mixed."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QComboBox, QTableWidgetItem, QVBoxLayout, QWidget

from bibulon.app.kit.fields import FigureGrid, Form, UnitEdit, VacuumEdit, heading, note, plain_table
from bibulon.app.session.session import Session
from bibulon.app.stations.base import RailRow, Station, titled
from bibulon.core.edit.edit import change
from bibulon.core.geometry.outline import OutlineError
from bibulon.core.library.catalogue import resins
from bibulon.core.model.job import Job
from bibulon.core.outlook.outlook import Outlook
from bibulon.core.resin.charge import Charge, ChargeError, charge
from bibulon.core.resin.clock import viscosity_at
from bibulon.core.units.figures import worded
from bibulon.core.units.units import clock, show

__all__ = ["ChargeStation"]


class ChargeStation(Station):
    """The sinks and the batches; resin and allowances at the side."""

    name = "Charge"

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.bench = QWidget()
        layout = QVBoxLayout(self.bench)
        layout.setContentsMargins(0, 0, 0, 12)
        self.sinks = plain_table(("where it goes", "resin", "how it comes about"), "Where the resin goes")
        self.batches = plain_table(("batch", "all", "part A", "part B"), "Batches to mix")
        for table, title, stretch in (
            (self.sinks, "Where the resin goes", 5),
            (self.batches, "Weigh out, by batch", 3),
        ):
            table.setEditTriggers(table.EditTrigger.NoEditTriggers)
            box = QWidget()
            inner = QVBoxLayout(box)
            inner.setContentsMargins(16, 0, 16, 0)
            inner.addWidget(table)
            layout.addWidget(titled(title, None, box), stretch)
        caution = note(
            "Gloves, eye protection and air. Never bring a peroxide together with a metal-salt accelerator. A bucket that "
            "warms goes outside on a metal tray. The product's own data and safety sheets and local rules come first."
        )
        caution.setContentsMargins(16, 0, 16, 0)
        layout.addWidget(caution)
        self.side = QWidget()
        side = QVBoxLayout(self.side)
        side.setContentsMargins(16, 12, 16, 8)
        self.figures = FigureGrid(("to mix", "volume", "part A", "part B"))
        side.addWidget(self.figures)
        side.addWidget(heading("Resin"))
        form = Form()
        self.resin = QComboBox()
        self.resin.addItem("choose a resin", None)
        for key, resin in resins().items():
            self.resin.addItem(resin.name, key)
        self.resin.activated.connect(self._choose)
        form.add("Resin", self.resin)
        self.fields: dict[str, UnitEdit] = {}
        for name, quantity, low, high in (
            ("Temperature", "temperature", 253.0, 423.0), ("Heel", "mass", 0.0, 1e4), ("To the catch pot", "mass", 0.0, 1e4),
            ("Margin", "share", 0.0, 1.0), ("Vacuum", "pressure", 0.0, 1.1e5), ("Bucket below the part", "distance", -5.0, 5.0),
        ):  # fmt: skip
            field = (
                UnitEdit(quantity, name, low, high)
                if quantity != "pressure"
                else VacuumEdit(name, self._air, high)
            )
            if isinstance(field, VacuumEdit):
                field.understood.connect(lambda text: session.said.emit(text, False))
            field.committed.connect(lambda value, n=name: self._set(n, value))
            field.refused.connect(lambda text: session.said.emit(text, True))
            self.fields[name] = field
            form.add(name, field)
        side.addWidget(form)
        self.words = note()
        side.addWidget(self.words)
        side.addStretch()
        session.outlook_changed.connect(lambda _: self._say())
        self.follow()

    def _air(self) -> float:
        return self.session.job.conditions.atmosphere

    def row(self, job: Job, outlook: Outlook | None) -> RailRow:
        plan = outlook.evidence.charge if outlook and outlook.evidence else None
        if plan is None:
            return RailRow("no resin", "open")
        return RailRow(
            f"{show(plan.total, 'mass', self.session.system)} · {len(plan.batches)}",
            "settled",
        )

    def fill(self) -> None:
        job, s = self.session.job, self.session.system
        c = job.conditions
        for name, value in (
            ("Temperature", c.resin_temperature), ("Heel", job.charge.heel), ("To the catch pot", job.charge.catch_pot),
            ("Margin", job.charge.margin), ("Vacuum", c.vacuum), ("Bucket below the part", c.bucket_below),
        ):  # fmt: skip
            self.fields[name].set_value(value, s)
        names = [self.resin.itemText(i) for i in range(self.resin.count())]
        self.resin.setCurrentIndex(
            names.index(job.resin.name) if job.resin and job.resin.name in names else 0
        )
        try:
            self._show(charge(job))
        except (ChargeError, OutlineError) as error:
            self.sinks.setRowCount(0)
            self.batches.setRowCount(0)
            self.words.setText(str(error))
        self._say()

    def _show(self, plan: Charge) -> None:
        s = self.session.system
        rows = [(x.name, show(x.mass, "mass", s), worded(x.basis, s)) for x in plan.sinks]
        _rows(self.sinks, [*rows, ("Total", show(plan.total, "mass", s), "")])
        self.sinks.setColumnWidth(0, 180)
        self.sinks.setColumnWidth(1, 110)
        _rows(
            self.batches,
            [
                (
                    f"batch {b.number}",
                    show(b.mass, "mass", s, 3),
                    show(b.part_a, "mass", s, 3),
                    show(b.part_b, "mass", s, 3),
                )
                for b in plan.batches
            ],
        )
        self.figures.set("to mix", show(plan.total, "mass", s))
        self.figures.set("volume", show(plan.volume, "volume", s))
        self.figures.set("part A", show(plan.part_a, "mass", s))
        self.figures.set("part B", show(plan.part_b, "mass", s))

    def _say(self) -> None:
        job, outlook = self.session.job, self.session.outlook
        if job.resin is None:
            return
        words = [
            f"{show(viscosity_at(job.resin, job.conditions.resin_temperature), 'viscosity', self.session.system)} when just mixed."
        ]
        if outlook and outlook.forecast and outlook.forecast.clock.gel < 1e8:
            words.append(f"Flow stops {clock(outlook.forecast.clock.gel)} after the first feed opens.")
        words.append(
            f"No batch over {show(job.resin.largest_batch, 'mass', self.session.system)}: a bucket heats itself."
        )
        self.words.setText(" ".join(words))

    def _choose(self) -> None:
        key = self.resin.currentData()
        if key:
            self.session.edit("Choose resin", lambda j: change(j, resin=resins()[key]))

    def _set(self, name: str, value: float) -> None:
        where = {
            "Temperature": ("conditions", "resin_temperature"), "Heel": ("charge", "heel"), "To the catch pot": ("charge", "catch_pot"),
            "Margin": ("charge", "margin"), "Vacuum": ("conditions", "vacuum"),
            "Bucket below the part": ("conditions", "bucket_below"),
        }[name]  # fmt: skip
        part, field = where

        def edit(job: Job) -> Job:
            old = getattr(job, part)
            return change(job, **{part: old.replaced(**{field: value})})

        if not self.session.edit(f"Change {name.lower()}", edit):
            self.fill()


def _rows(table: object, rows: list[tuple[str, ...]]) -> None:
    from PySide6.QtWidgets import QTableWidget

    assert isinstance(table, QTableWidget)
    table.setRowCount(len(rows))
    for r, row in enumerate(rows):
        for c, text in enumerate(row):
            item = QTableWidgetItem(text)
            if c and len(text) < 14:
                item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
            if row[0] == "Total":
                made = item.font()
                made.setBold(True)
                item.setFont(made)
            table.setItem(r, c, item)
