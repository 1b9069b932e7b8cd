"""The benches of the stations, one seen at a time, each in the theme of the window by the time it is seen."""

from __future__ import annotations

from PySide6.QtWidgets import QWidget

from bibulon.app.kit.pile import Pile
from bibulon.app.shell.dressing import dim_station
from bibulon.app.shell.side import Side
from bibulon.app.stations.base import Station
from bibulon.core.drawing.kit.tokens import Theme

__all__ = ["Stage"]


class Stage(Pile):
    """What is drawn by hand takes a theme when it is shown; controls have it from the palette."""

    def __init__(self, side: Side) -> None:
        super().__init__()
        self.side = side
        self._worn: dict[Station, Theme] = {}

    def hasHeightForWidth(self) -> bool:
        # A bench has all the height that there is; asked, it would set all its words at every width that is tried.
        return False

    def take_in(self, station: Station) -> None:
        """Put a station's widgets into the window."""
        station.built = True
        self.addWidget(station.bench)
        self.side.add(station)

    def wear(self, station: Station, theme: Theme) -> None:
        """Let a station look as the theme has it, unless it does."""
        if self._worn.get(station) is not theme:
            self._worn[station] = theme
            dim_station(station, theme)
            station.set_theme(theme)

    def dress(self, station: Station, page: QWidget, theme: Theme) -> None:
        """Let a page that a station has just made look as the rest of it."""
        self.side.add(station)
        if hasattr(page, "set_theme"):
            page.set_theme(theme)
