"""Closing: whether the mould stays shut, how far it lifts, and what both hang on."""

from __future__ import annotations

import math
from itertools import pairwise

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QComboBox,
    QHBoxLayout,
    QPushButton,
    QSplitter,
    QVBoxLayout,
    QWidget,
)

from bibulon.app.kit.drawing_view import DrawingView
from bibulon.app.kit.fields import FigureGrid, Form, VacuumEdit, heading, note, push
from bibulon.app.kit.rows import Rows
from bibulon.app.session.session import Session
from bibulon.app.stations.base import SidedPage, titled
from bibulon.app.stations.mould.views import MarginView, MouldPlanView, mould_now
from bibulon.app.stations.shared.figures_form import FiguresForm, Row
from bibulon.app.stations.shared.tooling_box import ToolingBox
from bibulon.app.work.ask import Ask
from bibulon.core.drawing.kit.scene import Item
from bibulon.core.drawing.kit.tokens import Theme
from bibulon.core.drawing.section.flange import draw_flange
from bibulon.core.edit.figures import with_figure
from bibulon.core.flow.forecast import Forecast
from bibulon.core.geometry.outline import OutlineError
from bibulon.core.library.tooling import Tooling, tooling_like
from bibulon.core.model.job import Job
from bibulon.core.model.mould import Rib
from bibulon.core.mould.flange import flange_of
from bibulon.core.mould.flexible import flexed
from bibulon.core.units.units import System, clock, show
from bibulon.core.units.words import tr

__all__ = ["ClosingPage"]

CAUTION = (
    "Hands out before the flange is drawn down: it crushes. Pots and hoses are rated, relieved and tied. The papers of mould, "
    "pump and machine and local rules come first."
)
VACUUMS = (
    ("flange", "Flange", True),
    ("vacuum", "Cavity", False),
    ("holding", tr("Hold until gel"), True),
    ("injection", tr("Inject at"), True),
)

FLANGE = (
    Row("closed.chamber", tr("Chamber"), "length", 0.0, 1.0),
    Row("closed.land", tr("Up to the seal"), "length", 0.0, 0.5),
    Row("closed.seal_gap", tr("Gap at the seal"), "thickness", 1e-4, 0.2),
    Row("closed.dowels", tr("Dowels"), "count", 0.0, 20.0),
    Row("closed.latches", tr("Latches"), "count", 0.0, 200.0),
)
UPPER = (
    Row("closed.upper.thickness", tr("Thickness"), "thickness", 1e-4, 0.5),
    Row("closed.upper.skin", tr("Skins of a sandwich"), "thickness", 0.0, 0.05),
    Row("closed.upper.modulus", tr("Modulus"), "modulus", 1e8, 5e11),
    Row("closed.upper.density", tr("Density"), "density", 50.0, 20_000.0),
)
KEPT = (
    Row("closed.clamps", tr("Clamps or press"), "force", 0.0, 1e8),
    Row("closed.reservoir", tr("Vacuum reservoir"), "volume", 0.0, 10.0),
    Row("closed.reservoir_leak", tr("Leak into it"), "leak", 0.0, 100.0),
    Row("closed.pot_rated", tr("Catch pot rated to"), "pressure", 0.0, 1.1e6),
)


