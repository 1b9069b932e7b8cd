"""Lines: feeds, vacuum lines and mesh, with the forecast above them."""

from __future__ import annotations

from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from bibulon.app.fields import FigureGrid, Form, UnitEdit, heading, note
from bibulon.app.outlook import THROUGH, Outlook
from bibulon.app.session import Session
from bibulon.app.stations.base import PlanBench, RailRow, Station
from bibulon.core.drawing.fieldmap import RESIN
from bibulon.core.geometry.outline import check
from bibulon.core.job.edit import (
    add_line,
    change,
    change_line,
    drop_unused,
    inset_mesh,
    new_id,
    remove_line,
    use_material,
)
from bibulon.core.job.model import AtTime, CutLine, FlowLine, Job, MeshExtent, OnFront
from bibulon.core.units import System, clock, show, show_value

__all__ = ["LinesStation"]


class LinesStation(Station):
    """Plan and cut with the resin; what is selected is set at the side."""

    name = "Lines"

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.plan_bench = PlanBench(session, frozenset({"lines", "mesh", "cut"}), cut=True)
        self.bench = self.plan_bench
        self.plan = self.plan_bench.plan
        self.plan.drawn.connect(self._drawn)
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
            )
        )
        layout.addWidget(self.figures)
        row = QHBoxLayout()
        for text, kind in (("Feed", "feed"), ("Vacuum", "vacuum"), ("Mesh", "mesh")):
            button = QPushButton(f"Draw {text.lower()}")
            button.clicked.connect(lambda _=False, k=kind: self.plan.begin_drawing(k))
            row.addWidget(button)
        layout.addLayout(row)
        row = QHBoxLayout()
        self.layer = QComboBox()
        self.layer.setAccessibleName("Layer whose resin is shown")
        self.layer.currentTextChanged.connect(self._show_layer)
        row.addWidget(QLabel("Resin shown"))
        row.addWidget(self.layer, 1)
        layout.addLayout(row)
        self.inspector = LineInspector(session)
        layout.addWidget(self.inspector)
        self.mesh_panel = MeshPanel(session)
        layout.addWidget(self.mesh_panel)
        layout.addStretch()
        session.outlook_changed.connect(self._on_outlook)
        session.system_changed.connect(lambda _: self._on_outlook(session.outlook))
        session.selection_changed.connect(lambda _: self._swap())
        session.moment_changed.connect(lambda _: self._title())
        session.view.changed.connect(self._title)
        self._swap()

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
            self.plan_bench.right.setText(outlook.problem if outlook else "")
            return
        step = outlook.contours[THROUGH].levels()[1]
        every = f"{step / 60:.0f} min" if step >= 60 else f"{step:.0f} s"
        mark = "" if outlook.fine else " · coarse, finer in a moment"
        field = self.session.view.field
        if field != RESIN:
            self.plan_bench.right.setText(
                f"{field}, {self.plan.layer}, at {clock(self.session.moment)}{mark}"
            )
            return
        self.plan_bench.right.setText(
            f"{self.plan.layer} at {clock(self.session.moment)}, contours every {every}{mark}"
        )

    def _on_outlook(self, outlook: Outlook | None) -> None:
        self._title()
        if outlook is None or outlook.forecast is None:
            for name in self.figures.figures:
                self.figures.set(name, "—")
            return
        f, s = outlook.forecast, self.session.system
        self.figures.set("wet through at", clock(f.fill_time) if f.filled else "stays dry")
        self.figures.set("dry left", _dry(f.dry_area, s))
        x, y, _ = f.last_wet
        self.figures.set("closes last", f"{show_value(x, 'length', s, 0)}, {show(y, 'length', s, 0)}")
        self.figures.set("first batch gels", clock(f.clock.gel) if f.clock.gel < 1e8 else "—")
        self.figures.set("resin in the part", show(f.resin_in_part, "mass", s))
        self.figures.set("to the catch pot", show(f.resin_to_catch_pot, "mass", s))
        names = [THROUGH, *reversed(f.model.slots)]
        if [self.layer.itemText(i) for i in range(self.layer.count())] != names:
            self.layer.blockSignals(True)
            self.layer.clear()
            self.layer.addItems(names)
            self.layer.blockSignals(False)
            self._show_layer(THROUGH)

    def row(self, job: Job, outlook: Outlook | None) -> RailRow:
        if outlook is None:
            return RailRow("…", "open")
        f = outlook.forecast
        if f is None:
            return RailRow("no forecast yet", "open")
        mine = [x for x in outlook.findings if x.station == "Lines"]
        state = "settled"
        if any(x.weight == "blocking" for x in mine):
            state = "blocked"
        elif any(x.weight == "warning" and x.key not in {a.key for a in job.accepted} for x in mine):
            state = "warned"
        return RailRow(f"{f.fill_time / 60:.1f} min" if f.filled else "stays dry", state)  # type: ignore[arg-type]

    def _drawn(self, kind: str, points: tuple[tuple[float, float], ...]) -> None:
        if kind == "mesh":
            self._draw_mesh(points)
            return
        if kind == "cut":
            if len(points) < 2:
                self.session.said.emit("A cut needs two points at least.", True)
            else:
                self.session.edit("Draw cut", lambda j: change(j, cut=CutLine(path=points)))
            return
        if kind not in {"feed", "vacuum"}:
            return

        def edit(job: Job) -> Job:
            prefix = "F" if kind == "feed" else "V"
            name = new_id(prefix, [x.id for x in job.lines])
            return add_line(job, FlowLine(id=name, label=name, role=kind, path=points))

        if self.session.edit(f"Draw {kind}", edit):
            self.session.select(self.session.job.lines[-1].id)

    def _draw_mesh(self, points: tuple[tuple[float, float], ...]) -> None:
        from bibulon.core.job.model import Corner

        if len(points) < 3:
            self.session.said.emit("Mesh needs at least three corners.", True)
            return
        outline = tuple(Corner(x=x, y=y) for x, y in points)

        def edit(job: Job) -> Job:
            check(outline)
            key = job.mesh.material if job.mesh else self.mesh_panel.chosen()
            return change(
                use_material(job, key, self.session.shelf[key]),
                mesh=MeshExtent(material=key, outline=outline),
            )

        self.session.edit("Draw mesh", edit)


