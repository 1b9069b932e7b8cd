"""The cut on screen."""

from __future__ import annotations

import numpy as np
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QWidget

from bibulon.app.paint import paint
from bibulon.app.session import Session
from bibulon.core.drawing.scene import Label
from bibulon.core.drawing.section import Slice, cut_through, draw_cut
from bibulon.core.drawing.tokens import DAY, Theme

__all__ = ["CutView"]


class CutView(QWidget):
    """Shows the section along the job's cut line at the moment of the clock."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.theme: Theme = DAY
        self._slice: tuple[object, object, Slice] | None = None
        self.setMinimumHeight(96)
        self.setAccessibleName("Cut through the stack")
        for signal in (
            session.job_changed,
            session.outlook_changed,
            session.moment_changed,
            session.system_changed,
        ):
            signal.connect(lambda _: self.update())

    def set_theme(self, theme: Theme) -> None:
        """Choose the theme."""
        self.theme = theme
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), self.theme.ground)
        outlook, job = self.session.outlook, self.session.job
        if outlook and outlook.forecast and job.cut:
            forecast = outlook.forecast
            if self._slice is None or self._slice[0] is not forecast or self._slice[1] != job.cut:
                self._slice = (forecast, job.cut, cut_through(forecast, np.array(job.cut.path)))
            box = (0.0, 0.0, float(self.width()), float(self.height()))
            items = draw_cut(
                outlook.job,
                forecast,
                self._slice[2],
                self.session.moment,
                box,
                self.theme,
                self.session.system,
            )
            paint(painter, items)
        else:
            text = outlook.problem if outlook else ""
            paint(painter, [Label(self.width() / 2, self.height() / 2, text, self.theme.soft, 13)])
        painter.end()
