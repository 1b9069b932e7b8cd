"""The ply table: a row a layer, edited in place, pasted from and to a spreadsheet."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PySide6.QtCore import (
    QAbstractItemModel,
    QAbstractTableModel,
    QModelIndex,
    QPersistentModelIndex,
    Qt,
    Signal,
)
from PySide6.QtGui import QGuiApplication, QKeyEvent, QKeySequence
from PySide6.QtWidgets import (
    QAbstractItemView,
    QComboBox,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QTableView,
    QWidget,
)

from bibulon.app.session.session import Session
from bibulon.core.edit.edit import drop_unused, replace_layer
from bibulon.core.edit.plies import PLY_COLUMNS, layer_choices, paste_plies, read_zones, zone_words
from bibulon.core.model.job import Job, Layer
from bibulon.core.run.layup import Laid
from bibulon.core.stack.laminate import layer_state
from bibulon.core.units.pasted import PasteError, table_text
from bibulon.core.units.units import UnitError, parse, show
from bibulon.core.units.words import tr

__all__ = ["PlyModel", "PlyTable"]

HEADS = ("", "layer", "angle", "lies in", "runs on", "overlap", "thickness", "resin", "laid")
LAYER, ANGLE, ZONES, RUNS_ON, OVERLAP, LAID = 1, 2, 3, 4, 5, 8
EDITABLE = frozenset({LAYER, ANGLE, ZONES, RUNS_ON, OVERLAP})
Index = QModelIndex | QPersistentModelIndex


class PlyModel(QAbstractTableModel):
    """The job's layers as rows; edits go to the session."""

    refused = Signal(str)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.laid: dict[str, Laid] = {}
        self._texts: list[tuple[str, ...]] = []

    @property
    def job(self) -> Job:
        """Return the job shown."""
        return self.session.job

    def refresh(self, laid: dict[str, Laid]) -> None:
        """Show the job as it is now."""
        texts = [self._row(k, layer, laid) for k, layer in enumerate(self.job.stack)]
        if len(texts) == len(self._texts):
            changed = [k for k, (a, b) in enumerate(zip(texts, self._texts, strict=True)) if a != b]
            self._texts, self.laid = texts, laid
            for k in changed:
                self.dataChanged.emit(self.index(k, 0), self.index(k, len(HEADS) - 1))
            return
        self.beginResetModel()
        self._texts, self.laid = texts, laid
        self.endResetModel()

    def _row(self, k: int, layer: Layer, laid: dict[str, Laid]) -> tuple[str, ...]:
        job, s = self.job, self.session.system
        state = layer_state(layer, job)
        density = job.resin.density if job.resin else 1100.0
        done = laid.get(layer.id)
        seams = any(x.kind == "splice" for x in layer.seams)
        overlap = job.rules.overlap_longest if layer.overlap is None else layer.overlap
        return (
            str(k + 1), state.name, f"{layer.angle_deg:g}°" if state.kind in {"fabric", "porous"} else "",
            zone_words(job, layer), show(layer.runs_on, "length", s) if layer.runs_on else "",
            (show(overlap, "length", s) if seams or layer.overlap is not None else ""),
            show(state.thickness, "thickness", s), show(state.pores * density, "areal mass", s),
            done.words if done else "",
        )  # fmt: skip

    def rowCount(self, parent: Index = QModelIndex()) -> int:  # noqa: B008
        return 0 if parent.isValid() else len(self._texts)

    def columnCount(self, parent: Index = QModelIndex()) -> int:  # noqa: B008
        return 0 if parent.isValid() else len(HEADS)

    def headerData(
        self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole
    ) -> Any:
        if orientation == Qt.Orientation.Horizontal and role == Qt.ItemDataRole.DisplayRole:
            return tr(HEADS[section])
        return None

    def flags(self, index: Index) -> Qt.ItemFlag:
        base = Qt.ItemFlag.ItemIsSelectable | Qt.ItemFlag.ItemIsEnabled
        return base | Qt.ItemFlag.ItemIsEditable if index.column() in EDITABLE else base

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        if role in {Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.EditRole}:
            return self._texts[index.row()][index.column()]
        if role == Qt.ItemDataRole.ToolTipRole and index.column() == LAID:
            return tr("Click to note that this layer is laid, or to take the note back.")
        return None

    def setData(self, index: Index, value: Any, role: int = Qt.ItemDataRole.EditRole) -> bool:
        row, text = index.row(), str(value).strip()
        if not 0 <= row < len(self.job.stack):
            return False
        try:
            name, edit = self._edit(row, index.column(), text)
        except (UnitError, PasteError) as error:
            self.refused.emit(str(error))
            return False
        return self.session.edit(name, edit)

    def _edit(self, row: int, column: int, text: str) -> tuple[str, Callable[[Job], Job]]:
        """Return the edit that a typed cell asks for, with its name."""
        s = self.session.system
        match column:
            case 1:
                key, material = layer_choices(self.job, self.session.shelf).by_name(text)
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
                zones = read_zones(self.job, text)
                return tr("Move layer to zone"), lambda j: replace_layer(j, row, zones=zones, outline=None)
            case 4:
                runs_on = parse(text, "length", s) if text else 0.0
                return tr("Change where ply ends"), lambda j: replace_layer(j, row, runs_on=runs_on)
            case _:
                overlap = parse(text, "length", s) if text else None
                return tr("Change overlap"), lambda j: replace_layer(j, row, overlap=overlap)


