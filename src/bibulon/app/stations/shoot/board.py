"""The board that stands at the mould, dark and large: clock, plan with the front, next call, bucket, gel, one target per act."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PySide6.QtCore import Qt, QTimer
from PySide6.QtGui import QKeyEvent, QResizeEvent
from PySide6.QtWidgets import (
    QHBoxLayout,
    QLabel,
    QVBoxLayout,
    QWidget,
)

from bibulon.app.kit.appearance import HEAVY, PLAIN, SOFT, named, words
from bibulon.app.kit.awake import Awake
from bibulon.app.kit.button_row import ButtonRow
from bibulon.app.kit.theme import dress
from bibulon.app.session.session import Session
from bibulon.app.stations.shoot.board_acts import BoardActs
from bibulon.app.stations.shoot.board_plan import BoardPlan
from bibulon.app.stations.shoot.board_valves import valve_states
from bibulon.app.stations.shoot.board_words import (
    bucket_words,
    coming_calls,
    gel_words,
    headline,
    next_words,
    troubles,
)
from bibulon.app.stations.shoot.bucket_scale import BucketScale
from bibulon.app.stations.shoot.cards import BoardButton, BoardLine, Card, Target
from bibulon.app.stations.shoot.chimes import Chimes
from bibulon.app.stations.shoot.choosing import Choosing
from bibulon.app.stations.shoot.holding import Holding
from bibulon.app.stations.shoot.refitting import Refitting
from bibulon.core.drawing.kit.tokens import NIGHT
from bibulon.core.drawing.plan.signs import front_signs
from bibulon.core.plans.refit.today import Bucket
from bibulon.core.run.day import gauge_readings
from bibulon.core.run.decisions import Decision
from bibulon.core.run.journal import RunState
from bibulon.core.run.valves import end_words
from bibulon.core.units.units import clock
from bibulon.core.units.words import tr

__all__ = ["ShootBoard"]

TICK_MS = 250
ROOMY = 620  # px of height from which the board is drawn at full size
STOP_MS = 5000  # within which the clock must be stopped again to be stopped


class ShootBoard(BoardActs):
    """Elapsed time, plan, next calls, and one large target per act."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        named(self, "board")
        self.session = session
        self.refitting = Refitting(session)
        self.awake = Awake()
        session.closing.connect(self._rest)
        self.chimes = Chimes(session)
        self.holding = Holding(session)
        self.holding.changed.connect(self._on_told)
        self.choosing = Choosing(session)
        self.choosing.changed.connect(self._on_told)
        self.scale = BucketScale(session, lambda: b.mixed if (b := self._bucket()) else None)
        self.scale.changed.connect(self.refresh)
        self.back = 0
        self.asked: Decision | None = None
        self._warned = False
        self._tight = False
        dress(self, NIGHT)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(16, 10, 16, 14)
        layout.setSpacing(10)
        upper = QHBoxLayout()
        upper.setSpacing(16)
        upper.addLayout(self._lay_plan(), 1)
        upper.addLayout(self._lay_cards())
        layout.addLayout(upper, 1)
        layout.addWidget(self._prompt_row())
        self.acts = ButtonRow(gap=10)
        layout.addWidget(self.acts)
        self.buttons: dict[str, BoardButton] = {}
        self._stopping = QTimer(self)
        self._stopping.setSingleShot(True)
        self._stopping.setInterval(STOP_MS)
        self._stopping.timeout.connect(self._rebuild)
        self._ticker = QTimer(self)
        self._ticker.setInterval(TICK_MS)
        self._ticker.timeout.connect(self._tick)
        self._second = -1
        session.journal_changed.connect(self._on_rows)
        session.job_opened.connect(self._on_job)
        self.refitting.changed.connect(self.refresh)
        session.job_changed.connect(lambda _: self._rebuild())
        session.outlook_changed.connect(lambda _: self.refresh())
        session.system_changed.connect(lambda _: self.refresh())
        self._rebuild()
        self._fit()

    def _lay_plan(self) -> QVBoxLayout:
        """Lay the clock, what is told, and the plan on which fronts are marked."""
        left, head = QVBoxLayout(), QHBoxLayout()
        self.clock = named(QLabel("0:00"), "hugeclock")
        self.clock.setAccessibleName(tr("Elapsed"))
        head.addWidget(self.clock)
        self.told = named(QLabel(""), "told")
        self.told.setWordWrap(True)
        self.told.setContentsMargins(16, 0, 0, 0)
        head.addWidget(self.told, 1)
        left.addLayout(head)
        self.plan = BoardPlan(self.session, self.refitting)
        self.plan.set_theme(NIGHT)
        self.plan.margin = 36  # a name with how its valve stands is whole at the part's edge
        self.plan.clicked_at.connect(self.mark_front)
        self.plan.stroked.connect(self.mark_stroke)
        self.plan.not_yet.connect(self.mark_dry)
        left.addWidget(self.plan, 1)
        return left

    def _lay_cards(self) -> QVBoxLayout:
        """Lay the cards of what comes next, and the caution below them."""
        right = QVBoxLayout()
        right.setSpacing(5)
        self.next = Card(tr("Next call"), loud=True)
        self.then = Card("Then")
        self.bucket = Card("Bucket")
        self.gel = Card(tr("Gel clock"))
        self.look = Card("Look")
        caution = tr(
            "Gloves, eyes, air. Feel the bucket: a hot one goes outside on a metal tray. Hoses tied, pot rated."
        )
        self.caution = QLabel(caution)
        self.caution.setWordWrap(True)
        self.caution.setForegroundRole(SOFT)
        for part in (self.next, self.look, self.then, self.bucket, self.gel, self.caution):
            part.setFixedWidth(340)
            right.addWidget(part)
        right.addStretch()
        return right

    def _on_told(self) -> None:
        """What a question waited for has come: the hold, or what the choices come to."""
        if self.asked is not None:
            self.asked = self.asked_of(self.asked.key)
        self.refresh()

    def _on_job(self) -> None:
        self._warned, self.asked, self.back = False, None, 0

    def _prompt_row(self) -> QWidget:
        self.line = QWidget()
        row = QHBoxLayout(self.line)
        row.setContentsMargins(0, 0, 0, 0)
        self.asking = QLabel("")
        self.typed = BoardLine()
        self.typed.setAccessibleName(tr("Answer"))
        self.typed.returnPressed.connect(self._take_typed)
        row.addWidget(self.asking)
        row.addWidget(self.typed, 1)
        self.line.setVisible(False)
        self._take: Callable[[str], object] = lambda _: None
        return self.line

    def prompt(self, words: str, take: Callable[[str], object]) -> None:
        if not self.state().running:
            self.session.said.emit(tr("Start the clock first."), True)
            return
        self._take = take
        self.asking.setText(words)
        self.typed.clear()
        self.line.setVisible(True)
        self.typed.setFocus()

    def _take_typed(self) -> None:
        text = self.typed.text().strip()
        self._put_away()
        if text:
            self._take(text)

    def _put_away(self) -> None:
        self.line.setVisible(False)
        self.plan.show_grid(False)
        self.setFocus()

    # -- what is shown

    def _acts(self, state: RunState) -> list[Target]:
        """Return the targets that there are now."""
        if self.asked is not None and state.running:
            return [
                *(
                    Target(f"answer{k}", c.words, str(k + 1), partial(self.answer, k))
                    for k, c in enumerate(self.asked.choices)
                ),
                Target("leave", "Leave it", "Esc", self._leave, loud=True),
            ]
        if not state.running:
            return self.before()
        back = tr("Front {} s ago", self.back) if self.back else tr("Front here")
        targets = [Target("front", back, "Space", self.mark_at_hand, loud=True)]
        refit = self.refitting.refit
        if refit is not None and refit.contradictions:
            odd = refit.contradictions[0]
            targets.append(Target("odd", f"Withdraw mark {odd.mark + 1}", "X", self.withdraw_odd))
            offers = [w for w, _ in odd.explanations if w in {s.words for s in refit.prior.suspects}]
            if offers:
                targets.append(
                    Target(
                        "take", tr("Take: {}", offers[0].split(":")[0]), "Y", partial(self.explain, offers[0])
                    )
                )
        return [
            *targets,
            *self.valve_targets(state),
            Target("batch", "Batch in", "B", partial(self._stamp, "batch")),
            Target("bubbles", "Bubbles", "U", self.bubbles),
            Target("ask", "What now?", "A", self.next_question),
            Target("note", "Note", "N", self.note),
            Target("wet", "All wet", "W", partial(self._stamp, "wet")),
            Target(
                "stop", tr("Once more") if self._stopping.isActive() else tr("Stop clock"), "Q", self.stop
            ),
        ]

    def _rebuild(self) -> None:
        """Bring the targets up to now; those that stay keep their place, and the focus."""
        state = self.state()
        self.coming = coming_calls(self.session, self.refitting.refit)
        targets = self._acts(state)
        if [t.key for t in targets] != list(self.buttons):
            self._remake(targets)
        for target in targets:
            button = self.buttons[target.key]
            button.setText(f"{tr(target.text)}\n{tr(target.short)}")
            button.setAccessibleName(tr(target.text))
            button.act = target.act
        self._ticker.start() if state.running else self._ticker.stop()
        self.awake.hold(state.running)
        self.scale.follow(state.running)
        self._show()

    def _remake(self, targets: list[Target]) -> None:
        had = next((k for k, b in self.buttons.items() if b.hasFocus()), None)
        self.acts.clear()
        self.buttons = {t.key: BoardButton(t, self._tight) for t in targets}
        for button in self.buttons.values():
            self.acts.add(button)
            button.setVisible(True)  # else a layout shows it later, and the focus could not go there yet
        if had is not None:  # the hand stays on the board, on the same target where it is still there
            self.buttons.get(had, self).setFocus()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if self.line.isVisible():
            if event.key() == Qt.Key.Key_Escape:
                self._put_away()
            return
        keypad = Qt.KeyboardModifier.KeypadModifier
        if event.modifiers() & ~keypad:  # Shift+Q and the like are no stamps
            super().keyPressEvent(event)
            return
        keys = {
            "Space": "front", "B": "batch", "U": "bubbles", "N": "note", "W": "wet", "Q": "stop", "A": "ask", "X": "odd", "Y": "take", "V": "valve", "S": "stays",
        }  # fmt: skip
        if self.asked is not None and self.state().running and self._answered(event):
            return
        plain = {
            "D": self.dry_at_hand, "T": self.next_back, "G": self.place_typed, "P": self.gauge_typed, "K": self.weight_typed,
            "R": self.warmth_typed,
        }  # fmt: skip
        if self.state().running and event.key() == Qt.Key.Key_Backspace:
            self.withdraw()
            return
        if "valve" not in self.buttons:
            plain["V"] = self.valve_typed
        if self.state().running and event.text().upper() in plain:
            plain[event.text().upper()]()
            return
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and "start" in self.buttons:
            self.buttons["start"].click()
            return
        text = "Space" if event.key() == Qt.Key.Key_Space else event.text().upper()
        key = keys.get(text)
        if text.isdigit() and text != "0":
            feeds = [x.id for x in self.session.job.lines if x.role == "feed"]
            key = feeds[int(text) - 1] if int(text) <= len(feeds) else None
            if not self.state().running:
                key = f"gate{text}"
        if key in self.buttons:
            self.buttons[key].click()
        else:
            super().keyPressEvent(event)

    def _answered(self, event: QKeyEvent) -> bool:
        """Answer or leave the question by a key; any other key leaves it, and means what it always does."""
        text = event.text()
        if event.key() == Qt.Key.Key_Escape:
            self._leave()
        elif text.upper() == "A":
            self.next_question()
        elif text.isdigit() and f"answer{int(text) - 1}" in self.buttons:
            self.buttons[f"answer{int(text) - 1}"].click()
        else:
            self._leave()
            return False
        return True

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Draw smaller where there is little room, so that no word is cut off."""
        super().resizeEvent(event)
        tight = self.height() < ROOMY
        if tight != self._tight:
            self._tight = tight
            self._fit()

    def _fit(self) -> None:
        words(self.clock, 56 if self._tight else 72, HEAVY)
        words(self.caution, 13 if self._tight else 15, PLAIN)
        for card in (self.next, self.look, self.then, self.bucket, self.gel):
            card.fit(self._tight)
        for button in self.buttons.values():
            button.fit(self._tight)

    def _rest(self) -> None:
        """The window closes: nothing ticks on, and the screen may sleep."""
        for timer in (self._ticker, self._stopping):
            timer.stop()
        self.awake.hold(False)

    def _tick(self) -> None:
        """A second has passed, or the clock was set: else there is nothing new to show, and the machine rests."""
        second = int(self.elapsed())
        if second != self._second:
            self._second = second
            self.refresh()

    def refresh(self) -> None:
        """Bring clock, plan, calls and cards up to now."""
        self.coming = coming_calls(self.session, self.refitting.refit)
        self._show()

    def _show(self) -> None:
        state, outlook = self.state(), self.session.outlook
        if state.running and (by := self.session.run_clock.jump()):
            self._clock_set(by)
        elapsed = self.elapsed()
        self.clock.setText(clock(elapsed))
        if state.running and self.isVisible():  # elsewhere the hand of the clock is free
            self.session.set_moment(elapsed)
        self.plan.marks = front_signs(state.marks)
        self.plan.states = valve_states(self.session.job, state)
        self.plan.update()
        forecast = outlook.forecast if outlook else None
        refit = self.refitting.refit
        if state.wet_at is not None and state.running:
            self.holding.want(elapsed)
        self.told.setText(headline(self.session, refit, self.refitting.words(), self.holding.words()))
        if forecast is None or outlook is None:
            self.next.set("No forecast", self.session.problem)
            self.look.setVisible(False)
            return
        coming = self.coming
        if self.asked is not None:
            self.next.set(self.asked.question, self.asked.more, self.asked.title)
        else:
            held = end_words(outlook.job, self.session.system)[1]
            self.next.set(*next_words(coming, state, elapsed, held), tr("Next call"))
        bucket = self._bucket()
        self._looked(bucket)
        if state.running:
            due = [c.text for c in coming if c.time <= elapsed]
            age, life = (bucket.age, bucket.life) if bucket else (None, None)
            gauge = gauge_readings(self.session.journal)
            self.chimes.consider(state.run, due, age, life, len(state.batches), gauge)
        shown = 2 if self._tight or self.look.isVisibleTo(self) else 4
        self.then.set("\n".join(f"{clock(c.time)}  {tr(c.text)}" for c in coming[1:shown]) or "—")
        if bucket is not None:
            self.bucket.set(*bucket_words(bucket, self.scale.told, outlook.job.heel, self.session.system))
        self.gel.set(*gel_words(forecast.clock.gel, refit, elapsed))

    def _looked(self, bucket: Bucket | None) -> None:
        """Show what is wrong with the run, the weightiest, and marks that disagree."""
        lines = troubles(self.session, self.refitting.refit, bucket) if self.state().running else []
        self.look.setVisible(bool(lines))
        if lines:
            more = tr(" · and {} more", len(lines) - 1) if len(lines) > 1 else ""
            self.look.set(lines[0][0], lines[0][1] + more)
