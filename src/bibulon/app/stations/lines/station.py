"""Lines: feeds, vacuum lines and mesh, with the forecast above them."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING, Literal

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from bibulon.app.kit.button_row import ButtonRow
from bibulon.app.kit.fields import FigureGrid, Form, UnitEdit, narrow, note, offer, offer_named, push, word_of
from bibulon.app.kit.tabs import Tabs, paged, pages_of
from bibulon.app.session.session import Session
from bibulon.app.stations.base import PlanBench, RailRow, Station
from bibulon.core.drawing.plan.fieldmap import RESIN
from bibulon.core.edit.edit import (
    add_line,
    change,
    drop_unused,
    inset_mesh,
    new_id,
    use_material,
)
from bibulon.core.edit.plies import mesh_choices
from bibulon.core.geometry.outline import check
from bibulon.core.lines.starters import STRATEGIES, lay_lines, suited_plan, usual_plan
from bibulon.core.model.job import CutLine, FlowLine, Job, MeshExtent
from bibulon.core.model.materials import Material
from bibulon.core.outlook.outlook import THROUGH, Outlook
from bibulon.core.units.units import System, clock, show, show_value
from bibulon.core.units.words import tr

if TYPE_CHECKING:
    from bibulon.app.stations.lines.calls_view import CallsView
    from bibulon.app.stations.lines.diagram_view import DiagramView
    from bibulon.app.stations.lines.hold_page import HoldPage
    from bibulon.app.stations.lines.suggest_view import SuggestView
    from bibulon.app.stations.lines.whatif_view import WhatIfView
    from bibulon.app.stations.shared.variants_view import VariantsView

__all__ = ["LinesStation"]

SUITED = "suited"  # the plan that a part asks for by its length and reach


class LinesStation(Station):
    """Plan and cut with the resin; what is selected is set at the side."""

    name = "Lines"
    clock = True
    marked = True
    side_share = 6

    def build(self) -> None:
        session = self.session
        self.plan_bench = PlanBench(session, frozenset({"lines", "mesh", "cut"}), cut=True)
        self.plan = self.plan_bench.plan
        self.bench = self.tabs = Tabs("Lines", [("Plan and cut", self.plan_bench), *pages_of(self)])
        self.tabs.shown.connect(lambda _: self._page_shown())
        self.plan.drawn.connect(self._drawn)
        self._lay_side()
        session.job_changed.connect(lambda _: self._page_shown())
        session.outlook_changed.connect(self._on_outlook)
        session.system_changed.connect(lambda _: self._on_outlook(session.outlook))
        session.system_changed.connect(lambda _: self._page_shown())
        session.selection_changed.connect(lambda _: self._swap())
        session.moment_changed.connect(lambda _: self._title())
        session.view.changed.connect(self._title)
        self._swap()

    @paged("Diagram")
    def diagram(self) -> DiagramView:
        from bibulon.app.stations.lines.diagram_view import DiagramView

        return DiagramView(self.session)

    @paged("Calls")
    def calls(self) -> CallsView:
        from bibulon.app.stations.lines.calls_view import CallsView

        return CallsView(self.session)

    @paged("Suggest")
    def suggest(self) -> SuggestView:
        from bibulon.app.stations.lines.suggest_view import SuggestView

        return SuggestView(self.session)

    @paged("What if")
    def what_if(self) -> WhatIfView:
        from bibulon.app.stations.lines.whatif_view import WhatIfView

        return WhatIfView(self.session)

    @paged("After full")
    def hold(self) -> HoldPage:
        from bibulon.app.stations.lines.hold_page import HoldPage

        return HoldPage(self.session)

    @paged("Variants")
    def variants(self) -> VariantsView:
        from bibulon.app.stations.shared.variants_view import VariantsView

        return VariantsView(self.session)

    def _lay_side(self) -> None:
        from bibulon.app.stations.lines.line_inspector import LineInspector

        session = self.session
        self.side = QWidget()
        layout = QVBoxLayout(self.side)
        layout.setContentsMargins(16, 12, 16, 8)
        layout.setSpacing(6)
        self.figures = FigureGrid(
            (
                "wet through at",
                "dry left",
                "first batch gels",
                "closes last",
                "resin in the part",
                "to the catch pot",
            ),
            3,
        )
        layout.addWidget(self.figures)
        row = QHBoxLayout()
        for text, kind in (("Feed", "feed"), ("Vacuum", "vacuum"), ("Mesh", "mesh")):
            button = QPushButton(tr("Draw {}", text.lower()))
            button.clicked.connect(lambda _=False, k=kind: self.plan.begin_drawing(k))
            row.addWidget(button)
            if kind == "mesh":
                if not _meshed(session.job):
                    button.hide()
                session.job_changed.connect(lambda _, b=button: b.setVisible(_meshed(session.job)))
        layout.addLayout(row)
        row = QHBoxLayout()
        self.layer = QComboBox()
        self.layer.setAccessibleName(tr("Layer whose resin is shown"))
        self.layer.currentIndexChanged.connect(lambda _: self._show_layer(word_of(self.layer)))
        row.addWidget(QLabel(tr("Resin shown")))
        row.addWidget(self.layer, 1)
        layout.addLayout(row)
        self.inspector = LineInspector(session)
        layout.addWidget(self.inspector)
        self.mesh_panel = MeshPanel(session)
        layout.addWidget(self.mesh_panel)
        layout.addStretch()

    def _page_shown(self) -> None:
        if self.tabs.isVisible():
            self.fill_page()

    def entered(self) -> None:
        self._page_shown()
        self._on_outlook(self.session.outlook)

    def _swap(self) -> None:
        chosen = self.session.selected is not None
        self.inspector.setVisible(chosen)
        self.mesh_panel.setVisible(not chosen)

    def _show_layer(self, name: str) -> None:
        if name:
            self.plan.set_layer(name)
            self._title()

    def _title(self) -> None:
        outlook = self.session.outlook
        if outlook is None or outlook.forecast is None:
            self.plan_bench.right.setText(tr("no forecast yet"))
            return
        step = outlook.contours[THROUGH].levels()[1]
        every = f"{step / 60:.0f} min" if step >= 60 else f"{step:.0f} s"
        mark = "" if outlook.fine else tr(" · coarse")
        field = self.session.view.field
        if field != RESIN:
            self.plan_bench.right.setText(
                tr("at {0}: {1}, {2}{3}", clock(self.session.moment), field, self.plan.layer, mark)
            )
            return
        self.plan_bench.right.setText(
            tr("at {0}: {1} · contours {2}{3}", clock(self.session.moment), self.plan.layer, every, mark)
        )

    def _on_outlook(self, outlook: Outlook | None) -> None:
        self._title()
        if outlook is None or outlook.forecast is None:
            for name in self.figures.figures:
                self.figures.set(name, "—")
            return
        f, s = outlook.forecast, self.session.system
        self.figures.set("wet through at", clock(f.fill_time) if f.filled else tr("stays dry"))
        self.figures.set("dry left", _dry(f.dry_area, s))
        x, y, _ = f.last_wet
        self.figures.set("closes last", f"{show_value(x, 'length', s, 0)}, {show(y, 'length', s, 0)}")
        self.figures.set("first batch gels", clock(f.clock.gel) if f.clock.gel < 1e8 else "—")
        self.figures.set("resin in the part", show(f.resin_in_part, "mass", s))
        self.figures.set("to the catch pot", show(f.resin_to_catch_pot, "mass", s))
        names = [THROUGH, *reversed(f.model.slots)]
        if [self.layer.itemData(i) for i in range(self.layer.count())] != names:
            self.layer.blockSignals(True)
            self.layer.clear()
            offer(self.layer, names)
            self.layer.blockSignals(False)
            self._show_layer(THROUGH)

    def row(self, job: Job, outlook: Outlook | None) -> RailRow:
        if outlook is None:
            return RailRow("…", "open")
        f = outlook.forecast
        if f is None:
            return RailRow("no forecast yet", "open")
        figure = clock(f.fill_time) if f.filled else tr("stays dry")
        return RailRow(figure, "settled", self._more(outlook))

    def _more(self, outlook: Outlook) -> tuple[str, ...]:
        """Return gel margin, lead at the break and resin caught."""
        f, s = outlook.forecast, self.session.system
        assert f is not None
        rows = []
        if f.clock.gel < 1e8 and f.filled:
            rows.append(tr("gel margin {:.0f} %", (1 - f.fill_time / f.clock.gel) * 100))
        if outlook.job.mesh is not None:
            rows.append(tr("lead {}", show(outlook.lead, "length", s)))
        rows.append(tr("caught {}", show(f.resin_to_catch_pot, "mass", s)))
        return tuple(rows)

    def _drawn(self, kind: str, points: tuple[tuple[float, float], ...]) -> None:
        if kind in {"mesh", "breather"}:
            self._draw_sheet(kind, points)
            return
        if kind == "cut":
            if len(points) < 2:
                self.session.said.emit(tr("A cut needs two points at least."), True)
            else:
                self.session.edit("Draw cut", lambda j: change(j, cut=CutLine(path=points)))
            return
        if kind not in {"feed", "vacuum"}:
            return
        role: Literal["feed", "vacuum"] = "feed" if kind == "feed" else "vacuum"

        def edit(job: Job) -> Job:
            prefix = "F" if role == "feed" else "V"
            name = new_id(prefix, [x.id for x in job.lines])
            return add_line(job, FlowLine(id=name, label=name, role=role, path=points))

        if self.session.edit(tr("Draw {}", kind), edit):
            self.session.select(self.session.job.lines[-1].id)

    def _draw_sheet(self, kind: str, points: tuple[tuple[float, float], ...]) -> None:
        from bibulon.core.model.job import Corner

        if len(points) < 3:
            self.session.said.emit(tr("{} needs at least three corners.", tr(kind).capitalize()), True)
            return
        outline = tuple(Corner(x=x, y=y) for x, y in points)

        def edit(job: Job) -> Job:
            check(outline)
            if kind == "breather":
                return change(job, breather=outline)
            key = job.mesh.material if job.mesh else self.mesh_panel.chosen()
            return change(self.mesh_panel.taken(job, key), mesh=MeshExtent(material=key, outline=outline))

        self.session.edit(tr("Draw {}", tr(kind)), edit)


def _dry(area: float, system: System) -> str:
    """Say what stays dry, in small units while it is small."""
    if area < 1e-5:
        return "nothing"
    if area >= 0.05:
        return show(area, "area", system)
    return show(area, "small area", system)


def _meshed(job: Job) -> bool:
    """Whether mesh belongs to a job: none is laid between two halves, but one that is there can be taken off."""
    return job.process == "infusion" or job.mesh is not None


class MeshPanel(QWidget):
    """Flow mesh: which, and how far from the edge and the vacuum lines; and plans to start from."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        self.mesh = QWidget()
        rows = QVBoxLayout(self.mesh)
        rows.setContentsMargins(0, 0, 0, 0)
        form = Form()
        self.material = QComboBox()
        self.material.activated.connect(self._choose)
        form.add("Mesh", self.material)
        self.distance = UnitEdit("length", "Mesh edge distance", 0.0, 5.0)
        self.distance.set_value(0.04, session.system)
        self.distance.refused.connect(lambda text: session.said.emit(text, True))
        form.add("Edge distance", self.distance)
        rows.addWidget(form)
        covers = tr(
            "Covers the part to the edge distance, on under every feed, and ends it short of every vacuum line by the shop rule's break."
        )
        rows.addWidget(ButtonRow(push("Lay mesh", self._lay, tip=covers), push("No mesh", self._take_off)))
        layout.addWidget(self.mesh)
        self.starter = narrow(QComboBox())
        self.starter.setAccessibleName(tr("Plan of lines to start from"))
        by_reach = tr(
            "by its length and how far resin reaches: from end to end, from the middle, side by side, or round its rim"
        )
        self.starter.addItem(tr("as suits the part"), SUITED)
        self.starter.setItemData(0, by_reach, Qt.ItemDataRole.ToolTipRole)
        for name, words in STRATEGIES.items():
            self.starter.addItem(tr(name), name)
            self.starter.setItemData(self.starter.count() - 1, words, Qt.ItemDataRole.ToolTipRole)
        replaces = tr(
            "Replaces all lines by this plan, made for this outline, stack and gel time; undo takes it back."
        )
        layout.addWidget(ButtonRow(self.starter, push("Lay lines so", self._start, tip=replaces)))
        layout.addWidget(note("Choose a line on the plan to set its opening, hose and bore."))
        layout.addStretch()
        session.job_changed.connect(lambda _: self._fill())
        session.library_changed.connect(self._fill)
        self._fill()

    def _take_off(self) -> None:
        self.session.edit("Take mesh off", lambda j: drop_unused(change(j, mesh=None)))

    def _fill(self) -> None:
        self.mesh.setVisible(_meshed(self.session.job))
        offer_named(self.material, {key: mesh.name for key, mesh in self._meshes().items()})
        if self.session.job.mesh:
            self.material.setCurrentIndex(self.material.findData(self.session.job.mesh.material))

    def _meshes(self) -> dict[str, Material]:
        """Return what is offered: a job from elsewhere has a mesh that the library does not know."""
        return mesh_choices(self.session.job, self.session.shelf).materials

    def chosen(self) -> str:
        """Return the id of the mesh chosen."""
        return str(self.material.currentData())

    def taken(self, job: Job, key: str) -> Job:
        """Return a job with a mesh among its materials."""
        return use_material(job, key, self._meshes()[key])

    def _choose(self) -> None:
        job = self.session.job
        if job.mesh:
            key = self.chosen()
            mesh = job.mesh.replaced(material=key)
            self.session.edit(
                "Change mesh",
                lambda j: drop_unused(change(self.taken(j, key), mesh=mesh)),
            )

    def _start(self) -> None:
        strategy = self.starter.currentData()
        key = self.chosen() if self.session.job.mesh else None
        plan = suited_plan if strategy == SUITED else partial(usual_plan, strategy=strategy)
        self.session.edit(
            tr("Lay lines {}", self.starter.currentText()), lambda j: lay_lines(j, plan(j), key)
        )

    def _lay(self) -> None:
        key = self.chosen()
        self.session.edit(
            "Lay mesh",
            lambda j: inset_mesh(self.taken(j, key), key, self.distance.value()),
        )
