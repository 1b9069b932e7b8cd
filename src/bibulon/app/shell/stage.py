"""The benches of the stations, one seen at a time; those that nobody sees may stand outside the window."""

from __future__ import annotations

from collections.abc import Iterable

from PySide6.QtWidgets import QStackedWidget, QWidget

from bibulon.app.shell.dressing import dim_station
from bibulon.app.shell.side import Side
from bibulon.app.stations.base import Station
from bibulon.core.drawing.kit.tokens import Theme

__all__ = ["Stage"]


class Stage(QStackedWidget):
    """A window that is dressed anew dresses all that is in it: a station put aside waits until somebody goes to it."""

    def __init__(self, side: Side) -> None:
        super().__init__()
        self.side = side

    def holds(self, station: Station) -> bool:
        """Whether a station's widgets are in the window: built, and not put aside."""
        return station.built and self.indexOf(station.bench) >= 0

    def take_in(self, station: Station, theme: Theme) -> None:
        """Put a station's widgets into the window, in a theme; what is dimmed before costs no second dressing."""
        station.built = True
        dim_station(station, theme)
        self.addWidget(station.bench)
        self.side.add(station)
        station.set_theme(theme)

    def dress(self, station: Station, page: QWidget, theme: Theme) -> None:
        """Let a page that a station has just made look as the rest of it."""
        if self.holds(station):
            self.side.add(station)
        if hasattr(page, "set_theme"):
            page.set_theme(theme)

    def put_aside(self, stations: Iterable[Station]) -> None:
        """Take stations that are not seen out of the window."""
        for station in stations:
            if self.holds(station):
                self.removeWidget(station.bench)
                station.bench.setParent(None)
                self.side.put_aside(station)

    def outside(self, stations: Iterable[Station]) -> list[QWidget]:
        """Return the widgets that stand outside the window: what works for them is not found under it."""
        waiting = [s for s in stations if s.built and not self.holds(s)]
        return [w for s in waiting for w in (s.bench, *self.side.panels(s))]

    def let_go(self, stations: Iterable[Station]) -> None:
        """Let go of what stands outside, with the window that it belonged to."""
        for station in stations:
            if station.built and not self.holds(station):
                station.bench.deleteLater()
                self.side.let_go(station)
                station.built = False
