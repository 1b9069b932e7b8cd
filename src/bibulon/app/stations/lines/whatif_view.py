"""What if: inputs moved by sliders, re-forecast while they move; and how sure the plan is over their spread."""

from __future__ import annotations

import math
from collections.abc import Iterator

from msgspec.structs import replace
from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QCheckBox,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QSlider,
    QVBoxLayout,
    QWidget,
)

from bibulon.app.kit.appearance import named
from bibulon.app.kit.drawing_view import DrawingView
from bibulon.app.kit.fields import FigureGrid, note
from bibulon.app.kit.pile import Pile
from bibulon.app.kit.run_bar import RunBar
from bibulon.app.session import forecaster
from bibulon.app.session.crew import crew
from bibulon.app.session.session import Session
from bibulon.app.work.ask import Ask, Progress, Stopped
from bibulon.core.drawing.kit.field import Contours
from bibulon.core.drawing.kit.look import PlanLook
from bibulon.core.drawing.kit.scene import Item, Label, View
from bibulon.core.drawing.kit.tokens import Theme
from bibulon.core.drawing.plan.plan import draw_filled
from bibulon.core.drawing.plan.sureness import draw_sure
from bibulon.core.geometry.zones import regions
from bibulon.core.model.job import Job
from bibulon.core.outlook.outlook import THROUGH, Outlook, look_ahead
from bibulon.core.plans.sure import RUNS, Sure, how_sure
from bibulon.core.plans.whatif import Beside, WhatIf, apply, beside, spread_of, without
from bibulon.core.plans.work import Workers
from bibulon.core.units.figures import worded
from bibulon.core.units.units import clock, show, system_of
from bibulon.core.units.words import tr

__all__ = ["WhatIfView"]

STEPS = 40  # of a slider to either side
# What each slider moves: name, lowest and highest value at its ends, whether it is a factor.
SLIDERS: tuple[tuple[str, str, float, float, bool], ...] = (
    ("vacuum", "Vacuum", -1500.0, 30000.0, False),
    ("warmth", tr("Resin temperature"), -10.0, 10.0, False),
    ("viscosity", "Viscosity", 0.5, 2.0, True),
    ("cloth", tr("Permeability of the stack"), 0.33, 3.0, True),
    ("mesh", tr("Permeability of the mesh"), 0.33, 3.0, True),
    ("gap", tr("Gap at core edges and rim"), 0.0, 0.003, False),
    ("leak", tr("Leak of bag or mould"), 0.0, 20.0, False),
)


