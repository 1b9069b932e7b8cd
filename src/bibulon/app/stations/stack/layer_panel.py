"""The figures of the layer that is chosen: where it ends, overlap, bevel, curve, seams, own outline."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from bibulon.app.kit.fields import Form, UnitEdit, note
from bibulon.app.session.session import Session
from bibulon.core.edit.edit import replace_layer
from bibulon.core.geometry.outline import OutlineError
from bibulon.core.stack.laid import layer_area
from bibulon.core.units.units import show
from bibulon.core.units.words import tr

__all__ = ["LayerPanel"]


class LayerPanel(QWidget):
    """Edits one layer in place; ``draw`` asks for a "ply", a "splice" or a "dart" to be drawn on the plan."""

    draw = Signal(str)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.index: int | None = None
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        self.words = note()
        layout.addWidget(self.words)
        form = Form()
        self.fields: dict[str, UnitEdit] = {}
        for name, label, low in (
            ("runs_on", tr("Runs on over its border"), None),
            ("overlap", tr("Splices overlap"), 0.0),
            ("bevel", tr("Core edge bevelled over"), 0.0),
            ("curve", tr("Core bent over radius"), 0.0),
        ):
            field = UnitEdit("length", label, low, 10.0)
            field.committed.connect(lambda value, n=name: self._set(n, value))
            field.refused.connect(lambda text: session.said.emit(text, True))
            self.fields[name] = field
            form.add(label, field)
        self.fields["runs_on"].setToolTip(
            tr("On to the core or the next zone; below 0 it drops off short of its border")
        )
        self.form = form
        layout.addWidget(form)
        row = QHBoxLayout()
        self.buttons: dict[str, QPushButton] = {}
        for text, name, act in (
            (tr("Own shape"), tr("Draw the layer's own outline"), lambda: self.draw.emit("ply")),
            ("Splice", tr("Draw a splice"), lambda: self.draw.emit("splice")),
            ("Dart", tr("Draw a dart"), lambda: self.draw.emit("dart")),
            ("Clear", tr("Take seams and own outline away"), self._clear),
        ):
            button = QPushButton(tr(text))
            button.setAccessibleName(tr(name))
            button.setToolTip(tr(name))
            button.clicked.connect(lambda _=False, a=act: a())
            self.buttons[text] = button
            row.addWidget(button)
        layout.addLayout(row)
        self.show_layer(None)

    def show_layer(self, index: int | None) -> None:
        """Show a layer of the job's stack."""
        job, s = self.session.job, self.session.system
        self.index = index if index is not None and index < len(job.stack) else None
        for button in self.buttons.values():
            button.setEnabled(self.index is not None)
        self.form.setVisible(self.index is not None)
        if self.index is None:
            self.words.setText(tr("Choose a layer to see where it ends, and to draw its splices."))
            return
        layer = job.stack[self.index]
        kind = job.materials[layer.material].kind
        try:
            area = show(layer_area(job, layer), "area", s)
        except OutlineError as error:
            area = str(error)
        seams = [s.kind for s in layer.seams]
        told = [
            f"{seams.count(k)} {k}{'s' if seams.count(k) > 1 else ''}"
            for k in ("splice", "dart")
            if k in seams
        ]
        self.words.setText(
            tr(
                "Layer {0}: {1}, {2}",
                self.index + 1,
                job.materials[layer.material].name,
                ", ".join([area, *told]),
            )
        )
        self.fields["runs_on"].set_value(layer.runs_on, s)
        overlap = job.rules.overlap_longest if layer.overlap is None else layer.overlap
        self.fields["overlap"].set_value(overlap, s)
        self.fields["bevel"].set_value(layer.bevel, s)
        self.fields["curve"].set_value(layer.curve, s)
        for name in ("bevel", "curve"):
            self.fields[name].setEnabled(kind == "core")
        self.fields["overlap"].setEnabled(kind != "core")

    def _set(self, name: str, value: float) -> None:
        index = self.index
        if index is not None:
            self.session.edit("Change layer", lambda j: replace_layer(j, index, **{name: value}))

    def _clear(self) -> None:
        index = self.index
        if index is not None:
            self.session.edit(
                "Clear seams and outline", lambda j: replace_layer(j, index, seams=(), outline=None)
            )
