"""The mould from above, its flange cut through, and the lane of the closing force, all at one moment."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QSize, Qt
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter

from bibulon.app.kit.drawn import Drawn
from bibulon.app.kit.paint import paint_told
from bibulon.app.session.session import Session
from bibulon.app.work.ask import Ask
from bibulon.core.drawing.graphs.margin import MarginLane, draw_margin
from bibulon.core.drawing.kit.field import Contours, Sampler
from bibulon.core.drawing.kit.look import PlanLook
from bibulon.core.drawing.kit.scene import Item, Label
from bibulon.core.drawing.plan.mouldplan import MouldLook, draw_mould, mould_view
from bibulon.core.flow.forecast import Forecast
from bibulon.core.geometry.outline import OutlineError
from bibulon.core.model.job import Job
from bibulon.core.mould.bow import Bow, bow_of
from bibulon.core.mould.mould import Mould
from bibulon.core.mould.plate import PlateError
from bibulon.core.outlook.outlook import THROUGH
from bibulon.core.units.units import clock, show
from bibulon.core.units.words import tr

__all__ = ["MarginView", "MouldPlanView", "mould_now"]

STEP = 0.02  # of the lane that a key moves the hand


def mould_now(session: Session) -> Mould | None:
    """Return what the outlook says of the closed mould."""
    outlook = session.outlook
    return outlook.evidence.mould if outlook and outlook.evidence else None


class MouldPlanView(Drawn):
    """The halves from above at the session's moment; the lift of that moment is worked out off the interface thread."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.bow: Bow | None = None
        self.lift: Contours | None = None
        self.rib = ""
        self.setMinimumHeight(180)
        self.setAccessibleName(tr("Mould from above"))
        self.ask = Ask(self, lambda: (session.outlook, session.moment), between=False)
        self.ask.ready.connect(self._show)
        self.ask.failed.connect(lambda _: self._show(None))
        session.moment_changed.connect(lambda _: self.follow())

    def sizeHint(self) -> QSize:
        return QSize(640, 320)

    def follow(self) -> None:
        """Work the lift out for the moment."""
        job, outlook, time = self.session.job, self.session.outlook, self.session.moment
        forecast = outlook.forecast if outlook else None
        self.update()
        if forecast is None or job.part.cavity <= 0 or not self.isVisible():
            return
        self.ask.want(lambda: _lifted(job, forecast, time))

    def _show(self, answer: tuple[Bow, Contours] | None) -> None:
        self.bow, self.lift = answer if answer is not None else (None, None)
        self.describe()
        self.update()

    def describe(self) -> None:
        """Tell a screen reader what the drawing shows."""
        s, mould = self.session.system, mould_now(self.session)
        words = [tr("At {}.", clock(self.session.moment))]
        if self.bow is not None:
            words.append(tr("The upper half lifts {} at most.", show(self.bow.most, "thickness", s)))
        if mould is not None:
            words.append(tr("Least hold {:.2f} times what opens it.", float(mould.closing.factor.min())))
        self.setAccessibleDescription(" ".join(words))

    def items(self) -> list[Item]:
        """Return the drawing's shapes."""
        job, outlook = self.session.job, self.session.outlook
        size = float(self.width()), float(self.height())
        try:
            view = mould_view(job, *size)
        except OutlineError as error:
            return [Label(size[0] / 2, size[1] / 2, str(error), self.theme.soft, 14)]
        contours = outlook.contours.get(THROUGH) if outlook else None
        look = PlanLook(view, self.theme, self.session.system, time=self.session.moment)
        return list(
            draw_mould(job, look, MouldLook(contours, self.bow, self.lift, job.rules.bow_most, self.rib))
        )

    def draw(self, painter: QPainter) -> None:
        paint_told(self, painter, self.items())


def _lifted(job: Job, forecast: Forecast, time: float) -> tuple[Bow, Contours] | None:
    try:
        bow = bow_of(job, forecast, time)
    except (OutlineError, PlateError):
        return None
    return bow, Sampler(bow.mesh, 160).contours(np.where(bow.inside, np.maximum(bow.lift, 0.0), 0.0))


class MarginView(Drawn):
    """The lane; its hand is dragged, or moved by left and right, and moves the session's moment."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.setMinimumHeight(150)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(tr("Closing force over time"))
        session.moment_changed.connect(lambda _: self._moved())

    @property
    def lane(self) -> MarginLane | None:
        """What is drawn."""
        mould = mould_now(self.session)
        if mould is None:
            return None
        return MarginLane(
            mould.closing, self.session.job.rules.closing_factor, float(self.width()), float(self.height())
        )

    def _moved(self) -> None:
        mould = mould_now(self.session)
        if mould is not None:
            c = mould.closing
            self.setAccessibleDescription(
                tr(
                    "Least {0} over, at {1}; the hand is at {2}",
                    show(float(c.margin[c.worst]), "force", self.session.system),
                    clock(float(c.time[c.worst])),
                    clock(self.session.moment),
                )
            )
        self.update()

    def draw(self, painter: QPainter) -> None:
        lane = self.lane
        if lane is None:
            words = self.session.problem or tr("Waiting for the forecast …")
            paint_told(
                self, painter, [Label(self.width() / 2, self.height() / 2, words, self.theme.soft, 14)]
            )
        else:
            paint_told(
                self,
                painter,
                draw_margin(lane, min(self.session.moment, lane.end), self.theme, self.session.system),
            )

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.setFocus()
        self.mouseMoveEvent(event)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        lane = self.lane
        if lane is not None and event.buttons() & Qt.MouseButton.LeftButton:
            self.session.set_moment(lane.time(event.position().x()))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        lane = self.lane
        by = {Qt.Key.Key_Right: STEP, Qt.Key.Key_Left: -STEP}.get(Qt.Key(event.key()), 0.0)
        if lane is not None and by:
            self.session.set_moment(min(max(self.session.moment + by * lane.end, 0.0), lane.end))
        elif lane is not None and event.key() in (Qt.Key.Key_Home, Qt.Key.Key_End):
            self.session.set_moment(
                0.0 if event.key() == Qt.Key.Key_Home else float(lane.closing.time[lane.closing.worst])
            )
        else:
            super().keyPressEvent(event)
