"""The cut on screen: the section along the job's cut line, and where the pointer is on it."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QEvent, Signal
from PySide6.QtGui import QMouseEvent, QPainter

from bibulon.app.kit.drawn import Drawn
from bibulon.app.kit.paint import paint, paint_told
from bibulon.app.session.session import Session
from bibulon.core.drawing.kit.scene import Area, Item, Label, Line
from bibulon.core.drawing.kit.tokens import WEIGHT
from bibulon.core.drawing.section.section import cut_through, draw_cut
from bibulon.core.drawing.section.section_run import Slice
from bibulon.core.units.words import tr

__all__ = ["CutView"]

LIT_WITHIN = 0.25  # m of the section within which a finding is shown on it


class CutView(Drawn):
    """Shows the section at the moment of the clock; ``pointed`` gives the place [m] under the pointer, or None."""

    pointed = Signal(object)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._slice: tuple[object, object, Slice] | None = None
        self._pointer: float | None = None
        self._lit: tuple[float, float] | None = None
        self.setMinimumHeight(96)
        self.setMouseTracking(True)
        self.setAccessibleName(tr("Cut through the stack"))
        for signal in (
            session.job_changed,
            session.outlook_changed,
            session.moment_changed,
            session.system_changed,
        ):
            signal.connect(lambda _: self.update())
        session.view.changed.connect(self.update)
        session.moments.ready.connect(self.update)

    def light(self, place: tuple[float, float] | None) -> None:
        """Show where the section passes nearest to a place [m] that a finding has, if it does."""
        self._lit = place
        self.update()

    def _section(self) -> Slice | None:
        outlook, job = self.session.outlook, self.session.job
        if not (outlook and outlook.forecast and job.cut):
            return None
        forecast = outlook.forecast
        if self._slice is None or self._slice[0] is not forecast or self._slice[1] != job.cut:
            self._slice = (forecast, job.cut, cut_through(forecast, np.array(job.cut.path)))
        return self._slice[2]

    def items(self, width: float, height: float) -> list[Item]:
        """Return the drawing for a field of px; a sentence when there is nothing to cut."""
        outlook, section = self.session.outlook, self._section()
        if outlook is None or outlook.forecast is None or section is None:
            text = self.session.problem or tr("Choose Along or Across to cut the part.")
            return [Label(width / 2, height / 2, text, self.theme.soft, 13)]
        pressure = None
        picture = self.session.moments.picture
        if self.session.view.cut_pressure and picture and picture.outlook is outlook:
            top = picture.moment.of_slot(picture.moment.pressure, outlook.forecast, None)
            pressure = section.along(top, outlook.forecast.model.mesh.triangles)
        box = (0.0, 0.0, width, height)
        return list(
            draw_cut(
                outlook.job, outlook.forecast, section, self.session.moment, box, self.theme, self.session.system, pressure
            )
        )  # fmt: skip

    def draw(self, painter: QPainter) -> None:
        paint_told(self, painter, self.items(self.width(), self.height()))
        section = self._section()
        if self._lit is not None and section is not None:
            gaps = np.hypot(*(section.places - np.array(self._lit)).T)
            if gaps.min() < LIT_WITHIN:
                x = 28 + section.where[int(np.argmin(gaps))] / section.length * (self.width() - 56)
                band = np.array(
                    [[x - 8, 4], [x + 8, 4], [x + 8, self.height() - 34], [x - 8, self.height() - 34]]
                )
                paint(painter, [Area([band], self.theme.alarm, opacity=0.25)])
        if self._pointer is not None:
            line = np.array([[self._pointer, 4.0], [self._pointer, self.height() - 34.0]])
            paint(painter, [Line([line], self.theme.alarm, WEIGHT["thin"])])

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        section = self._section()
        place = None
        self._pointer = None
        if section is not None and section.length > 0:
            where = (event.position().x() - 28) / (self.width() - 56) * section.length
            if 0 <= where <= section.length:
                k = int(np.argmin(np.abs(section.where - where)))
                place = (float(section.places[k, 0]), float(section.places[k, 1]))
                self._pointer = event.position().x()
        self.pointed.emit(place)
        self.update()

    def leaveEvent(self, event: QEvent) -> None:
        self._pointer = None
        self.pointed.emit(None)
        self.update()
