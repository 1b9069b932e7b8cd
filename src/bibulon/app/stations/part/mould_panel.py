"""The mould: its face, draw and flange, corners with their radius, how many parts, what one may weigh."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import Signal
from PySide6.QtWidgets import (
    QComboBox,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from bibulon.app.kit.fields import (
    Form,
    UnitEdit,
    heading,
    note,
    offer,
    pick,
    push,
    word_of,
)
from bibulon.app.kit.table import Column, Table
from bibulon.app.session.session import Session
from bibulon.core.edit.edit import change, new_id
from bibulon.core.model.job import Job, MouldCorner
from bibulon.core.plans.variants import switch_process
from bibulon.core.units.units import UnitError, parse, show
from bibulon.core.units.words import tr

__all__ = ["MouldPanel"]

FIELDS = (
    ("depth", tr("Drawn how deep"), "length", 0.0, 20.0),
    ("draft_deg", tr("Draft of its sides"), "angle", 0.0, 90.0),
    ("draw_factor", tr("Developed over plan area"), "number", 1.0, 5.0),
    ("flange", tr("Flange beyond the part"), "length", 0.0, 2.0),
    ("cavity", tr("Gap of a closed mould"), "thickness", 0.0, 0.2),
    ("copies", tr("Parts, right hand"), "count", 0.0, 100000.0),
    ("mirror_copies", tr("Parts, left hand"), "count", 0.0, 100000.0),
)


class MouldPanel(QWidget):
    """Fields of the mould and a table of its corners; ``draw`` asks for a corner to be drawn on the plan."""

    draw = Signal(str)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        layout = QVBoxLayout(self)
        layout.setContentsMargins(16, 4, 16, 0)
        form = Form()
        self.process = QComboBox()
        offer(self.process, ["infusion", "light RTM", "RTM"])
        self.process.activated.connect(
            lambda _: session.edit("Change process", lambda j: switch_process(j, word_of(self.process)))
        )
        form.add("Process", self.process)
        self.face = QComboBox()
        offer(self.face, ["female", "male"])
        self.face.activated.connect(lambda _: self._set(tr("Change face"), face=word_of(self.face)))
        form.add("Mould is", self.face)
        self.fields: dict[str, UnitEdit] = {}
        for name, label, quantity, low, high in FIELDS:
            field = UnitEdit(quantity, label, low, high)
            field.committed.connect(lambda value, n=name, text=label: self._number(n, text, value))
            field.refused.connect(lambda text: session.said.emit(text, True))
            self.fields[name] = field
            form.add(label, field)
        self.target = QLineEdit()
        self.target.setPlaceholderText(tr("none"))
        self.target.setAccessibleName(tr("Target mass of one part"))
        self.target.editingFinished.connect(self._target)
        form.add("May weigh", self.target)
        layout.addWidget(form)
        self._lay_corners(layout)

    def _lay_corners(self, layout: QVBoxLayout) -> None:
        session = self.session
        layout.addWidget(heading("Corners of the mould"))
        heads = (
            Column("kind", choices=("inside", "outside")),
            Column("radius", typed=True),
            Column("turned by", typed=True),
        )
        self.table = Table(heads, "Corners of the mould", ordered=True, together=session.together)
        self.table.setMinimumHeight(84)
        self.table.typed.connect(self._typed)
        layout.addWidget(self.table, 1)
        row = QHBoxLayout()
        for text, act in (
            (tr("Draw corner"), lambda: self.draw.emit("mould corner")),
            ("Remove corner", self._remove),
        ):
            button = QPushButton(tr(text))
            button.setAccessibleName(tr({"Remove corner": "Remove mould corner"}.get(text, text)))
            button.clicked.connect(lambda _=False, a=act: a())
            row.addWidget(button)
        layout.addLayout(row)
        row = QHBoxLayout()
        self.surface = note()
        row.addWidget(self.surface, 1)
        self.flat = push("Take it as flat", lambda: self._set(tr("Take mould as flat"), surface=None))
        row.addWidget(self.flat)
        layout.addLayout(row)

    def fill(self) -> None:
        """Show the job's mould."""
        job, s = self.session.job, self.session.system
        part = job.part
        pick(self.process, job.process)
        pick(self.face, part.face)
        for name, *_ in FIELDS:
            self.fields[name].set_value(float(getattr(part, name)), s)
        self.fields["cavity"].setEnabled(job.process != "infusion")
        self.fields["draw_factor"].setEnabled(part.surface is None)
        self.target.setText(show(part.target_mass, "mass", s) if part.target_mass else "")
        self.table.show_rows(
            [(c.kind, show(c.radius, "length", s), f"{c.angle_deg:g}°") for c in part.corners]
        )
        if part.surface is None:
            self.surface.setText(tr("No surface: areas are the plan's times the draw factor."))
        else:
            how = tr("seen from above") if part.surface.laid == "above" else "unrolled"
            told = tr(
                "{0}: {1} triangles, the plan shows it {2}.",
                part.surface.source,
                len(part.surface.triangles),
                how,
            )
            self.surface.setText(told)
        self.flat.setVisible(part.surface is not None)

    def _set(self, name: str, **fields: Any) -> bool:
        def edit(job: Job) -> Job:
            return change(job, part=job.part.replaced(**fields))

        return self.session.edit(name, edit)

    def _number(self, name: str, label: str, value: float) -> None:
        whole = name in {"copies", "mirror_copies"}
        if not self._set(tr("Change {}", label.lower()), **{name: round(value) if whole else value}):
            self.fill()

    def _target(self) -> None:
        if not self.target.isModified():
            return  # leaving the field is no edit
        self.target.setModified(False)
        text = self.target.text().strip()
        try:
            value = parse(text, "mass", self.session.system) if text else None
        except UnitError as error:
            self.session.said.emit(str(error), True)
            self.fill()
            return
        if not self._set(tr("Change target mass"), target_mass=value):
            self.fill()

    def _typed(self, row: int, column: int, text: str) -> None:
        try:
            if column == 0:
                self._corner(row, kind=text)
            elif column == 1:
                self._corner(row, radius=parse(text, "length", self.session.system))
            else:
                self._corner(row, angle_deg=parse(text, "angle"))
        except UnitError as error:
            self.session.said.emit(str(error), True)

    def _corner(self, row: int, **fields: Any) -> None:
        def edit(job: Job) -> Job:
            corners = list(job.part.corners)
            corners[row] = corners[row].replaced(**fields)
            return change(job, part=job.part.replaced(corners=tuple(corners)))

        self.session.edit("Change mould corner", edit)

    def take(self, points: tuple[tuple[float, float], ...]) -> None:
        """Take a corner that was drawn along the plan."""
        if len(points) < 2:
            self.session.said.emit(tr("A corner runs along a line: two points or more."), True)
            return
        corners = self.session.job.part.corners
        made = MouldCorner(id=new_id("C", [c.id for c in corners]), radius=0.01, path=points)
        self._set(tr("Draw mould corner"), corners=(*corners, made))

    def _remove(self) -> None:
        row, corners = self.table.current_row(), self.session.job.part.corners
        if 0 <= row < len(corners):
            self._set(tr("Remove mould corner"), corners=corners[:row] + corners[row + 1 :])
        else:
            self.session.said.emit(tr("Choose a corner in the list first."), True)
