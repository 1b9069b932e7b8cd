"""Stack: layers from the tool up, zone by zone."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QPushButton, QTableWidgetItem, QVBoxLayout, QWidget

from bibulon.app.fields import FigureGrid, heading, note, plain_table
from bibulon.app.outlook import Outlook
from bibulon.app.paint import paint
from bibulon.app.session import Session
from bibulon.app.stations.base import RailRow, Station, titled
from bibulon.core.drawing.scene import Area, Clip, Item, Label, Line, hatch
from bibulon.core.drawing.section_run import TEXTURE
from bibulon.core.drawing.tokens import DAY, WEIGHT, Theme
from bibulon.core.job.edit import (
    add_layer,
    drop_unused,
    move_layer,
    new_id,
    remove_layer,
    replace_layer,
    use_material,
)
from bibulon.core.job.model import RIM, Job, Layer
from bibulon.core.library.catalogue import layer_materials
from bibulon.core.stack.laminate import ZoneStack, layer_state, zone_stack
from bibulon.core.units import System, UnitError, parse, show

__all__ = ["StackStation"]

COLUMNS = ("", "layer", "angle", "lies in", "thickness", "resin")


def zone_names(job: Job) -> dict[str, str]:
    """Return the zones of a part by id, rim first."""
    return {RIM: job.part.rim_name, **{z.id: z.name for z in job.part.zones}}


class StackDrawing(QWidget):
    """One zone's stack, drawn layer by layer with thickness exaggerated."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session, self.theme, self.zone = session, DAY, RIM
        self.setMinimumHeight(150)
        self.setAccessibleName("Stack drawing")

    def set_theme(self, theme: Theme) -> None:
        self.theme = theme
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), self.theme.ground)
        paint(
            painter,
            stack_items(
                self.session.job, self.zone, self.width(), self.height(), self.theme, self.session.system
            ),
        )
        painter.end()


def stack_items(job: Job, zone: str, width: float, height: float, theme: Theme, system: System) -> list[Item]:
    """Draw a zone's layers with their names beside them, spread so that names do not meet."""
    states = zone_stack(job, zone).layers
    if not states:
        return [Label(width / 2, height / 2, "No layers here yet: add one below.", theme.soft, 14)]
    left, right = 40.0, width * 0.5
    room = height - 52
    least = min(16.0, room / len(states))
    total = sum(s.thickness for s in states)
    spare = max(room - least * len(states), 0.0)
    heights = [least + spare * s.thickness / total for s in states]
    y = height - 26.0
    items: list[Item] = [Area([_rect(left - 14, y, right + 14, y + 9)], theme.tool)]
    for state, tall in zip(states, heights, strict=True):
        top = y - tall
        rect = _rect(left, top, right, y)
        items.append(Area([rect], theme.core if state.kind == "core" else theme.cloth))
        if texture := TEXTURE.get(state.kind):
            lines = hatch(texture, (left, top, right, y), 11.0 if texture == "cells" else 6.0)
            items.append(
                Clip([rect], (Line(lines, theme.ink, WEIGHT["hair"], opacity=0.3, round_ends=False),))
            )
        items.append(Area([rect], None, theme.ink, WEIGHT["hair"]))
        angle = f" {state.layer.angle_deg:+.0f}°" if state.kind == "fabric" else ""
        items.append(
            Line(
                [np.array([[right + 4, (top + y) / 2], [right + 18, (top + y) / 2]])],
                theme.edge,
                WEIGHT["thin"],
            )
        )
        items.append(Label(right + 24, (top + y) / 2, f"{state.name}{angle}", theme.ink, 12.5, anchor="l"))
        items.append(
            Label(
                width - 16,
                (top + y) / 2,
                show(state.thickness, "thickness", system),
                theme.soft,
                12.5,
                anchor="r",
            )
        )
        y = top
    items.append(Label(left, height - 8, "mould", theme.soft, 12, anchor="l"))
    return items


def _rect(x1: float, y1: float, x2: float, y2: float) -> np.ndarray:
    return np.array([[x1, y1], [x2, y1], [x2, y2], [x1, y2]])


