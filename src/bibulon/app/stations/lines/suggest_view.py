"""Suggest lines: a search in the background, and the handful of plans that it returns."""

from __future__ import annotations

from collections.abc import Iterator

from PySide6.QtWidgets import (
    QHBoxLayout,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)

from bibulon.app.kit.drawing_view import DrawingView
from bibulon.app.kit.fields import note, push
from bibulon.app.kit.run_bar import RunBar
from bibulon.app.kit.table import Column, Table
from bibulon.app.session.crew import crew
from bibulon.app.session.session import Session
from bibulon.core.drawing.kit.field import Contours, Sampler
from bibulon.core.drawing.kit.look import PlanLook
from bibulon.core.drawing.kit.scene import Item, Label, View
from bibulon.core.drawing.kit.tokens import Theme
from bibulon.core.drawing.plan.plan import draw_filled
from bibulon.core.edit.edit import change
from bibulon.core.geometry.zones import regions
from bibulon.core.lines.starters import LinePlan
from bibulon.core.model.job import Job
from bibulon.core.plans.suggest import FINALISTS, Fronts, Suggested, Suggestion, suggest
from bibulon.core.plans.variants import keep_variant
from bibulon.core.plans.work import Workers
from bibulon.core.units.units import System, clock, show
from bibulon.core.units.words import tr

__all__ = ["SuggestView"]

HEADS = (
    Column("good at", 96), Column("plan", 226), Column("all wet", 60), Column("dry", 62), Column("locked", 72), Column("lead", 66),
    Column("waste", 70), Column("lines"),
)  # fmt: skip
COLUMNS = 160  # of the raster that a plan's fronts are drawn from
TOLD = tr(
    "Tries layouts of feeds, vacuum lines, pitch, opening rules and mesh edge on a rough mesh, for the least dry and "
    "locked places, time, lead, waste and lines; the best are forecast finely, as the window does, and judged by that."
)