def _dry(area: float, system: System) -> str:
    """Say what stays dry, in small units while it is small."""
    if area < 1e-5:
        return "nothing"
    if area >= 0.05:
        return show(area, "area", system)
    return f"{area * 1e4:.0f} cm²" if system == "metric" else f"{area / 0.0254**2:.1f} in²"


class MeshPanel(QWidget):
    """Flow mesh: which, and how far from the edge and the vacuum lines."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        form = Form()
        self.material = QComboBox()
        for key, material in self.session.shelf.items():
            if material.kind == "mesh":
                self.material.addItem(material.name, key)
        self.material.activated.connect(self._choose)
        form.add("Mesh", self.material)
        self.distance = UnitEdit("length", "Mesh edge distance", 0.0, 5.0)
        self.distance.set_value(0.04, session.system)
        self.distance.refused.connect(lambda text: session.said.emit(text, True))
        form.add("Edge distance", self.distance)
        layout.addWidget(form)
        row = QHBoxLayout()
        lay, take = QPushButton("Lay mesh"), QPushButton("No mesh")
        lay.setToolTip(
            "Covers the part to the edge distance, and ends it short of every vacuum line by the shop rule's break."
        )
        lay.clicked.connect(self._lay)
        take.clicked.connect(
            lambda: session.edit("Take mesh off", lambda j: drop_unused(change(j, mesh=None)))
        )
        row.addWidget(lay)
        row.addWidget(take)
        layout.addLayout(row)
        layout.addWidget(note("Choose a line on the plan to set its opening, hose and bore."))
        layout.addStretch()
        session.job_changed.connect(lambda _: self._fill())
        session.system_changed.connect(lambda s: self.distance.set_value(self.distance.value(), s))
        self._fill()

    def _fill(self) -> None:
        if self.session.job.mesh:
            k = self.material.findData(self.session.job.mesh.material)
            self.material.setCurrentIndex(max(k, 0))

    def chosen(self) -> str:
        """Return the id of the mesh chosen."""
        return str(self.material.currentData())

    def _choose(self) -> None:
        job = self.session.job
        if job.mesh:
            key = self.chosen()
            mesh = job.mesh.model_copy(update={"material": key})
            self.session.edit(
                "Change mesh",
                lambda j: drop_unused(change(use_material(j, key, self.session.shelf[key]), mesh=mesh)),
            )

    def _lay(self) -> None:
        key = self.chosen()
        self.session.edit(
            "Lay mesh",
            lambda j: inset_mesh(use_material(j, key, self.session.shelf[key]), key, self.distance.value()),
        )


class LineInspector(QWidget):
    """What is set of the line chosen."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        self.title = heading("")
        layout.addWidget(self.title)
        form = Form()
        self.label = QLineEdit()
        self.label.setMaxLength(24)
        self.label.editingFinished.connect(self._rename)
        form.add("Called", self.label)
        self.rule = QComboBox()
        self.rule.addItems(["at a time", "when the front has passed"])
        self.rule.activated.connect(self._set_rule)
        form.add("Opens", self.rule)
        self.time = UnitEdit("time", "Opening time", 0.0, 1e6)
        self.time.committed.connect(lambda v: self._edit("Change opening", opens=self._opening(v)))
        form.add("At, or delay", self.time)
        self.hose_length = UnitEdit("distance", "Hose length", 0.0, 100.0)
        self.hose_length.committed.connect(lambda v: self._edit("Change hose", hose_length=v))
        form.add("Hose length", self.hose_length)
        self.hose_bore = UnitEdit("length", "Hose bore", 0.0, 0.2)
        self.hose_bore.committed.connect(lambda v: self._edit("Change hose", hose_bore=v))
        form.add("Hose bore", self.hose_bore)
        self.bore = UnitEdit("length", "Tube bore", 0.0, 0.2)
        self.bore.committed.connect(lambda v: self._edit("Change tube", bore=v))
        form.add("Tube bore", self.bore)
        self.membrane = QCheckBox("Membrane: passes air, stops resin")
        self.membrane.clicked.connect(lambda on: self._edit("Change kind", membrane=on))
        for field in (self.time, self.hose_length, self.hose_bore, self.bore):
            field.refused.connect(lambda text: session.said.emit(text, True))
        layout.addWidget(form)
        layout.addWidget(self.membrane)
        self.remove = QPushButton("Remove line")
        self.remove.clicked.connect(self._remove)
        layout.addWidget(self.remove)
        for signal in (session.selection_changed, session.job_changed, session.system_changed):
            signal.connect(lambda _: self._fill())
        self._fill()

    def line(self) -> FlowLine | None:
        """Return the line chosen."""
        return next((x for x in self.session.job.lines if x.id == self.session.selected), None)

    def _fill(self) -> None:
        line, s = self.line(), self.session.system
        if line is None:
            return
        self.title.setText(f"{'Feed' if line.role == 'feed' else 'Vacuum'} {line.label}")
        if not self.label.hasFocus():
            self.label.setText(line.label)
        feed = line.role == "feed"
        for field in (self.rule, self.time, self.hose_length, self.hose_bore):
            field.setEnabled(feed)
        self.membrane.setVisible(not feed)
        self.membrane.setChecked(line.membrane)
        on_front = isinstance(line.opens, OnFront)
        self.rule.setCurrentIndex(int(on_front))
        self.time.set_value(line.opens.time if isinstance(line.opens, AtTime) else line.opens.delay, s)
        self.hose_length.set_value(line.hose_length, s)
        self.hose_bore.set_value(line.hose_bore, s)
        self.bore.set_value(line.bore, s)

    def _edit(self, name: str, **fields: object) -> None:
        line = self.line()
        if line is not None:
            self.session.edit(f"{name} of {line.label}", lambda j: change_line(j, line.id, **fields))

    def _opening(self, value: float) -> AtTime | OnFront:
        line = self.line()
        assert line is not None
        if isinstance(line.opens, OnFront):
            return OnFront(line=line.opens.line, delay=value)
        return AtTime(time=value)

    def _set_rule(self, index: int) -> None:
        line = self.line()
        if line is None:
            return
        now = AtTime(time=self.session.moment if self.session.moment > 0 else 0.0)
        self._edit("Change opening", opens=OnFront(line=line.id) if index else now)

    def _rename(self) -> None:
        text = self.label.text().strip()
        line = self.line()
        if line and text and text != line.label:
            self._edit("Rename", label=text)
        elif line:
            self.label.setText(line.label)

    def _remove(self) -> None:
        line = self.line()
        if line is not None:
            self.session.edit(f"Remove {line.label}", lambda j: remove_line(j, line.id))
