"""Logbook: all jobs of the shop, searched as one types, compared, made anew, and as series."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING

from PySide6.QtWidgets import (
    QCheckBox,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from bibulon.app.kit import files
from bibulon.app.kit.appearance import Bare, named
from bibulon.app.kit.drawing_view import DrawingView
from bibulon.app.kit.fields import Form, UnitEdit, heading, note, push
from bibulon.app.kit.tabs import Tabs, paged, pages_of
from bibulon.app.session.log import Log
from bibulon.app.session.reading import make_ready
from bibulon.app.stations.base import RailRow, Station
from bibulon.app.work.ask import Ask
from bibulon.core.drawing.kit.scene import Item
from bibulon.core.drawing.kit.tokens import Theme
from bibulon.core.drawing.plan.thumb import draw_thumb
from bibulon.core.drawing.sheets.compare import MOST, Compared, draw_compared
from bibulon.core.edit.anew import SCALES, anew
from bibulon.core.model.job import Job
from bibulon.core.outlook.outlook import Outlook
from bibulon.core.series.like import likeness, told_of
from bibulon.core.series.record import FIGURES
from bibulon.core.units.words import tr
from bibulon.store.jobfile import load
from bibulon.store.logbook import LogRow

if TYPE_CHECKING:
    from bibulon.app.stations.logbook.learned_page import LearnedPage
    from bibulon.app.stations.logbook.series_page import SeriesPage

__all__ = ["LogbookStation"]


class LogbookStation(Station):
    """The cards, what is chosen at the side, the comparison, and series."""

    name = "Logbook"
    side_share = 9

    def build(self) -> None:
        from bibulon.app.stations.logbook.cards import CardView

        session = self.session
        self.log = Log(session, session)
        self.log.changed.connect(self._show_rows)
        self.log.reading.connect(self._reading)
        self.chosen: LogRow | None = None
        self.compared: list[LogRow] = []
        self.cards = CardView()
        self.cards.selectionModel().currentChanged.connect(lambda *_: self._choose(self.cards.chosen))
        self.cards.activated.connect(lambda _: self.open())
        self.making = Ask(self.log, lambda: session.number)
        self.making.ready.connect(session.beginning)
        self.making.failed.connect(lambda error: session.said.emit(str(error), True))
        self.compare = DrawingView("Jobs side by side", self._compared, 560)
        scroll = Bare()
        scroll.setWidgetResizable(True)
        scroll.setWidget(self.compare)
        scroll.setAccessibleName(tr("Comparison"))
        self.bench = self.tabs = Tabs(
            "Logbook",
            [
                ("Jobs", self._jobs_page()),
                ("Compare", scroll),
                *pages_of(self),
            ],
        )
        self.tabs.shown.connect(lambda _: self._fill_page())
        self._lay_side()
        session.system_changed.connect(lambda _: self._tell())
        session.file_changed.connect(lambda: self.log.refresh() if self.bench.isVisible() else None)

    @paged("Series")
    def series(self) -> SeriesPage:
        from bibulon.app.stations.logbook.series_page import SeriesPage

        page = SeriesPage(self.session, self.log)
        page.chose.connect(self._choose)
        return page

    @paged("Learned")
    def learned(self) -> LearnedPage:
        from bibulon.app.stations.logbook.learned_page import LearnedPage

        return LearnedPage(self.session, self.log)

    def _jobs_page(self) -> QWidget:
        page = QWidget()
        layout = QVBoxLayout(page)
        layout.setContentsMargins(16, 6, 16, 8)
        row = QHBoxLayout()
        self.search = QLineEdit()
        self.search.setPlaceholderText(tr("Part, mould, material, defect, or a word of a lesson"))
        self.search.setAccessibleName(tr("Search the log"))
        self.search.textChanged.connect(self.log.search)
        row.addWidget(self.search, 1)
        self.like = QCheckBox(tr("most like the open job first"))
        self.like.toggled.connect(lambda _: self._show_rows())
        row.addWidget(self.like)
        self.folder = push("Add a folder…", self._ask_folder)
        row.addWidget(self.folder)
        layout.addLayout(row)
        layout.addWidget(self.cards, 1)
        self.told = named(QLabel(""), "soft")
        layout.addWidget(self.told)
        return page

    def _lay_side(self) -> None:
        self.side = QWidget()
        side = QVBoxLayout(self.side)
        side.setContentsMargins(16, 12, 16, 8)
        self.title = heading("")
        self.title.setWordWrap(True)
        side.addWidget(self.title)
        self.plan = DrawingView("Plan of the job chosen", self._plan, 190)
        side.addWidget(self.plan)
        self.figures = note()
        side.addWidget(self.figures)
        row = QHBoxLayout()
        self.buttons: dict[str, QPushButton] = {}
        for key, words, act in (
            ("open", "Open", self.open), ("compare", "Compare", self.put_beside), ("anew", tr("New job from it"), self.begin_from),
        ):  # fmt: skip
            button = push(words, act)
            self.buttons[key] = button
            row.addWidget(button)
        named(self.buttons["open"], "act")
        side.addLayout(row)
        form = Form()
        self.mirror = QCheckBox(tr("mirrored, plies to the other hand"))
        form.add("New one", self.mirror)
        self.scale = UnitEdit("number", "Scale of the new one", *SCALES)
        self.scale.set_value(1.0, self.session.system)
        self.scale.refused.connect(lambda text: self.session.said.emit(text, True))
        form.add("Scale", self.scale)
        side.addWidget(form)
        side.addWidget(heading("Lessons"))
        self.lessons = note()
        side.addWidget(self.lessons)
        side.addStretch()

    # -- what is shown

    def entered(self) -> None:
        self.log.refresh()
        self._fill_page()

    def _fill_page(self) -> None:
        if self.tabs.name == "Learned":
            self.learned.fill()
        elif self.tabs.name == "Series":
            self.series.fill()
            if self.series.part is not None:
                self.series.point(self.series.part)
        elif self.chosen is None or self.tabs.name == "Jobs":
            self._choose(self.cards.chosen)

    def _reading(self, done: int, of: int) -> None:
        self.told.setText(tr("Reading what is new: {0} of {1} jobs", done, of))

    def _show_rows(self) -> None:
        rows = list(self.log.rows)
        if self.like.isChecked():
            mine = told_of(self.session.job)
            rows.sort(key=lambda r: -likeness(mine, (r.outline, r.materials, r.process)))
        self.cards.show_rows(rows)
        folders = self.log.folders
        if not folders:
            words = tr("No folder is covered yet: add the one in which the shop keeps its jobs.")
        elif not rows:
            words = (
                tr("Nothing holds all of these words.")
                if self.log.words
                else tr("No jobs in these folders yet.")
            )
        else:
            where = folders[0].name if len(folders) == 1 else tr("{} folders", len(folders))
            words = tr("{0} of {1} jobs of {2}", len(rows), len(self.log.every), where)
        self.told.setText(words)
        if self.tabs.name in ("Series", "Learned"):
            self._fill_page()
        self._choose(self.cards.chosen if self.tabs.name != "Series" else self.chosen)
        self.session.answered.emit()

    def _choose(self, row: LogRow | None) -> None:
        self.chosen = row
        self._tell()

    def _tell(self) -> None:
        from bibulon.app.stations.logbook.cards import day_of
        from bibulon.app.stations.logbook.series_page import told

        row = self.chosen
        for key, button in self.buttons.items():
            button.setEnabled(row is not None and (key == "compare" or not row.problem))
        self.title.setText(row.name if row else tr("No job chosen"))
        if row is None:
            self.figures.setText("")
            self.lessons.setText("")
        else:
            words = [f"{day_of(row)} · {row.verdict}"] if not row.problem else [row.problem]
            words += [
                f"{FIGURES[key][0]} {told(key, value, self.session)}"
                for key, value in row.figures.items()
                if key in FIGURES
            ]
            if row in self.series.rows and (why := self.series.why(self.series.rows.index(row))):
                words.append(tr("Out of line: ") + ", ".join(why))
            self.figures.setText("\n".join(words))
            self.lessons.setText("\n".join(row.lessons) or tr("None was written down."))
        beside = row is not None and any(r.path == row.path for r in self.compared)
        self.buttons["compare"].setText(tr("Leave out" if beside else "Compare"))
        self.plan.update()
        self.compare.update()

    def _plan(self, width: float, height: float, theme: Theme) -> Iterator[Item]:
        if self.chosen is not None:
            r = self.chosen
            yield from draw_thumb(r.outline, r.lines, [(x, y) for _, x, y in r.pins], (width, height), theme)

    def _compared(self, width: float, height: float, theme: Theme) -> Iterator[Item]:
        from bibulon.app.stations.logbook.cards import day_of
        from bibulon.app.stations.logbook.series_page import told

        jobs = [
            Compared(r.name, f"{day_of(r)} · {r.verdict}", r.outline, r.lines, [(x, y) for _, x, y in r.pins], r.figures)
            for r in self.compared
        ]  # fmt: skip
        rows = [
            (key, words[:1].upper() + words[1:], lambda v, k=key: told(k, v, self.session))
            for key, (words, _) in FIGURES.items()
        ]
        return draw_compared(jobs, rows, width, theme)

    # -- acts

    def _ask_folder(self) -> None:
        folder = files.folder(self.bench, tr("Folder with jobs"))
        if folder is not None:
            self.log.add(folder)

    def open(self) -> None:
        """Open the job that is chosen."""
        if self.chosen is not None and not self.chosen.problem:
            self.session.opening.emit(self.chosen.path)

    def put_beside(self) -> None:
        """Take the job that is chosen into the comparison, or out of it; the first one goes when there are five."""
        row = self.chosen
        if row is None:
            return
        without = [r for r in self.compared if r.path != row.path]
        self.compared = without if len(without) < len(self.compared) else [*without, row][-MOST:]
        self.session.said.emit(tr("{} jobs stand side by side under Compare.", len(self.compared)), False)
        self._tell()

    def begin_from(self) -> None:
        """Begin a new job from the one that is chosen."""
        row = self.chosen
        if row is None or row.problem:
            return
        mirrored, scale = self.mirror.isChecked(), self.scale.value()
        words = " mirrored" if mirrored else ""
        words += f" × {scale:g}" if scale != 1.0 else ""
        lessons, path = row.lessons, row.path

        def made() -> Job:
            old = load(path).job
            name = f"{old.name}{words or ' again'}"[:120]
            job = anew(old, name, mirrored=mirrored, scale=scale, lessons=lessons)
            make_ready(job.part)
            return job

        self.making.want(made)

    def set_theme(self, theme: Theme) -> None:
        super().set_theme(theme)
        self.cards.set_theme(theme)
        self.plan.set_theme(theme)
        self.compare.set_theme(theme)

    def row(self, job: Job, outlook: Outlook | None) -> RailRow:
        if not self.built or not self.log.read:
            return RailRow("all jobs of the shop", "settled")
        n = len(self.log.every)
        return RailRow(tr("{0} job{1}", n, "s" * (n != 1)), "settled")
