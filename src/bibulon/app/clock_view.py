"""The clock strip on screen: drag the hand, play, step to the next event."""

from __future__ import annotations

from PySide6.QtCore import Qt, QTimer
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import QWidget

from bibulon.app.paint import paint
from bibulon.app.session import Session
from bibulon.core.drawing.timeline import Strip, draw_clock, milestones, strip_for
from bibulon.core.drawing.tokens import DAY, Theme

__all__ = ["ClockView"]

PLAY_STEP_MS = 33
PLAY_LENGTH = 12.0  # s in which the whole forecast plays


class ClockView(QWidget):
    """Shows the lanes; the hand is the moment of the session."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.setObjectName("clock")
        self.session = session
        self.theme: Theme = DAY
        self.setFixedHeight(124)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Clock")
        self.setAccessibleDescription(
            "Left and right move the hand, Space plays, N goes to the next event, End to all wet."
        )
        self._player = QTimer(self)
        self._player.setInterval(PLAY_STEP_MS)
        self._player.timeout.connect(self._tick)
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

    @property
    def strip(self) -> Strip:
        """Return the scale of time."""
        outlook = self.session.outlook
        return strip_for(self.width(), outlook.forecast if outlook else None)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), self.theme.panel)
        outlook, s = self.session.outlook, self.session
        forecast = outlook.forecast if outlook else None
        plan = outlook.evidence.charge if outlook and outlook.evidence else None
        job = outlook.job if outlook else s.job
        paint(
            painter,
            draw_clock(job, forecast, plan, s.moment, self.strip, self.height(), self.theme, s.system),
        )
        if self.hasFocus():
            painter.setPen(self.theme.accent)
            painter.drawRect(self.rect().adjusted(1, 1, -2, -2))
        painter.end()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.LeftButton:
            self.session.set_moment(self.strip.time(event.position().x()))

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if event.buttons() & Qt.MouseButton.LeftButton:
            self.session.set_moment(self.strip.time(event.position().x()))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = self.strip.end / 120
        match event.key():
            case Qt.Key.Key_Left:
                self.session.set_moment(max(self.session.moment - step, 0.0))
            case Qt.Key.Key_Right:
                self.session.set_moment(min(self.session.moment + step, self.strip.end))
            case Qt.Key.Key_Home:
                self.session.set_moment(0.0)
            case Qt.Key.Key_End:
                self.go_to_end()
            case Qt.Key.Key_Space:
                self.play(not self.playing)
            case Qt.Key.Key_N:
                self.next_event()
            case _:
                super().keyPressEvent(event)

    # -- playing

    @property
    def playing(self) -> bool:
        """Whether the hand moves by itself."""
        return self._player.isActive()

    def play(self, on: bool) -> None:
        """Start or stop the hand."""
        if on:
            if self.session.moment >= self._end() - 1:
                self.session.set_moment(0.0)
            self._player.start()
        else:
            self._player.stop()

    def _end(self) -> float:
        outlook = self.session.outlook
        return outlook.forecast.end if outlook and outlook.forecast else 0.0

    def _tick(self) -> None:
        end = self._end()
        moment = self.session.moment + end / PLAY_LENGTH * PLAY_STEP_MS / 1000
        if end <= 0 or moment >= end:
            self._player.stop()
            moment = end
        self.session.set_moment(moment)

    def go_to_end(self) -> None:
        """Go to the moment at which all is wet."""
        self.session.set_moment(self._end())

    def next_event(self) -> None:
        """Go to the next opening or milestone, from the last back to the start."""
        outlook = self.session.outlook
        if not outlook or not outlook.forecast:
            return
        times = [m.time for m in milestones(outlook.job, outlook.forecast)]
        times += [t for t in outlook.forecast.history.opened.values() if t > 0]
        later = [t for t in sorted(times) if t > self.session.moment + 0.5]
        self.session.set_moment(later[0] if later else 0.0)
