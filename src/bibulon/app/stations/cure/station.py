"""Cure: how warm the part gets, when it gels everywhere, and when it may leave the mould."""

from __future__ import annotations

import math
from collections.abc import Iterator
from typing import TYPE_CHECKING

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QButtonGroup,
    QHBoxLayout,
    QPushButton,
    QSplitter,
    QVBoxLayout,
    QWidget,
)

from bibulon.app.kit.drawing_view import DrawingView
from bibulon.app.kit.fields import FigureGrid, Form, UnitEdit, heading, note
from bibulon.app.kit.tabs import Tabs, paged, pages_of
from bibulon.app.session.session import Session
from bibulon.app.stations.base import RailRow, Station, titled
from bibulon.app.stations.shared.figures_form import FiguresForm, Row
from bibulon.app.stations.shared.tooling_box import ToolingBox
from bibulon.app.work.ask import Ask
from bibulon.core.cure.field import CureField, field_of, with_ranges
from bibulon.core.cure.places import PlaceCure, cure_of
from bibulon.core.drawing.graphs.curing import draw_curing
from bibulon.core.drawing.kit.scene import Item
from bibulon.core.drawing.kit.tokens import Theme
from bibulon.core.drawing.plan.curemap import WHICH
from bibulon.core.drawing.plan.zonefield import prepare_zones
from bibulon.core.edit.edit import change
from bibulon.core.flow.build.orders import part_temperature
from bibulon.core.flow.forecast import Forecast
from bibulon.core.library.tooling import tooling_like
from bibulon.core.model.job import Job
from bibulon.core.outlook.outlook import Outlook
from bibulon.core.run.journal import Entry, number, rows_of
from bibulon.core.run.youngest import out_last, vacuum_until, youngest_gel
from bibulon.core.series.rows import AFTER
from bibulon.core.units.units import clock, show
from bibulon.core.units.words import tr

if TYPE_CHECKING:
    from bibulon.app.stations.cure.depth_page import DepthPage
    from bibulon.app.stations.cure.post_page import PostPage

__all__ = ["CureStation"]


def _reckoned(job: Job, forecast: Forecast) -> tuple[CureField, PlaceCure]:
    """Return the field that the findings are judged by, its places followed to the end, and what is out last."""
    found = field_of(forecast, job.cure)
    if isinstance(found, str):
        raise ValueError(found)
    prepare_zones(forecast, found.peak)
    found = with_ranges(found, forecast)
    return found, out_last(job, forecast, found)


def _same(at: tuple[float, float] | None, place: PlaceCure) -> bool:
    """Whether a thermometer sits at a place, to what a row of the record keeps of it."""
    return at is not None and math.hypot(at[0] - place.x, at[1] - place.y) < 1e-3


HEAT = (
    Row("cure.tool_thickness", tr("Tool thickness"), "thickness", 0.0, 0.5),
    Row("cure.tool_k", tr("Tool conducts, W/m K"), "number", 1e-3, 1e3),
    Row("cure.tool_rho_c", tr("Tool holds"), "stored heat", 1e4, 1e8),
    Row("cure.blanket", tr("Blanket on top"), "thickness", 0.0, 0.2),
    Row("cure.h_tool", tr("Heat to air below, W/m²K"), "number", 0.1, 1e4),
    Row("cure.h_bag", tr("Heat to air on top, W/m²K"), "number", 0.1, 1e4),
    Row("cure.night", tr("Shop cooler by night"), "warming", 0.0, 60.0),
)
LEAVES = (
    Row("cure.demould_alpha", tr("Cured at demould"), "share", 0.05, 0.999),
    Row("cure.over_glass", tr("Glass over part by"), "warming", 0.0, 100.0),
    Row("cure.demould_below", tr("Cooler than"), "temperature", 273.15, 473.15),
    Row("cure.part_limit", tr("Part and tool bear"), "temperature", 273.15, 573.15),
)


