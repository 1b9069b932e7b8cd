"""Vents: in which order they are wet and shut, and what comes to the catch pot by it."""

from __future__ import annotations

import math
from collections.abc import Callable

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QVBoxLayout, QWidget

from bibulon.app.kit.drawing_view import DrawingView
from bibulon.app.kit.fields import FigureGrid, note
from bibulon.app.kit.rows import Rows
from bibulon.app.kit.run_bar import gathered
from bibulon.app.session.session import Session
from bibulon.app.stations.mould.trials import TrialsPage
from bibulon.app.work.ask import Progress, Stopped
from bibulon.core.drawing.graphs.vents import draw_vents
from bibulon.core.drawing.kit.scene import Item, Label
from bibulon.core.drawing.kit.tokens import Theme
from bibulon.core.flow.forecast import flow_key
from bibulon.core.lines.outlets import WAIT
from bibulon.core.model.job import Job
from bibulon.core.plans.vents import (
    WAYS,
    VentRow,
    best_way,
    pot_needed,
    vent_rows,
    vents_in_order,
    with_way,
)
from bibulon.core.units.units import clock, show
from bibulon.core.units.words import tr

__all__ = ["VentPage"]


class VentPage(TrialsPage):
    """Pot and graph; at the side the ways to shut the vents, the order of them, and taking one."""

    def __init__(self, session: Session) -> None:
        super().__init__(session, "Try ways", "Ways tried", "Stop trying ways", tr("Shut them so"))
        self.rows: list[VentRow] = []
        self.pick: VentRow | None = None
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 8)
        layout.addLayout(self.bar.row(self.take))
        self.view = DrawingView("Catch pot, and what comes to it", self.items, 260)
        layout.addWidget(self.view, 1)
        self.side = QWidget()
        side = QVBoxLayout(self.side)
        side.setContentsMargins(16, 12, 16, 8)
        self.figures = FigureGrid(
            ("all full", "shut in or dry", "to the pot", "pot needed", "10 s longer costs")
        )
        side.addWidget(self.figures)
        self.ways = Rows()
        self.ways.setAccessibleName(tr("Ways to shut the vents"))
        self.ways.setWordWrap(True)
        self.ways.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.ways.currentRowChanged.connect(self._row)
        side.addWidget(self.ways)
        self.order = note("")
        side.addWidget(self.order)
        side.addWidget(
            note(
                "Bubbles come before clear resin: a vent runs on until none are seen. The pot is rated for vacuum, and never more than six tenths full."
            )
        )
        side.addStretch()
        session.moment_changed.connect(lambda _: self.view.update())

    def items(self, width: float, height: float, theme: Theme) -> list[Item]:
        """Return the drawing's shapes."""
        job = self.session.job
        if self.pick is None:
            words = self.nothing_to_try() or tr(
                "Once the plan has a forecast it is tried with its vents shut in one order after another."
            )
            return [Label(width / 2, height / 2, words, theme.soft, 14)]
        labels = {x.id: x.label for x in job.lines}
        moment = min(max(self.session.moment, 0.0), float(self.pick.time[-1]))
        return list(
            draw_vents(
                self.rows, self.pick, labels, sum(p.volume for p in job.pots), self._density(), moment, (width, height),
                theme, self.session.system,
            )
        )  # fmt: skip

    def _density(self) -> float:
        resin = self.session.job.resin
        return resin.density if resin else 1100.0

    def key(self, job: Job) -> object:
        return flow_key(job)

    def nothing_to_try(self) -> str:
        if any(x.role == "vacuum" for x in self.session.job.lines):
            return ""
        return tr("There is no vent: draw a vacuum line or point on Lines.")

    def trials(self) -> tuple[Callable[[Progress, Stopped], list[VentRow]], int]:
        job, ways = self.session.job, len(WAYS)
        return lambda progress, stopped: gathered(
            vent_rows(job, cancelled=stopped), ways, progress, stopped
        ), ways

    def show_rows(self, rows: list[VentRow]) -> None:
        self.rows = rows
        self.ways.clear()
        for row in rows:
            self.ways.addItem(
                tr(
                    "{0}: {1} to the pot",
                    WAYS[row.way].capitalize(),
                    show(row.caught, "mass", self.session.system),
                )
            )
        best = best_way(rows, self.session.job.rules.smallest_dry)
        self.ways.setCurrentRow(rows.index(best) if best else -1)
        self._row(self.ways.currentRow())

    def _row(self, at: int) -> None:
        self.pick = self.rows[at] if 0 <= at < len(self.rows) else None
        row, s, job = self.pick, self.session.system, self.session.job
        self.take.setEnabled(row is not None and row.way != "planned")
        if row is None:
            for name in self.figures.figures:
                self.figures.set(name, "—")
            self.order.setText("")
        else:
            hoses = sum(math.pi / 4 * x.hose_bore**2 * x.hose_length for x in job.lines if x.role == "vacuum")
            for name, text in (
                ("all full", clock(row.fill_time) if math.isfinite(row.fill_time) else "never"),
                ("shut in or dry", show(row.dry, "small area", s)), ("to the pot", show(row.caught, "mass", s)),
                ("pot needed", show(pot_needed(row, self._density(), hoses), "volume", s)),
                ("10 s longer costs", show(row.runs * WAIT, "mass", s)),
            ):  # fmt: skip
                self.figures.set(name, text)
            labels = {x.id: x.label for x in job.lines}
            words = [
                tr(
                    "{0}. {1} at {2}, takes {3}",
                    k,
                    labels.get(v, v),
                    clock(row.wet[v]),
                    show(row.took.get(v, 0.0), "mass", s),
                )
                for k, v in enumerate(vents_in_order(row), 1)
                if math.isfinite(row.wet[v])
            ]
            self.order.setText(
                tr("Wet in this order: ") + "; ".join(words) + "." if words else tr("No vent is reached.")
            )
        self.view.setAccessibleDescription(self.order.text())
        self.view.update()

    def take_pick(self) -> None:
        """Plan the vents to be shut as picked."""
        row = self.pick
        if row is not None and self.take.isEnabled():
            self.session.edit("Shut vents in order", lambda j: with_way(j, row.way, vents_in_order(row)))

    def forget(self) -> None:
        self.rows = []
        self.ways.clear()
        self._row(-1)

    def fill(self) -> None:
        super().fill()
        self.view.update()

    def set_theme(self, theme: Theme) -> None:
        """Choose the theme."""
        self.view.set_theme(theme)