class WhatIfView(QWidget):
    """Sliders above, figures against the plan, the fronts as they would be; or the map of many runs."""

    workers: Workers | None = None  # None: as this person has set it

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.what = WhatIf()
        self.outlook: Outlook | None = None  # with inputs moved, and
        self.plain: Outlook | None = None  # as planned, both on one rough mesh
        self._fronts: tuple[Outlook, float, Contours] | None = None
        self.sure: Sure | None = None
        self._sure_of: Job | None = None
        self.bar = RunBar("How sure?", "Runs done", "Stop the runs", self, lambda: session.number)
        self.bar.start.setToolTip(
            tr("{} runs with inputs drawn from how far each may be off; the same draws every time", RUNS)
        )
        self.bar.start.clicked.connect(lambda _=False: self.begin())
        self.bar.halt.clicked.connect(self.bar.run.cancel)
        self.bar.ready.connect(self._on_sure)
        self.bar.failed.connect(self._on_failure)
        self.later = Ask(self, lambda: session.number, between=True)
        self.later.ready.connect(self._on_outlook)
        self.later.failed.connect(self._on_failure)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(16, 4, 16, 8)
        layout.addLayout(self._sliders())
        self.feeds = QHBoxLayout()
        layout.addLayout(self.feeds)
        self.boxes: dict[str, QCheckBox] = {}
        row = QHBoxLayout()
        self.reset = QPushButton(tr("As planned"))
        self.reset.setToolTip(tr("Put all sliders back"))
        self.reset.clicked.connect(self.put_back)
        row.addWidget(self.reset)
        row.addWidget(self.bar.start)
        row.addWidget(self.bar.progress, 1)
        row.addWidget(self.bar.halt)
        layout.addLayout(row)
        self.figures = FigureGrid(("wet through at", "dry left", "closes last"), 3)
        layout.addWidget(self.figures)
        self.words = note()
        layout.addWidget(self.words)
        self.stack = Pile()
        self.fronts = DrawingView("The fronts as they would be", self._items, 200)
        self.map = DrawingView("How often each place stays dry", self._map, 200)
        self.stack.addWidget(self.fronts)
        self.stack.addWidget(self.map)
        layout.addWidget(self.stack, 1)
        session.job_opened.connect(self._forget)
        session.outlook_changed.connect(lambda _: self._compare() if self.isVisible() else None)

    def _forget(self) -> None:
        """Another job is open: nothing that was worked out for the last one is its."""
        self.outlook = self.plain = self._fronts = self.sure = self._sure_of = None
        self.words.setText("")
        for name in ("wet through at", "dry left", "closes last"):
            self.figures.set(name, "—")
        self._level()

    def _sliders(self) -> QGridLayout:
        grid = QGridLayout()
        grid.setVerticalSpacing(2)
        self.sliders: dict[str, QSlider] = {}
        self.told: dict[str, QLabel] = {}
        self.names: dict[str, QLabel] = {}
        for k, (name, label, *_) in enumerate(SLIDERS):
            one_sided = name in {"gap", "leak"}
            slider = QSlider(Qt.Orientation.Horizontal)
            slider.setRange(0 if one_sided else -STEPS, STEPS)
            slider.setAccessibleName(tr(label))
            slider.valueChanged.connect(lambda v, n=name: self._moved(n, v))
            self.sliders[name] = slider
            self.told[name] = named(QLabel(""), "soft")
            self.told[name].setMinimumWidth(84)
            row, column = k % 4, 3 * (k // 4)
            self.names[name] = QLabel(tr(label))
            grid.addWidget(self.names[name], row, column)
            grid.addWidget(slider, row, column + 1)
            grid.addWidget(self.told[name], row, column + 2)
        grid.setColumnStretch(1, 1)
        grid.setColumnStretch(4, 1)
        return grid

    def set_theme(self, theme: Theme) -> None:
        """Choose the theme of the drawings."""
        self.fronts.set_theme(theme)
        self.map.set_theme(theme)

    # -- sliders

    @staticmethod
    def value_of(name: str, step: int) -> float:
        """Return what a slider's step stands for: factors in even ratios, the rest evenly to either side."""
        _, _, low, high, factor = next(s for s in SLIDERS if s[0] == name)
        share = abs(step) / STEPS
        if factor:
            return float((high if step >= 0 else low) ** share)
        return float(high * share if step >= 0 else low * share)

    def _moved(self, name: str, step: int) -> None:
        self.what = replace(self.what, **{name: self.value_of(name, step)})
        self._tell()
        self._ask()

    def _tell(self) -> None:
        job, s, what = self.session.job, self.session.system, self.what
        c = job.conditions
        self.told["vacuum"].setText(show(c.vacuum + what.vacuum, "pressure", s))
        self.told["warmth"].setText(show(c.resin_temperature + what.warmth, "temperature", s))
        for name in ("viscosity", "cloth", "mesh"):
            self.told[name].setText(f"× {getattr(what, name):.2f}")
        self.told["gap"].setText(
            show(c.edge_gap + what.gap, "thickness", s, 1 if system_of("thickness", s) == "metric" else 3)
        )
        self.told["leak"].setText(show(what.leak, "leak", s, 1))

    def put_back(self) -> None:
        """Put everything as planned."""
        self._level()
        self.fill()

    def _level(self) -> None:
        for slider in self.sliders.values():
            slider.blockSignals(True)
            slider.setValue(0)
            slider.blockSignals(False)
        self.what = WhatIf()

    def fill(self) -> None:
        """Follow the job: feeds that may be left shut, whether there is a mesh, and the forecast."""
        for part in (self.sliders, self.told, self.names):
            part["mesh"].setVisible(self.session.job.mesh is not None)
        for key in list(self.boxes):
            gone = self.boxes.pop(key)
            self.feeds.removeWidget(gone)
            gone.setParent(None)
            gone.deleteLater()
        feeds = [x for x in self.session.job.lines if x.role == "feed"]
        known = {x.id for x in feeds}
        self.what = replace(self.what, unopened=self.what.unopened & known)
        for line in feeds:
            box = QCheckBox(tr("{} is never opened", line.label))
            box.setChecked(line.id in self.what.unopened)
            box.clicked.connect(lambda _=False, i=line.id: self._leave_shut(i))
            self.feeds.addWidget(box)
            self.boxes[line.id] = box
        if self._sure_of is not None and self._sure_of is not self.session.job:
            self.stack.setCurrentIndex(0)
        self._tell()
        self._ask()

    def _leave_shut(self, line: str) -> None:
        self.what = without(self.what, line)
        self._ask()

    def _ask(self) -> None:
        job, what = self.session.job, self.what
        self.stack.setCurrentIndex(0)

        plain = self.plain

        def work(_progress: Progress, stopped: Stopped) -> tuple[Outlook, Outlook]:
            planned = plain
            if planned is None or planned.job is not job:
                planned = look_ahead(job, forecaster.PREVIEW, fine=False, cancelled=stopped)
            if what.plain:
                return planned, planned
            return look_ahead(apply(job, what), forecaster.PREVIEW, fine=False, cancelled=stopped), planned

        self.later.start(work)

    def _on_failure(self, error: Exception) -> None:
        self.words.setText(str(error))

    def _on_outlook(self, answer: tuple[Outlook, Outlook]) -> None:
        self.outlook, self.plain = answer
        self._compare()

    def _planned(self) -> Outlook | None:
        """Return the plan's answer as the rest of the window tells it; the rough one until that is there."""
        outlook = self.session.outlook
        current = outlook is not None and outlook.job is self.session.job and outlook.forecast is not None
        return outlook if current else self.plain

    def _beside(self) -> Beside | None:
        planned, plain, moved = self._planned(), self.plain, self.outlook
        if planned is None or plain is None or moved is None:
            return None
        if planned.forecast is None or plain.forecast is None or moved.forecast is None:
            return None
        return beside(planned.forecast, plain.forecast, moved.forecast)

    def _compare(self) -> None:
        """Tell what the sliders come to beside the plan."""
        self.fronts.update()
        if self.stack.currentWidget() is not self.fronts:
            return  # figures are those of many runs
        told, moved, s = self._beside(), self.outlook, self.session.system
        if told is None:
            self.words.setText(worded(moved.problem if moved else self.session.problem, s))
            return
        self.figures.set("wet through at", clock(told.fill_time) if told.filled else tr("stays dry"))
        self.figures.set("dry left", show(told.dry_area, "small area", s))
        x, y = told.last
        self.figures.set("closes last", f"{show(x, 'length', s).split()[0]}, {show(y, 'length', s)}")
        self.words.setText(self._told(told))

    def _told(self, told: Beside) -> str:
        if self.outlook is self.plain:
            return tr(
                "Move a slider: fronts follow as they move on a rough mesh. Nothing here changes the plan."
            )
        if math.isfinite(told.later):
            gel = tr("; gel at {}", clock(told.gel)) if told.gel < 1e8 else ""
            way = "later" if told.later > 0 else "sooner"
            return tr("{0} {1} than planned{2}.", clock(abs(told.later)), way, gel)
        plans = (self._planned(), self.plain)
        if not all(p is not None and p.forecast is not None and p.forecast.filled for p in plans):
            return tr("Some of the plan stays dry as it is: times do not compare.")
        return tr("The plan fills; like this some of it stays dry.")

    def _items(self, width: float, height: float, theme: Theme) -> Iterator[Item]:
        shown, s = self._fronts_shown(), self.session.system
        if shown is None:
            yield Label(width / 2, height / 2, self.session.problem or tr("Working it out…"), theme.soft, 14)
            return
        job, contours, end = shown
        view = View.fit(regions(job.part).whole.bounds, width, height, 34)
        moment = min(self.session.moment, end) or end
        look = PlanLook(view, theme, s, time=moment, shown=frozenset({"lines", "times", "mesh"}))
        yield from draw_filled(job, look, contours)
        yield Label(
            width - 14,
            height - 10,
            tr("at {}", clock(moment)),
            theme.soft,
            12,
            anchor="r",
            ground=theme.ground,
        )

    def _fronts_shown(self) -> tuple[Job, Contours, float] | None:
        """Return whose fronts are drawn, those in the plan's own time, and when they end [s]; None before there are any."""
        told, planned, moved = self._beside(), self._planned(), self.outlook
        if told is None or planned is None or moved is None:
            return None
        shown, pace = (planned, 1.0) if moved is self.plain else (moved, told.pace)
        if shown.forecast is None:
            return None
        if pace == 1.0:
            return shown.job, shown.contours[THROUGH], shown.forecast.end
        if self._fronts is None or self._fronts[0] is not shown or self._fronts[1] != pace:
            # Kept, since what is drawn of it is kept with it.
            self._fronts = shown, pace, shown.contours[THROUGH].paced(pace)
        return shown.job, self._fronts[2], shown.forecast.end * pace

    # -- how sure

    def begin(self, runs: int = RUNS) -> None:
        """Start the runs on the plan as it is."""
        job = self.session.job
        self._sure_of = job
        workers = crew(self.session.settings) if self.workers is None else self.workers
        self.bar.begin(
            lambda progress, stopped: how_sure(
                job, runs=runs, workers=workers, progress=progress, cancelled=stopped
            ),
            runs,
        )

    def _on_sure(self, sure: Sure) -> None:
        if not sure.runs:
            self.words.setText(tr("No run came to an answer."))
            return
        self.sure = sure
        early, middle, late = sure.fill_range
        spread = spread_of(self._sure_of or self.session.job)
        ranged = (
            tr("{0} to {1}", clock(early, late), clock(late))
            if math.isfinite(late)
            else tr("{} to never", clock(early))
        )
        self.figures.set("wet through at", ranged)
        self.figures.set("dry left", tr("in {:.0f} % of runs", 100 - sure.share_filled * 100))
        self.figures.set("closes last", tr("locked in {:.0f} %", sure.share_locked * 100))
        self.words.setText(
            tr(
                "{0} runs: wet through from {1}, {5:.0f} times in a hundred, half by {2}. Stack permeability off "
                "by ×{3:.2f} either way, mesh ×{4:.2f}, two runs in three. The darker a place, the "
                "oftener it stays dry; rings are last places.",
                len(sure.runs),
                ranged,
                clock(middle),
                spread.cloth,
                spread.mesh,
                sure.held * 100,
            )
        )
        self.stack.setCurrentIndex(1)
        self.map.update()

    def _map(self, width: float, height: float, theme: Theme) -> Iterator[Item]:
        if self.sure is None or self._sure_of is None:
            return iter(())
        return draw_sure(self._sure_of, self.sure, width, height, theme, self.session.system)
