"""The plan on the board: a tap marks the front, a stroke draws it as it is seen, the other button says not yet."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np
from PySide6.QtCore import QPointF, Qt, Signal
from PySide6.QtGui import QMouseEvent

from bibulon.app.plan.view import PlanView
from bibulon.app.session.session import Session
from bibulon.app.stations.shoot.refitting import Refitting
from bibulon.core.drawing.kit.field import Contours
from bibulon.core.drawing.kit.look import PlanLook
from bibulon.core.drawing.kit.scene import Item, Line
from bibulon.core.drawing.kit.tokens import WEIGHT
from bibulon.core.drawing.plan.gridmarks import draw_grid_marks
from bibulon.core.drawing.plan.refitplan import draw_refit

__all__ = ["BoardPlan"]

TAP = 10.0  # px that a finger moves in a tap
ALONG = 60.0  # px of a stroke for each mark, and
MOST = 5  # marks at most


class BoardPlan(PlanView):
    """Shows the refit where there is one; ``stroked`` gives places along the front [m], ``not_yet`` one that is dry."""

    stroked = Signal(object)
    not_yet = Signal(float, float)

    def __init__(self, session: Session, refitting: Refitting) -> None:
        super().__init__(session, frozenset())
        self.refitting = refitting
        self._stroke: list[QPointF] = []
        session.seen_changed.connect(self.update)
        self.extra = self._drawn
        self.grid = False
        self.extra_key = lambda: (
            self.refitting.picture, int(self.session.moment), len(self._stroke), self.grid
        )  # fmt: skip

    def show_grid(self, on: bool) -> None:
        """Show the squares with their names, or not."""
        if on != self.grid:
            self.grid = on
            self.update()

    def _ask(self) -> None:
        """Ask for no field of the moment: the board shows resin alone."""
        self.update()

    def _field(self) -> None:
        return None

    def own_contours(self) -> Contours | None:
        """Return what is seen of the resin where somebody watches, else the refit's likely arrivals, in place of the plan's."""
        if self.session.seen is not None:
            return self.session.seen
        picture = self.refitting.picture
        return picture.middle if picture is not None else None

    def _drawn(self, look: PlanLook, width: float, height: float) -> Iterable[Item]:
        picture = self.refitting.picture
        if picture is not None:
            yield from draw_refit(self.session.job, look, picture, self.session.moment)
        if self.grid:
            yield from draw_grid_marks(self.session.job, look)
        if len(self._stroke) > 1:
            yield Line([np.array([(p.x(), p.y()) for p in self._stroke])], self.theme.front, WEIGHT["tube"])

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.RightButton:
            self.not_yet.emit(*self.view.back(event.position().x(), event.position().y()))
        elif event.button() == Qt.MouseButton.LeftButton:
            self._stroke = [event.position()]
        else:
            super().mousePressEvent(event)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        super().mouseMoveEvent(event)
        if self._stroke and event.buttons() & Qt.MouseButton.LeftButton:
            self._stroke.append(event.position())
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        stroke, self._stroke = self._stroke, []
        super().mouseReleaseEvent(event)
        if not stroke or event.button() != Qt.MouseButton.LeftButton:
            return
        path = np.array([(p.x(), p.y()) for p in stroke])
        steps = np.hypot(*np.diff(path, axis=0).T) if len(path) > 1 else np.zeros(0)
        length = float(steps.sum())
        if length < TAP:
            self.clicked_at.emit(*self.view.back(*path[0]))
            return
        count = int(min(max(length // ALONG, 1) + 1, MOST))
        at = np.linspace(0, length, count)
        along = np.r_[0.0, np.cumsum(steps)]
        points = [
            (float(np.interp(s, along, path[:, 0])), float(np.interp(s, along, path[:, 1]))) for s in at
        ]
        self.stroked.emit([self.view.back(*p) for p in points])
