"""Ports: what a vent or an inlet a hand away does, forecast one after another, drawn where it would sit."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QVBoxLayout, QWidget

from bibulon.app.kit.fields import FigureGrid, Form, UnitEdit, note
from bibulon.app.kit.run_bar import gathered
from bibulon.app.session.session import Session
from bibulon.app.stations.mould.trials import TrialsPage
from bibulon.app.stations.shared.place_plan import PlacePlan
from bibulon.app.work.ask import Progress, Stopped
from bibulon.core.drawing.kit.look import PlanLook
from bibulon.core.drawing.kit.scene import Item
from bibulon.core.drawing.kit.tokens import Theme
from bibulon.core.drawing.plan.portmap import draw_ports
from bibulon.core.flow.forecast import flow_key
from bibulon.core.model.job import Job
from bibulon.core.plans.ports import HAND, PortRow, best_port, moved, port_rows, ports_of, trials
from bibulon.core.units.units import clock, show
from bibulon.core.units.words import tr

__all__ = ["PortPage"]


class _Plan(PlacePlan):
    """Left and right walk over the trials."""

    def __init__(self, page: PortPage) -> None:
        super().__init__(
            page.session, tr("Ports, and what each does a hand away"), tr("Left and right walk over the trials, Enter takes one."),
            page.items, lambda: page.pick.place if page.pick else None,
        )  # fmt: skip
        self.page = page

    def keyPressEvent(self, event: QKeyEvent) -> None:
        by = {Qt.Key.Key_Right: 1, Qt.Key.Key_Left: -1}.get(Qt.Key(event.key()), 0)
        if by and self.page.rows:
            self.page.walk(by)
        else:
            super().keyPressEvent(event)


class PortPage(TrialsPage):
    """The plan with the trials, the run behind them, and taking one."""

    def __init__(self, session: Session) -> None:
        super().__init__(
            session, "Try a hand away", "Places tried", "Stop trying places", tr("Move it there")
        )
        self.rows: list[PortRow] = []
        self.pick: PortRow | None = None
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 8)
        layout.addLayout(self.bar.row(self.take))
        self.plan = _Plan(self)
        self.plan.pointed.connect(self._pointed)
        self.plan.entered.connect(self.take_pick)
        layout.addWidget(self.plan, 1)
        self.side = QWidget()
        side = QVBoxLayout(self.side)
        side.setContentsMargins(16, 12, 16, 8)
        self.figures = FigureGrid(("port", "all full", "shut in or dry", "to the catch pot"))
        side.addWidget(self.figures)
        form = Form()
        self.hand = UnitEdit("distance", "How far a hand is", 0.01, 1.0)
        self.hand.set_value(HAND, session.system)
        self.hand.committed.connect(lambda _: self.fill())
        self.hand.refused.connect(lambda text: session.said.emit(text, True))
        form.add("A hand is", self.hand)
        side.addWidget(form)
        side.addWidget(
            note(
                "Dry first, then time: a vent belongs where the fronts meet last. Seconds beside a place are of the whole fill; within a "
                "hundredth of it they are the mesh's. A port is a hole in the mould: try a place here before it is drilled."
            )
        )
        side.addStretch()

    def items(self, look: PlanLook) -> Iterator[Item]:
        """Yield the plan with its trials."""
        return draw_ports(self.session.job, self.rows or _as_they_are(self.session.job), self.pick, look)

    def key(self, job: Job) -> object:
        return flow_key(job), self.hand.value()

    def nothing_to_try(self) -> str:
        if ports_of(self.session.job):
            return ""
        return tr("There is no vent and no inlet that is a point: draw one on Lines.")

    def trials(self) -> tuple[Callable[[Progress, Stopped], list[PortRow]], int]:
        job, hand = self.session.job, self.hand.value()
        count = len(trials(job, hand))
        return lambda progress, stopped: gathered(
            port_rows(job, hand, cancelled=stopped), count, progress, stopped
        ), count

    def show_rows(self, rows: list[PortRow]) -> None:
        self.rows = rows
        if rows:
            self.choose(best_port(rows, self.session.job.rules.smallest_dry) or rows[0])

    def choose(self, row: PortRow) -> None:
        """Pick a trial."""
        self.pick = row
        s = self.session.system
        line = next((x for x in self.session.job.lines if x.id == row.line), None)
        full = clock(row.fill_time) if math.isfinite(row.fill_time) else "never"
        for name, text in (
            ("port", line.label if line else row.line), ("all full", full), ("shut in or dry", show(row.dry, "small area", s)),
            ("to the catch pot", show(row.caught, "mass", s)),
        ):  # fmt: skip
            self.figures.set(name, text)
        self.take.setEnabled(line is not None and row.place != line.path[0])
        self.plan.setAccessibleDescription(
            tr(
                "{0} at {1}, {2}: full {3}. Left and right walk, Enter takes it.",
                line.label if line else row.line,
                *(show(at, "length", s) for at in row.place),
                full,
            )
        )
        self.plan.update()

    def walk(self, by: int) -> None:
        """Pick the next trial, or the one before."""
        at = self.rows.index(self.pick) if self.pick in self.rows else 0
        self.choose(self.rows[max(0, min(at + by, len(self.rows) - 1))])

    def _pointed(self, x: float, y: float) -> None:
        if self.rows:
            self.choose(min(self.rows, key=lambda r: math.dist(r.place, (x, y))))

    def take_pick(self) -> None:
        """Move the port to the place that is picked."""
        row = self.pick
        if row is not None and self.take.isEnabled():
            self.session.edit("Move port", lambda j: moved(j, row.line, row.place))
            self.take.setEnabled(False)

    def forget(self) -> None:
        self.rows, self.pick = [], None
        self.take.setEnabled(False)
        for name in self.figures.figures:
            self.figures.set(name, "—")

    def fill(self) -> None:
        super().fill()
        self.plan.update()

    def set_theme(self, theme: Theme) -> None:
        """Choose the theme."""
        self.plan.set_theme(theme)


def _as_they_are(job: Job) -> list[PortRow]:
    return [PortRow(p.id, p.path[0], math.nan, 0.0, 0.0) for p in ports_of(job)]
