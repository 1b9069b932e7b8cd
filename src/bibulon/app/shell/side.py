"""The side of the window: the panel of the page that is open, and the findings below it."""

from __future__ import annotations

from PySide6.QtWidgets import QVBoxLayout, QWidget

from bibulon.app.kit.appearance import named
from bibulon.app.kit.fields import Scroller
from bibulon.app.stations.base import Station

__all__ = ["Side"]

LEAST = 392  # px


class Side(QWidget):
    """One panel at a time, by station and page; tables take a share of the height, other panels what they need."""

    def __init__(self, below: QWidget) -> None:
        super().__init__()
        named(self, "side")
        self.setMinimumWidth(LEAST)
        self._layout = QVBoxLayout(self)
        self._layout.setContentsMargins(0, 0, 0, 0)
        self._layout.setSpacing(4)
        self._panels: dict[QWidget, QWidget] = {}
        self._layout.addWidget(below, 1)

    def add(self, station: Station) -> None:
        """Take in the panels of a station that were just built."""
        for panel in station.sides():
            if panel not in self._panels:
                scroller = self._panels[panel] = Scroller(panel)
                scroller.hide()
                self._layout.insertWidget(self._layout.count() - 1, scroller)

    def show_side(self, station: Station) -> None:
        """Show the panel of the page that is open at a station."""
        wanted = station.current_side()
        # Not the dict itself: a page that is seen first makes panels of its own.
        for panel, scroller in tuple(self._panels.items()):
            scroller.setVisible(panel is wanted)
            self._layout.setStretchFactor(scroller, station.side_share if panel is wanted else 0)
        self._layout.setStretch(self._layout.count() - 1, max(10 - station.side_share, 1))
