"""Warm side: what a warmer mix gains in flow and loses in life, and how warm each part must then be."""

from __future__ import annotations

import math

from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter
from PySide6.QtWidgets import QPushButton, QVBoxLayout, QWidget

from bibulon.app.kit.appearance import named
from bibulon.app.kit.drawn import Drawn
from bibulon.app.kit.fields import FigureGrid, Form, UnitEdit, heading, note
from bibulon.app.kit.paint import paint
from bibulon.app.session.session import Session
from bibulon.app.stations.base import SidedPage
from bibulon.app.work.ask import Ask
from bibulon.core.drawing.graphs.warmside import WarmSheet, draw_warm_side
from bibulon.core.drawing.kit.scene import Label
from bibulon.core.drawing.kit.tokens import Theme
from bibulon.core.resin.warmth import WarmSide, bath_time, parts_temperatures, temperature_for, warm_side
from bibulon.core.units.units import clock, show
from bibulon.core.units.words import tr

__all__ = ["WarmPage"]

LOW, HIGH = 283.15, 318.15  # K looked at
CAUTION = (
    "Never warm peroxide, nor resin with peroxide in it. No open flame, no hot plate under styrene: a water bath, a lid, and "
    "air. The sheet's limit comes first."
)


class WarmView(Drawn):
    """The graph; the pick is dragged, or moved by left and right.  ``picked`` gives it when it is let go [K]."""

    moved = Signal(float)
    picked = Signal(float)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.side: WarmSide | None = None
        self.pick = 295.15
        self.problem = ""
        self._held = False
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(tr("Viscosity, gel and life by the temperature of the mix"))

    def sizeHint(self) -> QSize:
        return QSize(640, 480)

    @property
    def sheet(self) -> WarmSheet | None:
        """What is drawn."""
        job = self.session.job
        if self.side is None or job.resin is None:
            return None
        rules = job.rules
        return WarmSheet(
            self.side, self.pick, job.resin.warm_limit, rules.viscosity_least, rules.viscosity_most,
            float(self.width()), float(self.height()),
        )  # fmt: skip

    def draw(self, painter: QPainter) -> None:
        sheet = self.sheet
        if sheet is None:
            words = self.problem or tr("Working it out …")
            paint(painter, [Label(self.width() / 2, self.height() / 2, words, self.theme.soft, 14)])
        else:
            paint(painter, draw_warm_side(sheet, self.theme, self.session.system))

    def move_to(self, temperature: float) -> None:
        """Move the pick [K]."""
        self.pick = min(max(temperature, LOW), HIGH)
        self.moved.emit(self.pick)
        self.update()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._held = event.button() == Qt.MouseButton.LeftButton
        self.mouseMoveEvent(event)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        sheet = self.sheet
        if self._held and sheet is not None:
            self.move_to(sheet.temperature(event.position().x()))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._held:
            self._held = False
            self.picked.emit(self.pick)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        by = {Qt.Key.Key_Right: 0.5, Qt.Key.Key_Left: -0.5}.get(Qt.Key(event.key()), 0.0)
        if by:
            self.move_to(self.pick + by)
            self.picked.emit(self.pick)
        else:
            super().keyPressEvent(event)


