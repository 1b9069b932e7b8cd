"""The ply table: a row a layer, edited in place, pasted from and to a spreadsheet."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QGuiApplication, QKeyEvent

from bibulon.app.kit.table import Cell, Column, Table
from bibulon.app.session.session import Session
from bibulon.core.edit.edit import drop_unused, replace_layer
from bibulon.core.edit.plies import PLY_COLUMNS, layer_choices, paste_plies, read_zones, zone_words
from bibulon.core.model.job import Job, Layer
from bibulon.core.run.layup import Laid
from bibulon.core.stack.laminate import layer_state
from bibulon.core.units.pasted import PasteError, table_text
from bibulon.core.units.units import UnitError, parse, show
from bibulon.core.units.words import tr

__all__ = ["PlyTable"]

HEADS = ("", "layer", "angle", "lies in", "runs on", "overlap", "thickness", "resin", "laid")
WIDTHS = (28, 160, 48, 104, 60, 60, 74, 74, 70)  # px
LAYER, ZONES, LAID = 1, 3, 8
TYPED = frozenset({2, 4, 5})


class PlyTable(Table):
    """The layers of the job, and what is done with a row of them."""

    laid_pressed = Signal(int)

    def __init__(self, session: Session) -> None:
        self.session = session
        choices = {LAYER: lambda: layer_choices(session.job, session.shelf).names, ZONES: self._zone_names}
        columns = [
            Column(head, width, c in TYPED, choices=choices.get(c, ()), open=c == ZONES)
            for c, (head, width) in enumerate(zip(HEADS, WIDTHS, strict=True))
        ]
        super().__init__(
            columns,
            "Layers from the tool up",
            whole=True,
            ordered=True,
            copying=self.copy,
            pasting=self.paste,
        )
        self.verticalHeader().setDefaultSectionSize(26)
        self.clicked.connect(
            lambda i: self.laid_pressed.emit(self.rows.row_of(i)) if i.column() == LAID else None
        )
        self.typed.connect(self._type)

    def _zone_names(self) -> list[str]:
        job = self.session.job
        names = [z.name for z in job.part.zones if z.laid]
        return ["everywhere", job.part.rest_name, *names]

    def refresh(self, laid: dict[str, Laid]) -> None:
        """Show the job as it is now."""
        self.show_rows([self._cells(k, layer, laid) for k, layer in enumerate(self.session.job.stack)])

    def _cells(self, k: int, layer: Layer, laid: dict[str, Laid]) -> tuple[Cell | str, ...]:
        job, s = self.session.job, self.session.system
        state = layer_state(layer, job)
        density = job.resin.density if job.resin else 1100.0
        done = laid.get(layer.id)
        seams = any(x.kind == "splice" for x in layer.seams)
        overlap = job.rules.overlap_longest if layer.overlap is None else layer.overlap
        note = Cell(
            done.words if done else "", tr("Click to note that this layer is laid, or to take the note back.")
        )
        return (
            str(k + 1), state.name, f"{layer.angle_deg:g}°" if state.kind in {"fabric", "porous"} else "",
            zone_words(job, layer), show(layer.runs_on, "length", s) if layer.runs_on else "",
            (show(overlap, "length", s) if seams or layer.overlap is not None else ""),
            show(state.thickness, "thickness", s), show(state.pores * density, "areal mass", s), note,
        )  # fmt: skip

    def _type(self, row: int, column: int, text: str) -> None:
        try:
            name, edit = self._edit(row, column, text)
        except (UnitError, PasteError) as error:
            self.session.said.emit(str(error), True)
            return
        self.session.edit(name, edit)

    def _edit(self, row: int, column: int, text: str) -> tuple[str, Callable[[Job], Job]]:
        """Return the edit that a typed cell asks for, with its name."""
        s = self.session.system
        match column:
            case 1:
                key, material = layer_choices(self.session.job, self.session.shelf).by_name(text)
                return tr("Make layer {0} {1}", row + 1, material.name), lambda j: drop_unused(
                    replace_layer(
                        j if key in j.materials else j.replaced(materials={**j.materials, key: material}),
                        row, material=key,
                    )
                )  # fmt: skip
            case 2:
                angle = parse(text, "angle")
                return tr("Turn layer"), lambda j: replace_layer(j, row, angle_deg=angle)
            case 3:
                zones = read_zones(self.session.job, text)
                return tr("Move layer to zone"), lambda j: replace_layer(j, row, zones=zones, outline=None)
            case 4:
                runs_on = parse(text, "length", s) if text else 0.0
                return tr("Change where ply ends"), lambda j: replace_layer(j, row, runs_on=runs_on)
            case _:
                overlap = parse(text, "length", s) if text else None
                return tr("Change overlap"), lambda j: replace_layer(j, row, overlap=overlap)

    def current(self) -> int | None:
        """Return the row chosen, if one is."""
        row = self.current_row()
        return row if row >= 0 else None

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Space and (row := self.current()) is not None:
            self.laid_pressed.emit(row)
        else:
            super().keyPressEvent(event)

    def copy(self) -> None:
        """Put the chosen rows, all when just one is chosen, on the clipboard."""
        rows = sorted({i.row() for i in self.selectedIndexes()})
        if len(rows) < 2:
            rows = list(range(self.row_count()))
        cells = [[self.text_at(r, c) for c in range(1, LAID)] for r in rows]
        QGuiApplication.clipboard().setText(table_text(HEADS[1:LAID], cells))
        self.session.said.emit(tr("{} layers are on the clipboard.", len(rows)), False)

    def paste(self) -> None:
        """Lay what is on the clipboard over the rows from the chosen one on, new rows on top."""
        text, start = QGuiApplication.clipboard().text(), self.current() or 0
        try:
            job, count = paste_plies(self.session.job, text, start, self.session.shelf, self.session.system)
        except (PasteError, ValueError) as error:
            self.session.said.emit(str(error), True)
            return
        if self.session.edit(tr("Paste {} layers", count), job):
            self.session.said.emit(tr("{0} layers pasted: {1}.", count, ", ".join(PLY_COLUMNS)), False)
