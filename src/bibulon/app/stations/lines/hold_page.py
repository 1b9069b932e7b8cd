"""After full: what the hold makes of the part, with the vacuum running, throttled or shut, until gel."""

from __future__ import annotations

import math
from collections.abc import Iterator

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeyEvent, QMouseEvent
from PySide6.QtWidgets import QButtonGroup, QPushButton, QSplitter, QVBoxLayout, QWidget

from bibulon.app.kit.button_row import ButtonRow
from bibulon.app.kit.drawing_view import DrawingView
from bibulon.app.kit.fields import FigureGrid, Form, UnitEdit, VacuumEdit, heading, note
from bibulon.app.session.session import Session
from bibulon.app.stations.base import SidedPage, titled
from bibulon.app.work.ask import Ask
from bibulon.core.drawing.graphs.holding import chart_of, draw_holding
from bibulon.core.drawing.kit.look import PlanLook
from bibulon.core.drawing.kit.scene import Item, Label, View
from bibulon.core.drawing.kit.tokens import Theme
from bibulon.core.drawing.plan.holdmap import draw_hold
from bibulon.core.drawing.plan.zonefield import prepare_zones
from bibulon.core.flow.forecast import Forecast
from bibulon.core.flow.hold import Hold, hold_of, spare_of
from bibulon.core.geometry.zones import regions
from bibulon.core.run.youngest import held_until
from bibulon.core.units.units import clock, show
from bibulon.core.units.words import tr

__all__ = ["HoldPage"]

WAYS = {"run": tr("Vacuum runs on"), "throttled": "Throttled", "shut": tr("Shut with the feed")}
STEPS = 60  # key presses across the time


class _Course(DrawingView):
    """Fibre share over the hold; a moment is chosen by the mouse, or with left and right."""

    def __init__(self, page: HoldPage) -> None:
        super().__init__(tr("Fibre share from shutting the feed to gel"), self._items, 190)
        self.page = page
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleDescription(tr("Left and right move the moment that the plan above shows."))

    def _items(self, width: float, height: float, theme: Theme) -> Iterator[Item]:
        page = self.page
        if page.hold is None:
            return iter(())
        return draw_holding(page.hold, page.moment, width, height, theme, page.session.system)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.mouseMoveEvent(event)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        hold = self.page.hold
        if hold is not None:
            chart = chart_of(hold, float(self.width()), float(self.height()), self.theme)
            left, right = chart.left, chart.width - 20
            share = (event.position().x() - left) / max(right - left, 1.0)
            self.page.look_at(chart.x[0] + share * (chart.x[1] - chart.x[0]))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        way = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(Qt.Key(event.key()), 0)
        hold = self.page.hold
        if not way or hold is None:
            super().keyPressEvent(event)
            return
        step = float(hold.time[-1] - hold.time[0]) / STEPS
        self.page.look_at(self.page.moment + way * step)


