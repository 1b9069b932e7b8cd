"""The clock strip on screen: drag the hand or a valve's bar; play, step, speed."""

from __future__ import annotations

from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QToolButton, QVBoxLayout, QWidget

from bibulon.app.kit.appearance import named
from bibulon.app.kit.fields import offer, pick, word_of
from bibulon.app.kit.paint import paint
from bibulon.app.kit.theme import icon
from bibulon.app.kit.whole import paint_whole
from bibulon.app.session.session import Session
from bibulon.core.drawing.graphs.timeline import (
    Bar,
    Lane,
    Strip,
    clock_height,
    draw_clock,
    milestones,
    strip_for,
    valve_bars,
)
from bibulon.core.drawing.kit.scene import Item, Label
from bibulon.core.drawing.kit.tokens import DAY, Theme
from bibulon.core.edit.valves import open_later, shut_later
from bibulon.core.model.job import Job
from bibulon.core.run.journal import run_state, valve_spans
from bibulon.core.units.units import clock
from bibulon.core.units.words import tr

__all__ = ["ClockPanel", "ClockView"]

PLAY_STEP_MS = 33
PLAY_LENGTH = 12.0  # s in which the whole forecast plays at single speed
GRIP = 6  # px about a bar's end within which the hand takes hold of it
SPEEDS = {"half speed": 0.5, "12 s for all": 1.0, "double": 2.0, "real time": 0.0}


