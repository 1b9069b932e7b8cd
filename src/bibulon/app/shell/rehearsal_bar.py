"""The banner of a rehearsal: that nothing here is real, its speed, what one may look at, and its end; and the debrief after it."""

from __future__ import annotations

from html import escape

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QLabel, QPushButton, QScrollArea, QVBoxLayout, QWidget

from bibulon.app.kit.fields import heading, named
from bibulon.app.session.rehearsal import SPEED, Rehearsal
from bibulon.app.shell.over import Over
from bibulon.core.plans.rehearsal.debrief import Debrief
from bibulon.core.plans.rehearsal.faults import KINDS
from bibulon.core.plans.rehearsal.followed import LOOKS
from bibulon.core.plans.rehearsal.shop import Shop
from bibulon.core.units.units import System, clock, show

__all__ = ["DebriefPanel", "RehearsalBar", "debrief_html"]

SPEEDS = (0.0, 1.0, 5.0, 10.0, 20.0)


class RehearsalBar(QWidget):
    """A row above the bench, seen while a rehearsal is under way."""

    def __init__(self, rehearsal: Rehearsal, window: QWidget) -> None:
        super().__init__()
        self.debrief = DebriefPanel(window)
        rehearsal.told.connect(self._tell)
        self.rehearsal = rehearsal
        row = QHBoxLayout(self)
        row.setContentsMargins(16, 4, 12, 4)
        self.words = named(QLabel("Rehearsal: nothing here is real"), "head")
        row.addWidget(self.words)
        self.speed = QComboBox()
        self.speed.setAccessibleName("Speed of the rehearsal")
        for factor in SPEEDS:
            self.speed.addItem("stands still" if factor == 0 else f"× {factor:g}", factor)
        self.speed.setCurrentIndex(SPEEDS.index(SPEED))
        self.speed.activated.connect(lambda _: rehearsal.set_speed(float(self.speed.currentData())))
        row.addWidget(self.speed)
        self.looks = QComboBox()
        self.looks.setAccessibleName("Look at")
        for key, words in LOOKS.items():
            self.looks.addItem(words, key)
        row.addWidget(self.looks)
        self.do = QPushButton("Look")
        self.do.clicked.connect(lambda _=False: rehearsal.look(str(self.looks.currentData())))
        row.addWidget(self.do)
        row.addStretch()
        self.end = named(QPushButton("End and tell"), "act")
        self.end.clicked.connect(lambda _=False: rehearsal.end())
        row.addWidget(self.end)
        rehearsal.changed.connect(self._follow)
        self.setVisible(False)

    def _tell(self, told: tuple[Shop, Debrief]) -> None:
        self.debrief.show_told(*told, self.rehearsal.session.system)

    def _follow(self) -> None:
        self.setVisible(self.rehearsal.running)
        self.speed.setCurrentIndex(SPEEDS.index(SPEED))


def _at(seconds: float) -> str:
    return f"{clock(-seconds)} before resin" if seconds < 0 else f"at {clock(seconds)}"


def debrief_html(shop: Shop, told: Debrief, system: System) -> str:
    """Return the debrief as rich text."""
    rows = [
        ("It came out", told.outcome), ("Dry", show(told.dry, "area", system)), ("Air in the part", f"{told.air * 100:.1f} %"),
        ("Mixed", f"{show(told.resin, 'mass', system)}, {show(told.wasted, 'mass', system)} left over"),
        ("All wet", f"{clock(told.filled) if told.filled is not None else 'never'}; the plan said {clock(shop.plan.fill_time)}"),
        ("Vacuum", "let go before gel" if told.released_early else "held until gel"),
    ]  # fmt: skip
    out = "".join(f"<tr><td width=140>{escape(a)}</td><td><b>{escape(b)}</b></td></tr>" for a, b in rows)
    out = f"<table cellspacing=4>{out}</table>"
    hidden = "".join(
        f"<li>{escape(KINDS[f.fault.kind].words)}: could be known {_at(f.known)}, "
        f"<b>{'noticed ' + _at(f.noticed) if f.noticed is not None else 'not noticed'}</b></li>"
        for f in told.found
    )
    out += f"<h4>What was hidden</h4><ul>{hidden or '<li>nothing but the scatter of the day</li>'}</ul>"
    if told.decisions:
        choices = "".join(
            f"<li>{escape(d.what)} {_at(d.done)}, best {_at(d.best)}: {d.cost:+.0f} s of filling</li>"
            for d in told.decisions
        )
        out += f"<h4>What was decided</h4><ul>{choices}</ul>"
    practise = "".join(f"<li>{escape(w)}</li>" for w in told.practise)
    return out + f"<h4>To practise</h4><ul>{practise or '<li>nothing of this: take a harder shop</li>'}</ul>"


class DebriefPanel(Over):
    """What was hidden, and how each decision compares, when a rehearsal is over."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent, 640)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 16, 12, 12)
        layout.addWidget(heading("After the rehearsal"))
        self.area = QScrollArea()
        self.area.setWidgetResizable(True)
        self.area.setAccessibleName("After the rehearsal")
        self.text = QLabel()
        self.text.setTextFormat(Qt.TextFormat.RichText)
        self.text.setWordWrap(True)
        self.text.setAlignment(Qt.AlignmentFlag.AlignTop)
        self.area.setWidget(self.text)
        layout.addWidget(self.area)

    def show_told(self, shop: Shop, told: Debrief, system: System) -> None:
        """Show a debrief."""
        self.text.setText(debrief_html(shop, told, system))
        self.open()
        self.area.setFocus()
