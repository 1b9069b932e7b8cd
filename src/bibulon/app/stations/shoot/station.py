"""Shoot: the board that stands at the mould, dark and large."""

from __future__ import annotations

import uuid
from collections.abc import Callable
from dataclasses import dataclass
from functools import partial

from PySide6.QtCore import Qt, QTimer
from PySide6.QtGui import QKeyEvent, QResizeEvent
from PySide6.QtWidgets import (
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QInputDialog,
    QLabel,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from bibulon.app.kit.fields import named
from bibulon.app.plan.view import PlanView
from bibulon.app.session.session import Session
from bibulon.app.stations.base import RailRow, Station
from bibulon.app.stations.shoot.board_sheet import ROOMY, board_sheet
from bibulon.core.drawing.kit.look import Mark
from bibulon.core.drawing.kit.tokens import NIGHT, Theme
from bibulon.core.model.job import Job
from bibulon.core.outlook.outlook import Outlook
from bibulon.core.run.calls import calls
from bibulon.core.run.journal import Entry, RunState
from bibulon.core.units.units import clock, show

__all__ = ["ShootStation"]

TICK_MS = 250
STOP_MS = 5000  # within which the clock must be stopped again to be stopped


class _Card(QFrame):
    """A field of the board: a small title, a large line, a smaller one."""

    def __init__(self, title: str, loud: bool = False) -> None:
        super().__init__()
        self.setObjectName("loud" if loud else "card")
        layout = QVBoxLayout(self)
        layout.setContentsMargins(16, 4, 16, 5)
        layout.setSpacing(1)
        self.title = named(QLabel(title.upper()), "cardtitle")
        self.big = named(QLabel("—"), "cardbig" if loud else "cardtext")
        self.small = named(QLabel(""), "cardsmall")
        for label in (self.title, self.big, self.small):
            label.setWordWrap(True)
            layout.addWidget(label)
        self.big.setAccessibleName(title)

    def set(self, big: str, small: str = "") -> None:
        self.big.setText(big)
        self.small.setText(small)
        self.small.setVisible(bool(small))


@dataclass(frozen=True)
class _Target:
    """One large target of the board."""

    key: str
    text: str
    short: str
    act: Callable[[], object]
    loud: bool = False


class _Button(QPushButton):
    """A target that is seen from three metres; what it does may change while it stays."""

    def __init__(self, target: _Target) -> None:
        super().__init__()
        self.act = target.act
        named(self, "loudact" if target.loud else "boardact")
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.clicked.connect(lambda _=False: self.act())


class ShootBoard(QWidget):
    """Elapsed time, plan, next calls, and one large target per act."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.setObjectName("board")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.session = session
        self._tight: bool | None = None
        layout = QVBoxLayout(self)
        layout.setContentsMargins(16, 10, 16, 14)
        layout.setSpacing(10)
        upper = QHBoxLayout()
        upper.setSpacing(16)
        left = QVBoxLayout()
        head = QHBoxLayout()
        self.clock = named(QLabel("0:00"), "hugeclock")
        self.clock.setAccessibleName("Elapsed")
        head.addWidget(self.clock)
        self.told = named(QLabel(""), "told")
        self.told.setWordWrap(True)
        head.addWidget(self.told, 1)
        left.addLayout(head)
        self.plan = PlanView(session, frozenset())
        self.plan.set_theme(NIGHT)
        self.plan.margin = 24
        self.plan.clicked_at.connect(self.mark_front)
        left.addWidget(self.plan, 1)
        upper.addLayout(left, 1)
        right = QVBoxLayout()
        right.setSpacing(5)
        self.next = _Card("Next call", loud=True)
        self.then = _Card("Then")
        self.bucket = _Card("Bucket")
        self.gel = _Card("Gel clock")
        for card in (self.next, self.then, self.bucket, self.gel):
            card.setFixedWidth(340)
            right.addWidget(card)
        self.caution = named(
            QLabel(
                "Gloves, eyes, air. Feel the bucket: a hot one goes outside on a metal tray. Hoses tied, pot rated."
            ),
            "cardsmall",
        )
        self.caution.setWordWrap(True)
        self.caution.setFixedWidth(340)
        right.addWidget(self.caution)
        right.addStretch()
        upper.addLayout(right)
        layout.addLayout(upper, 1)
        self.acts = QGridLayout()
        self.acts.setSpacing(10)
        layout.addLayout(self.acts)
        self.buttons: dict[str, _Button] = {}
        self._stopping = QTimer(self)
        self._stopping.setSingleShot(True)
        self._stopping.setInterval(STOP_MS)
        self._stopping.timeout.connect(self._rebuild)
        self._ticker = QTimer(self)
        self._ticker.setInterval(TICK_MS)
        self._ticker.timeout.connect(self.refresh)
        session.journal_changed.connect(self._rebuild)
        session.job_changed.connect(lambda _: self._rebuild())
        session.outlook_changed.connect(lambda _: self.refresh())
        self._rebuild()

    # -- state

    def state(self) -> RunState:
        """Return what the journal's last run has come to."""
        return self.session.run_state()

    def elapsed(self) -> float:
        """Return seconds since the first feed was opened."""
        return self.session.elapsed()

    def _stamp(self, kind: str, **data: object) -> None:
        state = self.state()
        if not state.running:
            self.session.said.emit("Start the clock first.", True)
            return
        self.session.stamp(Entry(state.run, self.elapsed(), kind, dict(data), self.session.run_clock.wall()))

    # -- acts

    def start(self) -> None:
        """Open the first feeds and start the clock."""
        now, run = self.session.run_clock.wall(), uuid.uuid4().hex[:8]
        if self.session.stamp(Entry(run, 0.0, "start", self.session.run_clock.began(), now)):
            for line in self.session.job.lines:
                if line.role == "feed" and getattr(line.opens, "time", None) == 0:
                    self.session.stamp(Entry(run, 0.0, "open", {"line": line.id}, now))

    def toggle(self, line_id: str) -> None:
        """Open a line, or shut it."""
        self._stamp("shut" if line_id in self.state().open else "open", line=line_id)

    def mark_front(self, x: float, y: float) -> None:
        """Stamp that the front has reached a place [m]."""
        if self.state().running:
            self._stamp("front", x=round(x, 4), y=round(y, 4))

    def mark_at_hand(self) -> None:
        """Stamp the front where the pointer is."""
        hand = self.plan.hand
        if hand is None:
            self.session.said.emit("Point at the front on the plan, then press Space; or click there.", True)
        else:
            self.mark_front(*hand)

    def _clock_set(self, by: float) -> None:
        """Tell and record that the machine's clock was set: the run's own time goes on as it was."""
        how = f"{clock(abs(by))} {'forward' if by > 0 else 'back'}"
        self._stamp("clock", by=round(by, 1), text=f"the machine's clock was set {how}")
        self.session.said.emit(
            f"The machine's clock was set {how}. The run's own time goes on as it was; this is on the record.",
            True,
        )

    def note(self) -> None:
        """Write a note."""
        text, good = QInputDialog.getText(self, "Note", "What did you see?")
        if good and text.strip():
            self._stamp("note", text=text.strip())

    # -- what is shown

    def _acts(self, state: RunState) -> list[_Target]:
        """Return the targets that there are now."""
        if not state.running:
            text = "Start the clock: first feed opens" if not state.run else "Start a new run"
            return [_Target("start", text, "Return", self.start, loud=True)]
        targets = [_Target("front", "Front here", "Space", self.mark_at_hand, loud=True)]
        feeds = [x for x in self.session.job.lines if x.role == "feed"]
        for number, line in enumerate(feeds, 1):
            act = "shut" if line.id in state.open else "open"
            targets.append(
                _Target(line.id, f"{line.label} {act}", str(number), partial(self.toggle, line.id))
            )
        return [
            *targets,
            _Target("batch", "Batch in", "B", partial(self._stamp, "batch")),
            _Target("bubbles", "Bubbles", "U", partial(self._stamp, "bubbles")),
            _Target("note", "Note", "N", self.note),
            _Target("wet", "All wet", "W", partial(self._stamp, "wet")),
            _Target("stop", "Once more" if self._stopping.isActive() else "Stop clock", "Q", self.stop),
        ]

    def stop(self) -> None:
        """Stop the clock, asked twice: a run that is stopped is over."""
        if self._stopping.isActive():
            self._stopping.stop()
            self._stamp("stop")
        else:
            self._stopping.start()
            self._rebuild()
            self.session.said.emit(
                "Once more within five seconds stops the clock of this run for good.", False
            )

    def _rebuild(self) -> None:
        """Bring the targets up to now; those that stay keep their place, and the focus."""
        state = self.state()
        targets = self._acts(state)
        if [t.key for t in targets] != list(self.buttons):
            self._remake(targets)
        for target in targets:
            button = self.buttons[target.key]
            button.setText(f"{target.text}\n{target.short}")
            button.setAccessibleName(target.text)
            button.act = target.act
        self._ticker.start() if state.running else self._ticker.stop()
        self.refresh()

    def _remake(self, targets: list[_Target]) -> None:
        had = next((k for k, b in self.buttons.items() if b.hasFocus()), None)
        while self.acts.count():
            item = self.acts.takeAt(0)
            widget = item.widget() if item else None
            if widget is not None:
                widget.hide()
                widget.deleteLater()
        self.buttons = {t.key: _Button(t) for t in targets}
        for column, button in enumerate(self.buttons.values()):
            self.acts.addWidget(button, 0, column)
            button.setVisible(True)  # else a layout shows it later, and the focus could not go there yet
        if had is not None:  # the hand stays on the board, on the same target where it is still there
            self.buttons.get(had, self).setFocus()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        keypad = Qt.KeyboardModifier.KeypadModifier
        if event.modifiers() & ~keypad:  # Shift+Q and the like are no stamps
            super().keyPressEvent(event)
            return
        keys = {"Space": "front", "B": "batch", "U": "bubbles", "N": "note", "W": "wet", "Q": "stop"}
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and "start" in self.buttons:
            self.buttons["start"].click()
            return
        text = "Space" if event.key() == Qt.Key.Key_Space else event.text().upper()
        key = keys.get(text)
        if text.isdigit() and text != "0":
            feeds = [x.id for x in self.session.job.lines if x.role == "feed"]
            key = feeds[int(text) - 1] if int(text) <= len(feeds) else None
        if key in self.buttons:
            self.buttons[key].click()
        else:
            super().keyPressEvent(event)

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Draw smaller where there is little room, so that no word is cut off."""
        super().resizeEvent(event)
        tight = self.height() < ROOMY
        if tight != self._tight:
            self._tight = tight
            self.setStyleSheet(board_sheet(NIGHT, tight))

    def refresh(self) -> None:
        """Bring clock, plan and cards up to now."""
        state, outlook = self.state(), self.session.outlook
        if state.running and (by := self.session.run_clock.jump()):
            self._clock_set(by)
        elapsed = self.elapsed()
        self.clock.setText(clock(elapsed))
        if state.running and self.isVisible():  # elsewhere the hand of the clock is free
            self.session.set_moment(elapsed)
        self.plan.marks = tuple(Mark((m.x, m.y), "front", clock(m.time)) for m in state.marks)
        self.plan.states = {
            x.id: ("open" if x.id in state.open else "shut") if x.role == "feed" else "full"
            for x in self.session.job.lines
        }
        self.plan.update()
        forecast = outlook.forecast if outlook else None
        if forecast is None or outlook is None:
            self.next.set("No forecast", self.session.problem)
            return
        plan = outlook.evidence.charge if outlook.evidence else None
        coming = calls(outlook.job, forecast, plan, state, self.session.system)
        if coming and state.run:
            wait = coming[0].time - elapsed
            self.next.set(coming[0].text, f"{coming[0].why} · {'in ' + clock(wait) if wait > 0 else 'now'}")
        else:
            self.next.set(
                "Start the clock" if not state.run else "Hold the vacuum until gel",
                "when the first feed opens" if not state.run else "",
            )
        self.then.set(
            "\n".join(f"{clock(c.time)}  {c.text}" for c in coming[1 : 3 if self._tight else 4]) or "—"
        )
        self._told(forecast.fill_time, forecast.filled, elapsed, state)
        if plan is not None:
            drawn = _drawn(forecast.history.frames, elapsed) * plan.density
            left = max(plan.total - drawn, 0.0)
            self.bucket.set(
                f"{show(left, 'mass', self.session.system)} left of all mixed",
                f"by the forecast; {show(drawn, 'mass', self.session.system)} drawn",
            )
        gel = forecast.clock.gel
        self.gel.set(
            clock(gel - elapsed) if gel < 1e8 else "no data",
            "until the first batch gels in the part" if gel < 1e8 else "",
        )

    def _told(self, fill: float, filled: bool, elapsed: float, state: RunState) -> None:
        words = []
        if filled and state.wet_at is None:
            words.append(f"wet through in {clock(max(fill - elapsed, 0))}, planned {clock(fill)}")
        if state.wet_at is not None:
            words.append(f"all wet at {clock(state.wet_at)}")
        if state.marks:
            words.append(f"last mark {clock(state.marks[-1].time)} · {len(state.marks)} marks")
        self.told.setText("\n".join(words) if state.run else "Every stamp is stored the moment it is made.")


def _drawn(frames: object, elapsed: float) -> float:
    """Return the volume drawn by a moment, by the forecast [m³]."""
    import numpy as np

    rows = list(frames)  # type: ignore[call-overload]
    return float(np.interp(elapsed, [f.time for f in rows], [sum(f.fed) for f in rows]))


class ShootStation(Station):
    """The board."""

    name = "Shoot"
    full = True
    clock = True

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.board = ShootBoard(session)
        self.bench = self.board

    def set_theme(self, theme: Theme) -> None:
        """The board stays dark."""

    def entered(self) -> None:
        if not self.board.state().run:
            self.session.set_moment(0.0)  # before the start the board shows the start
        self.board.refresh()
        self.board.setFocus()

    def row(self, job: Job, outlook: Outlook | None) -> RailRow:
        state = self.board.state()
        if not state.run:
            return RailRow("not begun", "open")
        return RailRow(clock(self.board.elapsed()), "warned" if state.running else "settled")
