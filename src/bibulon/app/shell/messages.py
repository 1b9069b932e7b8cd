"""What the window says: a line above the clock, and how far the forecast has come."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QLabel, QProgressBar, QToolButton, QWidget

from bibulon.app.kit.appearance import named, tint
from bibulon.core.drawing.kit.tokens import Theme
from bibulon.core.units.figures import worded
from bibulon.core.units.units import System
from bibulon.core.units.words import tr

__all__ = ["ForecastProgress", "MessageLine"]


class MessageLine(QLabel):
    """One message; the next act replaces it, and what is no alarm goes as another station or job is opened."""

    def __init__(self) -> None:
        super().__init__("")
        self.setWordWrap(True)
        self.setContentsMargins(16, 4, 16, 4)
        self.setVisible(False)
        self.setAccessibleName(tr("Message"))
        self._alarm = False

    def say(self, text: str, alarm: bool, theme: Theme, system: System = "metric") -> None:
        """Show a message; an empty one takes it away."""
        self._alarm = alarm
        self.set_theme(theme)
        self.setText(worded(tr(text), system))
        self.setVisible(bool(text))

    def let_go(self) -> None:
        """Take away what was said of something else, but for an alarm."""
        if not self._alarm:
            self.setText("")
            self.setVisible(False)

    def set_theme(self, theme: Theme) -> None:
        """Choose the theme."""
        ground, ink = (theme.alarm_ground, theme.alarm) if self._alarm else (theme.raised, theme.ink)
        tint(self, ink, ground)


class ForecastProgress(QWidget):
    """The forecast's progress, with a stop beside it."""

    stopped = Signal()

    def __init__(self) -> None:
        super().__init__()
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 8, 0)
        row.addWidget(named(QLabel(tr("finer forecast")), "soft"))
        self.bar = QProgressBar()
        self.bar.setTextVisible(False)
        self.bar.setRange(0, 100)
        self.bar.setFixedHeight(3)
        self.bar.setAccessibleName(tr("Forecast progress"))
        self.bar.setFixedWidth(120)
        row.addWidget(self.bar)
        self.stop = named(QToolButton(), "flat")
        self.stop.setText(tr("Stop"))
        self.stop.setAccessibleName(tr("Stop the forecast"))
        self.stop.clicked.connect(lambda _=False: self.stopped.emit())
        row.addWidget(self.stop)
        self.setVisible(False)

    def show_share(self, share: float) -> None:
        """Show how far it has come."""
        self.setVisible(True)
        self.bar.setValue(round(share * 100))