class HoldPage(SidedPage):
    """The map above, the course below; at the side how it is held and what comes of it."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.forecast: Forecast | None = None
        self.hold: Hold | None = None
        self.problem = ""
        self.moment = 0.0
        self.spare = (0.0, 0.0)
        self.until = math.inf
        self._of: tuple[object, ...] = ()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        self.map = DrawingView("Fibre share over the plan", self._map, 200)
        self.course = _Course(self)
        split = QSplitter(Qt.Orientation.Vertical)
        split.addWidget(titled("Fibre by volume, as the bag presses it", None, self.map))
        split.addWidget(
            titled("From the thickest to the thinnest place; the heavy line is the mean", None, self.course)
        )
        split.setSizes([380, 240])
        layout.addWidget(split)
        self._lay_side()
        self.ask = Ask(session, lambda: session.number)
        self.ask.ready.connect(self._show)
        self.ask.failed.connect(self._fail)
        session.closing.connect(self.ask.close)
        session.job_opened.connect(self._forget)
        session.outlook_changed.connect(lambda _: self.fill() if self.isVisible() else None)

    def _lay_side(self) -> None:
        session = self.session
        self.side = QWidget()
        side = QVBoxLayout(self.side)
        side.setContentsMargins(16, 12, 16, 8)
        self.figures = FigureGrid(
            (
                "fibre, mean",
                "under the whole bag",
                "thickest place",
                "thinnest place",
                "bled by gel",
                "even from",
            ),
            2,
        )
        side.addWidget(self.figures)
        side.addWidget(heading("How it is held"))
        row = ButtonRow()
        self.ways = QButtonGroup(self)
        for k, (key, words) in enumerate(WAYS.items()):
            button = QPushButton(tr(words))
            button.setCheckable(True)
            button.setChecked(key == "run")
            button.setProperty("way", key)
            button.clicked.connect(lambda _=False: self._ask())
            self.ways.addButton(button, k)
            row.add(button)
        side.addWidget(row)
        form = Form()
        self.after = UnitEdit("time", "Feed shut after full", 0.0, 7200.0)
        self.after.set_value(0.0, session.system)
        form.add("Feed shut after full", self.after)
        self.level = VacuumEdit("Throttled to", lambda: session.job.conditions.atmosphere, 1.1e5)
        self.level.set_value(30_000.0, session.system)
        form.add("Throttled to", self.level)
        for field in (self.after, self.level):
            field.committed.connect(lambda _: self._ask())
            field.refused.connect(lambda text: session.said.emit(text, True))
        side.addWidget(form)
        self.told = note()
        side.addWidget(self.told)
        side.addWidget(
            note(
                "Never let go of the vacuum before gel: the cup of the last batch says when, beside the data sheet."
            )
        )
        side.addStretch()

    def _map(self, width: float, height: float, theme: Theme) -> Iterator[Item]:
        if self.hold is None or self.forecast is None:
            yield Label(width / 2, height / 2, self.problem or tr("Working out the hold …"), theme.soft, 14)
            return
        view = View.fit(regions(self.forecast.job.part).whole.bounds, width, height - 40, 24)
        look = PlanLook(view, theme, self.session.system)
        yield from draw_hold(self.forecast, self.hold, self.hold.at(self.moment), look, height)

    def _forget(self) -> None:
        self.forecast = self.hold = None
        self.problem, self._of = "", ()

    @property
    def way(self) -> str:
        """Return what becomes of the vacuum."""
        button = self.ways.checkedButton()
        return str(button.property("way")) if button else "run"

    def fill(self) -> None:
        """Follow the forecast."""
        self._ask()

    def _ask(self) -> None:
        outlook = self.session.outlook
        forecast = outlook.forecast if outlook else None
        of = (forecast, self.way, self.after.value(), self.level.value())
        self.level.setEnabled(self.way == "throttled")
        if len(of) == len(self._of) and of[0] is self._of[0] and of[1:] == self._of[1:]:
            return
        self._of = of
        if forecast is None:
            self._fail(ValueError(self.session.problem or tr("There is no forecast yet.")))
            return
        job, way, after, level = self.session.job, self.way, self.after.value(), self.level.value()

        def work() -> tuple[Forecast, Hold, tuple[float, float], float]:
            hold = hold_of(forecast, way, after, level)
            prepare_zones(forecast, hold.share[0])
            return forecast, hold, spare_of(forecast, forecast.fill_time), held_until(job, forecast)

        self.ask.want(work)

    def _show(self, answer: tuple[Forecast, Hold, tuple[float, float], float]) -> None:
        self.forecast, self.hold, self.spare, self.until = answer
        self.problem = ""
        if not self.hold.time[0] <= self.moment <= self.hold.time[-1]:
            self.moment = float(self.hold.time[-1])
        self._tell()

    def _fail(self, error: Exception) -> None:
        self.hold, self.problem = None, str(error)[:1].upper() + str(error)[1:]
        self._tell()

    def look_at(self, moment: float) -> None:
        """Look at a moment [s] of the hold."""
        if self.hold is not None:
            self.moment = min(max(moment, float(self.hold.time[0])), float(self.hold.time[-1]))
            self.map.update()
            self.course.update()

    def _tell(self) -> None:
        s, hold = self.session.system, self.hold
        if hold is None:
            for name in self.figures.figures:
                self.figures.set(name, "—")
            self.told.setText("")
        else:
            low, mean, high = hold.ends(len(hold.time) - 1)
            first = hold.ends(0)
            self.figures.set("fibre, mean", f"{mean * 100:.1f} %")
            self.figures.set("thickest place", f"{low * 100:.1f} %")
            self.figures.set("thinnest place", f"{high * 100:.1f} %")
            self.figures.set("bled by gel", show(float(hold.bled[-1]), "mass", s, 3))
            self.figures.set("even from", clock(hold.even_at))
            self.figures.set("under the whole bag", f"{hold.planned * 100:.1f} %")
            self.told.setText(
                tr(
                    "When it is full the plies hold {0} more than under the whole bag; shut earlier, "
                    "that much feeds what is still dry. From {1:.1f} points of fibre between the ends "
                    "{2:.1f} are left at gel. The vacuum stays on until {3}.",
                    show(self.spare[0], "mass", s, 3),
                    (first[2] - first[0]) * 100,
                    (high - low) * 100,
                    clock(self.until) if math.isfinite(self.until) else "the cup has gelled",
                )
            )
        self.map.update()
        self.course.update()

    def set_theme(self, theme: Theme) -> None:
        """Choose the theme."""
        self.map.set_theme(theme)
        self.course.set_theme(theme)
