"""What the gauge says, large, in the words that the shop uses, and how deep it could go here today."""

from __future__ import annotations

from PySide6.QtWidgets import QHBoxLayout, QLabel, QVBoxLayout, QWidget

from bibulon.app.kit.appearance import named
from bibulon.app.session.session import Session
from bibulon.core.units.units import show, system_of
from bibulon.core.units.vacuum import show_vacuum
from bibulon.core.units.words import tr

__all__ = ["GaugeHead"]


class GaugeHead(QWidget):
    """One large number; beside it its unit, the same in other words, and the deepest that is possible."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        self.number = named(QLabel("—"), "hugefigure")
        self.number.setAccessibleName(tr("Pressure now"))
        row.addWidget(self.number)
        words = QVBoxLayout()
        words.addStretch()
        self.unit = QLabel("")
        self.words = named(QLabel(""), "soft")
        self.deepest = named(QLabel(""), "soft")
        for label in (self.unit, self.words, self.deepest):
            words.addWidget(label)
        words.addStretch()
        row.addLayout(words)
        row.addStretch()

    def set(self, pressure: float | None, gap: str = "") -> None:
        """Show a pressure [Pa], or why there is none."""
        job, s = self.session.job, self.session.system
        air = job.conditions.atmosphere
        us = system_of("pressure", s) == "us"
        if pressure is None:
            self.number.setText("—")
            self.words.setText(gap)
        else:
            digits = 1 if us or pressure < 1000 else 0
            self.number.setText(show(air - pressure if us else pressure, "pressure", s, digits).split()[0])
            other = tr("{} absolute", show(pressure, "pressure")) if us else show_vacuum(pressure, air, "us")
            self.words.setText(tr("{0} · {1:.1f} kPa below", other, (air - pressure) / 1000))
        self.unit.setText(tr("inHg below today's air" if us else "mbar absolute"))
        pumped = job.test.pump_down
        floor = pumped[-1].pressure if pumped else job.pump.ultimate
        told = show_vacuum(floor, air, s), show(air, "pressure", s)
        self.deepest.setText(tr("deepest with this pump: {0}; today's air {1}", *told))