class CureStation(Station):
    """The map, the course of a place below it, and what it cures on at the side."""

    name = "Cure"
    side_share = 7

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.field: CureField | None = None
        self.out: PlaceCure | None = None
        self.forecast: Forecast | None = None
        self.place: PlaceCure | None = None
        self.problem = ""
        self._of: object = None

    def build(self) -> None:
        from bibulon.app.stations.cure.map_view import CureMap

        session = self.session
        self.map = CureMap(self)
        self.map.chosen.connect(self.choose)
        self.graph = DrawingView("Temperature and cure of a place", self._course, 180)
        split = QSplitter(Qt.Orientation.Vertical)
        upper = QWidget()
        column = QVBoxLayout(upper)
        column.setContentsMargins(0, 0, 0, 0)
        row = QHBoxLayout()
        row.setContentsMargins(16, 6, 16, 0)
        self.which = QButtonGroup(upper)
        for k, (key, words) in enumerate(WHICH.items()):
            button = QPushButton(tr(words))
            button.setCheckable(True)
            button.setChecked(key == "peak")
            button.clicked.connect(lambda _=False, w=key: self._show(w))
            self.which.addButton(button, k)
            row.addWidget(button)
        row.addStretch()
        column.addLayout(row)
        column.addWidget(self.map, 1)
        split.addWidget(upper)
        split.addWidget(
            titled("At the place chosen: hottest to coolest through the thickness", None, self.graph)
        )
        split.setSizes([420, 260])
        self.bench = self.tabs = Tabs("Cure", [("Map and course", split), *pages_of(self)])
        self.tabs.shown.connect(lambda _: self._fill_pages())
        self._lay_side()
        self.ask = Ask(session, lambda: session.number)
        self.ask.ready.connect(self._on_field)
        self.ask.failed.connect(self._on_failure)
        self.asking = Ask(session, lambda: session.number)
        self.asking.ready.connect(self._on_place)
        self.asking.failed.connect(lambda error: session.said.emit(str(error), True))
        session.closing.connect(self.ask.close)
        session.closing.connect(self.asking.close)
        session.job_opened.connect(self._forget)
        session.system_changed.connect(lambda _: self._tell())
        session.outlook_changed.connect(lambda _: self.fill() if self.bench.isVisible() else None)
        self.follow()

    @paged("Through the thickness")
    def depth(self) -> DepthPage:
        from bibulon.app.stations.cure.depth_page import DepthPage

        return DepthPage(self.session)

    @paged("Post-cure")
    def post(self) -> PostPage:
        from bibulon.app.stations.cure.post_page import PostPage

        return PostPage(self.session)

    def _lay_side(self) -> None:
        from bibulon.app.stations.cure.thermometer import ThermometerPanel

        self.side = QWidget()
        side = QVBoxLayout(self.side)
        side.setContentsMargins(16, 12, 16, 8)
        self.figures = FigureGrid(("vacuum until", "peak", "demould", "its range"))
        side.addWidget(self.figures)
        self.told = note()
        side.addWidget(self.told)
        side.addWidget(heading("What it cures on"))
        tool = Form()
        self.tool = ToolingBox(tr("What the tool is made of"))
        self.tool.picked.connect(lambda made: self._change(tool_k=made.conductivity, tool_rho_c=made.stored))
        tool.add("Tool of", self.tool)
        side.addWidget(tool)
        self.heat = FiguresForm(self.session, HEAT)
        side.addWidget(self.heat)
        side.addWidget(heading("When it may come out"))
        self.leaves = FiguresForm(self.session, LEAVES)
        side.addWidget(self.leaves)
        self.thermometer = ThermometerPanel(
            self.session, lambda: (self.place.x, self.place.y) if self.place else None
        )
        self.thermometer.told.connect(self.graph.update)
        side.addWidget(self.thermometer)
        hard = Form()
        self.wanted = UnitEdit("number", "Hardness wanted", 0.0, 200.0)
        self.wanted.committed.connect(lambda value: self._change(hardness=value))
        self.wanted.refused.connect(lambda text: self.session.said.emit(text, True))
        hard.add("Hardness wanted, 0 for none", self.wanted)
        self.hard = UnitEdit("number", "Hardness read at the place", 0.0, 200.0)
        self.hard.committed.connect(self._hard)
        self.hard.refused.connect(lambda text: self.session.said.emit(text, True))
        hard.add("Hardness read at the place", self.hard)
        side.addWidget(hard)
        self.hardness = note()
        side.addWidget(self.hardness)
        side.addWidget(
            note(
                "Never open a bag or mould before gel. The data sheet's cure and the shop's own hardness check decide."
            )
        )
        side.addStretch()

    def _fill_pages(self) -> None:
        if self.tabs.name == "Post-cure":
            self.post.fill()
        elif self.tabs.name == "Through the thickness":
            self.depth.fill(self.forecast, self.place)

    def _hard(self, value: float) -> None:
        """Note what the hardness tester read at the place that is chosen, as a row."""
        place = self.place
        data: dict[str, object] = {"value": value, "text": f"{value:g}"}
        if place is not None:
            data |= {"x": round(place.x, 4), "y": round(place.y, 4)}
        if self.session.stamp(Entry(AFTER, 0.0, "hardness", data, self.session.run_clock.wall())):
            self._tell_hardness()

    def _tell_hardness(self) -> None:
        read = [
            v for e in rows_of(self.session.journal, "hardness") if (v := number(e.data, "value")) is not None
        ]
        wanted = self.session.job.cure.hardness
        if not read:
            self.hardness.setText("")
            return
        least = min(read[-5:])
        if not wanted:
            self.hardness.setText(tr("Read {}; no least is asked.", ", ".join(f"{v:g}" for v in read[-5:])))
        else:
            done = tr("hard enough where it was read") if least >= wanted else tr("not yet: wait, or warm it")
            self.hardness.setText(tr("Least of the last five {0:g}, {1:g} wanted: {2}.", least, wanted, done))

    def _change(self, **fields: object) -> None:
        self.session.edit("Change cure", lambda job: change(job, cure=job.cure.replaced(**fields)))

    def _forget(self) -> None:
        self.field = self.out = self.forecast = self.place = self._of = None
        self.problem = ""

    def _show(self, which: str) -> None:
        self.map.which = which
        self.map.update()

    # -- worked out

    def fill(self) -> None:
        job, s = self.session.job, self.session.system
        self.heat.fill()
        self.leaves.fill()
        self.tool.show_made(tooling_like(conductivity=job.cure.tool_k, stored=job.cure.tool_rho_c))
        self.wanted.set_value(job.cure.hardness, s)
        self._tell_hardness()
        self.thermometer.fill(job)
        if self.bench.isVisible():
            self._work()
            self._fill_pages()

    def entered(self) -> None:
        super().entered()
        self._work()
        self._fill_pages()

    def _work(self) -> None:
        """Ask for the field of the job and forecast as they are, once."""
        outlook = self.session.outlook
        forecast = outlook.forecast if outlook else None
        if forecast is None:
            self._on_failure(ValueError(self.session.problem or tr("There is no forecast yet.")))
            return
        job = self.session.job
        key = (forecast, job.cure, job.resin, job.stack, job.charge)
        if self._of is not None and all(a is b for a, b in zip(key, self._of, strict=True)):  # type: ignore[call-overload]
            return
        self._of = key
        self.ask.want(lambda: (forecast, *_reckoned(job, forecast)))

    def _on_field(self, answer: tuple[Forecast, CureField, PlaceCure]) -> None:
        self.forecast, self.field, self.out = answer
        self.place, self.problem = self.field.hottest, ""
        self._tell()
        self.thermometer.correct(self.forecast)
        self.session.answered.emit()

    def _on_failure(self, error: Exception) -> None:
        self.field, self.out, self.place, self.problem = None, None, None, str(error)
        self._tell()

    def choose(self, x: float, y: float) -> None:
        """Look at another place [m]."""
        forecast, job = self.forecast, self.session.job
        if forecast is not None and self.field is not None:
            self.asking.want(lambda: cure_of(job, forecast, [(x, y)])[0])

    def _on_place(self, place: PlaceCure) -> None:
        self.place = place
        self._tell()

    def _tell(self) -> None:
        s, field, out = self.session.system, self.field, self.out
        if field is None or out is None:
            for name in self.figures.figures:
                self.figures.set(name, "—")
            self.told.setText(self.problem)
        else:
            low, middle, high = out.demould
            until = (
                vacuum_until(self.session.job, self.forecast, field) if self.forecast else field.slowest.gel
            )
            self.figures.set("vacuum until", clock(until))
            self.figures.set("peak", show(field.hottest.peak, "temperature", s))
            self.figures.set("demould", clock(middle) if math.isfinite(middle) else tr("over two days"))
            self.figures.set(
                "its range",
                tr("{0} to {1}", clock(low, high), clock(high)) if math.isfinite(high) else tr("no range"),
            )
            self.told.setText(" ".join(self._words(field, out)))
        self.map.update()
        self.graph.update()
        self._fill_pages()

    def _words(self, field: CureField, out_last: PlaceCure) -> list[str]:
        """Return what is to be watched."""
        job, s, out = self.session.job, self.session.system, []
        if field.hottest.peak > job.cure.part_limit:
            out.append(
                tr(
                    "Too hot: {0} in {1} against {2}. A slower hardener, thinner steps, or a fan.",
                    show(field.hottest.peak, "temperature", s),
                    field.hottest.zone,
                    show(job.cure.part_limit, "temperature", s),
                )
            )
        spread = field.slowest.gel - field.hottest.gel
        if spread > 0.25 * field.slowest.gel:
            slow, hot = field.slowest.zone, field.hottest.zone
            names = (slow.capitalize(), hot) if slow != hot else (tr("The last place"), tr("the hottest"))
            out.append(
                tr("{0} gels {1} after {2}: the vacuum stays on for it.", names[0], clock(spread), names[1])
            )
        young = youngest_gel(job, self.forecast) if self.forecast else None
        if young is not None and young > field.slowest.gel:
            out.append(tr("The last batch gels last, at {}: the vacuum stays on for it.", clock(young)))
        if not math.isfinite(out_last.demould[1]):
            out.append(
                tr("Too cold to cure to the share asked within two days: warm the shop, or post-cure.")
            )
        if job.resin is not None and job.resin.glass_cured is None:
            out.append(tr("The sheet tells no glass transition: demould goes by cure and temperature alone."))
        return out or [tr("Nothing to watch but the clock.")]

    def _course(self, width: float, height: float, theme: Theme) -> Iterator[Item]:
        job = self.thermometer.read_job()
        at = job.cure.read_at
        here = self.thermometer.corrected if self.place and _same(at, self.place) else None
        return draw_curing(
            job, self.place, part_temperature(job), width, height, theme, self.session.system, here
        )

    def set_theme(self, theme: Theme) -> None:
        super().set_theme(theme)
        self.map.set_theme(theme)
        self.graph.set_theme(theme)

    def row(self, job: Job, outlook: Outlook | None) -> RailRow:
        if self.field is None or self.out is None:
            return RailRow("not reckoned", "open")
        middle = self.out.demould[1]
        hot = self.field.hottest.peak > job.cure.part_limit
        words = tr("demould {}", clock(middle)) if math.isfinite(middle) else tr("not within two days")
        return RailRow(words, "warned" if hot or not math.isfinite(middle) else "settled")
