"""The part from above, with a place that is pointed at: by a click, by arrows; Enter and Delete act on it."""

from __future__ import annotations

import contextlib
from collections.abc import Callable, Iterable

from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter

from bibulon.app.kit.drawn import Drawn
from bibulon.app.kit.paint import paint
from bibulon.app.session.session import Session
from bibulon.core.drawing.kit.look import PlanLook
from bibulon.core.drawing.kit.scene import Item, View
from bibulon.core.geometry.outline import OutlineError
from bibulon.core.geometry.zones import regions
from bibulon.core.units.words import tr

__all__ = ["PlacePlan"]

STEP = 0.02  # m that an arrow moves the place
Place = tuple[float, float]


class PlacePlan(Drawn):
    """Paints what ``items`` gives for a look; ``pointed`` brings places [m], ``entered`` and ``dropped`` the keys."""

    pointed = Signal(float, float)
    entered = Signal()
    dropped = Signal()

    def __init__(
        self, session: Session, name: str, how: str, items: Callable[[PlanLook], Iterable[Item]], at: Callable[[], Place | None]
    ) -> None:  # fmt: skip
        super().__init__()
        self.session, self._items, self._at = session, items, at
        self.setMinimumHeight(200)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(tr(name))
        self.setAccessibleDescription(tr(how))

    def sizeHint(self) -> QSize:
        return QSize(640, 400)

    def view(self) -> View:
        """From the plan to px."""
        bounds = regions(self.session.job.part).whole.bounds
        return View.fit(bounds, float(self.width()), float(self.height()), 28)

    def draw(self, painter: QPainter) -> None:
        with contextlib.suppress(OutlineError):  # told in Part
            paint(painter, self._items(PlanLook(self.view(), self.theme, self.session.system)))

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.pointed.emit(*self.view().back(event.position().x(), event.position().y()))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key = Qt.Key(event.key())
        by = {
            Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Up: (0, 1), Qt.Key.Key_Down: (0, -1),
        }.get(key)  # fmt: skip
        if by is not None:
            x, y = self._at() or regions(self.session.job.part).whole.centroid.coords[0]
            self.pointed.emit(x + STEP * by[0], y + STEP * by[1])
        elif key == Qt.Key.Key_Delete:
            self.dropped.emit()
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.entered.emit()
        else:
            super().keyPressEvent(event)