class WarmPage(SidedPage):
    """The graph with what follows from the pick beside it."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.mass = 1.0
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        self.view = WarmView(session)
        self.view.moved.connect(lambda _: self._tell())
        layout.addWidget(self.view)
        self.ask = Ask(self, lambda: session.number)
        self.ask.ready.connect(self._show)
        self.ask.failed.connect(self._fail)
        self._lay_side()

    def _lay_side(self) -> None:
        self.side = QWidget()
        side = QVBoxLayout(self.side)
        side.setContentsMargins(16, 12, 16, 8)
        self.figures = FigureGrid(("mix", "resin at", "bath"), 3)
        side.addWidget(self.figures)
        form = Form()
        self.wanted = UnitEdit("viscosity", "Wanted viscosity of the fresh mix", 0.005, 10.0)
        self.room = UnitEdit("temperature", "Temperature where it is mixed", 253.0, 333.0)
        self.bath = UnitEdit("temperature", "Temperature of the water bath", 283.0, 363.0)
        for name, field in (("Wanted", self.wanted), ("Room", self.room), (tr("Water bath"), self.bath)):
            field.refused.connect(lambda text: self.session.said.emit(text, True))
            form.add(name, field)
        self.wanted.committed.connect(self._pick_viscosity)
        self.room.committed.connect(self._set_room)
        self.bath.committed.connect(self._set_bath)
        self.water = 313.15
        side.addWidget(form)
        self.words = note("")
        side.addWidget(self.words)
        self.take = QPushButton(tr("Plan with this temperature"))
        named(self.take, "act")
        self.take.clicked.connect(lambda _=False: self.plan_with(self.view.pick))
        side.addWidget(self.take)
        side.addWidget(heading("When warming"))
        side.addWidget(note(CAUTION))
        side.addStretch()

    def fill(self, mass: float) -> None:
        """Follow the job; the graph is of a batch of a mass [kg]."""
        job, s = self.session.job, self.session.system
        self.mass = mass
        self.view.pick = min(max(job.conditions.resin_temperature, LOW), HIGH)
        self.room.set_value(job.charge.room, s)
        self.bath.set_value(self.water, s)
        if job.resin is None:
            self._fail(ValueError(tr("Choose a resin first.")))
            return
        resin, plan = job.resin, job.charge
        self.ask.want(lambda: warm_side(resin, plan, mass, LOW, HIGH))

    def _show(self, side: WarmSide) -> None:
        self.view.side, self.view.problem = side, ""
        self._tell()
        self.view.update()

    def _fail(self, error: Exception) -> None:
        self.view.side, self.view.problem = None, str(error)
        self.words.setText(str(error))
        self.view.update()

    def _tell(self) -> None:
        """Say what follows from the pick."""
        job, s, side = self.session.job, self.session.system, self.view.side
        if side is None or job.resin is None:
            return
        pick = self.view.pick
        alone, both = parts_temperatures(job.resin, job.charge, self.mass, pick)
        mu, gel, life = side.at(pick)
        self.figures.set("mix", show(pick, "temperature", s))
        self.figures.set("resin at", show(alone, "temperature", s))
        time = bath_time(self.mass, job.charge, job.resin.density, job.charge.room, alone, self.water)
        self.figures.set("bath", clock(time) if math.isfinite(time) else tr("too cold"))
        self.wanted.set_value(mu, s)
        words = [
            tr(
                "Resin alone warmed to {0}, the rest at {1};",
                show(alone, "temperature", s),
                show(job.charge.room, "temperature", s),
            )
            if job.resin.cures == "peroxide"
            else tr(
                "Resin alone warmed to {0}, or both parts to {1};",
                show(alone, "temperature", s),
                show(both, "temperature", s),
            ),
            tr("then {0} in the vessel, {1} to gel in the part.", clock(life), clock(gel)),
        ]
        limit = job.resin.warm_limit
        if limit is not None and max(alone, pick) > limit:
            words.append(tr("That is over {}, which the sheet does not let.", show(limit, "temperature", s)))
        self.words.setText(" ".join(words))
        self.take.setEnabled(limit is None or max(alone, pick) <= limit)
        self.view.setAccessibleDescription(
            f"{show(pick, 'temperature', s)}: {show(mu, 'viscosity', s)}. {self.words.text()}"
        )

    def plan_with(self, temperature: float) -> None:
        """Let the job be forecast with a mix of this temperature [K]."""
        self.session.edit(
            "Warm the resin",
            lambda j: j.replaced(conditions=j.conditions.replaced(resin_temperature=temperature)),
        )

    def _pick_viscosity(self, value: float) -> None:
        resin = self.session.job.resin
        if resin is None:
            return
        try:
            self.view.move_to(temperature_for(resin, value))
        except ValueError as error:
            self.session.said.emit(str(error), True)
            self._tell()

    def _set_room(self, value: float) -> None:
        self.session.edit("Change room", lambda j: j.replaced(charge=j.charge.replaced(room=value)))

    def _set_bath(self, value: float) -> None:
        self.water = value
        self._tell()

    def set_theme(self, theme: Theme) -> None:
        """Choose the theme."""
        self.view.set_theme(theme)
