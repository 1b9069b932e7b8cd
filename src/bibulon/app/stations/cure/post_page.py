"""Post-cure: the oven's schedule as a ramp that is dragged under the part's glass transition, and as steps."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial
from pathlib import Path

import numpy as np
from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QKeyEvent, QMouseEvent
from PySide6.QtWidgets import (
    QComboBox,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from bibulon.app.kit import files
from bibulon.app.kit.appearance import named
from bibulon.app.kit.button_row import ButtonRow
from bibulon.app.kit.drawing_view import DrawingView
from bibulon.app.kit.fields import FigureGrid, Form, UnitEdit, heading, narrow, note, push
from bibulon.app.kit.table import Column, Table
from bibulon.app.session.session import Session
from bibulon.app.stations.base import SidedPage, titled
from bibulon.app.work.ask import Ask
from bibulon.app.work.errands import not_written
from bibulon.core.cure.field import field_of
from bibulon.core.cure.places import FOLLOWED, cure_of
from bibulon.core.cure.postcure import PostCure, after_oven, schedule_end, suggested_steps
from bibulon.core.drawing.graphs.postcuring import draw_postcure, frame, nodes
from bibulon.core.drawing.kit.chart import degrees
from bibulon.core.drawing.kit.pages import PAGE
from bibulon.core.drawing.kit.scene import Item
from bibulon.core.drawing.kit.tokens import Theme
from bibulon.core.drawing.sheets.oven import oven_pages, oven_table
from bibulon.core.edit.edit import change
from bibulon.core.flow.build.orders import part_temperature
from bibulon.core.flow.forecast import Forecast
from bibulon.core.model.cure import CureStep
from bibulon.core.model.job import Job
from bibulon.core.units.units import UnitError, clock, parse, show, system_of
from bibulon.core.units.words import tr
from bibulon.store.durable import write_text
from bibulon.store.exports.pdf import write_pages

__all__ = ["PostPage"]

GRAB = 14.0  # px
WARMER, LONGER = 5.0, 1800.0  # K and s of an arrow


def _reckoned(job: Job, forecast: Forecast) -> PostCure:
    """Return what the oven does to the place that hardens last.

    Raises
    ------
    ValueError : when its cure cannot be reckoned.
    """
    field = field_of(forecast, job.cure.replaced(steps=()))
    if isinstance(field, str) or job.resin is None:
        raise ValueError(str(field))
    end = schedule_end(job.cure, part_temperature(job))
    place = cure_of(job, forecast, [(field.last.x, field.last.y)], ranges=False, until=max(end, FOLLOWED))[0]
    return after_oven(job.cure, job.resin, place)


def _laid(job: Job, forecast: Forecast) -> tuple[CureStep, ...]:
    """Return a schedule for the place that hardens last."""
    field = field_of(forecast, job.cure.replaced(steps=()))
    if isinstance(field, str) or job.resin is None:
        raise ValueError(str(field))
    bare = job.replaced(cure=job.cure.replaced(steps=()))
    place = cure_of(
        bare, forecast, [(field.last.x, field.last.y)], ranges=False, until=max(job.cure.oven_after, 3600.0)
    )[0]
    room = part_temperature(job)
    return suggested_steps(
        job.resin, place.alpha_end, room, job.cure.service, job.cure.part_limit, job.cure.post_over
    )


class _Ramp(DrawingView):
    """The graph; a knob is dragged for temperature and hold, or chosen and moved by arrows."""

    def __init__(self, page: PostPage) -> None:
        super().__init__(tr("Oven and glass transition over time"), self._items, 300)
        self.page = page
        self.held: int | None = None
        self.chosen: int | None = None
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleDescription(
            tr(
                "N chooses the next step; up and down change its temperature, left and right how long it holds."
            )
        )

    def _items(self, width: float, height: float, theme: Theme) -> Iterator[Item]:
        s = self.page.session
        return draw_postcure(s.job, self.page.told, part_temperature(s.job), width, height, theme, s.system)

    def _near(self, at: QPointF) -> int | None:
        s = self.page.session
        room = part_temperature(s.job)
        chart = frame(
            s.job, self.page.told, room, float(self.width()), float(self.height()), self.theme, s.system
        )
        best, which = GRAB, None
        for k, (when, warm) in enumerate(nodes(s.job.cure, room)):
            ((x, y),) = chart.at(np.array([when]), degrees(np.array([warm]), s.system))
            off = ((x - at.x()) ** 2 + (y - at.y()) ** 2) ** 0.5
            if off < best:
                best, which = off, k
        return which

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.held = self.chosen = self._near(event.position())

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self.held is None:
            return
        s = self.page.session
        room = part_temperature(s.job)
        chart = frame(
            s.job, self.page.told, room, float(self.width()), float(self.height()), self.theme, s.system
        )
        (low, high), (a, b) = chart.at(chart.x, chart.y)[:, 0], chart.at(chart.x, chart.y)[:, 1]  # type: ignore[arg-type]
        shown = chart.y[0] + (event.position().y() - a) / (b - a) * (chart.y[1] - chart.y[0])
        when = chart.x[0] + (event.position().x() - low) / (high - low) * (chart.x[1] - chart.x[0])
        warm = (shown - 32) * 5 / 9 + 273.15 if system_of("temperature", s.system) == "us" else shown + 273.15
        before = nodes(s.job.cure, room)
        self.page.change_step(self.held, temperature=round(warm), longer=when - before[self.held][0])

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self.held = None

    def keyPressEvent(self, event: QKeyEvent) -> None:
        steps = self.page.session.job.cure.steps
        by = {
            Qt.Key.Key_Up: (WARMER, 0.0), Qt.Key.Key_Down: (-WARMER, 0.0),
            Qt.Key.Key_Right: (0.0, LONGER), Qt.Key.Key_Left: (0.0, -LONGER),
        }.get(Qt.Key(event.key()))  # fmt: skip
        none = self.chosen is None or self.chosen >= len(steps)
        if steps and (event.key() == Qt.Key.Key_N or (by is not None and none)):
            self.chosen = 0 if self.chosen is None else (self.chosen + 1) % len(steps)
            self.page.session.said.emit(tr("Step {0} of {1}.", self.chosen + 1, len(steps)), False)
            return
        if by is None or self.chosen is None or none:
            super().keyPressEvent(event)
            return
        self.page.change_step(self.chosen, temperature=steps[self.chosen].temperature + by[0], longer=by[1])


class PostPage(SidedPage):
    """The ramp, and at the side its steps and what the part comes to."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.told: PostCure | None = None
        self._of: object = None
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        self.ramp = _Ramp(self)
        layout.addWidget(titled("Oven, part, and the line that neither may pass", None, self.ramp))
        self._lay_side()
        self.ask = Ask(self, lambda: (session.number, session.job.cure))
        self.ask.ready.connect(self._show)
        self.ask.failed.connect(self._fail)
        self.laying = Ask(self, lambda: session.number)
        self.laying.ready.connect(self._take)
        self.laying.failed.connect(
            lambda error: session.said.emit(f"{str(error)[:1].upper()}{str(error)[1:]}.", True)
        )

    def _lay_side(self) -> None:
        s = self.session
        self.side = QWidget()
        side = QVBoxLayout(self.side)
        side.setContentsMargins(16, 12, 16, 8)
        self.figures = FigureGrid(("turns soft at", "closest to the line", "back in the shop", "cured"))
        side.addWidget(self.figures)
        self.words = note()
        side.addWidget(self.words)
        form = Form()
        self.fields: dict[str, UnitEdit] = {}
        for key, words, quantity, low, high in (
            ("oven_after", tr("Oven starts after"), "time", 0.0, 30 * 86400.0), ("service", tr("Warmest in use"), "temperature", 253.0, 573.0),
            ("post_over", tr("May be over the line by"), "warming", 0.0, 60.0), ("taken_out", tr("Taken out at; 0 when ready"), "time", 0.0, 30 * 86400.0),
        ):  # fmt: skip
            field = UnitEdit(quantity, words, low, high)
            field.committed.connect(lambda value, k=key: self._change(**{k: value}))
            field.refused.connect(lambda text: s.said.emit(text, True))
            self.fields[key] = field
            form.add(words, field)
        self.heater = narrow(QComboBox())
        self.heater.setAccessibleName(tr("Warmed by"))
        for key, words in (("oven", tr("an oven")), ("blanket", tr("a heated blanket"))):
            self.heater.addItem(tr(words), key)
        self.heater.activated.connect(lambda _: self._change(heater=self.heater.currentData()))
        form.add("Warmed by", self.heater)
        side.addWidget(form)
        self._lay_steps(side)
        side.addStretch()

    def _lay_steps(self, side: QVBoxLayout) -> None:
        side.addWidget(heading("Steps"))
        row = ButtonRow()
        self.buttons: dict[str, QPushButton] = {}
        for key, words, act in (
            ("lay", tr("Lay a schedule"), self.lay),
            ("add", tr("Add step"), self.add),
            ("drop", tr("Remove step"), self.drop),
        ):
            button = push(words, act)
            self.buttons[key] = button
            row.add(button)
        named(self.buttons["lay"], "act")
        side.addWidget(row)
        heads = [Column(head, typed=True) for head in ("to", "rise an hour", "held")]
        self.table = Table(heads, "Steps of the oven", ordered=True, together=self.session.together)
        self.table.setMinimumHeight(120)
        self.table.typed.connect(self._typed)
        side.addWidget(self.table)
        row = ButtonRow()
        for key, words, kinds in (
            ("pdf", tr("Schedule as PDF…"), "PDF (*.pdf)"),
            ("csv", tr("As CSV…"), "CSV (*.csv)"),
        ):
            self.buttons[key] = push(words, partial(self._ask_file, kinds))
            row.add(self.buttons[key])
        side.addWidget(row)
        side.addWidget(
            note(
                "The sheet's own post-cure comes first. Hot ovens burn; a part on stands must bear its own weight while warm."
            )
        )

    # -- shown

    def fill(self) -> None:
        """Follow the job and its forecast."""
        job, s = self.session.job, self.session.system
        for key, field in self.fields.items():
            field.set_value(getattr(job.cure, key) or 0.0, s)
        self.heater.setCurrentIndex(self.heater.findData(job.cure.heater))
        self.table.show_rows(
            [
                (
                    show(x.temperature, "temperature", s),
                    show(x.ramp * 3600, "warming", s),
                    show(x.hold, "time", s),
                )
                for x in job.cure.steps
            ]
        )
        for key in ("drop", "pdf", "csv"):
            self.buttons[key].setEnabled(bool(job.cure.steps))
        outlook = self.session.outlook
        forecast = outlook.forecast if outlook else None
        if forecast is None or not job.cure.steps:
            self.told, self._of = None, None
            self._tell()
            return
        key_now = (forecast, job.cure)
        if self._of is None or any(a is not b for a, b in zip(key_now, self._of, strict=True)):  # type: ignore[call-overload]
            self._of = key_now
            self.ask.want(lambda: _reckoned(job, forecast))
        self.ramp.update()

    def _show(self, told: PostCure) -> None:
        self.told = told
        self._tell()

    def _fail(self, error: Exception) -> None:
        self.told = None
        self._tell(str(error))

    def _tell(self, problem: str = "") -> None:
        told, s = self.told, self.session.system
        room = part_temperature(self.session.job)
        if told is None:
            for name in self.figures.figures:
                self.figures.set(name, "—")
            self.words.setText(problem)
        else:
            known = told.glass is not None
            self.figures.set(
                "turns soft at", show(told.reached, "temperature", s) if known else tr("not told")
            )
            self.figures.set(
                "closest to the line",
                f"{show(abs(told.margin), 'warming', s)} {'under' if told.margin >= 0 else 'over'}"
                if known
                else "—",
            )
            self.figures.set("back in the shop", clock(schedule_end(self.session.job.cure, room)))
            self.figures.set("cured", f"{told.alpha * 100:.0f} %")
            self.words.setText(
                tr("" if known else "The resin's sheet tells no glass transition: no line can be drawn.")
            )
        self.ramp.update()

    # -- acts

    def _change(self, **fields: object) -> None:
        if fields.get("taken_out") == 0.0:
            fields["taken_out"] = None  # when it is ready
        self.session.edit(
            "Change post-cure", lambda job: change(job, cure=job.cure.replaced(**fields)), key="post-cure"
        )

    def change_step(self, k: int, *, temperature: float, longer: float) -> None:
        """Change a step: to a temperature [K], and hold it so much longer [s]."""
        steps = list(self.session.job.cure.steps)
        old = steps[k]
        steps[k] = old.replaced(
            temperature=min(max(temperature, part_temperature(self.session.job)), 573.0),
            hold=max(round((old.hold + longer) / 300) * 300.0, 0.0),
        )
        if steps[k] != old:
            self._change(steps=tuple(steps))

    def add(self) -> None:
        """Add a step ten kelvin over the last, held for two hours."""
        steps = self.session.job.cure.steps
        last = steps[-1].temperature if steps else part_temperature(self.session.job) + 10
        self._change(steps=(*steps, CureStep(temperature=min(last + 10, 573.0), hold=7200.0)))

    def drop(self) -> None:
        """Remove the step that is chosen, or the last."""
        steps = list(self.session.job.cure.steps)
        if steps:
            row = self.table.current_row()
            steps.pop(row if 0 <= row < len(steps) else -1)
            self._change(steps=tuple(steps))

    def lay(self) -> None:
        """Lay a schedule that stays under the line."""
        outlook, job = self.session.outlook, self.session.job
        forecast = outlook.forecast if outlook else None
        if forecast is None:
            self.session.said.emit(self.session.problem or tr("There is no forecast yet."), True)
            return
        self.laying.want(lambda: _laid(job, forecast))

    def _take(self, steps: tuple[CureStep, ...]) -> None:
        if not steps:
            self.session.said.emit(
                tr("It needs no oven: it is ready for its service as it cures in the shop."), False
            )
            return
        self._change(steps=steps)

    def _typed(self, row: int, column: int, text: str) -> None:
        name, quantity = (("temperature", "temperature"), ("ramp", "warming"), ("hold", "time"))[column]
        try:
            value = parse(text, quantity, self.session.system)
            steps = list(self.session.job.cure.steps)
            steps[row] = steps[row].replaced(**{name: value / 3600 if name == "ramp" else value})
        except (UnitError, ValueError) as error:
            self.session.said.emit(str(error).splitlines()[0], True)
            return
        self._change(steps=tuple(steps))

    def _ask_file(self, kinds: str) -> None:
        path = files.to_write(self, tr("Oven schedule"), tr("{} oven", self.session.job.name), kinds)
        if path is not None:
            self.write(path)

    def write(self, path: Path) -> None:
        """Write the schedule as PDF or CSV, by the file's ending."""
        job, told, s = self.session.job, self.told, self.session.system
        room = part_temperature(job)

        def write() -> None:
            if path.suffix.lower() == ".csv":
                write_text(path, oven_table(job, room))
            else:
                pages = [p.items for p in oven_pages(job, told, room, s)]
                write_pages(pages, PAGE, path, tr("{}, oven", job.name))

        done = tr("Oven schedule written to {}.", path.name)
        self.session.errands.begin(write, done, not_written(path))

    def set_theme(self, theme: Theme) -> None:
        """Choose the theme."""
        self.ramp.set_theme(theme)