class SuggestView(QWidget):
    """How many to try, progress with a stop, the plans found with their trade-off, and what to do with one."""

    workers: Workers | None = None  # None: as this person has set it

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.found: tuple[Suggestion, ...] = ()
        self._drawn: tuple[Fronts, Contours] | None = None
        self.bar = RunBar("Suggest lines", "Search progress", "Stop the search", self, lambda: session.number)
        self.bar.start.clicked.connect(lambda _=False: self.begin())
        self.bar.halt.clicked.connect(self.cancel)
        self.bar.progressed.connect(self._on_progress)
        self.bar.ready.connect(self._on_done)
        self.bar.failed.connect(self._on_failure)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(16, 4, 16, 8)
        row = QHBoxLayout()
        row.addWidget(self.bar.start)
        row.addWidget(note("plans to try"))
        self.most = QSpinBox()
        self.most.setRange(10, 400)
        self.most.setValue(72)
        self.most.setAccessibleName(tr("Plans to try"))
        row.addWidget(self.most)
        row.addWidget(self.bar.progress, 1)
        row.addStretch()
        row.addWidget(self.bar.halt)
        layout.addLayout(row)
        self.words = note()
        layout.addWidget(self.words)
        self.table = Table(HEADS, "Plans found", whole=True)
        self.table.setFixedHeight(172)
        self.table.row_chosen.connect(self._picked)
        layout.addWidget(self.table)
        row = QHBoxLayout()
        for text, act in (
            (tr("Take this plan"), self.take),
            (tr("Keep it as a variant"), self.keep),
            (tr("Keep all as variants"), self.keep_all),
        ):
            row.addWidget(push(text, act))
        row.addStretch()
        layout.addLayout(row)
        self.graph = DrawingView("The plan chosen", self._items, 180)
        layout.addWidget(self.graph, 1)
        self.words.setText(TOLD)
        session.job_opened.connect(self._forget)

    def _forget(self) -> None:
        """Another job is open: the plans found for the last one are not its."""
        self.found = ()
        self.table.show_rows(())
        self.words.setText(TOLD)
        self.graph.update()

    def set_theme(self, theme: Theme) -> None:
        """Choose the theme of the drawing."""
        self.graph.set_theme(theme)

    def fill(self) -> None:
        """Nothing to work out until it is asked for."""

    def begin(self) -> None:
        """Start the search on the job as it is."""
        job = self.session.job
        if job.resin is None or not job.stack:
            self.session.said.emit(
                tr("Lay the stack and choose a resin first: the search forecasts every plan."), True
            )
            return
        self.words.setText(tr("Starting…"))
        most, workers = (
            self.most.value(),
            crew(self.session.settings) if self.workers is None else self.workers,
        )
        self.bar.begin(
            lambda progress, stopped: suggest(
                job, most=most, workers=workers, progress=progress, cancelled=stopped
            ),
            most + FINALISTS,
        )

    def cancel(self) -> None:
        """Stop: what was found so far is shown."""
        if self.bar.busy:
            self.bar.run.cancel()
            self.words.setText(tr("Stopping…"))

    def _on_progress(self, done: int, most: int) -> None:
        rough = most - FINALISTS
        if done < rough:
            self.words.setText(tr("{0} of {1} plans tried.", done, rough))
        else:
            self.words.setText(
                tr("{0} plans tried; the best are forecast finely, {1} so far.", rough, done - rough)
            )

    def _on_failure(self, error: Exception) -> None:
        self.words.setText(str(error))

    def _on_done(self, found: Suggested) -> None:
        self.found = found.kept
        told = tr("{0} plans tried{1}", found.tried, ", stopped early" if self.bar.run.stopped else "")
        failed = tr(", {} of them found no room or no end", found.failed) if found.failed else ""
        words = tr("{0}{1}; these {2} differ, and no other beats them in all.", told, failed, len(found.kept))
        if any(x.fronts is None for x in found.kept):
            words = tr("{} The figures are still those of a rough mesh.", words)
        self.words.setText(words)
        s = self.session.system
        self.table.show_rows([_cells(x, s) for x in self.found])
        if self.found:
            self.table.choose(0)
        self.graph.update()

    def _picked(self, _row: int) -> None:
        self.graph.update()

    def _chosen(self) -> Suggestion | None:
        row = self.table.current_row()
        if 0 <= row < len(self.found):
            return self.found[row]
        self.session.said.emit(tr("Start a search, then choose one of its plans."), True)
        return None

    @staticmethod
    def _onto(job: Job, plan: Suggestion) -> Job:
        """Return the job with a plan's lines and mesh, all else as it is."""
        return change(job, lines=plan.job.lines, mesh=plan.job.mesh, manifolds=(), buckets=(), bypasses=())

    def take(self) -> None:
        """Lay the chosen plan."""
        if (plan := self._chosen()) is not None:
            self.session.edit(tr("Take plan {}", plan.plan.strategy), lambda j: self._onto(j, plan))

    def keep(self) -> None:
        """Keep the chosen plan beside the open one."""
        if (plan := self._chosen()) is not None:
            self._keep((plan,))

    def keep_all(self) -> None:
        """Keep every plan found."""
        if self.found:
            self._keep(self.found)

    def _keep(self, plans: tuple[Suggestion, ...]) -> None:
        def edit(job: Job) -> Job:
            for plan in plans:
                job = keep_variant(
                    job, f"{plan.plan.strategy.capitalize()}, {plan.best_at}", self._onto(job, plan)
                )
            return job

        self.session.edit("Keep plans as variants", edit)

    def _contours(self, fronts: Fronts) -> Contours:
        """Return the contours of a plan's fronts; those drawn last are kept, with what is kept with them."""
        if self._drawn is None or self._drawn[0] is not fronts:
            self._drawn = fronts, Sampler(fronts.mesh, COLUMNS).contours(fronts.wet_at)
        return self._drawn[1]

    def _items(self, width: float, height: float, theme: Theme) -> Iterator[Item]:
        row = self.table.current_row()
        if not 0 <= row < len(self.found):
            yield Label(width / 2, height / 2, "The plan chosen above is drawn here.", theme.soft, 14)
            return
        job, fronts = self.found[row].job, self.found[row].fronts
        bounds = regions(job.part).whole.bounds
        shown = frozenset({"lines", "times", "mesh"})
        look = PlanLook(View.fit(bounds, width, height, 34), theme, self.session.system, shown=shown)
        yield from draw_filled(job, look, self._contours(fronts) if fronts is not None else None)


def _way(plan: LinePlan) -> str:
    """Return which way a plan lies, for the strategies that have one."""
    if plan.strategy == "perimeter in":
        return ""
    return " across" if plan.turned else " along"


def _feeds(job: Job) -> str:
    count = sum(x.role == "feed" for x in job.lines)
    return tr("{0} feed{1}", count, "" if count == 1 else "s")


def _cells(x: Suggestion, s: System) -> tuple[str, ...]:
    """Return what the list says of a plan."""
    score = x.score
    return (
        tr(x.best_at), f"{tr(x.plan.strategy)}{_way(x.plan)}, {_feeds(x.job)}",
        clock(score.time) if not score.never else tr("never"), show(score.dry, "small area", s),
        show(score.locked, "small area", s), show(score.lead, "length", s), show(score.waste, "mass", s), str(score.lines),
    )  # fmt: skip
