"""Stack: layers from the tool up, where each lies, what they come to, and the library that they are taken from."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING

from PySide6.QtWidgets import QComboBox, QHBoxLayout, QLineEdit, QPushButton, QVBoxLayout, QWidget

from bibulon.app.kit.drawing_view import DrawingView
from bibulon.app.kit.fields import FigureGrid, heading, narrow, note, offer_named
from bibulon.app.kit.tabs import Tabs, paged, pages_of
from bibulon.app.stations.base import PlanBench, RailRow, Station, titled
from bibulon.app.work.ask import Ask
from bibulon.core.drawing.kit.look import PlanLook
from bibulon.core.drawing.kit.scene import Item
from bibulon.core.drawing.kit.tokens import Theme
from bibulon.core.drawing.section.stackdraw import (
    ThicknessMap,
    draw_ply,
    draw_rosette,
    draw_thickness,
    label_thickness,
    thickness_map,
)
from bibulon.core.edit.edit import (
    add_layer,
    drop_unused,
    move_layer,
    new_id,
    remove_layer,
    replace_layer,
    use_material,
)
from bibulon.core.edit.plies import layer_choices
from bibulon.core.model.job import RIM, Corner, Job, Layer, Seam
from bibulon.core.outlook.outlook import Outlook
from bibulon.core.run.layup import laid_layers, lay_entry
from bibulon.core.stack.derived import imbalance, rosette, unmatched
from bibulon.core.stack.laminate import zone_stack
from bibulon.core.stack.totals import stack_figures
from bibulon.core.units.units import show, system_of
from bibulon.core.units.words import tr

if TYPE_CHECKING:
    from bibulon.app.stations.stack.library_view import LibraryView
    from bibulon.app.stations.stack.lists_view import ListsView

__all__ = ["StackStation"]

FIGURES = (
    "thickness",
    tr("laid loose"),
    tr("fibre by volume"),
    tr("fibre by mass"),
    "resin",
    tr("finished mass"),
    "balance",
    "price",
)


def laid_zones(job: Job) -> dict[str, str]:
    """Return the zones in which cloth may be laid by id, rim first."""
    return {RIM: job.part.rest_name, **{z.id: z.name for z in job.part.zones if z.laid}}


class StackStation(Station):
    """Drawing and ply table; the thickness of the part; the library; lists for the floor."""

    name = "Stack"
    side_share = 7

    def build(self) -> None:
        from bibulon.app.stations.stack.ply_table import PlyTable
        from bibulon.app.stations.stack.stack_view import StackView

        session = self.session
        self.drawing = StackView(session)
        self.rose = DrawingView("Fibre by angle", self._rose, 150)
        self.table = PlyTable(session)
        self.plan_bench = PlanBench(session, frozenset(), cut=False, resin=False)
        self.plan_bench.plan.extra = self._on_plan
        self.plan_bench.plan.extra_key = lambda: (self.table.current(), id(self._thickness))
        self.plan_bench.plan.hidden = frozenset({"lines", "mesh", "cut", "signs", "plies"})
        self.plan_bench.plan.drawn.connect(self._drawn)
        self._thickness: ThicknessMap | None = None
        self.mapping = Ask(session, lambda: session.number)
        self.mapping.ready.connect(self._on_thickness)
        first = [("Stack", self._stack_page()), ("On the plan", self.plan_bench)]
        self.bench = self.tabs = Tabs("Stack", [*first, *pages_of(self)])
        self.tabs.shown.connect(lambda _: self._page_shown())
        self.side = self._side()
        self.drawing.chosen.connect(self._choose)
        self.drawing.removed.connect(self._remove_at)
        self.table.row_chosen.connect(self._choose)
        self.table.laid_pressed.connect(self._turn_laid)
        session.journal_changed.connect(self._laid)
        session.library_changed.connect(self._fill_materials)
        self._picked = False
        self.follow()

    # -- building

    @paged("Library")
    def library(self) -> LibraryView:
        from bibulon.app.stations.stack.library_view import LibraryView

        return LibraryView(self.session)

    @paged("Lists")
    def lists(self) -> ListsView:
        from bibulon.app.stations.stack.lists_view import ListsView

        return ListsView(self.session)

    def _stack_page(self) -> QWidget:
        page = QWidget()
        layout = QVBoxLayout(page)
        layout.setContentsMargins(0, 0, 0, 8)
        upper = QWidget()
        across = QHBoxLayout(upper)
        across.setContentsMargins(0, 0, 0, 0)
        across.setSpacing(0)
        across.addWidget(self.drawing, 5)
        across.addWidget(self.rose, 2)
        layout.addWidget(titled("Tool side below · drag a layer to another place", None, upper), 5)
        inner = QVBoxLayout()
        inner.setContentsMargins(16, 0, 16, 0)
        inner.addWidget(self.table, 1)
        inner.addLayout(self._buttons())
        layout.addLayout(inner, 5)
        return page

    def _buttons(self) -> QHBoxLayout:
        row = QHBoxLayout()
        self.material = narrow(QComboBox())
        self.material.setAccessibleName(tr("Material to add"))
        self._fill_materials()
        row.addWidget(self.material, 1)
        for text, name, act in (
            (tr("Add on top"), tr("Add on top"), self._add),
            ("Up", tr("Move layer up"), lambda: self._move(1)),
            ("Down", tr("Move layer down"), lambda: self._move(-1)),
            ("Remove", tr("Remove layer"), self._remove),
            ("Copy", tr("Copy layers for a spreadsheet"), self.table.copy),
            ("Paste", tr("Paste layers from a spreadsheet"), self.table.paste),
        ):
            button = QPushButton(tr(text))
            button.setAccessibleName(tr(name))
            button.setToolTip(tr(name))
            button.clicked.connect(lambda _=False, a=act: a())
            row.addWidget(button)
        return row

    def _side(self) -> QWidget:
        from bibulon.app.stations.stack.layer_panel import LayerPanel

        panel = QWidget()
        side = QVBoxLayout(panel)
        side.setContentsMargins(16, 12, 16, 8)
        row = QHBoxLayout()
        row.addWidget(heading("Zone"))
        self.zone = QComboBox()
        self.zone.setAccessibleName(tr("Zone shown"))
        self.zone.currentIndexChanged.connect(lambda _: self._figures() if self.zone.count() else None)
        self.zone.activated.connect(self._pick)
        row.addWidget(self.zone, 1)
        side.addLayout(row)
        self.figures = FigureGrid(FIGURES, 3)
        side.addWidget(self.figures)
        self.flow_words = note()
        side.addWidget(self.flow_words)
        side.addWidget(heading("Layer"))
        self.layer = LayerPanel(self.session)
        self.layer.draw.connect(self._draw)
        side.addWidget(self.layer)
        row = QHBoxLayout()
        row.addWidget(note("Laid by"))
        self.by = QLineEdit(self.session.person)
        self.by.setAccessibleName(tr("Laid by"))
        self.by.setToolTip(tr("Whose name a click in the column “laid” puts down"))
        self.by.editingFinished.connect(lambda: self.session.settings.setValue("person", self.by.text()))
        row.addWidget(self.by, 1)
        side.addLayout(row)
        side.addStretch()
        return panel

    def set_theme(self, theme: Theme) -> None:
        super().set_theme(theme)
        for view in (self.drawing, self.rose):
            view.set_theme(theme)

    def _fill_materials(self) -> None:
        """Offer what the job and the library have: another job has materials of its own."""
        materials = layer_choices(self.session.job, self.session.shelf).materials
        offer_named(self.material, {key: material.name for key, material in materials.items()})

    # -- showing

    def row(self, job: Job, outlook: Outlook | None) -> RailRow:
        if not job.stack:
            return RailRow("nothing laid", "open")
        thick = [t for z in laid_zones(job) if (t := zone_stack(job, z).thickness) > 0]
        low, high = min(thick, default=0.0), max(thick, default=0.0)
        digits = 1 if system_of("thickness", self.session.system) == "metric" else 2
        text = show(high, "thickness", self.session.system, digits)
        if high - low > 1e-5:
            text = f"{show(low, 'thickness', self.session.system, digits).split()[0]}–{text}"
        return RailRow(text, "settled")

    def fill(self) -> None:
        job, names = self.session.job, laid_zones(self.session.job)
        self._fill_materials()
        shown = self.zone.currentData()
        self.zone.blockSignals(True)
        self.zone.clear()
        for key, name in names.items():
            self.zone.addItem(tr(name), key)
        wanted = shown if shown in names and self._picked else next((z for z in names if z != RIM), RIM)
        self.zone.setCurrentIndex(list(names).index(wanted))
        self.zone.blockSignals(False)
        self._laid()
        row = self.table.current()
        self.layer.show_layer(row if row is not None and row < len(job.stack) else None)
        self.drawing.show_layer(row)
        self._figures()
        self._map()
        self.plan_bench.plan.update()

    def _laid(self) -> None:
        self.table.refresh(laid_layers(self.session.journal))
        self.drawing.update()

    def _map(self) -> None:
        """Work out the thickness of the whole part, off the interface thread."""
        job = self.session.job
        if self.tabs.current is self.plan_bench and (
            self._thickness is None or self._thickness.job is not job
        ):
            self.mapping.want(lambda: thickness_map(job))

    def _on_thickness(self, found: ThicknessMap) -> None:
        self._thickness = found
        self.plan_bench.plan.update()

    def _page_shown(self) -> None:
        self._map()
        self.fill_page()

    def _pick(self) -> None:
        self._picked = True

    def _choose(self, row: int) -> None:
        """Show one layer everywhere."""
        index = row if 0 <= row < len(self.session.job.stack) else None
        if index is not None:
            self.table.choose(index)
        self.drawing.show_layer(index)
        self.layer.show_layer(index)
        self.plan_bench.plan.update()

    def _rose(self, width: float, height: float, theme: Theme) -> Iterator[Item]:
        job = self.session.job
        stack = zone_stack(job, self.drawing.zone)
        return draw_rosette(rosette(stack, job), stack, width, height, theme)

    def _on_plan(self, look: PlanLook, width: float, height: float) -> Iterator[Item]:
        job = self.session.job
        found = self._thickness
        if found is not None:
            yield from draw_thickness(found, look)
        row = self.table.current()
        if row is not None and row < len(job.stack):
            yield from draw_ply(job, job.stack[row], look)
        if found is not None:
            yield from label_thickness(found, look, height)

    def _figures(self) -> None:
        from bibulon.app.stations.stack.flow_words import words_of_flow

        job, s = self.session.job, self.session.system
        zone = self.zone.currentData() or RIM
        self.drawing.zone = zone
        self.drawing.update()
        self.rose.update()
        stack = zone_stack(job, zone)
        f = stack_figures(job, stack)
        some = any(x.kind == "fabric" for x in stack.layers)
        off = imbalance(rosette(stack, job))
        even = tr("none laid") if not some else tr("even") if off < 0.02 else tr("{:.0f} % odd", off * 100)
        if some and off < 0.02 and unmatched(stack, job) is not None:
            even = "one-sided"
        for name, text in (
            ("thickness", show(f.thickness, "thickness", s)),
            (tr("laid loose"), show(f.loose, "thickness", s)),
            (tr("fibre by volume"), f"{f.fibre_volume * 100:.1f} %" if f.fibre_volume else "—"),
            (tr("fibre by mass"), f"{f.fibre_mass * 100:.1f} %" if f.fibre_mass else "—"),
            ("resin", show(f.resin, "areal mass", s)),
            (tr("finished mass"), show(f.mass, "areal mass", s)),
            ("balance", even),
            ("price", f"{f.cost:.2f}"),
        ):
            self.figures.set(name, text)
        self.flow_words.setText(words_of_flow(job, zone, s))

    # -- acts

    def _add(self) -> None:
        key = self.material.currentData()
        material = layer_choices(self.session.job, self.session.shelf).materials[key]

        def edit(job: Job) -> Job:
            layer = Layer(id=new_id("L", [x.id for x in job.stack]), material=key)
            cored = next((z.id for z in job.part.zones if z.laid and z.kind == "cored"), None)
            first = cored or next((z.id for z in job.part.zones if z.laid), None)
            if material.kind == "core" and first:
                layer = layer.replaced(zones=(first,))
            return add_layer(use_material(job, key, material), layer)

        if self.session.edit(tr("Add {}", material.name), edit):
            self._choose(len(self.session.job.stack) - 1)

    def _chosen(self) -> int | None:
        row = self.table.current()
        if row is None:
            self.session.said.emit(tr("Choose a layer in the drawing or the table first."), True)
        return row

    def _move(self, by: int) -> None:
        row = self._chosen()
        if row is not None and 0 <= row + by < len(self.session.job.stack):
            self.session.edit("Move layer", lambda j: move_layer(j, row, row + by))
            self._choose(row + by)

    def _remove(self) -> None:
        row = self._chosen()
        if row is not None:
            self._remove_at(row)

    def _remove_at(self, row: int) -> None:
        self.session.edit("Remove layer", lambda j: drop_unused(remove_layer(j, row)))

    def _turn_laid(self, row: int) -> None:
        """Note a layer as laid, or take the note back."""
        layer = self.session.job.stack[row]
        done = layer.id in laid_layers(self.session.journal)
        self.session.stamp(
            lay_entry(layer.id, self.by.text().strip() or "?", self.session.run_clock.wall(), not done)
        )

    def _draw(self, kind: str) -> None:
        """Draw an outline, a splice or a dart of the chosen layer on the plan."""
        if self._chosen() is not None:
            self.tabs.go("On the plan")
            self.plan_bench.plan.begin_drawing(kind)

    def _drawn(self, kind: str, points: tuple[tuple[float, float], ...]) -> None:
        row = self.table.current()
        if row is None:
            return
        layer = self.session.job.stack[row]
        if kind == "ply":
            outline = tuple(Corner(x=x, y=y) for x, y in points)
            self.session.edit(
                "Draw ply", lambda j: _checked(replace_layer(j, row, outline=outline, zones=()))
            )
        elif kind == "splice" or kind == "dart":
            if len(points) < 2:
                self.session.said.emit(tr("A {} needs two points at least.", kind), True)
                return
            seams = (*layer.seams, Seam(kind="dart" if kind == "dart" else "splice", path=points))
            self.session.edit(tr("Draw {}", kind), lambda j: replace_layer(j, row, seams=seams))


def _checked(job: Job) -> Job:
    """Return the job if its plies bound an area."""
    from bibulon.core.stack.laid import places

    places(job)
    return job
