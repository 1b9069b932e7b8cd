"""The plan by peak, gel or demould, with the places that matter."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Protocol

from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter

from bibulon.app.kit.drawn import Drawn
from bibulon.app.kit.paint import paint_told
from bibulon.app.session.session import Session
from bibulon.core.cure.field import CureField
from bibulon.core.cure.places import PlaceCure
from bibulon.core.drawing.kit.look import PlanLook
from bibulon.core.drawing.kit.scene import Item, Label, View
from bibulon.core.drawing.plan.curemap import draw_cure
from bibulon.core.flow.forecast import Forecast
from bibulon.core.geometry.zones import regions
from bibulon.core.units.words import tr

__all__ = ["CureMap"]

STEP = 0.05  # m that an arrow moves the place


class Shown(Protocol):
    """What the map shows."""

    session: Session
    field: CureField | None
    out: PlaceCure | None
    forecast: Forecast | None
    place: PlaceCure | None
    problem: str


class CureMap(Drawn):
    """The plan by peak, gel or demould; a click, or arrows, choose a place."""

    chosen = Signal(float, float)

    def __init__(self, station: Shown) -> None:
        super().__init__()
        self.station, self.which = station, "peak"
        self.setMinimumHeight(200)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(tr("Cure over the plan"))

    def sizeHint(self) -> QSize:
        return QSize(640, 340)

    def view(self) -> View:
        """From the plan to px."""
        bounds = regions(self.station.session.job.part).whole.bounds
        return View.fit(bounds, float(self.width()), float(self.height()) - 40, 24)

    def draw(self, painter: QPainter) -> None:
        paint_told(self, painter, self._items())

    def _items(self) -> Iterator[Item]:
        s = self.station
        if s.field is None or s.forecast is None or s.out is None:
            yield Label(
                self.width() / 2,
                self.height() / 2,
                s.problem or tr("Working out how it cures …"),
                self.theme.soft,
                14,
            )
            return
        look = PlanLook(self.view(), self.theme, s.session.system)
        place = s.place
        at = (place.x, place.y) if place else None
        yield from draw_cure(
            s.forecast, s.field, s.out, self.which, look, at, float(self.width()), float(self.height())
        )

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.chosen.emit(*self.view().back(event.position().x(), event.position().y()))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        by = {
            Qt.Key.Key_Left: (-1, 0),
            Qt.Key.Key_Right: (1, 0),
            Qt.Key.Key_Up: (0, 1),
            Qt.Key.Key_Down: (0, -1),
        }.get(Qt.Key(event.key()))
        if by and self.station.place is not None:
            self.chosen.emit(self.station.place.x + STEP * by[0], self.station.place.y + STEP * by[1])
        else:
            super().keyPressEvent(event)
