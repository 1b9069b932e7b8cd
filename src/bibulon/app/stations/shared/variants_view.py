"""Variants: plans of the job side by side, in one table and on one drawing."""

from __future__ import annotations

import math
from collections.abc import Iterator

from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from bibulon.app.kit.drawing_view import DrawingView
from bibulon.app.kit.fields import note, push
from bibulon.app.kit.table import Cell, Column, Table
from bibulon.app.session.session import Session
from bibulon.app.work.ask import Ask
from bibulon.core.drawing.kit.pages import shifted
from bibulon.core.drawing.kit.scene import Item, Label
from bibulon.core.drawing.kit.tokens import Theme
from bibulon.core.drawing.plan.compare import draw_at, draw_sooner
from bibulon.core.plans.variants import (
    Compared,
    compared,
    drop_variant,
    keep_variant,
    rename_variant,
    swap_variant,
)
from bibulon.core.units.units import clock, show
from bibulon.core.units.words import tr

__all__ = ["VariantsView"]

HEADS = (
    Column("plan", 108, typed=True), Column("area", 66), Column("thickness", 80), Column("mass", 74), Column("cost", 48),
    Column("charge", 66), Column("lines", 42), Column("all wet", 58), Column("dry", 60), Column("to settle", 60),
)  # fmt: skip


class VariantsView(QWidget):
    """The open plan on top, those kept below it; what is chosen is drawn against the open one."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.rows: tuple[Compared, ...] = ()
        self._asked: object = None
        self.later = Ask(self, lambda: session.number)
        self.later.ready.connect(self._show)
        self.later.failed.connect(self._on_failure)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(16, 8, 16, 8)
        row = QHBoxLayout()
        for text, act in (
            (tr("Keep this plan as a variant"), self.keep),
            (tr("Go on with the chosen one"), self.swap),
            (tr("Remove the chosen one"), self.drop),
        ):
            row.addWidget(push(text, act))
        row.addStretch()
        layout.addLayout(row)
        self.table = Table(HEADS, "Variants of the plan", together=session.together)
        self.table.setFixedHeight(122)
        self.table.typed.connect(self._renamed)
        self.table.row_chosen.connect(self._picked)
        layout.addWidget(self.table)
        self.words = note()
        layout.addWidget(self.words)
        self.graph = DrawingView("Where each plan wets sooner", self._items, 220)
        layout.addWidget(self.graph, 1)
        session.moment_changed.connect(lambda _: self.graph.update())
        session.forecaster.idle.connect(lambda: self.fill() if self.isVisible() else None)
        session.job_opened.connect(self._forget)
        session.system_changed.connect(lambda _: self._show(self.rows))

    def _forget(self) -> None:
        """Another job is open: the plans of the last one are not its."""
        self._asked = None
        self._show(())

    def _on_failure(self, error: Exception) -> None:
        self.words.setText(str(error))

    def set_theme(self, theme: Theme) -> None:
        """Choose the theme of the drawing."""
        self.graph.set_theme(theme)

    def fill(self) -> None:
        """Work out all plans again, if they have changed."""
        session = self.session
        job, outlook = session.job, session.outlook
        if self._asked is job:
            return
        self.words.setText(
            tr(
                "Working the plans out…"
                if job.variants
                else "No variant yet: keep this plan, then change it."
            )
        )
        if session.forecaster.busy:
            return  # comes again with the fine forecast of the open plan, which is not worked out twice
        self._asked = job
        known = [row.forecast for row in self.rows]
        if outlook is not None and outlook.fine:
            known.append(outlook.forecast)
        there = [f for f in known if f is not None]
        self.later.start(lambda _progress, stopped: compared(job, there, stopped))

    def _show(self, rows: tuple[Compared, ...]) -> None:
        self.rows, s = rows, self.session.system

        def told(value: float | None, quantity: str) -> str:
            return "—" if value is None else show(value, quantity, s)

        def cells(v: Compared) -> list[Cell]:
            wet = (
                "—"
                if v.fill_time is None
                else clock(v.fill_time)
                if math.isfinite(v.fill_time)
                else tr("never")
            )
            texts = (
                v.name, told(v.area, "area"), told(v.thickness, "thickness"), told(v.mass, "mass"),
                "—" if v.cost is None else f"{v.cost:.0f}", told(v.charge, "mass"), str(len(v.job.lines)), wet,
                "—" if v.dry is None else show(v.dry, "small area", self.session.system), str(v.to_settle),
            )  # fmt: skip
            return [Cell(text, tip=v.problem, fixed=not v.id) for text in texts]

        self.table.show_rows([cells(v) for v in rows])
        if len(rows) > 1:
            self.words.setText(tr("A name can be typed over."))
        self.graph.update()

    def _chosen(self) -> Compared | None:
        row = self.table.current_row()
        if 0 < row < len(self.rows):
            return self.rows[row]
        if len(self.rows) > 1:
            return self.rows[1]
        return None

    def _items(self, width: float, height: float, theme: Theme) -> Iterator[Item]:
        other = self._chosen()
        if other is None or not self.rows or self.rows[0].forecast is None or other.forecast is None:
            yield Label(
                width / 2,
                height / 2,
                "With two plans that fill, this shows where each wets sooner.",
                theme.soft,
                14,
            )
            return
        mine, half, s = self.rows[0], width / 2, self.session.system
        moment = self.session.moment or 0.5 * max(r.forecast.end for r in (mine, other) if r.forecast)
        upper = 0.5 * height
        yield from draw_at(mine, moment, half, upper, theme, s)
        yield from (shifted(i, half, 0.0) for i in draw_at(other, moment, half, upper, theme, s))
        yield from (shifted(i, 0.0, upper) for i in draw_sooner(mine, other, width, height - upper, theme, s))

    def _picked(self, _row: int) -> None:
        self.graph.update()

    # -- acts

    def keep(self) -> None:
        """Keep the plan as it is."""
        name = tr("Plan {}", len(self.session.job.variants) + 1)
        self.session.edit(tr("Keep as {}", name), lambda j: keep_variant(j, name))

    def _need(self) -> Compared | None:
        row = self.table.current_row()
        if not 0 < row < len(self.rows):
            self.session.said.emit(tr("Choose a variant in the table first."), True)
            return None
        return self.rows[row]

    def swap(self) -> None:
        """Go on with a variant; what is open takes its place."""
        if (other := self._need()) is not None:
            self.session.edit(tr("Go on with {}", other.name), lambda j: swap_variant(j, other.id))

    def drop(self) -> None:
        """Forget a variant."""
        if (other := self._need()) is not None:
            self.session.edit(tr("Remove {}", other.name), lambda j: drop_variant(j, other.id))

    def _renamed(self, row: int, _column: int, name: str) -> None:
        if not 0 < row < len(self.rows) or not name:
            return
        key = self.rows[row].id
        self.session.edit("Rename variant", lambda j: rename_variant(j, key, name))
