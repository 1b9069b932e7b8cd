"""Opening an outline out of a drawing, or a mould surface: what the file does not tell is asked, with a preview."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QHBoxLayout,
    QListWidgetItem,
    QVBoxLayout,
    QWidget,
)
from shapely.geometry import Polygon

from bibulon.app.kit.drawing_view import DrawingView
from bibulon.app.kit.fields import Form, UnitEdit, heading, note
from bibulon.app.kit.rows import Rows
from bibulon.app.kit.surface_view import SurfaceView
from bibulon.app.work.ask import Ask
from bibulon.core.drawing.kit.scene import Area, Item, Label, View
from bibulon.core.drawing.kit.tokens import WEIGHT, Theme
from bibulon.core.drawing.plan.solid import solid_of
from bibulon.core.geometry import outline as geometry
from bibulon.core.geometry.outline import trace
from bibulon.core.geometry.surface import lift_onto
from bibulon.core.model.job import Outline, Surface
from bibulon.core.units.figures import told_by, worded
from bibulon.core.units.units import System, show
from bibulon.core.units.words import tr
from bibulon.store.imports.drawing_in import UNITS, Drawing, DrawingError, Taken, assemble
from bibulon.store.imports.mesh_in import UPS, RawMesh, likely_up, take_mesh
from bibulon.store.imports.skin import one_skin

__all__ = ["DrawingImport", "MeshImport"]

GUESS_MM = 20.0  # a drawing larger than this, in its own units, is taken to be in mm
TRUE = 0.01  # by which lengths on a plan may be off for it to be called true


def _outline_items(
    outline: Outline, holes: tuple[Outline, ...], width: float, height: float, theme: Theme, system: System
) -> Iterator[Item]:
    points = trace(outline)
    low, high = points.min(axis=0), points.max(axis=0)
    view = View.fit((*low, *high), width, height, 40)
    yield Area([view.to(points), *(view.to(trace(h)) for h in holes)], theme.cloth, theme.ink, WEIGHT["line"])
    size = high - low
    words = tr("{0} by {1}", show(size[0], "length", system), show(size[1], "length", system))
    yield Label(width / 2, height - 14, words, theme.ink, 13)


class _Ask(QDialog):
    """A preview at the left, questions at the right, and what is wrong below them."""

    def __init__(self, title: str, theme: Theme, system: System, parent: QWidget | None) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr(title))
        self.theme, self.system = theme, system
        self.resize(860, 520)
        outer = QVBoxLayout(self)
        self.across = QHBoxLayout()
        outer.addLayout(self.across, 1)
        self.right = QWidget()
        self.right.setFixedWidth(280)
        self.column = QVBoxLayout(self.right)
        self.column.setContentsMargins(12, 0, 0, 0)
        self.words = note()
        self.buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Cancel)
        self.buttons.button(QDialogButtonBox.StandardButton.Cancel).setAutoDefault(False)
        self.ok = self.buttons.addButton(tr("Take it"), QDialogButtonBox.ButtonRole.AcceptRole)
        self.buttons.accepted.connect(self.accept)
        self.buttons.rejected.connect(self.reject)
        outer.addWidget(self.buttons)

    def _may_take(self, may: bool) -> None:
        self.ok.setEnabled(may)
        self.ok.setDefault(may)  # by Return


class DrawingImport(_Ask):
    """Which layers and unit of a drawing, and up to which gap its lines are joined; ``taken`` is the outline."""

    def __init__(self, drawing: Drawing, theme: Theme, system: System, parent: QWidget | None = None) -> None:
        super().__init__(tr("Outline from {}", drawing.name), theme, system, parent)
        self.drawing = drawing
        self.taken: Taken | None = None
        self.preview = DrawingView("Preview of the outline", self._items, 300)
        self.preview.set_theme(theme)
        self.across.addWidget(self.preview, 1)
        self.across.addWidget(self.right)
        form = Form()
        self.unit = QComboBox()
        self.unit.addItems(list(UNITS))
        self.unit.setCurrentText(drawing.unit or self._likely_unit())
        self.unit.activated.connect(lambda _: self._try())
        form.add("Unit", self.unit)
        self.gap = UnitEdit("length", "Close gaps up to", 0.0, 1.0)
        self.gap.set_value(1e-3, system)
        self.gap.committed.connect(lambda _: self._try())
        form.add("Close gaps up to", self.gap)
        self.column.addWidget(form)
        if drawing.unit is None:
            self.column.addWidget(note("The file does not state its unit: check the size below the outline."))
        self.column.addWidget(heading("Layers"))
        self.layers = Rows()
        self.layers.setAccessibleName(tr("Layers of the drawing"))
        for name in drawing.layers:
            item = QListWidgetItem(tr(name))
            item.setCheckState(Qt.CheckState.Checked)
            self.layers.addItem(item)
        self.layers.itemChanged.connect(lambda _: self._try())
        self.column.addWidget(self.layers, 1)
        self.column.addWidget(self.words)
        self._try()

    def _likely_unit(self) -> str:
        points = np.array([c[:2] for chain in self.drawing.chains for c in chain.corners])
        return "mm" if float(np.ptp(points, axis=0).max()) > GUESS_MM else "m"

    def chosen(self) -> list[str]:
        """Return the layers that are ticked."""
        items = [self.layers.item(k) for k in range(self.layers.count())]
        return [i.text() for i in items if i.checkState() == Qt.CheckState.Checked]

    def _try(self) -> None:
        try:
            self.taken = assemble(self.drawing, self.chosen(), self.unit.currentText(), self.gap.value())
            self.words.setText(worded(" ".join(self.taken.notes), self.system) or tr("One closed outline."))
        except DrawingError as error:
            self.taken = None
            self.words.setText(worded(told_by(error), self.system))
        self._may_take(self.taken is not None)
        self.preview.update()

    def _items(self, width: float, height: float, theme: Theme) -> Iterator[Item]:
        if self.taken is None:
            yield Label(width / 2, height / 2, "No outline yet: see at the right.", theme.soft, 14)
            return
        yield from _outline_items(self.taken.outline, self.taken.holes, width, height, theme, self.system)


def _how_true(surface: Surface) -> str:
    """Say how a surface is laid on the plan, and how far lengths there are from those on the mould."""
    short, long = lift_onto(surface).off_length
    if surface.laid == "above":
        return tr("Seen from above, lengths are up to {:.0f} % short.", -100 * short)
    if max(-short, long) < TRUE:
        return tr("Unrolled, it lies flat: lengths on the plan are true.")
    few, many = (f"{100 * x:+.0f} %".replace("-", "−") for x in (short, long))
    return tr(
        "Unrolled; it does not lie flat: lengths on the plan are {0} to {1} off, and cloth wants darts.",
        few,
        many,
    )


Laid = tuple[Surface, Outline, tuple[Outline, ...]]


def _laid(raw: RawMesh, unit: str, up: str, unrolled: bool | None) -> tuple[Laid, str]:
    """Lay a surface on the plan, and say how; what showing and taking a large one asks for is worked out here too."""
    skin, told = one_skin(raw, up)
    laid = take_mesh(skin, unit, up, unrolled)
    solid_of(laid[0])
    lift_onto(laid[0]).area_over(Polygon(trace(laid[1])))
    if raw.finer:
        told = [*told, tr("Made coarser from {} triangles; the rim is as it was.", raw.finer)]
    return laid, " ".join([*told, _how_true(laid[0])])


class MeshImport(_Ask):
    """Unit and up-direction of a surface, and how it is laid on the plan; ``taken`` is what came of it."""

    def __init__(self, raw: RawMesh, theme: Theme, system: System, parent: QWidget | None = None) -> None:
        super().__init__(tr("Mould surface from {}", raw.name), theme, system, parent)
        self.raw = raw
        self.taken: Laid | None = None
        self.later = Ask(self, lambda: None)  # the newest question alone counts
        self.later.ready.connect(self._on_taken)
        self.later.failed.connect(self._on_failure)
        left = QVBoxLayout()
        self.solid = SurfaceView()
        self.solid.set_theme(theme)
        self.flat = DrawingView("The surface on the plan", self._items, 180)
        self.flat.set_theme(theme)
        left.addWidget(self.solid, 1)
        left.addWidget(self.flat, 1)
        self.across.addLayout(left, 1)
        self.across.addWidget(self.right)
        form = Form()
        self.unit = QComboBox()
        self.unit.addItems(list(UNITS))
        likely = "mm" if float(np.ptp(raw.points, axis=0).max()) > GUESS_MM else "m"
        self.unit.setCurrentText(raw.unit or likely)
        self.up = QComboBox()
        self.up.addItems(list(UPS))
        self.up.setCurrentText(likely_up(raw))
        self.laid = QComboBox()
        self.laid.addItem(tr("as suits it"), None)
        self.laid.addItem(tr("seen from above"), False)
        self.laid.addItem(tr("unrolled"), True)
        for name, box in (
            ("Unit", self.unit),
            (tr("Up in the file"), self.up),
            (tr("Plan shows it"), self.laid),
        ):
            box.activated.connect(lambda _: self._try())
            form.add(name, box)
        self.column.addWidget(form)
        self.column.addWidget(
            note("The file states neither unit nor which way is up: check size and picture.")
        )
        self.column.addWidget(self.words)
        self.column.addStretch()
        self._try()

    def _try(self) -> None:
        self._may_take(False)
        self.words.setText(tr("Laying the surface on the plan…"))
        raw, unit, up, unrolled = (
            self.raw,
            self.unit.currentText(),
            self.up.currentText(),
            self.laid.currentData(),
        )
        self.later.want(lambda: _laid(raw, unit, up, unrolled))

    def _on_taken(self, answer: tuple[Laid, str]) -> None:
        self.taken, how_true = answer
        surface, outline, holes = self.taken
        flat = geometry.area(outline) - sum(geometry.area(h) for h in holes)
        self.solid.show_surface(surface)
        real = lift_onto(surface).area
        size = tr(
            "{0} triangles, {1} on the mould, {2} on the plan.",
            len(surface.triangles),
            show(real, "area", self.system),
            show(flat, "area", self.system),
        )
        self.words.setText(f"{size} {how_true}")
        self._may_take(True)
        self.flat.update()

    def _on_failure(self, error: Exception) -> None:
        self.taken = None
        self.solid.show_surface(None)
        self.words.setText(str(error))
        self.flat.update()

    def _items(self, width: float, height: float, theme: Theme) -> Iterator[Item]:
        if self.taken is None:
            yield Label(width / 2, height / 2, "Not on the plan yet: see at the right.", theme.soft, 14)
            return
        yield from _outline_items(self.taken[1], self.taken[2], width, height, theme, self.system)

    def done(self, result: int) -> None:
        self.later.close()
        super().done(result)
