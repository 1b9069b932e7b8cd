"""Units by kind: a shop that weighs in grams and measures in inches."""

from __future__ import annotations

from functools import partial

from PySide6.QtWidgets import QComboBox, QVBoxLayout, QWidget

from bibulon.app.kit.fields import Form, heading, note
from bibulon.app.kit.over import Over
from bibulon.app.session.own_units import choose_own, own_choice
from bibulon.app.session.session import Session
from bibulon.core.units.units import KINDS, QUANTITIES
from bibulon.core.units.words import tr

__all__ = ["UnitsPanel"]

KIND_WORDS = {
    "lengths": tr("Lengths and areas"), "masses": tr("Masses"), "volumes": tr("Volumes"), "pressures": tr("Pressures"),
    "temperatures": tr("Temperatures"),
}  # fmt: skip


def _units(kind: str, us: bool) -> str:
    shown = [QUANTITIES[q].us[0] if us else QUANTITIES[q].metric[0] for q in KINDS[kind]]
    return ", ".join(list(dict.fromkeys(shown))[:3])


class UnitsPanel(Over):
    """A row for each kind; what is chosen holds from the next start on."""

    def __init__(self, parent: QWidget, session: Session) -> None:
        super().__init__(parent, 520)
        self.session = session
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 16, 20, 16)
        layout.addWidget(heading("Units of each kind"))
        form = Form()
        self.boxes: dict[str, QComboBox] = {}
        for kind in KINDS:
            box = QComboBox()
            box.addItem(tr("as the rest"), None)
            box.addItem(tr("metric: {}", _units(kind, us=False)), "metric")
            box.addItem(tr("US: {}", _units(kind, us=True)), "us")
            box.activated.connect(partial(self._choose, kind))
            self.boxes[kind] = box
            form.add(KIND_WORDS[kind], box)
        layout.addWidget(form)
        layout.addWidget(
            note(
                "Metric or US in the bar is for the rest. Every field takes any unit that is typed with it. "
                "What is chosen here holds from the next start on."
            )
        )
        layout.addStretch()

    def tall(self) -> int:
        return 300

    def open(self) -> None:
        for kind, box in self.boxes.items():
            box.setCurrentIndex(max(box.findData(own_choice(self.session.settings, kind)), 0))
        super().open()
        next(iter(self.boxes.values())).setFocus()

    def _choose(self, kind: str, _: int) -> None:
        box = self.boxes[kind]
        choose_own(self.session.settings, kind, box.currentData())
        self.session.said.emit(
            tr("{0}: {1}, from the next start on.", KIND_WORDS[kind], box.currentText()), False
        )
