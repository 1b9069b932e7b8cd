"""The line diagram on screen: what is chosen in it is set below it."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from bibulon.app.kit.fields import Form, UnitEdit, VacuumEdit, heading, narrow, note
from bibulon.app.session.session import Session
from bibulon.app.stations.lines.diagram import Diagram
from bibulon.core.drawing.kit.tokens import Theme
from bibulon.core.edit.edit import change, change_line
from bibulon.core.edit.figures import with_figure
from bibulon.core.edit.plumb import (
    add_bucket,
    add_bypass,
    add_manifold,
    add_pot,
    change_bucket,
    change_hose,
    change_manifold,
    change_pot,
    change_pump,
    drop_node,
)
from bibulon.core.model.job import AtTime, Job
from bibulon.core.model.line_volume import line_volume
from bibulon.core.model.machine import machine_rate
from bibulon.core.units.units import UnitError, show
from bibulon.core.units.vacuum import read, shown, vacuum_words
from bibulon.core.units.words import tr

__all__ = ["DiagramView"]

Setter = Callable[[Job, Any], Job]


class DiagramView(QWidget):
    """Diagram, what can be added, and the figures of what is chosen."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.chosen = ""
        layout = QVBoxLayout(self)
        layout.setContentsMargins(16, 4, 16, 8)
        row = QHBoxLayout()
        for text, act in (
            ("Add manifold", add_manifold), ("Add bucket", add_bucket), ("Add catch pot", add_pot), ("Add bypass", add_bypass),
        ):  # fmt: skip
            button = QPushButton(tr(text))
            button.clicked.connect(lambda _=False, t=text, a=act: self.session.edit(t, a))
            row.addWidget(button)
        row.addStretch()
        layout.addLayout(row)
        self.drawing = Diagram(session, lambda: self.chosen)
        self.drawing.picked.connect(self.choose)
        layout.addWidget(self.drawing, 1)
        row = QHBoxLayout()
        self.title = heading("")
        row.addWidget(self.title)
        row.addStretch()
        self.remove = QPushButton(tr("Remove it"))
        self.remove.setAccessibleName(tr("Remove what is chosen in the diagram"))
        self.remove.clicked.connect(self._remove)
        row.addWidget(self.remove)
        layout.addLayout(row)
        self.words = note()
        layout.addWidget(self.words)
        self.columns = QHBoxLayout()
        layout.addLayout(self.columns)
        self.forms: list[Form] = []
        self.fields: dict[str, QWidget] = {}
        self.fill()

    def set_theme(self, theme: Theme) -> None:
        """Choose the theme."""
        self.drawing.set_theme(theme)

    def choose(self, key: str) -> None:
        """Choose a part of the diagram; a line is chosen on the plan with it."""
        self.chosen = key
        kind, _, name = key.partition(":")
        if kind in {"feed", "vacuum"}:
            self.session.select(name)
        self.fill()

    def fill(self) -> None:
        """Show the job's diagram and what is chosen of it."""
        keys = {n.key for n in self.drawing.nodes()} | {f"bypass:{w.id}" for w in self.session.job.bypasses}
        if self.chosen not in keys:
            self.chosen = ""
        self.drawing.update()
        for form in self.forms:
            self.columns.removeWidget(form)
            form.setParent(None)
            form.deleteLater()
        self.forms, self.fields = [], {}
        kind, _, key = self.chosen.partition(":")
        self.remove.setVisible(bool(self.chosen) and not (kind in {"bucket", "pot", "pump"} and not key))
        if not self.chosen:
            self.title.setText(tr("Nothing chosen"))
            self.words.setText(
                tr(
                    "Choose a bucket, hose, line, pot or pump in the diagram. Real bores and lengths count in the forecast."
                )
            )
            return
        self._fill_kind(kind, key)

    def _form(self) -> Form:
        form = Form()
        self.forms.append(form)
        self.columns.addWidget(form, 1, Qt.AlignmentFlag.AlignTop)
        return form

    def _unit(
        self,
        form: Form,
        label: str,
        quantity: str,
        value: float | None,
        edit: Setter,
        low: float | None = 0.0,
        empty: bool = False,
    ) -> None:
        """Add a figure; an ``empty`` one may be left out."""
        s = self.session.system
        if empty:
            line = QLineEdit("" if value is None else shown(value, quantity, s, self._air()))
            line.setPlaceholderText(tr("as usual"))
            line.editingFinished.connect(lambda: self._typed(line, label, quantity, value, edit))
            form.add(label, line)
            self.fields[label] = line
            return
        field = (
            VacuumEdit(label, self._air, 1e6)
            if quantity == "pressure"
            else UnitEdit(quantity, label, low, 1e6)
        )
        if isinstance(field, VacuumEdit):
            field.understood.connect(lambda text: self.session.said.emit(text, False))
        field.set_value(value or 0.0, s)
        field.committed.connect(lambda v: self._do(label, lambda j: edit(j, v)))
        field.refused.connect(lambda text: self.session.said.emit(text, True))
        form.add(label, field)
        self.fields[label] = field

    def _typed(self, line: QLineEdit, label: str, quantity: str, before: float | None, edit: Setter) -> None:
        text = line.text().strip()
        try:
            value = read(text, quantity, self.session.system, self._air()) if text else None
        except UnitError as error:
            self.session.said.emit(str(error), True)
            return
        if value != before and line.isModified():
            line.setModified(False)
            self._do(label, lambda j: edit(j, value))
            if value is not None and quantity == "pressure":
                self.session.said.emit(tr("Read as {}.", vacuum_words(value, self._air())), False)

    def _air(self) -> float:
        return self.session.job.conditions.atmosphere

    def _pick(self, form: Form, label: str, options: list[tuple[str, Any]], value: Any, edit: Setter) -> None:
        box = narrow(QComboBox())
        for text, data in options:
            box.addItem(tr(text), data)
        box.setCurrentIndex(next((k for k, (_, d) in enumerate(options) if d == value), 0))
        box.activated.connect(lambda _: self._do(label, lambda j: edit(j, box.currentData())))
        form.add(label, box)
        self.fields[label] = box

    def _tick(self, form: Form, label: str, value: bool, edit: Setter) -> None:
        box = QCheckBox()
        box.setAccessibleName(tr(label))
        box.setChecked(value)
        box.clicked.connect(lambda on: self._do(label, lambda j: edit(j, on)))
        form.add(label, box)
        self.fields[label] = box

    def _name(self, form: Form, value: str, edit: Setter) -> None:
        line = QLineEdit(value)
        line.setMaxLength(24)
        line.editingFinished.connect(
            lambda: (
                self._do("Rename", lambda j: edit(j, line.text().strip()))
                if line.text().strip() not in {"", value}
                else None
            )
        )
        form.add("Called", line)
        self.fields["Called"] = line

    def _do(self, label: str, edit: Callable[[Job], Job]) -> None:
        if not self.session.edit(tr("Change {}", label.lower()), edit):
            self.fill()

    # -- what each kind has

    def _fill_kind(self, kind: str, key: str) -> None:
        job = self.session.job
        self.words.setText("")
        fill = {
            "feed": self._line, "vacuum": self._line, "manifold": self._manifold, "bucket": self._bucket, "pot": self._pot,
            "pump": self._pump,
        }[kind]  # fmt: skip
        name = next((n.name for n in self.drawing.nodes() if n.key == self.chosen), key)
        self.title.setText(f"{'Catch pot' if kind == 'pot' else kind.capitalize()} {name}")
        fill(job, key)

    def _fittings(self, job: Job, key: str, feed: bool) -> None:
        hoses = {x.id: x.hose for x in job.lines} | {m.id: m.hose for m in job.manifolds}
        hose = hoses[key]
        form = self._form()

        def put(name: str) -> Setter:
            return lambda j, v: change_hose(j, key, **{name: v})

        self._pick(form, "Hose is", [("soft", "soft"), ("hard", "hard")], hose.tube, put("tube"))
        clamps = ("ball valve", "screw clamp", "lever clamp", "pliers", "none")
        self._pick(form, "Shut by", [(c, c) for c in clamps], hose.clamp, put("clamp"))
        self._unit(form, "Tee bore", "length", hose.tee_bore, put("tee_bore"), empty=True)
        self._unit(form, "Tightest bend", "length", hose.bend_radius, put("bend_radius"), empty=True)
        if feed:
            self._unit(form, "End notch", "length", hose.notch, put("notch"))
            self._tick(form, "Joint sealed", hose.sealed, put("sealed"))

    def _line(self, job: Job, key: str) -> None:
        line = next(x for x in job.lines if x.id == key)
        form = self._form()

        def put(name: str) -> Setter:
            return lambda j, v: change_line(j, key, **{name: v})

        self._unit(form, "Hose length", "distance", line.hose_length, put("hose_length"))
        self._unit(form, "Hose bore", "length", line.hose_bore, put("hose_bore"))
        self._unit(form, "Line bore", "length", line.bore, put("bore"))
        if line.role == "feed":
            ways = [("the bucket itself", None), *((m.label, m.id) for m in job.manifolds)]
            self._pick(form, "Hangs on", ways, line.manifold, put("manifold"))
        else:
            pots = [("no pot", None), *((p.label, p.id) for p in job.pots)]
            self._pick(form, "Leads to", pots, line.pot, put("pot"))
        self._fittings(job, key, line.role == "feed")
        told = ["Its kind, opening and shutting are set at the right."]
        if line.role == "feed" and not (isinstance(line.opens, AtTime) and line.opens.time == 0):
            hose = line_volume(line)[1]
            c = job.conditions
            swollen = hose * c.atmosphere / max(c.vacuum, 1.0)
            s = self.session.system
            told.append(
                tr(
                    "Opened dry, its hose lets in {0} of air, {1} at the bag's pressure: fill it up to "
                    "the clamp first.",
                    show(hose, "volume", s),
                    show(swollen, "volume", s, 1),
                )
            )
        self.words.setText(" ".join(told))

    def _manifold(self, job: Job, key: str) -> None:
        manifold = next(m for m in job.manifolds if m.id == key)
        form = self._form()

        def put(name: str) -> Setter:
            return lambda j, v: change_manifold(j, key, **{name: v})

        self._name(form, manifold.label, put("label"))
        self._unit(form, "Body volume", "volume", manifold.volume, put("volume"))
        self._unit(form, "Hose length", "distance", manifold.hose_length, put("hose_length"))
        self._unit(form, "Hose bore", "length", manifold.hose_bore, put("hose_bore"))
        self._fittings(job, key, True)

    def _bucket(self, job: Job, key: str) -> None:
        bucket = next((b for b in job.buckets if b.id == key), None)
        form = self._form()
        if bucket is None and (rate := machine_rate(job)) is not None:
            self.title.setText("Machine")
            limit = show(job.closed.injection or 0.0, "pressure", self.session.system)
            self.words.setText(
                tr("All inlets get together what it gives, up to {} absolute, as set on Mould.", limit)
            )
            self._unit(
                form, "It gives", "flow", rate, lambda j, v: with_figure(j, "closed.machine.rate", v), 1e-9
            )
            return
        if bucket is None:
            self.words.setText(
                tr("One pot that never ends. Add a bucket to follow its heel, height and batches.")
            )

            def below(j: Job, v: float) -> Job:
                return change(j, conditions=j.conditions.replaced(bucket_below=v))

            self._unit(form, "Below the part", "distance", job.conditions.bucket_below, below, -5.0)
            return

        def put(name: str) -> Setter:
            return lambda j, v: change_bucket(j, key, **{name: v})

        self._unit(form, "Below the part", "distance", bucket.below, put("below"), empty=True)
        self._unit(form, "Heel", "mass", bucket.heel, put("heel"))
        self._unit(form, "Across its floor", "length", bucket.width, put("width"))
        told = [f"{show(b.mass, 'mass', self.session.system)}" for b in bucket.batches]
        feeds = ", ".join(bucket.feeds) or tr("all feeds")
        self.words.setText(tr("Feeds {0}. Batches: {1}.", feeds, ", ".join(told)))
        other = self._form()
        for k, batch in enumerate(bucket.batches[:4]):

            def mass(j: Job, v: float, k: int = k) -> Job:
                b = next(x for x in j.buckets if x.id == key)
                batches = tuple(x.replaced(mass=v) if n == k else x for n, x in enumerate(b.batches))
                return change_bucket(j, key, batches=batches)

            self._unit(other, tr("Batch {}", k + 1), "mass", batch.mass, mass, 1e-3)

    def _pot(self, job: Job, key: str) -> None:
        pot = next((p for p in job.pots if p.id == key), None)
        if pot is None:
            self.words.setText(tr("No pot: resin that comes this far ends in the pump. Add a catch pot."))
            return
        form = self._form()

        def put(name: str) -> Setter:
            return lambda j, v: change_pot(j, key, **{name: v})

        self._name(form, pot.label, put("label"))
        self._unit(form, "Holds", "volume", pot.volume, put("volume"), 1e-6)
        self._unit(form, "Held at", "pressure", pot.regulated, put("regulated"), empty=True)
        other = self._form()
        self._unit(other, "Hose to the pump", "distance", pot.hose_length, put("hose_length"))
        self._unit(other, "Its bore", "length", pot.hose_bore, put("hose_bore"))
        self.words.setText(
            tr("A regulated pot holds its lines at that absolute pressure. Rated vessels only, never glass.")
        )

    def _pump(self, job: Job, _key: str) -> None:
        form = self._form()
        self._name(form, job.pump.label, lambda j, v: change_pump(j, label=v))
        self._unit(
            form, "Draws a second", "volume", job.pump.speed, lambda j, v: change_pump(j, speed=v), 1e-9
        )
        self._unit(form, "Ends at", "pressure", job.pump.ultimate, lambda j, v: change_pump(j, ultimate=v))
        for way in job.bypasses:
            other = self._form()

            def put(j: Job, v: str, key: str = way.id) -> Job:
                return change(
                    j,
                    bypasses=tuple(w.replaced(clamp=v) if w.id == key else w for w in j.bypasses),
                )

            clamps = ("ball valve", "screw clamp", "lever clamp", "pliers", "none")
            self._pick(other, tr("Bypass {} shut by", way.label), [(c, c) for c in clamps], way.clamp, put)
            button = QPushButton(tr("Remove bypass {}", way.label))
            button.clicked.connect(
                lambda _=False, k=way.id: self.session.edit(
                    "Remove bypass", lambda j: drop_node(j, "bypass", k)
                )
            )
            other.add("", button)

    def _remove(self) -> None:
        kind, _, key = self.chosen.partition(":")
        self.session.edit(tr("Remove {}", kind), lambda j: drop_node(j, kind, key))
