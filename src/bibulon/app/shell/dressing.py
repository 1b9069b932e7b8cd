"""A board's station stands in the dark by day too: it, and what stands round it, wear the night."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from PySide6.QtWidgets import QWidget

from bibulon.app.kit.theme import dress
from bibulon.app.stations.base import Station
from bibulon.core.drawing.kit.tokens import DAY, NIGHT, Theme

__all__ = ["dim_frame", "dim_station"]


def dim_station(station: Station, theme: Theme) -> None:
    """Dress a board's station for the dark where the theme is the day's."""
    if station.full:
        dress(station.bench, NIGHT if theme is DAY else None)


def dim_frame(parts: Sequence[QWidget], painted: Sequence[Any], theme: Theme, full: bool) -> Theme:
    """Dress what stands round a station, a board or not, and return the theme that it wears; ``painted`` parts take it by themselves."""
    dark = full and theme is DAY
    worn = NIGHT if dark else theme
    for part in parts:
        dress(part, worn if dark else None)
    for part in painted:
        part.set_theme(worn)
    return worn
