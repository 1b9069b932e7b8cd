"""Draw and bucket: the curve that the part draws, the level in the bucket, and the batches, dragged where they stand."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter
from PySide6.QtWidgets import QButtonGroup, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from bibulon.app.kit.appearance import named
from bibulon.app.kit.drawn import Drawn
from bibulon.app.kit.fields import note
from bibulon.app.kit.paint import paint
from bibulon.app.session.session import Session
from bibulon.app.work.ask import Ask
from bibulon.core.drawing.graphs.bucket import ChargeSheet, batch_at, draw_charge, draw_sinks, time_at
from bibulon.core.drawing.kit.scene import Item, Label
from bibulon.core.drawing.kit.tokens import Theme
from bibulon.core.resin.charge import Charge
from bibulon.core.resin.need import Need, need_of
from bibulon.core.run.aging import Aged, aged
from bibulon.core.run.schedule import Schedule, schedule_of
from bibulon.core.units.units import clock, show
from bibulon.core.units.words import tr

__all__ = ["ChargePage", "ChargeView"]

CAUTION = (
    "Gloves, eye protection and air. Never bring a peroxide together with a metal-salt accelerator. A bucket that "
    "warms goes outside on a metal tray. The product's own data and safety sheets and local rules come first."
)
SLOWER = ((tr("as forecast"), 1.0), ("20 %", 1.2), ("50 %", 1.5), ("100 %", 2.0))
STEP = 15.0  # s that a key moves a batch


class ChargeView(Drawn):
    """The drawing.  ``moved`` tells that a batch is to be begun at another moment [s]; ``chose`` which is chosen.

    ``trying`` tells the same while the hand still moves, so that what comes of it is seen.

    Up and down choose a batch, Ctrl with left and right begins it sooner or later.
    """

    moved = Signal(int, float)
    trying = Signal(int, float)
    chose = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.plan: Charge | None = None
        self.need: Need | None = None
        self.schedule: Schedule | None = None
        self.aged: tuple[Aged | None, ...] = ()
        self.problem = ""
        self.chosen: int | None = None
        self._grip: tuple[int, float] | None = None  # batch, and how far from its start the hand took it [s]
        self._at: float | None = None
        self.setMinimumHeight(300)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(tr("Resin drawn by the part, and in the bucket"))

    @property
    def sheet(self) -> ChargeSheet | None:
        """What is drawn; None without a forecast."""
        if self.plan is None or self.need is None or self.schedule is None:
            return None
        size = float(self.width()), float(self.height())
        return ChargeSheet(self.plan, self.need, self.schedule, *size, self.aged)

    def show_plan(self, plan: Charge | None, schedule: Schedule | None, problem: str) -> None:
        """Show a charge, its schedule where there is a forecast, and what stands in the way."""
        self.plan, self.schedule, self.problem = plan, schedule, problem
        self.aged = ()
        self.need = need_of(plan, self.session.job.charge.leftovers) if plan is not None else None
        if schedule is None or (self.chosen is not None and self.chosen >= len(schedule.batches)):
            self.chosen = None
        self._describe()
        self.update()

    def _describe(self) -> None:
        s = self.session.system
        if self.plan is None:
            self.setAccessibleDescription(self.problem)
            return
        words = [tr("{} to mix.", show(self.plan.total, "mass", s))]
        for b in self.schedule.batches if self.schedule else ():
            state = (
                ", ".join(b.troubles) if b.troubles else (tr("not needed") if not b.used else tr("in time"))
            )
            words.append(
                tr(
                    "Batch {0}: mix at {1}, pour at {2}, gone at {3}; {4}.",
                    b.number,
                    _moment(b.start),
                    _moment(b.pour),
                    _moment(b.gone),
                    state,
                )
            )
        self.setAccessibleDescription(" ".join(words))

    def items(self) -> list[Item]:
        """Return the drawing's shapes."""
        sheet, s = self.sheet, self.session.system
        if sheet is not None:
            out = list(draw_charge(sheet, self.theme, s, self.chosen))
            if self._grip is not None and self._at is not None:
                x = sheet.x(self._at)
                y = sheet.rows + 25 * self._grip[0] - 6
                out.append(
                    Label(
                        x,
                        y,
                        tr("mix at {}", _moment(self._at)),
                        self.theme.ink,
                        12.5,
                        True,
                        ground=self.theme.raised,
                        outline=self.theme.edge,
                    )
                )
            return out
        out = (
            []
            if self.plan is None or self.need is None
            else list(draw_sinks(self.plan, self.need, float(self.width()), self.theme, s))
        )
        out.append(
            Label(
                self.width() / 2,
                self.height() / 2,
                self.problem or tr("Waiting for the forecast …"),
                self.theme.soft,
                14,
            )
        )
        return out

    def draw(self, painter: QPainter) -> None:
        paint(painter, self.items())

    def choose(self, batch: int | None) -> None:
        """Choose a batch, from 0."""
        self.chosen = batch
        self.chose.emit()
        self.update()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        sheet = self.sheet
        if sheet is None or event.button() != Qt.MouseButton.LeftButton:
            return
        x, y = event.position().x(), event.position().y()
        found = batch_at(sheet, x, y)
        self.choose(found)
        if found is not None:
            self._grip = found, time_at(sheet, x) - sheet.schedule.batches[found].start

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        sheet = self.sheet
        if sheet is None or self._grip is None:
            return
        self._at = round((time_at(sheet, event.position().x()) - self._grip[1]) / 5) * 5.0
        self.trying.emit(self._grip[0], self._at)
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        grip, at, self._grip, self._at = self._grip, self._at, None, None
        if grip is not None and at is not None:
            self.moved.emit(grip[0], at)
        self.update()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        count = len(self.schedule.batches) if self.schedule else 0
        along = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1}.get(Qt.Key(event.key()), 0)
        by = {Qt.Key.Key_Right: STEP, Qt.Key.Key_Left: -STEP}.get(Qt.Key(event.key()), 0.0)
        if count and along:
            self.choose(0 if self.chosen is None else min(max(self.chosen + along, 0), count - 1))
        elif (
            by
            and self.chosen is not None
            and self.schedule
            and event.modifiers() & Qt.KeyboardModifier.ControlModifier
        ):
            self.moved.emit(self.chosen, self.schedule.batches[self.chosen].start + by)
        else:
            super().keyPressEvent(event)