class StackStation(Station):
    """The ply table with its drawing; figures per zone beside them."""

    name = "Stack"

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.drawing = StackDrawing(session)
        self.table = plain_table(COLUMNS, "Layers from the tool up")
        self.bench = QWidget()
        layout = QVBoxLayout(self.bench)
        layout.setContentsMargins(0, 0, 0, 8)
        layout.addWidget(
            titled("Stack of the zone chosen at the right · tool side below", None, self.drawing), 5
        )
        inner = QVBoxLayout()
        inner.setContentsMargins(16, 0, 16, 0)
        inner.addWidget(
            note("Layers from the tool up, all zones. Angle and zone are typed or chosen in the table.")
        )
        inner.addWidget(self.table, 1)
        inner.addLayout(self._buttons())
        layout.addLayout(inner, 5)
        self.side = QWidget()
        side = QVBoxLayout(self.side)
        side.setContentsMargins(16, 12, 16, 8)
        side.addWidget(heading("Zone"))
        self.zone = QComboBox()
        self.zone.setAccessibleName("Zone shown")
        self.zone.currentIndexChanged.connect(self._figures)
        self.zone.activated.connect(self._pick)
        self._picked = False
        side.addWidget(self.zone)
        self.figures = FigureGrid(
            ("thickness", "fibre by volume", "dry mass", "resin", "fibre by mass", "price")
        )
        side.addWidget(self.figures)
        side.addWidget(
            note(
                "Under the full pressure of the bag. Price is what the layers cost a square metre, in the shop's money."
            )
        )
        side.addStretch()
        self.table.itemChanged.connect(self._typed)
        self._filling = False
        self.follow()

    def set_theme(self, theme: Theme) -> None:
        self.drawing.set_theme(theme)

    def _buttons(self) -> QHBoxLayout:
        row = QHBoxLayout()
        self.material = QComboBox()
        self.material.setAccessibleName("Material to add")
        for key, material in layer_materials().items():
            if material.kind != "mesh":
                self.material.addItem(material.name, key)
        row.addWidget(self.material, 1)
        for text, act in (
            ("Add on top", self._add),
            ("Up", self._up),
            ("Down", self._down),
            ("Remove", self._remove),
        ):
            button = QPushButton(text)
            button.setAccessibleName(
                {"Up": "Move layer up", "Down": "Move layer down", "Remove": "Remove layer"}.get(text, text)
            )
            button.clicked.connect(act)
            row.addWidget(button)
        return row

    def row(self, job: Job, outlook: Outlook | None) -> RailRow:
        if not job.stack:
            return RailRow("nothing laid", "open")
        thick = [zone_stack(job, z).thickness for z in zone_names(job)]
        thick = [t for t in thick if t > 0]
        low, high = min(thick, default=0.0), max(thick, default=0.0)
        text = show(high, "thickness", self.session.system, 1 if self.session.system == "metric" else 2)
        if high - low > 1e-5:
            text = f"{show(low, 'thickness', self.session.system, 1 if self.session.system == 'metric' else 2).split()[0]}–{text}"
        return RailRow(text, "settled")

    def fill(self) -> None:
        self._filling = True
        job, s = self.session.job, self.session.system
        names = zone_names(job)
        shown = self.zone.currentData()
        self.zone.blockSignals(True)
        self.zone.clear()
        for key, name in names.items():
            self.zone.addItem(name, key)
        wanted = shown if shown in names and self._picked else next((z for z in names if z != RIM), RIM)
        self.zone.setCurrentIndex(list(names).index(wanted))
        self.zone.blockSignals(False)
        self.table.setRowCount(len(job.stack))
        for r, layer in enumerate(job.stack):
            self._fill_row(r, layer, names, s)
        for c, width in enumerate((36, 230, 64, 150, 84)):
            self.table.setColumnWidth(c, width)
        self._filling = False
        self._figures()

    def _fill_row(self, r: int, layer: Layer, names: dict[str, str], s: System) -> None:
        state = layer_state(layer, self.session.job)
        number, name = QTableWidgetItem(str(r + 1)), QTableWidgetItem(state.name)
        angle = QTableWidgetItem(f"{layer.angle_deg:g}°" if state.kind in {"fabric", "porous"} else "")
        thick = QTableWidgetItem(show(state.thickness, "thickness", s))
        density = self.session.job.resin.density if self.session.job.resin else 1100.0
        resin = QTableWidgetItem(show(state.pores * density, "areal mass", s))
        for item in (number, name, thick, resin):
            item.setFlags(item.flags() & ~Qt.ItemFlag.ItemIsEditable)
        for c, item in ((0, number), (1, name), (2, angle), (4, thick), (5, resin)):
            self.table.setItem(r, c, item)
        box = QComboBox()
        box.setAccessibleName(f"Zone of layer {r + 1}")
        box.addItem("everywhere", ())
        for key, zone in names.items():
            box.addItem(zone, (key,))
        if len(layer.zones) > 1:
            box.addItem(" + ".join(names[z] for z in layer.zones), layer.zones)
        choices = [tuple(box.itemData(i) or ()) for i in range(box.count())]
        box.setCurrentIndex(choices.index(tuple(layer.zones)))
        box.activated.connect(lambda i, row=r, boxed=box: self._set_zone(row, tuple(boxed.itemData(i) or ())))
        self.table.setCellWidget(r, 3, box)

    def _pick(self) -> None:
        self._picked = True

    def _figures(self) -> None:
        job, s = self.session.job, self.session.system
        zone = self.zone.currentData() or RIM
        self.drawing.zone = zone
        self.drawing.update()
        stack: ZoneStack = zone_stack(job, zone)
        density = job.resin.density if job.resin else 1100.0
        vf, fibre = stack.fibre_fraction, sum(x.dry_mass for x in stack.layers if x.kind == "fabric")
        plies = sum(x.pores for x in stack.layers if x.kind == "fabric") * density
        self.figures.set("thickness", show(stack.thickness, "thickness", s))
        self.figures.set("fibre by volume", f"{vf * 100:.1f} %" if vf else "—")
        self.figures.set("fibre by mass", f"{fibre / (fibre + plies) * 100:.1f} %" if fibre else "—")
        self.figures.set("dry mass", show(stack.dry_mass, "areal mass", s))
        self.figures.set("resin", show(stack.pores * density, "areal mass", s))
        self.figures.set("price", f"{stack.price:.2f}")

    def _typed(self, item: QTableWidgetItem) -> None:
        if self._filling or item.column() != 2:
            return
        try:
            angle = parse(item.text(), "angle")
        except UnitError as error:
            self.session.said.emit(str(error), True)
            self.fill()
            return
        if not self.session.edit("Turn layer", lambda j: replace_layer(j, item.row(), angle_deg=angle)):
            self.fill()

    def _set_zone(self, row: int, zones: tuple[str, ...]) -> None:
        self.session.edit("Move layer to zone", lambda j: replace_layer(j, row, zones=zones))

    def _add(self) -> None:
        key = self.material.currentData()
        material = layer_materials()[key]

        def edit(job: Job) -> Job:
            layer = Layer(id=new_id("L", [x.id for x in job.stack]), material=key)
            if material.kind == "core" and job.part.zones:
                layer = layer.model_copy(update={"zones": (job.part.zones[0].id,)})
            return add_layer(use_material(job, key, material), layer)

        self.session.edit(f"Add {material.name}", edit)
        self.table.selectRow(len(self.session.job.stack) - 1)

    def _chosen(self) -> int | None:
        row = self.table.currentRow()
        if 0 <= row < len(self.session.job.stack):
            return row
        self.session.said.emit("Choose a layer in the table first.", True)
        return None

    def _move(self, by: int) -> None:
        row = self._chosen()
        if row is not None and 0 <= row + by < len(self.session.job.stack):
            self.session.edit("Move layer", lambda j: move_layer(j, row, row + by))
            self.table.selectRow(row + by)

    def _up(self) -> None:
        self._move(1)

    def _down(self) -> None:
        self._move(-1)

    def _remove(self) -> None:
        row = self._chosen()
        if row is not None:
            self.session.edit("Remove layer", lambda j: drop_unused(remove_layer(j, row)))
