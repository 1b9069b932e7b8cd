"""The side of the window: the panel of the page that is open, and the findings below it."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QVBoxLayout, QWidget

from bibulon.app.kit.fields import Scroller, named
from bibulon.app.stations.base import Station

__all__ = ["Side"]

LEAST = 392  # px


class Side(QWidget):
    """One panel at a time, by station and page; tables take a share of the height, other panels what they need."""

    def __init__(self, below: QWidget) -> None:
        super().__init__()
        named(self, "side")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setMinimumWidth(LEAST)
        self._layout = QVBoxLayout(self)
        self._layout.setContentsMargins(0, 0, 0, 0)
        self._layout.setSpacing(4)
        self._panels: dict[QWidget, QWidget] = {}
        self._layout.addWidget(below, 1)

    def add(self, station: Station) -> None:
        """Take in the panels of a station, just built or put aside before."""
        for panel in station.sides():
            if panel not in self._panels:
                self._panels[panel] = Scroller(panel)
            scroller = self._panels[panel]
            if scroller.parentWidget() is self:
                continue
            scroller.hide()
            self._layout.insertWidget(self._layout.count() - 1, scroller)

    def put_aside(self, station: Station) -> None:
        """Take the panels of a station out of the window, until it is added again."""
        for panel in self.panels(station):
            self._layout.removeWidget(panel)
            panel.setParent(None)

    def panels(self, station: Station) -> list[QWidget]:
        """Return the panels of a station with what they scroll in; one of a page made meanwhile stands by itself."""
        return [self._panels.get(panel, panel) for panel in station.sides()]

    def let_go(self, station: Station) -> None:
        """Let go of the panels of a station that was put aside, with the window that they belonged to."""
        for panel in station.sides():
            self._panels.pop(panel, panel).deleteLater()

    def show_side(self, station: Station) -> None:
        """Show the panel of the page that is open at a station."""
        wanted = station.current_side()
        for panel, scroller in self._panels.items():
            if scroller.parentWidget() is None:
                continue
            scroller.setVisible(panel is wanted)
            self._layout.setStretchFactor(scroller, station.side_share if panel is wanted else 0)
        self._layout.setStretch(self._layout.count() - 1, max(10 - station.side_share, 1))
