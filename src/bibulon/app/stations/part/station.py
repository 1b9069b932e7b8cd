"""Part: the outline and its zones, the mould, ways to make it, variants."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QSplitter, QVBoxLayout, QWidget

from bibulon.app.kit.fields import FigureGrid
from bibulon.app.kit.surface_view import SurfaceView
from bibulon.app.kit.tabs import Tabs, paged, pages_of
from bibulon.app.stations.base import PlanBench, RailRow, Station
from bibulon.app.stations.part.outline_panel import SURFACES, OutlinePanel
from bibulon.core.drawing.kit.look import PlanLook
from bibulon.core.drawing.kit.scene import Item
from bibulon.core.drawing.kit.tokens import Theme
from bibulon.core.drawing.plan.partdraw import draw_part_marks
from bibulon.core.geometry import outline as geometry
from bibulon.core.geometry.outline import OutlineError, trace
from bibulon.core.geometry.zones import regions
from bibulon.core.model.job import Job
from bibulon.core.outlook.outlook import Outlook
from bibulon.core.stack.laid import developed_area, mould_area
from bibulon.core.units.units import show
from bibulon.core.units.words import tr
from bibulon.store.imports.drawing_in import READERS

if TYPE_CHECKING:
    from bibulon.app.stations.part.mould_panel import MouldPanel
    from bibulon.app.stations.part.routes_view import RoutesView
    from bibulon.app.stations.part.zones_panel import ZonesPanel
    from bibulon.app.stations.shared.variants_view import VariantsView

__all__ = ["PartStation"]

BESIDE = 220  # px of the turning view beside the plan, or below it
LYING = 1.2  # times longer than high is a part that leaves room below it


class PartStation(Station):
    """The plan with outline, zones and mould corners; a small turning view where there is a surface."""

    name = "Part"
    takes = frozenset({*READERS, *SURFACES})
    side_share = 7

    def build(self) -> None:
        session = self.session
        self.plan_bench = PlanBench(session, frozenset({"outline", "zones"}), cut=False, resin=False)
        plan = self.plan_bench.plan
        plan.extra = self._on_plan
        plan.hidden = frozenset({"lines", "mesh", "cut", "signs"})
        plan.drawn.connect(self._drawn)
        self.plan_bench.right.setText(tr("drag a corner, or type it in the table"))
        self.solid = SurfaceView()
        self.beside = QSplitter()
        self.beside.addWidget(self.plan_bench)
        self.beside.addWidget(self.solid)
        self.beside.setStretchFactor(0, 1)
        self.beside.setSizes([480, BESIDE])
        self.beside.setChildrenCollapsible(False)
        self.bench = self.tabs = Tabs("Part", [("Plan", self.beside), *pages_of(self)])
        self.tabs.shown.connect(lambda _: self.fill_page())
        self.side = QWidget()
        layout = QVBoxLayout(self.side)
        layout.setContentsMargins(0, 12, 0, 8)
        self.figures = FigureGrid(("area", "perimeter", "on the mould", "cored", "zones", "copies"), 3)
        inner = QVBoxLayout()
        inner.setContentsMargins(16, 0, 16, 0)
        inner.addWidget(self.figures)
        layout.addLayout(inner)
        self.panels = Tabs("Part panel", pages_of(self, "panels"))
        self.panels.shown.connect(lambda _: self._panel_shown())
        layout.addWidget(self.panels, 1)
        self.follow()

    @paged("Ways to make it")
    def routes(self) -> RoutesView:
        from bibulon.app.stations.part.routes_view import RoutesView

        return RoutesView(self.session)

    @paged("Variants")
    def variants(self) -> VariantsView:
        from bibulon.app.stations.shared.variants_view import VariantsView

        return VariantsView(self.session)

    @paged("Outline", "panels")
    def outline(self) -> OutlinePanel:
        panel = OutlinePanel(self.session)
        panel.draw.connect(self.plan_bench.plan.begin_drawing)
        return panel

    @paged("Zones", "panels")
    def zones(self) -> ZonesPanel:
        from bibulon.app.stations.part.zones_panel import ZonesPanel

        panel = ZonesPanel(self.session)
        panel.draw.connect(self.plan_bench.plan.begin_drawing)
        return panel

    @paged("Mould", "panels")
    def mould(self) -> MouldPanel:
        from bibulon.app.stations.part.mould_panel import MouldPanel

        panel = MouldPanel(self.session)
        panel.draw.connect(self.plan_bench.plan.begin_drawing)
        return panel

    def set_theme(self, theme: Theme) -> None:
        for view in (self.plan_bench, self.solid, self.tabs):
            view.set_theme(theme)
        self.outline.theme = theme

    def row(self, job: Job, outlook: Outlook | None) -> RailRow:
        try:
            return RailRow(show(mould_area(job.part), "area", self.session.system), "settled")
        except OutlineError:
            return RailRow("outline crossed", "blocked")

    def fill(self) -> None:
        job = self.session.job
        self._panel_shown()
        self.solid.show_surface(job.part.surface)
        self.solid.setVisible(job.part.surface is not None)
        self._lay_beside(job)
        self._figures(job)
        self.fill_page()

    def _panel_shown(self) -> None:
        panel: Any = self.panels.current
        panel.fill()

    def _lay_beside(self, job: Job) -> None:
        """Put the turning view where the plan leaves room: below a part that lies, beside one that stands."""
        wide, high = np.ptp(trace(job.part.outline), axis=0)
        way = Qt.Orientation.Vertical if wide > LYING * high else Qt.Orientation.Horizontal
        if way is not self.beside.orientation():
            self.beside.setOrientation(way)
            self.beside.setSizes([480, BESIDE])

    def _figures(self, job: Job) -> None:
        s = self.session.system
        self.figures.set("perimeter", show(geometry.perimeter(job.part.outline), "distance", s))
        hands = (
            f"{job.part.copies} + {job.part.mirror_copies}"
            if job.part.mirror_copies
            else str(job.part.copies)
        )
        self.figures.set("copies", hands)
        self.figures.set("zones", str(len(job.part.zones)))
        try:
            plan = regions(job.part)
        except OutlineError:
            for name in ("area", "on the mould", "cored"):
                self.figures.set(name, "—")
            return
        taken = geometry.check(job.part.outline).area - plan.whole.area
        self.figures.set("area", show(geometry.area(job.part.outline) - taken, "area", s))
        on_mould = {z: developed_area(job.part, z, r) for z, r in plan.zones.items()}
        cored = {
            z
            for layer in job.stack
            if job.materials[layer.material].kind == "core" and layer.outline is None
            for z in (layer.zones or tuple(plan.zones))
        }
        self.figures.set("on the mould", show(sum(on_mould.values()), "area", s))
        self.figures.set("cored", show(sum(on_mould[z] for z in cored), "area", s))

    def begin(self, kind: str) -> None:
        """Put the hand where a part begins: at a "drawing" to import, at its "measured" corners, or at a "shape"."""
        self.panels.go("Outline")
        self.tabs.go("Plan")
        if kind == "drawing":
            self.outline.load()
        elif kind == "measured":
            self.outline.table.setFocus()
            self.outline.table.choose(0)
        else:
            self.outline.starter.setFocus()
            self.session.said.emit(tr("Choose a shape at the right, type its sizes, and make it."), False)

    def take_file(self, path: Path) -> None:
        """Read an outline or a mould surface."""
        self.outline.load(path)

    def _on_plan(self, look: PlanLook, width: float, height: float) -> Iterator[Item]:
        return draw_part_marks(self.session.job, look)

    def _drawn(self, kind: str, points: tuple[tuple[float, float], ...]) -> None:
        if kind == "outline":
            self.outline.take(points)
        elif kind == "zone":
            self.zones.take(points)
        elif kind == "mould corner":
            self.mould.take(points)
