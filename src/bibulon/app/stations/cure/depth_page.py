"""Through the thickness: how warm tool, plies and core get over time at the place that was pointed at, and where it gels first."""

from __future__ import annotations

from collections.abc import Iterator

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeyEvent, QMouseEvent
from PySide6.QtWidgets import QVBoxLayout, QWidget

from bibulon.app.kit.drawing_view import DrawingView
from bibulon.app.session.session import Session
from bibulon.app.stations.base import titled
from bibulon.app.work.ask import Ask
from bibulon.core.cure.depth import Depth, depth_of
from bibulon.core.cure.places import PlaceCure
from bibulon.core.drawing.graphs.depthfield import Field, draw_depth
from bibulon.core.drawing.kit.scene import Item
from bibulon.core.drawing.kit.tokens import Theme
from bibulon.core.flow.forecast import Forecast
from bibulon.core.units.words import tr

__all__ = ["DepthPage"]

STEPS = 60  # key presses from one end of the time to the other


class _DepthView(DrawingView):
    """The field; a moment is chosen by the mouse or with the arrows."""

    def __init__(self, page: DepthPage) -> None:
        super().__init__(tr("Temperature through the thickness over time"), self._items, 320)
        self.page, self.moment = page, 0.0
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleDescription(tr("Left and right move the moment whose profile stands at the right."))

    def _items(self, width: float, height: float, theme: Theme) -> Iterator[Item]:
        page = self.page
        return draw_depth(page.through, self.moment, page.problem, width, height, theme, page.session.system)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.mouseMoveEvent(event)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        depth = self.page.through
        if depth is not None:
            self.moment = Field(depth, float(self.width()), float(self.height())).moment(event.position().x())
            self.update()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        way = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(Qt.Key(event.key()), 0)
        depth = self.page.through
        if not way or depth is None:
            super().keyPressEvent(event)
            return
        step = (depth.end - float(depth.time[0])) / STEPS
        self.moment = min(max(self.moment + way * step, float(depth.time[0])), depth.end)
        self.update()


class DepthPage(QWidget):
    """The section of a place with its temperatures."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.through: Depth | None = None
        self.problem = ""
        self._of: tuple[object, ...] = ()
        self.view = _DepthView(self)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(titled("Tool side below, at the place chosen on the map", None, self.view))
        self.ask = Ask(session, lambda: session.number)
        self.ask.ready.connect(self._on_depth)
        self.ask.failed.connect(self._on_failure)
        session.closing.connect(self.ask.close)

    def fill(self, forecast: Forecast | None, place: PlaceCure | None) -> None:
        """Show a place of a forecast; nothing is worked out again for the same one."""
        of = (forecast, place, self.session.job.cure)
        if len(self._of) == len(of) and all(a is b for a, b in zip(of, self._of, strict=True)):
            return
        self._of = of
        if forecast is None or place is None:
            self.through = None
            self.view.update()
            return
        job = self.session.job
        self.ask.want(lambda: depth_of(job, forecast, (place.x, place.y)))

    def _on_depth(self, depth: Depth) -> None:
        first = self.through is None
        self.through, self.problem = depth, ""
        if first or not depth.time[0] <= self.view.moment <= depth.end:
            own = depth.temperature[:, depth.wet].max(axis=1)
            self.view.moment = min(float(depth.time[int(own.argmax())]), depth.end)
        self.view.update()
        self.session.answered.emit()

    def _on_failure(self, error: Exception) -> None:
        self.through, self.problem = None, str(error)
        self.view.update()

    def set_theme(self, theme: Theme) -> None:
        """Choose the theme."""
        self.view.set_theme(theme)