class _Choice(QStyledItemDelegate):
    """A combo box in a cell."""

    def __init__(self, choices: Callable[[], list[str]], typed: bool, parent: QWidget) -> None:
        super().__init__(parent)
        self.choices, self.typed = choices, typed

    def createEditor(self, parent: QWidget, option: QStyleOptionViewItem, index: Index) -> QWidget:
        box = QComboBox(parent)
        box.setEditable(self.typed)
        box.addItems(self.choices())
        box.activated.connect(lambda _: self._done(box))
        return box

    def _done(self, box: QComboBox) -> None:
        self.commitData.emit(box)
        self.closeEditor.emit(box)

    def setEditorData(self, editor: QWidget, index: Index) -> None:
        assert isinstance(editor, QComboBox)
        text = str(index.data(Qt.ItemDataRole.EditRole))
        at = editor.findText(text)
        if at >= 0:
            editor.setCurrentIndex(at)
        elif self.typed:
            editor.setEditText(text)

    def setModelData(self, editor: QWidget, model: QAbstractItemModel, index: Index) -> None:
        assert isinstance(editor, QComboBox)
        model.setData(index, editor.currentText())


class PlyTable(QTableView):
    """The table itself, with copy and paste."""

    row_chosen = Signal(int)
    laid_pressed = Signal(int)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.plies = PlyModel(session)
        self.setModel(self.plies)
        self.setAccessibleName(tr("Layers from the tool up"))
        self.setTabKeyNavigation(False)
        self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.verticalHeader().hide()
        self.verticalHeader().setDefaultSectionSize(26)
        self.horizontalHeader().setStretchLastSection(True)
        self.horizontalHeader().setDefaultAlignment(
            Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
        )
        for c, width in enumerate((28, 160, 48, 104, 60, 60, 74, 74, 70)):
            self.setColumnWidth(c, width)
        self._materials = _Choice(lambda: layer_choices(session.job, session.shelf).names, False, self)
        self._zones = _Choice(self._zone_names, True, self)
        self.setItemDelegateForColumn(LAYER, self._materials)
        self.setItemDelegateForColumn(ZONES, self._zones)
        self.clicked.connect(lambda i: self.laid_pressed.emit(i.row()) if i.column() == LAID else None)
        self.plies.refused.connect(lambda text: session.said.emit(text, True))

    def _zone_names(self) -> list[str]:
        job = self.session.job
        names = [z.name for z in job.part.zones if z.laid]
        return ["everywhere", job.part.rest_name, *names]

    def current(self) -> int | None:
        """Return the row chosen, if one is."""
        row = self.currentIndex().row()
        return row if 0 <= row < self.plies.rowCount() else None

    def choose(self, row: int) -> None:
        """Choose a row."""
        if row != self.current() and 0 <= row < self.plies.rowCount():
            self.selectRow(row)

    def currentChanged(self, current: Index, previous: Index) -> None:
        super().currentChanged(current, previous)
        self.row_chosen.emit(current.row())

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.matches(QKeySequence.StandardKey.Copy):
            self.copy()
        elif event.matches(QKeySequence.StandardKey.Paste):
            self.paste()
        elif event.key() == Qt.Key.Key_Space and (row := self.current()) is not None:
            self.laid_pressed.emit(row)
        else:
            super().keyPressEvent(event)

    def copy(self) -> None:
        """Put the chosen rows, all when just one is chosen, on the clipboard."""
        rows = sorted({i.row() for i in self.selectedIndexes()})
        if len(rows) < 2:
            rows = list(range(self.plies.rowCount()))
        cells = [[str(self.plies.index(r, c).data() or "") for c in range(1, LAID)] for r in rows]
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
