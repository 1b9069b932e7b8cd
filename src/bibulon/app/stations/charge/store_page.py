"""Store: whether the drums do and are in date, and what was weighed in place of library figures."""

from __future__ import annotations

import re
from typing import Any

from PySide6.QtWidgets import QHBoxLayout, QLineEdit, QPushButton, QVBoxLayout, QWidget

from bibulon.app.kit.drawing_view import DrawingView
from bibulon.app.kit.fields import Form, UnitEdit, heading, note, push
from bibulon.app.kit.table import Column, Table
from bibulon.app.session.session import Session
from bibulon.app.stations.base import SidedPage
from bibulon.core.drawing.graphs.store import draw_store
from bibulon.core.drawing.kit.scene import Item, Label
from bibulon.core.drawing.kit.tokens import Theme
from bibulon.core.model.job import Drum
from bibulon.core.resin.charge import Charge
from bibulon.core.units.units import UnitError, parse, show
from bibulon.core.units.words import tr

__all__ = ["StorePage"]

PARTS = {"a": "A", "b": "B", "accelerator": "accelerator", "acc": "accelerator"}
DAY = re.compile(r"\d{4}-\d{2}-\d{2}")


class StorePage(SidedPage):
    """Drums drawn against what is needed; at the side their list and the weighed facts."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.plan: Charge | None = None
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        self.view = DrawingView("Drums in the store against what is needed", self._items, 240)
        layout.addWidget(self.view)
        self._lay_side()

    def _lay_side(self) -> None:
        self.side = QWidget()
        side = QVBoxLayout(self.side)
        side.setContentsMargins(16, 12, 16, 8)
        side.addWidget(heading("Drums"))
        heads = [Column(head, typed=True) for head in ("part", "holds", "good until", "mark")]
        self.table = Table(heads, "Drums in the store", together=self.session.together)
        self.table.typed.connect(self._typed)
        self.table.setMinimumHeight(130)
        side.addWidget(self.table)
        row = QHBoxLayout()
        for text, act in ((tr("Add a drum"), self.add), ("Remove", self.remove)):
            row.addWidget(push(text, act))
        side.addLayout(row)
        form = Form()
        self.day = QLineEdit()
        self.day.setAccessibleName(tr("Day of the shot"))
        self.day.setPlaceholderText("2026-11-25")
        self.day.editingFinished.connect(self._set_day)
        form.add("Day of the shot", self.day)
        side.addWidget(form)
        self._lay_weighed(side)
        side.addStretch()

    def _lay_weighed(self, side: QVBoxLayout) -> None:
        side.addWidget(heading("Weighed here"))
        facts = Form()
        self.uptake = UnitEdit("areal mass", "Resin that a core sample took", 0.0, 50.0)
        self.density = UnitEdit("density", "Density of the resin as weighed", 500.0, 5000.0)
        self.left = QLineEdit()
        self.left.setAccessibleName(tr("Left beyond the heel by earlier jobs like it"))
        self.left.setPlaceholderText(tr("0.3 kg, 0.5 kg"))
        self.left.editingFinished.connect(self._set_left)
        for name, field, key in (
            (tr("Core sample"), self.uptake, "core_uptake"),
            ("Resin", self.density, "measured_density"),
        ):
            field.committed.connect(
                lambda value, k=key, n=name: self._plan(tr("Weigh {}", n.lower()), **{k: value})
            )
            field.refused.connect(lambda text: self.session.said.emit(text, True))
            facts.add(name, field)
        facts.add("Left beyond the heel", self.left)
        side.addWidget(facts)
        self.forget = QPushButton(tr("Back to the library's figures"))
        self.forget.clicked.connect(
            lambda _=False: self._plan(
                "Forget what was weighed", core_uptake=None, measured_density=None, leftovers=()
            )
        )
        side.addWidget(self.forget)
        side.addWidget(
            note(
                "What is weighed here stands in for the library's figures, in charge and chance of running short."
            )
        )

    def show_charge(self, plan: Charge | None) -> None:
        """Show what a charge takes from the store."""
        self.plan = plan
        c, s = self.session.job.charge, self.session.system
        self.table.show_rows([(d.part, show(d.mass, "mass", s), d.use_by, d.label) for d in c.drums])
        self.day.setText(c.day)
        self.left.setText(", ".join(show(m, "mass", s) for m in c.leftovers))
        for field, value in ((self.uptake, c.core_uptake), (self.density, c.measured_density)):
            if value is None:
                field.clear()
            else:
                field.set_value(value, s)
        self.forget.setEnabled(
            c.core_uptake is not None or c.measured_density is not None or bool(c.leftovers)
        )
        self.view.setAccessibleDescription(
            "; ".join(
                tr(
                    "part {0}: {1}{2}",
                    d.part,
                    show(d.mass, "mass", s),
                    tr(", good until {}", d.use_by) if d.use_by else "",
                )
                for d in c.drums
            )
        )
        self.view.update()

    def add(self) -> None:
        """Note another drum."""
        drums = self.session.job.charge.drums
        need = self.plan.part_a if self.plan else 1.0
        self._plan(
            "Note a drum", drums=(*drums, Drum(part="A" if not drums else "B", mass=round(max(need, 1.0))))
        )

    def remove(self) -> None:
        """Take the chosen drum off the list."""
        row, drums = self.table.current_row(), self.session.job.charge.drums
        if 0 <= row < len(drums):
            self._plan("Take a drum off", drums=(*drums[:row], *drums[row + 1 :]))

    def _typed(self, row: int, column: int, text: str) -> None:
        drums = list(self.session.job.charge.drums)
        try:
            drums[row] = drums[row].replaced(**_read(column, text, self.session.system))
        except (UnitError, ValueError) as error:
            self.session.said.emit(
                tr("Drum {0}: {1}", row + 1, error if isinstance(error, UnitError) else _told(error)), True
            )
            return
        self._plan("Change a drum", drums=tuple(drums))

    def _set_day(self) -> None:
        text = self.day.text().strip()
        if text == self.session.job.charge.day:
            return
        if text and not DAY.fullmatch(text):
            self.session.said.emit(tr("“{}” is no day: type it as 2026-11-25.", text), True)
            self.show_charge(self.plan)
            return
        self._plan("Set the day", day=text)

    def _set_left(self) -> None:
        texts = [t for t in re.split(r"[;,]\s+|;", self.left.text().strip()) if t.strip()]
        try:
            masses = tuple(parse(t, "mass", self.session.system) for t in texts)
        except UnitError as error:
            self.session.said.emit(tr("Left beyond the heel: {}", error), True)
            self.show_charge(self.plan)
            return
        if any(m < 0 for m in masses):
            self.session.said.emit(tr("Left over: no less than nothing can be left."), True)
            self.show_charge(self.plan)
        elif masses != self.session.job.charge.leftovers:
            self._plan("Note what was left over", leftovers=masses)

    def _plan(self, name: str, **fields: object) -> None:
        if not self.session.edit(name, lambda j: j.replaced(charge=j.charge.replaced(**fields))):
            self.show_charge(self.plan)

    def _items(self, width: float, height: float, theme: Theme) -> list[Item]:
        if self.plan is None:
            return [Label(width / 2, height / 2, "Choose a resin on the first page.", theme.soft, 14)]
        return list(draw_store(self.session.job, self.plan, (width, height), theme, self.session.system))

    def set_theme(self, theme: Theme) -> None:
        """Choose the theme."""
        self.view.set_theme(theme)


def _read(column: int, text: str, system: Any) -> dict[str, object]:
    if column == 0:
        if text.lower() not in PARTS:
            raise UnitError(tr("“{}” is no part of a resin: A, B or accelerator.", text))
        return {"part": PARTS[text.lower()]}
    if column == 1:
        return {"mass": parse(text, "mass", system)}
    if column == 2:
        if text and not DAY.fullmatch(text):
            raise UnitError(tr("“{}” is no day: type it as 2027-03-31.", text))
        return {"use_by": text}
    return {"label": text[:60]}


def _told(error: ValueError) -> str:
    return tr("a drum holds no less than nothing") if "greater" in str(error) else tr("that does not fit")