class ClosingPage(SidedPage):
    """Plan, cut and lane; at the side the vacuums, the flange and the upper half."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        self.plan, self.lane = MouldPlanView(session), MarginView(session)
        self.cut = DrawingView("Flange cut through", self._cut, 160)
        split = QSplitter(Qt.Orientation.Vertical)
        split.addWidget(
            titled("Mould pair · from above, shade: how far the upper half lifts", None, self.plan)
        )
        split.addWidget(self.cut)
        split.addWidget(self.lane)
        split.setSizes([370, 165, 165])
        split.setChildrenCollapsible(False)
        layout.addWidget(split)
        self._lay_side()
        session.moment_changed.connect(lambda _: self.cut.update())

    def _lay_side(self) -> None:
        s = self.session
        self.side = QWidget()
        side = QVBoxLayout(self.side)
        side.setContentsMargins(16, 12, 16, 8)
        self.figures = FigureGrid(
            ("holds shut", "pushes open", "least margin", "inject up to", "flange at least", "lifts at most"),
            3,
        )
        side.addWidget(self.figures)
        self._lay_vacuums(side)
        self._lay_flange(side)
        self._lay_upper(side)
        self.again = QPushButton(tr("Fill again with its lift"))
        self.again.setToolTip(tr("The gap grows where resin pushes: pores and flow with it"))
        self.again.clicked.connect(lambda _=False: self.fill_again())
        side.addWidget(self.again)
        self.lifted = note("")
        side.addWidget(self.lifted)
        self.ask = Ask(self, lambda: s.outlook)
        self.ask.ready.connect(self._filled)
        self.ask.failed.connect(lambda error: self.lifted.setText(str(error)))
        side.addWidget(note(CAUTION))
        side.addStretch()

    def _lay_vacuums(self, side: QVBoxLayout) -> None:
        s = self.session
        side.addWidget(heading("Two vacuums"))
        form = Form()
        self.vacuums: dict[str, VacuumEdit] = {}
        for key, name, closed in VACUUMS:
            pull = VacuumEdit(
                name, lambda: s.job.conditions.atmosphere, 1.1e6 if key == "injection" else 1.1e5
            )
            if key == "injection":
                pull.may_be_empty(tr("from an open bucket"))
                pull.cleared.connect(lambda k=key, c=closed, n=name: self._set_vacuum(k, c, n, None))
            pull.understood.connect(lambda text: s.said.emit(text, False))
            pull.refused.connect(lambda text: s.said.emit(text, True))
            pull.committed.connect(lambda value, k=key, c=closed, n=name: self._set_vacuum(k, c, n, value))
            self.vacuums[key] = pull
            form.add(name, pull)
        side.addWidget(form)

    def _lay_flange(self, side: QVBoxLayout) -> None:
        s = self.session
        side.addWidget(heading("Flange"))
        self.flange = FiguresForm(s, FLANGE)
        side.addWidget(self.flange)
        side.addWidget(heading("Kept shut"))
        self.kept = FiguresForm(s, KEPT)
        side.addWidget(self.kept)

    def _lay_upper(self, side: QVBoxLayout) -> None:
        s = self.session
        side.addWidget(heading("Upper half"))
        form = Form()
        self.made = ToolingBox(tr("What the upper half is made of"))
        self.made.picked.connect(self._make_of)
        form.add("Made of", self.made)
        self.edge = QComboBox()
        self.edge.setAccessibleName(tr("How the upper half's edge is held"))
        for words, value in ((tr("held by the seal"), "supported"), (tr("clamped flat"), "clamped")):
            self.edge.addItem(tr(words), value)
        self.edge.activated.connect(lambda k: self._upper(tr("Hold the edge"), edge=self.edge.itemData(k)))
        form.add("Edge", self.edge)
        side.addWidget(form)
        self.upper = FiguresForm(s, UPPER)
        side.addWidget(self.upper)
        self.ribs = Rows()
        self.ribs.setAccessibleName(tr("Stiffeners"))
        self.ribs.setMinimumHeight(64)
        self.ribs.currentRowChanged.connect(self._choose_rib)
        side.addWidget(self.ribs)
        row = QHBoxLayout()
        for text, act in (
            (tr("Stiffener across"), lambda: self.add_rib(True)),
            ("Along", lambda: self.add_rib(False)),
            ("Remove", self.remove_rib),
        ):
            row.addWidget(push(text, act))
        side.addLayout(row)

    def _make_of(self, made: Tooling) -> None:
        """Take stiffness and weight of what the upper half is made of."""
        self._upper(
            tr("Change what the upper half is made of"), name=made.name, modulus=made.modulus, poisson=made.poisson,
            density=made.density,
        )  # fmt: skip

    def fill_again(self) -> None:
        """Fill once more with the gaps that the upper half's own lift makes."""
        outlook, job = self.session.outlook, self.session.job
        forecast = outlook.forecast if outlook else None
        if forecast is None or job.part.cavity <= 0:
            self.session.said.emit(tr("There is no forecast of a gap yet."), True)
            return
        self.lifted.setText(tr("Filling again …"))
        self.ask.want(lambda: (forecast, flexed(job, forecast)))

    def _filled(self, answer: tuple[Forecast, Forecast]) -> None:
        rigid, soft = answer
        s = self.session.system
        more = soft.resin_in_part - rigid.resin_in_part
        told = (
            tr("all wet after {}", clock(soft.fill_time))
            if math.isfinite(soft.fill_time)
            else tr("it does not fill")
        )
        self.lifted.setText(
            tr(
                "With its lift {0}, where a rigid mould takes {1}; {2} {3} resin goes in.",
                told,
                clock(rigid.fill_time),
                show(abs(more), "mass", s),
                "more" if more >= 0 else "less",
            )
        )

    # -- shown

    def fill(self) -> None:
        """Show job and outlook."""
        job, s = self.session.job, self.session.system
        for key, _, closed in VACUUMS:
            value = getattr(job.closed if closed else job.conditions, key)
            if value is None:
                self.vacuums[key].show_empty()
            else:
                self.vacuums[key].set_value(value, s)
        for form in (self.flange, self.kept, self.upper):
            form.fill()
        upper = job.closed.upper
        self.made.show_made(tooling_like(modulus=upper.modulus, poisson=upper.poisson, density=upper.density))
        self.edge.setCurrentIndex(self.edge.findData(job.closed.upper.edge))
        row = max(self.ribs.currentRow(), 0)
        self.ribs.blockSignals(True)
        self.ribs.clear()
        for rib in job.closed.upper.ribs:
            (x0, y0), (x1, y1) = rib.path[0], rib.path[-1]
            across = abs(x1 - x0) < abs(y1 - y0)
            at = show((x0 + x1) / 2 if across else (y0 + y1) / 2, "length", s)
            self.ribs.addItem(
                tr(
                    "{0}: {1} at {2}, {3:.0f} kN·m²",
                    rib.id,
                    "across" if across else "along",
                    at,
                    rib.stiffness / 1000.0,
                )
            )
        self.ribs.setCurrentRow(min(row, self.ribs.count() - 1))
        self.ribs.blockSignals(False)
        self._choose_rib(self.ribs.currentRow())
        self._figures()
        self.plan.follow()
        self.plan.describe()
        self.cut.update()
        self.lane.update()

    def _figures(self) -> None:
        mould, s, air = mould_now(self.session), self.session.system, self.session.job.conditions.atmosphere
        if mould is None:
            for name in self.figures.figures:
                self.figures.set(name, "—")
            return
        c = mould.closing
        self.figures.set("holds shut", show(float(c.held[c.worst]), "force", s))
        self.figures.set("pushes open", show(float(c.opened[c.worst]), "force", s))
        self.figures.set("least margin", show(float(c.margin[c.worst]), "force", s))
        self.figures.set(
            "inject up to",
            _over(c.most_injection - air, s) if c.most_injection < 9e5 else "any",
        )
        self.figures.set(
            "flange at least",
            _over(-max(air - c.least_flange, 0.0), s) if c.least_flange > 0 else tr("none does"),
        )
        self.figures.set("lifts at most", show(mould.bow.most, "thickness", s) if mould.bow else "—")

    def _cut(self, width: float, height: float, theme: Theme) -> list[Item]:
        lift = self.plan.bow.most if self.plan.bow is not None else 0.0
        return list(draw_flange(self.session.job, lift, (width, height), theme, self.session.system))

    # -- changed

    def _set_vacuum(self, key: str, closed: bool, name: str, value: float | None) -> None:
        path = f"closed.{key}" if closed else f"conditions.{key}"
        if not self.session.edit(tr("Change {}", name.lower()), lambda job: with_figure(job, path, value)):
            self.fill()

    def _upper(self, words: str, /, **fields: object) -> None:
        def edit(job: Job) -> Job:
            return job.replaced(closed=job.closed.replaced(upper=job.closed.upper.replaced(**fields)))

        if not self.session.edit(words, edit):
            self.fill()

    def _choose_rib(self, row: int) -> None:
        ribs = self.session.job.closed.upper.ribs
        self.plan.rib = ribs[row].id if 0 <= row < len(ribs) else ""
        self.plan.update()

    def add_rib(self, across: bool) -> None:
        """Lay a stiffener in the middle of the widest field that has none."""
        job = self.session.job
        ribs = job.closed.upper.ribs
        try:
            x0, y0, x1, y1 = flange_of(job).pressed.bounds
        except OutlineError as error:
            self.session.said.emit(str(error), True)
            return
        low, high = (x0, x1) if across else (y0, y1)
        here = sorted(
            r.path[0][0 if across else 1]
            for r in ribs
            if (abs(r.path[0][0] - r.path[-1][0]) < abs(r.path[0][1] - r.path[-1][1])) is across
        )
        edges = [low, *here, high]
        at = max(pairwise(edges), key=lambda pair: pair[1] - pair[0])
        middle = round((at[0] + at[1]) / 2, 3)
        path = ((middle, y0), (middle, y1)) if across else ((x0, middle), (x1, middle))
        known = {r.id for r in ribs}
        name = next(f"R{k}" for k in range(1, 200) if f"R{k}" not in known)
        stiffness = ribs[-1].stiffness if ribs else 20_000.0
        self._upper(tr("Lay a stiffener"), ribs=(*ribs, Rib(id=name, path=path, stiffness=stiffness)))

    def remove_rib(self) -> None:
        """Take the chosen stiffener away."""
        row, ribs = self.ribs.currentRow(), self.session.job.closed.upper.ribs
        if 0 <= row < len(ribs):
            self._upper(tr("Remove a stiffener"), ribs=(*ribs[:row], *ribs[row + 1 :]))

    def set_theme(self, theme: Theme) -> None:
        """Choose the theme."""
        for view in (self.plan, self.lane, self.cut):
            view.set_theme(theme)


def _over(pressure: float, system: System) -> str:
    """Tell a pressure over the air outside [Pa], or under it, with its sign."""
    told = show(pressure, "pressure", system)
    return told if pressure < 0 else f"+{told}"
