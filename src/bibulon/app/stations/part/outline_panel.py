"""The outline as a table of corners, and where else it may come from: a drawing, a surface, a starter."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path

from PySide6.QtCore import Signal
from PySide6.QtGui import QGuiApplication
from PySide6.QtWidgets import (
    QComboBox,
    QHBoxLayout,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from bibulon.app.kit import files
from bibulon.app.kit.appearance import named
from bibulon.app.kit.button_row import ButtonRow
from bibulon.app.kit.fields import Form, UnitEdit, note, push
from bibulon.app.kit.table import Column, Table, high_as_rows
from bibulon.app.session.session import Session
from bibulon.app.work.ask import Ask
from bibulon.core.drawing.kit.tokens import DAY, Theme
from bibulon.core.edit.edit import set_outline
from bibulon.core.edit.shape import mirrored, reshape, round_corners, set_surface, start_from, trimmed
from bibulon.core.geometry.starters import STARTERS
from bibulon.core.model.invalid import Invalid
from bibulon.core.model.job import Corner, Job
from bibulon.core.units.pasted import PasteError, columns_of, table_text
from bibulon.core.units.units import UnitError, parse, show_value, system_of, unit_of
from bibulon.core.units.words import tr
from bibulon.store.exports.drawing_out import write_dxf, write_svg
from bibulon.store.imports.apart import Ended, read_apart
from bibulon.store.imports.chains import Drawing
from bibulon.store.imports.drawing_in import READERS
from bibulon.store.imports.mesh_in import RawMesh
from bibulon.store.salvage import plainly

__all__ = ["OutlinePanel"]

COLUMNS = ("x", "y", "bow")
SURFACES = frozenset({".stl", ".obj", ".ply"})
QUANTITIES = {"gores": "number", "bottom_angle": "angle"}


class _Reading(QWidget):
    """Tells that a file is being read, with a stop."""

    def __init__(self, stop: Callable[[], None]) -> None:
        super().__init__()
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        self.words = note("")
        row.addWidget(self.words, 1)
        row.addWidget(push("Stop reading", stop))
        self.setVisible(False)


class OutlinePanel(QWidget):
    """Corners typed, pasted or drawn; ``draw`` asks for an outline to be drawn on the plan."""

    draw = Signal(str)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.theme: Theme = DAY
        layout = QVBoxLayout(self)
        layout.setContentsMargins(16, 4, 16, 0)
        heads = [Column(c, 84, typed=True) for c in COLUMNS]
        self.table = Table(
            heads, "Corners of the outline", ordered=True, copying=self.copy, pasting=self.paste
        )
        self.table.verticalHeader().setDefaultSectionSize(26)
        self.table.verticalHeader().setFixedWidth(30)
        self.table.verticalHeader().show()
        high_as_rows(self.table, 120, 420)
        self.table.typed.connect(self._typed)
        layout.addWidget(self.table)
        layout.addWidget(note("Bow is the rise of the side that leaves a corner; outward is positive."))
        for row_of in (
            ((tr("Draw outline"), lambda: self.draw.emit("outline")), (tr("Add corner"), self._add), ("Remove corner", self._remove)),
            (("Copy", self.copy), ("Paste", self.paste), ("Import…", self.load), ("Export…", self.save)),
        ):  # fmt: skip
            row = ButtonRow()
            for text, act in row_of:
                button = QPushButton(tr(text))
                button.setAccessibleName(
                    tr({"Copy": "Copy corners", "Paste": "Paste corners"}.get(text, text))
                )
                button.clicked.connect(lambda _=False, a=act: a())
                row.add(button)
            layout.addWidget(row)
        self.reading = _Reading(lambda: self.reader.cancel())
        layout.addWidget(self.reading)
        row = ButtonRow()
        self.radius = UnitEdit("length", "Radius of all corners", 0.0, 100.0)
        self.radius.set_value(0.05, session.system)
        self.radius.refused.connect(lambda text: session.said.emit(text, True))
        row.add(self.radius)
        for text, act in ((tr("Round corners"), self._round), (tr("Mirror part"), self._mirror)):
            row.add(push(text, act))
        layout.addWidget(row)
        layout.addWidget(self._starters())
        layout.addStretch(1)
        self._reading_path = Path()
        self.reader = Ask(self, lambda: session.number)
        self.reader.ready.connect(self._on_read)
        self.reader.failed.connect(self._on_read_failure)
        self.reader.rested.connect(lambda: self.reading.setVisible(False))

    def _starters(self) -> QWidget:
        box = QWidget()
        self._starter_layout = QVBoxLayout(box)
        self._starter_layout.setContentsMargins(0, 0, 0, 0)
        row = QHBoxLayout()
        self.starter = QComboBox()
        self.starter.setAccessibleName(tr("Start from"))
        self.starter.addItem(tr("Start from a …"), "")
        for key, starter in STARTERS.items():
            self.starter.addItem(tr(starter.name), key)
        self.starter.activated.connect(lambda _: self._show_starter())
        row.addWidget(self.starter, 1)
        self.make = named(QPushButton(tr("Make it")), "act")
        self.make.clicked.connect(self._make)
        self.make.setVisible(False)
        row.addWidget(self.make)
        self._starter_layout.addLayout(row)
        self.sizes: dict[str, UnitEdit] = {}
        self.form: Form | None = None
        return box

    def _show_starter(self) -> None:
        if self.form is not None:
            self._starter_layout.removeWidget(self.form)
            self.form.deleteLater()
            self.form = None
        key = self.starter.currentData()
        self.make.setVisible(bool(key))
        self.sizes = {}
        if not key:
            return
        self.form = Form()
        for name, usual in STARTERS[key].sizes.items():
            label = name.replace("_", " ").capitalize()
            field = UnitEdit(QUANTITIES.get(name, "length"), label, 0.0)
            field.set_value(usual, self.session.system)
            field.refused.connect(lambda text: self.session.said.emit(text, True))
            self.sizes[name] = field
            self.form.add(label, field)
        self._starter_layout.addWidget(self.form)

    def _make(self) -> None:
        key, sizes = self.starter.currentData(), {n: f.value() for n, f in self.sizes.items()}
        self.session.edit(
            tr("Start from a {}", STARTERS[key].name.lower()), lambda j: start_from(j, key, sizes)
        )

    # -- the table

    def fill(self) -> None:
        """Show the job's corners."""
        s, outline = self.session.system, self.session.job.part.outline
        unit = unit_of("length", s)
        self.table.set_heads([f"{c} {unit}" for c in COLUMNS])
        digits = 1 if system_of("length", s) == "metric" else 2
        self.table.show_rows(
            [[show_value(v, "length", s, digits) for v in (c.x, c.y, c.bow)] for c in outline]
        )

    def _typed(self, row: int, column: int, text: str) -> None:
        try:
            value = parse(text, "length", self.session.system)
        except UnitError as error:
            self.session.said.emit(str(error), True)
            return
        field = COLUMNS[column]

        def move(job: Job) -> Job:
            outline = list(job.part.outline)
            outline[row] = outline[row].replaced(**{field: value})
            return set_outline(job, outline)

        self.session.edit("Move corner", move)

    def copy(self) -> None:
        """Put all corners on the clipboard."""
        s = self.session.system
        cells = [
            [show_value(v, "length", s, 2) for v in (c.x, c.y, c.bow)] for c in self.session.job.part.outline
        ]
        unit = unit_of("length", s)
        QGuiApplication.clipboard().setText(table_text([f"{c} [{unit}]" for c in COLUMNS], cells))
        self.session.said.emit(tr("{} corners are on the clipboard.", len(cells)), False)

    def paste(self) -> None:
        """Take the outline off the clipboard: x, y and, if there is a third column, bow."""
        text = QGuiApplication.clipboard().text()
        try:
            rows = columns_of(text, [(c, "length") for c in COLUMNS], self.session.system, 2)
            outline = tuple(Corner(x=x, y=y, bow=bow) for x, y, bow in rows)
        except (PasteError, Invalid) as error:
            self.session.said.emit(plainly(error), True)
            return
        if len(rows) < 3:
            self.session.said.emit(tr("An outline needs at least three corners."), True)
            return
        if self.session.edit("Paste outline", lambda j: reshape(j, outline, j.part.holes)):
            self.session.said.emit(tr("{} corners pasted.", len(rows)), False)

    def take(self, points: tuple[tuple[float, float], ...]) -> None:
        """Take an outline that was drawn."""
        outline = tuple(Corner(x=x, y=y) for x, y in points)
        if len(outline) < 3:
            self.session.said.emit(tr("An outline needs at least three corners."), True)
        else:
            self.session.edit("Draw outline", lambda j: reshape(j, outline))

    def _add(self) -> None:
        outline = list(self.session.job.part.outline)
        k = max(self.table.current_row(), 0)
        a, b = outline[k], outline[(k + 1) % len(outline)]
        outline[k] = a.replaced(bow=0.0)
        outline.insert(k + 1, Corner(x=(a.x + b.x) / 2, y=(a.y + b.y) / 2))
        self.session.edit("Add corner", lambda j: set_outline(j, tuple(outline)))

    def _remove(self) -> None:
        outline = list(self.session.job.part.outline)
        if len(outline) <= 3:
            self.session.said.emit(tr("An outline needs at least three corners."), True)
            return
        del outline[max(self.table.current_row(), 0)]
        self.session.edit("Remove corner", lambda j: set_outline(j, tuple(outline)))

    def _round(self) -> None:
        radius = self.radius.value()
        self.session.edit("Round corners", lambda j: round_corners(j, radius))

    def _mirror(self) -> None:
        self.session.edit("Mirror part", mirrored)

    # -- files

    def load(self, path: Path | None = None) -> None:
        """Take the outline out of a drawing, or the mould's face out of a surface mesh."""
        if path is None:
            endings = " ".join(f"*{ending}" for ending in (*READERS, *sorted(SURFACES)))
            kinds = tr("Outlines and surfaces ({})", endings)
            path = files.to_read(self, tr("Import outline or surface"), kinds)
        if path is None:
            return
        self._read("mesh" if path.suffix.lower() in SURFACES else "drawing", path)

    def _read(self, reader: str, path: Path) -> None:
        """Read a foreign file apart; the window goes on meanwhile."""
        self._reading_path = path
        self.reading.words.setText(tr("Reading {}…", path.name))
        self.reading.setVisible(True)
        self.reader.start(lambda _progress, stopped: read_apart(reader, path, stopped))

    def _on_read(self, found: Drawing | RawMesh) -> None:
        if isinstance(found, RawMesh):
            self._ask_mesh(found)
        elif found.chains:
            self._ask_drawing(found)
        else:  # a drawing of faces alone is a mould's surface
            self._read("mesh", self._reading_path)

    def _on_read_failure(self, error: Exception) -> None:
        told = tr("Reading was stopped.") if isinstance(error, Ended) else str(error)
        self.session.said.emit(tr("{} The part stays as it was.", told), not isinstance(error, Ended))

    def _ask_drawing(self, found: Drawing) -> None:
        from bibulon.app.stations.part.import_dialog import DrawingImport

        dialog = DrawingImport(found, self.theme, self.session.system, self)
        if dialog.exec() == dialog.DialogCode.Accepted and dialog.taken is not None:
            taken = dialog.taken
            if self.session.edit(
                tr("Import {}", dialog.drawing.name),
                lambda j: trimmed(reshape(j, taken.outline, taken.holes)),
            ):
                self.session.said.emit(
                    " ".join([tr("Outline from {}.", dialog.drawing.name), *taken.notes]), False
                )

    def _ask_mesh(self, found: RawMesh) -> None:
        from bibulon.app.stations.part.import_dialog import MeshImport

        dialog = MeshImport(found, self.theme, self.session.system, self)
        if dialog.exec() == dialog.DialogCode.Accepted and dialog.taken is not None:
            surface, outline, holes = dialog.taken

            def edit(job: Job) -> Job:
                return set_surface(job, surface, outline, holes)

            self.session.edit(tr("Import {}", dialog.raw.name), edit)

    def save(self, path: Path | None = None) -> None:
        """Write the plan as DXF, or the outlines as SVG."""
        if path is None:
            path = files.to_write(self, tr("Export outline"), self.session.job.name, "Drawings (*.dxf *.svg)")
        if path is None:
            return

        def failed(error: object) -> str:
            return tr("The outline could not be saved: {}", error)

        write = {".dxf": write_dxf, ".svg": write_svg}.get(path.suffix.lower())
        if write is None:
            why = tr("An outline is written as .dxf or .svg, not as “{}”.", path.suffix or path.name)
            self.session.said.emit(failed(why), True)
            return
        done = tr("The outline is saved as {}, in mm.", path.name)
        self.session.errands.begin(partial(write, self.session.job, path), done, failed)