def _moment(seconds: float) -> str:
    """Return a moment before or after the feed opens."""
    return clock(seconds) if seconds >= 0 else f"−{clock(-seconds)}"


class ChargePage(QWidget):
    """The drawing, and the same for a slower front."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 8)
        self.view = ChargeView(session)
        self.view.trying.connect(self.show_moved)
        self.aging = Ask(self, lambda: session.number)
        self.aging.ready.connect(self._show_aged)
        layout.addWidget(self.view, 1)
        row = QHBoxLayout()
        row.setContentsMargins(16, 0, 16, 0)
        row.addWidget(named(QLabel(tr("Front slower by")), "soft"))
        self.group = QButtonGroup(self)
        for k, (text, _) in enumerate(SLOWER):
            button = QPushButton(tr(text))
            button.setCheckable(True)
            button.setAccessibleName(tr("Front slower by: {}", text))
            self.group.addButton(button, k)
            row.addWidget(button)
        self.group.button(0).setChecked(True)
        self.group.idClicked.connect(lambda _: self.show_charge())
        self.words = note("")
        row.addWidget(self.words, 1)
        layout.addLayout(row)
        caution = note(CAUTION)
        caution.setContentsMargins(16, 0, 16, 0)
        layout.addWidget(caution)
        self.plan: Charge | None = None
        self.problem = ""

    @property
    def slower(self) -> float:
        """How many times longer the front takes."""
        return SLOWER[self.group.checkedId()][1]

    def show_charge(self, plan: Charge | str | None = "") -> None:
        """Show a charge, or the same again; a text says why there is none."""
        if isinstance(plan, Charge):
            self.plan, self.problem = plan, ""
        elif plan:
            self.plan, self.problem = None, plan
        outlook = self.session.outlook
        forecast = outlook.forecast if outlook else None
        made = None
        if self.plan is not None and forecast is not None and len(forecast.history.frames) > 2:
            made = schedule_of(self.session.job, self.plan, forecast, self.slower)
        problem = self.problem or (self.session.problem if forecast is None else "")
        self.view.show_plan(self.plan, made, problem)
        self.words.setText(_told(made, self.session))
        if made is not None:
            job = self.session.job
            self.aging.want(lambda: (made, aged(job, made)))

    def _show_aged(self, answer: tuple[Schedule, tuple[Aged | None, ...]]) -> None:
        made, old = answer
        if self.view.schedule is not made:
            return
        self.view.aged = old
        hot = [b.number for b, a in zip(made.batches, old, strict=True) if a is not None and a.hot]
        if hot and not made.troubles:
            self.words.setText(
                tr(
                    "Batch {} becomes too hot in its vessel before it is gone: smaller batches, or a tray.",
                    hot[0],
                )
            )
        self.view.update()

    def show_moved(self, batch: int, start: float) -> None:
        """Show what comes of beginning a batch at another moment, while the hand moves it."""
        made, outlook = self.view.schedule, self.session.outlook
        if made is None or outlook is None or outlook.forecast is None or self.plan is None:
            return
        if self.session.job.buckets:
            return  # the forecast itself follows their batches: what comes of it is told when it is there
        starts = tuple(start if k == batch else b.start for k, b in enumerate(made.batches))
        job = self.session.job
        moved = job.replaced(charge=job.charge.replaced(starts=starts))
        self.view.schedule = schedule_of(moved, self.plan, outlook.forecast, self.slower)
        self.words.setText(_told(self.view.schedule, self.session))
        self.view.update()

    def set_theme(self, theme: Theme) -> None:
        """Choose the theme."""
        self.view.set_theme(theme)


def _told(made: Schedule | None, session: Session) -> str:
    """Return what comes of a schedule in a sentence."""
    if made is None:
        return ""
    bad = [b for b in made.batches if b.troubles]
    if bad:
        return tr("Batch {0}: {1}.", bad[0].number, bad[0].troubles[0])
    spare = [b.number for b in made.batches if not b.used]
    left = show(max(made.left, 0.0), "mass", session.system)
    words = tr("{} left, none too old.", left)
    return tr("{0} Batch {1} may not be needed.", words, spare[0]) if spare else words