class ClockView(QWidget):
    """Shows the lanes; the hand is the moment of the session."""

    playing_changed = Signal(bool)

    def __init__(self, session: Session) -> None:
        super().__init__()
        named(self, "clock")
        self.session = session
        self.theme: Theme = DAY
        self.speed = 1.0
        self.lit: float | None = None
        self._grip: tuple[Bar, bool] | None = None
        self._grip_time = 0.0
        self._grow(session.job)
        session.job_changed.connect(self._grow)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(tr("Clock"))
        self.setAccessibleDescription(
            tr("Left and right move the hand, Space plays, N goes to the next event, End to all wet.")
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
        session.journal_changed.connect(self.update)
        for over in (session.job_opened, session.closing):
            over.connect(lambda *_: self.play(False) if self.playing else None)

    def _grow(self, job: Job) -> None:
        """Be as high as the job's lanes."""
        self.setFixedHeight(round(clock_height(job)))

    def set_theme(self, theme: Theme) -> None:
        """Choose the theme."""
        self.theme = theme
        self.update()

    def light(self, moment: float | None) -> None:
        """Show a moment that a finding has."""
        self.lit = moment
        self.update()

    @property
    def strip(self) -> Strip:
        """Return the scale of time."""
        outlook = self.session.outlook
        return strip_for(self.width(), outlook.forecast if outlook else None)

    def items(self, strip: Strip, height: float) -> list[Item]:
        """Return the drawing on a scale of time, for the screen, paper and files."""
        outlook, s = self.session.outlook, self.session
        forecast = outlook.forecast if outlook else None
        plan = outlook.evidence.charge if outlook and outlook.evidence else None
        state = run_state(s.journal)
        done = [Lane(m, tr("batch in, done")) for m in state.batches]
        done += [Lane(state.wet_at, tr("all wet, done"))] if state.wet_at is not None else []
        ran = valve_spans(s.journal, self.session.elapsed()) if state.run else []
        job = outlook.job if outlook else s.job
        return list(
            draw_clock(job, forecast, plan, s.moment, strip, height, self.theme, s.system, done, ran, self.lit)
        )  # fmt: skip

    def paintEvent(self, event: QPaintEvent) -> None:
        paint_whole(self, self._draw)

    def _draw(self, painter: QPainter) -> None:
        painter.fillRect(self.rect(), self.theme.panel)
        paint(painter, self.items(self.strip, self.height()))
        if self._grip is not None:
            words = f"{self._grip[0].label} {'shuts' if self._grip[1] else 'opens'} {clock(self._grip_time)}"
            x = min(max(self.strip.x(self._grip_time), 160), self.width() - 120)
            ink, below = self.theme.ink, self._grip[0].bottom + 12
            paint(painter, [Label(x, below, words, self.theme.ground, 13, True, ground=ink)])
        if self.hasFocus():
            painter.setPen(self.theme.accent)
            painter.drawRect(self.rect().adjusted(1, 1, -2, -2))

    # -- the hand

    def _grip_at(self, x: float, y: float) -> tuple[Bar, bool] | None:
        """Return the bar whose end is under the hand, and whether it is the end at which it shuts."""
        outlook = self.session.outlook
        if outlook is None or outlook.forecast is None:
            return None
        for bar in valve_bars(outlook.job, outlook.forecast):
            if bar.top - 2 <= y <= bar.bottom + 2:
                for at, shuts in ((bar.start, False), (bar.stop, True)):
                    if abs(self.strip.x(at) - x) <= GRIP and (at > 0 or shuts or x > self.strip.x(0)):
                        return bar, shuts
        return None

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() != Qt.MouseButton.LeftButton:
            return
        x, y = event.position().x(), event.position().y()
        self._grip = self._grip_at(x, y)
        if self._grip is None:
            self.session.set_moment(self.strip.time(x))
        else:
            self._grip_time = self._grip[0].stop if self._grip[1] else self._grip[0].start

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        x, y = event.position().x(), event.position().y()
        if not event.buttons() & Qt.MouseButton.LeftButton:
            over = self._grip_at(x, y) is not None
            self.setCursor(Qt.CursorShape.SizeHorCursor if over else Qt.CursorShape.ArrowCursor)
        elif self._grip is None:
            self.session.set_moment(self.strip.time(x))
        else:
            step = 5.0 if self.strip.end > 300 else 1.0
            self._grip_time = round(self.strip.time(x) / step) * step
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        grip, self._grip = self._grip, None
        if grip is None:
            return
        bar, shuts = grip
        before = bar.stop if shuts else bar.start
        if abs(self._grip_time - before) >= 1:
            end, to, line = self._end(), self._grip_time, bar.line
            if shuts:
                self.session.edit(tr("Shut {}", bar.label), lambda j: shut_later(j, line, to, before, end))
            else:
                self.session.edit(tr("Open {}", bar.label), lambda j: open_later(j, line, to, before))
        self.update()

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
        self.playing_changed.emit(on)

    def _end(self) -> float:
        outlook = self.session.outlook
        return outlook.forecast.end if outlook and outlook.forecast else 0.0

    def _tick(self) -> None:
        end = self._end()
        rate = 1.0 if self.speed == 0 else end / PLAY_LENGTH * self.speed
        moment = self.session.moment + rate * PLAY_STEP_MS / 1000
        if end <= 0 or moment >= end:
            self.play(False)
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


class ClockPanel(QWidget):
    """The strip with its buttons: play, next event, all wet, speed."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        named(self, "clockpanel")
        self.view = ClockView(session)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 10, 0)
        row.setSpacing(4)
        row.addWidget(self.view, 1)
        buttons = QVBoxLayout()
        buttons.setContentsMargins(0, 6, 0, 6)
        buttons.setSpacing(4)
        upper = QHBoxLayout()
        self.play = self._button(tr("Play or stop, Space"), lambda: self.view.play(not self.view.playing))
        self.next = self._button(tr("Next event, N"), self.view.next_event)
        self.wet = self._button(tr("All wet, End"), self.view.go_to_end)
        for button in (self.play, self.next, self.wet):
            upper.addWidget(button)
        buttons.addLayout(upper)
        self.speed = QComboBox()
        offer(self.speed, SPEEDS)
        pick(self.speed, "12 s for all")
        self.speed.setAccessibleName(tr("Speed of play"))
        self.speed.currentIndexChanged.connect(lambda _: self._set_speed(word_of(self.speed)))
        buttons.addWidget(self.speed)
        buttons.addStretch()
        row.addLayout(buttons)
        self.view.playing_changed.connect(lambda _: self._icons())
        self.set_theme(DAY)

    def _button(self, name: str, act: object) -> QToolButton:
        button = named(QToolButton(), "flat")
        button.setAccessibleName(tr(name))
        button.setToolTip(tr(name))
        button.clicked.connect(lambda _=False: act())  # type: ignore[operator]
        return button

    def _set_speed(self, name: str) -> None:
        self.view.speed = SPEEDS[name]

    def set_theme(self, theme: Theme) -> None:
        """Choose the theme."""
        self.view.set_theme(theme)
        self._icons()

    def _icons(self) -> None:
        ink = self.view.theme.ink
        self.play.setIcon(icon("pause" if self.view.playing else "play", ink))
        self.next.setIcon(icon("skip-forward", ink))
        self.wet.setIcon(icon("droplets", ink))
