"""Part: the outline and its zones."""

from __future__ import annotations

from PySide6.QtWidgets import QHBoxLayout, QPushButton, QTableWidgetItem, QVBoxLayout, QWidget

from bibulon.app.fields import FigureGrid, Form, UnitEdit, heading, note, plain_table
from bibulon.app.outlook import Outlook
from bibulon.app.session import Session
from bibulon.app.stations.base import PlanBench, RailRow, Station
from bibulon.core.geometry import outline as geometry
from bibulon.core.geometry.outline import OutlineError
from bibulon.core.geometry.zones import regions
from bibulon.core.job.edit import change, new_id, remove_zone, set_outline, set_zone
from bibulon.core.job.model import Corner, Drawn, Inset, Job, Zone
from bibulon.core.units import UnitError, parse, show, show_value, unit_of

__all__ = ["PartStation"]

COLUMNS = ("x", "y", "bow")


class PartStation(Station):
    """Outline as corners with arcs, zones by their distance from the edge."""

    name = "Part"
    side_share = 7

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.plan_bench = PlanBench(session, frozenset({"outline", "zones"}), cut=False, resin=False)
        self.bench = self.plan_bench
        self.plan_bench.plan.drawn.connect(self._drawn)
        self.plan_bench.right.setText("drag a corner, or type it in the table")
        self.side = QWidget()
        layout = QVBoxLayout(self.side)
        layout.setContentsMargins(16, 12, 16, 8)
        self.figures = FigureGrid(("area", "perimeter", "cloth area", "cored"))
        layout.addWidget(self.figures)
        layout.addWidget(heading("Corners"))
        self.table = plain_table(COLUMNS, "Corners of the outline")
        self.table.setMinimumHeight(150)
        self.table.itemChanged.connect(self._typed)
        layout.addWidget(self.table, 1)
        layout.addWidget(note("Bow is the rise of the side that leaves a corner; outward is positive."))
        row = QHBoxLayout()
        for text, act in (
            ("Draw outline", self._draw),
            ("Add corner", self._add),
            ("Remove corner", self._remove),
        ):
            button = QPushButton(text)
            button.clicked.connect(act)
            row.addWidget(button)
        layout.addLayout(row)
        layout.addSpacing(6)
        layout.addWidget(heading("Zones"))
        self.zones = plain_table(("name", "edge distance"), "Zones")
        self.zones.setMaximumHeight(120)
        self.zones.itemChanged.connect(self._zone_typed)
        layout.addWidget(self.zones)
        row = QHBoxLayout()
        for text, act in (
            ("Draw zone", lambda: self.plan_bench.plan.begin_drawing("zone")),
            ("Zone inside", self._add_zone),
            ("Remove zone", self._remove_zone),
        ):
            button = QPushButton(text)
            button.clicked.connect(act)
            row.addWidget(button)
        layout.addLayout(row)
        form = Form()
        self.draw_factor = UnitEdit("share", "Draw factor", 1.0, 5.0)
        self.draw_factor.committed.connect(self._set_draw_factor)
        form.add("Developed over plan area", self.draw_factor)
        self.flange = UnitEdit("length", "Mould flange", 0.0, 2.0)
        self.flange.committed.connect(self._set_flange)
        self.flange.refused.connect(lambda text: session.said.emit(text, True))
        form.add("Mould flange", self.flange)
        layout.addWidget(form)
        self._filling = False
        self.follow()

    def row(self, job: Job, outlook: Outlook | None) -> RailRow:
        try:
            plan = regions(job.part)
        except OutlineError:
            return RailRow("outline crossed", "blocked")
        return RailRow(
            show(float(plan.whole.area) * job.part.draw_factor, "area", self.session.system), "settled"
        )

    def fill(self) -> None:
        self._filling = True
        s, job = self.session.system, self.session.job
        unit = unit_of("length", s)
        self.table.setHorizontalHeaderLabels([f"{c} {unit}" for c in COLUMNS])
        self.table.setRowCount(len(job.part.outline))
        for r, corner in enumerate(job.part.outline):
            for c, value in enumerate((corner.x, corner.y, corner.bow)):
                self.table.setItem(
                    r, c, QTableWidgetItem(show_value(value, "length", s, 1 if s == "metric" else 2))
                )
        for c in range(3):
            self.table.setColumnWidth(c, 84)
        self.zones.setRowCount(len(job.part.zones))
        for r, zone in enumerate(job.part.zones):
            self.zones.setItem(r, 0, QTableWidgetItem(zone.name))
            inset = show(zone.area.distance, "length", s) if isinstance(zone.area, Inset) else "own outline"
            self.zones.setItem(r, 1, QTableWidgetItem(inset))
        self.zones.setColumnWidth(0, 150)
        self.draw_factor.setText(f"{job.part.draw_factor:.2f}")
        self.flange.set_value(job.part.flange, s)
        self._figures(job)
        self._filling = False

    def _figures(self, job: Job) -> None:
        s = self.session.system
        self.figures.set("area", show(geometry.area(job.part.outline), "area", s))
        self.figures.set("perimeter", show(geometry.perimeter(job.part.outline), "distance", s))
        try:
            plan = regions(job.part)
        except OutlineError:
            self.figures.set("cloth area", "—")
            self.figures.set("cored", "—")
            return
        factor = job.part.draw_factor
        cored = {
            z
            for layer in job.stack
            if job.materials[layer.material].kind == "core"
            for z in (layer.zones or tuple(plan.zones))
        }
        self.figures.set("cloth area", show(float(plan.whole.area) * factor, "area", s))
        self.figures.set("cored", show(sum(float(plan.zones[z].area) for z in cored) * factor, "area", s))

    def _typed(self, item: QTableWidgetItem) -> None:
        if self._filling:
            return
        field = ("x", "y", "bow")[item.column()]
        try:
            value = parse(item.text(), "length", self.session.system)
        except UnitError as error:
            self.session.said.emit(str(error), True)
            self.fill()
            return
        outline = list(self.session.job.part.outline)
        outline[item.row()] = outline[item.row()].model_copy(update={field: value})
        if not self.session.edit("Change corner", lambda j: set_outline(j, tuple(outline))):
            self.fill()

    def _draw(self) -> None:
        self.plan_bench.plan.begin_drawing("outline")

    def _drawn(self, kind: str, points: tuple[tuple[float, float], ...]) -> None:
        if kind not in {"outline", "zone"}:
            return
        if len(points) < 3:
            self.session.said.emit(
                f"{'An outline' if kind == 'outline' else 'A zone'} needs at least three corners.", True
            )
        elif kind == "zone":
            self._draw_zone(points)
        elif kind == "outline":
            self.session.edit(
                "Draw outline", lambda j: set_outline(j, tuple(Corner(x=x, y=y) for x, y in points))
            )
            self.plan_bench.plan.fit()

    def _add(self) -> None:
        outline = list(self.session.job.part.outline)
        k = max(self.table.currentRow(), 0)
        a, b = outline[k], outline[(k + 1) % len(outline)]
        outline[k] = a.model_copy(update={"bow": 0.0})
        outline.insert(k + 1, Corner(x=(a.x + b.x) / 2, y=(a.y + b.y) / 2))
        self.session.edit("Add corner", lambda j: set_outline(j, tuple(outline)))

    def _remove(self) -> None:
        outline = list(self.session.job.part.outline)
        if len(outline) <= 3:
            self.session.said.emit("An outline needs at least three corners.", True)
            return
        del outline[max(self.table.currentRow(), 0)]
        self.session.edit("Remove corner", lambda j: set_outline(j, tuple(outline)))

    def _add_zone(self) -> None:
        job = self.session.job
        zone = new_id("zone", [z.id for z in job.part.zones])
        number = len(job.part.zones) + 1
        self._keep_zone("Add zone", Zone(id=zone, name=f"Field {number}", area=Inset(distance=0.1)))

    def _draw_zone(self, points: tuple[tuple[float, float], ...]) -> None:
        job = self.session.job
        zone = new_id("zone", [z.id for z in job.part.zones])
        outline = tuple(Corner(x=x, y=y) for x, y in points)
        name = f"Field {len(job.part.zones) + 1}"
        if self._keep_zone("Draw zone", Zone(id=zone, name=name, area=Drawn(outline=outline))):
            self.session.select(f"zone:{zone}")

    def _keep_zone(self, name: str, zone: Zone) -> bool:
        def edit(job: Job) -> Job:
            new = set_zone(job, zone)
            regions(new.part)  # refuses a zone that leaves nothing
            return new

        return self.session.edit(name, edit)

    def _zone_typed(self, item: QTableWidgetItem) -> None:
        if self._filling:
            return
        zone = self.session.job.part.zones[item.row()]
        done = False
        if item.column() == 0 and item.text().strip():
            done = self._keep_zone("Rename zone", zone.model_copy(update={"name": item.text().strip()}))
        elif item.column() == 1 and isinstance(zone.area, Inset):
            try:
                distance = parse(item.text(), "length", self.session.system)
                if distance < 0:
                    raise UnitError("An edge distance cannot be negative")
                done = self._keep_zone(
                    "Change edge distance", zone.model_copy(update={"area": Inset(distance=distance)})
                )
            except UnitError as error:
                self.session.said.emit(str(error), True)
        if not done:
            self.fill()

    def _remove_zone(self) -> None:
        k, zones = self.zones.currentRow(), self.session.job.part.zones
        if 0 <= k < len(zones):
            self.session.edit("Remove zone", lambda j: remove_zone(j, zones[k].id))
        else:
            self.session.said.emit("Choose a zone in the list first.", True)

    def _set_draw_factor(self, value: float) -> None:
        self.session.edit(
            "Change draw factor", lambda j: change(j, part=j.part.model_copy(update={"draw_factor": value}))
        )

    def _set_flange(self, value: float) -> None:
        self.session.edit(
            "Change mould flange", lambda j: change(j, part=j.part.model_copy(update={"flange": value}))
        )
