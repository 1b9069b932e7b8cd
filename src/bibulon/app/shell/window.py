"""The main window: rail, bench, side, clock, and the acts of the menu."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial

from PySide6.QtCore import Qt
from PySide6.QtGui import QCloseEvent
from PySide6.QtWidgets import QHBoxLayout, QSplitter, QVBoxLayout, QWidget

from bibulon.app.kit import files, text_size
from bibulon.app.kit.acts import Act, install_acts, install_keys
from bibulon.app.kit.fields import remember_sizes, show_fields_in
from bibulon.app.kit.tabs import Tabs
from bibulon.app.kit.theme import install
from bibulon.app.plan.cut_view import CutView
from bibulon.app.plan.selection_acts import selection_acts
from bibulon.app.plan.view import PlanView
from bibulon.app.session.rehearsal import Rehearsal
from bibulon.app.session.session import Session
from bibulon.app.shell.begin import BeginPanel
from bibulon.app.shell.clock_view import ClockPanel
from bibulon.app.shell.desk_acts import desk_acts
from bibulon.app.shell.dressing import dim_frame
from bibulon.app.shell.findings_panel import FindingsPanel
from bibulon.app.shell.first_job import FirstJob
from bibulon.app.shell.help_panel import HelpPanel
from bibulon.app.shell.here_acts import asked_acts, here_acts
from bibulon.app.shell.menu import job_menu
from bibulon.app.shell.messages import ForecastProgress, MessageLine
from bibulon.app.shell.mishaps import MishapsPanel
from bibulon.app.shell.palette import Palette, ShortcutSheet
from bibulon.app.shell.plan_acts import PlanActs
from bibulon.app.shell.practice import rehearsal_acts
from bibulon.app.shell.rail import Rail, keys_of, slots_of
from bibulon.app.shell.rehearsal_bar import RehearsalBar
from bibulon.app.shell.side import Side
from bibulon.app.shell.stage import Stage
from bibulon.app.shell.topbar import TopBar
from bibulon.app.shell.ways_in import begin_by
from bibulon.app.shell.window_files import WindowFiles
from bibulon.app.stations.base import Station
from bibulon.app.stations.registry import STATIONS
from bibulon.app.work.ask import drop_all, end_all
from bibulon.core.drawing.kit.look import Mark
from bibulon.core.drawing.kit.tokens import DAY, NIGHT, THEMES, Theme
from bibulon.core.findings.base import Finding
from bibulon.core.outlook.outlook import Outlook
from bibulon.core.units.words import tr

__all__ = ["Window"]


class Window(WindowFiles):
    """One window, one job."""

    bench: Stage

    def __init__(self, session: Session, kinds: Sequence[type[Station]] = STATIONS) -> None:
        super().__init__()
        self.session = session
        files.keep_in(session.settings)
        self.theme: Theme = THEMES.get(str(session.settings.value("theme")), DAY)
        session.closing.connect(lambda: end_all(self, session))
        session.job_opened.connect(lambda: drop_all(self, session))
        session.job_opened.connect(lambda: files.used(session.path) if session.path else None)
        self.setMinimumSize(1180, 720)
        self.resize(1280, 800)
        self.setAcceptDrops(True)
        self.current = 0
        self.stations = [kind(session) for kind in kinds]
        numbers = {k: n for n, places in enumerate(slots_of(self.stations), 1) for k in places}
        self.rail = Rail([(s.name, numbers[k]) for k, s in enumerate(self.stations)])
        self.rail.chosen.connect(self.go)
        self.clock_panel = ClockPanel(session)
        self.clock = self.clock_panel.view
        self.findings = FindingsPanel(session, self.stations[self.current].name)
        self.findings.shown.connect(self._show_finding)
        self.findings.hovered.connect(self._light)
        self.findings.wanted.connect(self.go_to)
        self._lit: Finding | None = None
        self.rehearsal = Rehearsal(session)
        self._build()
        self.plan_acts = PlanActs(self)
        self._acts()
        session.job_changed.connect(lambda _: self._rows())
        session.outlook_changed.connect(self._on_outlook)
        session.journal_changed.connect(self._rows)
        session.answered.connect(self._rows)
        session.file_changed.connect(self._titles)
        session.system_changed.connect(lambda system: show_fields_in(self, system))
        session.system_changed.connect(lambda _: self._rows())
        session.said.connect(self.say)
        session.opening.connect(self.open)
        session.beginning.connect(self.begin)
        session.forecaster.progress.connect(self.working.show_share)
        session.forecaster.idle.connect(lambda: self.working.setVisible(False))
        self._dress(self.theme)
        self.go(0)
        self._titles()
        if session.shelf_file.problem:
            self.say(session.shelf_file.problem, True)

    # -- building

    def _build(self) -> None:
        central = QWidget()
        down = QVBoxLayout(central)
        down.setContentsMargins(0, 0, 0, 0)
        down.setSpacing(0)
        self.topbar = TopBar(self.session)
        self.buttons, self.title, self.saved = self.topbar.buttons, self.topbar.title, self.topbar.saved
        down.addWidget(self.topbar)
        self.practice = RehearsalBar(self.rehearsal, self)
        down.addWidget(self.practice)
        self.first = FirstJob(self.session)
        self.first.wanted.connect(self.go_to)
        self.first.turned.connect(self.findings.set_led)
        down.addWidget(self.first)
        across = QHBoxLayout()
        across.setSpacing(0)
        across.addWidget(self.rail)
        self.side = Side(self.findings)
        self.bench = Stage(self.side)
        self.split = QSplitter(Qt.Orientation.Horizontal)
        self.split.addWidget(self.bench)
        self.split.addWidget(self.side)
        self.split.setStretchFactor(0, 1)
        self.split.setCollapsible(0, False)
        self.split.setSizes([736, 392])
        remember_sizes(self.split, self.session.settings, "view/side")
        across.addWidget(self.split, 1)
        down.addLayout(across, 1)
        self.message = MessageLine()
        self.session.job_opened.connect(self.message.let_go)
        down.addWidget(self.message)
        self.working = ForecastProgress()
        self.working.stopped.connect(self._stop_forecast)
        self.progress, self.stop = self.working.bar, self.working.stop
        self.topbar.hold(self.working)  # there it moves nothing when it comes and goes
        down.addWidget(self.clock_panel)
        self.setCentralWidget(central)
        self.palette_panel = Palette(
            self, self._listed, lambda text: asked_acts(self.stations, text, self.go)
        )
        self.ways = BeginPanel(self, self.first.turn)
        self.ways.chosen.connect(lambda kind: begin_by(self, kind))
        self.mishaps = MishapsPanel(
            self, lambda: self.stations[self.current].name, lambda: self.findings.findings, lambda: self.session.system
        )  # fmt: skip
        self.mishaps.chosen.connect(self.findings.choose)
        self.sheet = ShortcutSheet(self, lambda: self.acts)
        self.help = HelpPanel(self, lambda: self.stations[self.current].name, self.sheet.open)

    def _listed(self) -> list[Act]:
        """Return all that can be done now: the window's acts, and what the page that is open has buttons for."""
        return [*self.acts, *here_acts(self.stations[self.current], self.side)]

    def show_ways(self) -> None:
        """Show how a job can begin."""
        self.ways.show_ways(self.first.on)

    def ask_act(self, words: str) -> None:
        """Open the list of acts with words typed."""
        self.palette_panel.open()
        self.palette_panel.field.setText(words)

    def _stop_forecast(self) -> None:
        self.session.forecaster.cancel()
        self.working.setVisible(False)
        self.say(tr("Forecast stopped: what is shown is the coarse answer. Any edit starts it again."), False)

    def _acts(self) -> None:
        """Make the acts of menu, keys and palette from one table."""
        s = self.session
        self.side_folded = s.settings.value("view/side_folded") == "yes"
        self.clock_folded = s.settings.value("view/clock_folded") == "yes"
        undo = s.undo_stack
        self.acts: list[Act] = [
            Act("Job", "New", self.new, ("Ctrl+N",)),
            Act("Job", "Begin…", self.show_ways),
            Act("Job", "First job: lead me through, or leave me", lambda: self.first.turn(not self.first.on)),
            Act("Job", "Open…", self.open, ("Ctrl+O",)),
            Act("Job", "Save", self.save, ("Ctrl+S",)),
            Act("Job", "Save as…", self.save_as, ("Ctrl+Shift+S",)),
            Act("Job", "Left without saving…", lambda: self.offer_leftovers(True)),
            Act("Job", "Close", self.close, ("Ctrl+Q",)),
            Act("Edit", "Undo", undo.undo, ("Ctrl+Z",), undo.canUndo),
            Act("Edit", "Redo", undo.redo, ("Ctrl+Shift+Z", "Ctrl+Y"), undo.canRedo),
            *selection_acts(s, lambda: self.plan_acts.plan is not None),
            *self.plan_acts.acts(),
            *rehearsal_acts(self),
            *desk_acts(self),
            Act("Clock", "Play or stop", lambda: self.clock.play(not self.clock.playing), ("Ctrl+Space",)),
            Act("Clock", "Next event", self.clock.next_event, ("Ctrl+E",)),
            Act("Clock", "All wet", self.clock.go_to_end, ("Ctrl+End",)),
            Act("View", "Fold side panel", self.fold_side, ("Ctrl+B",)),
            Act("View", "Fold clock", self.fold_clock, ("Ctrl+Shift+K",)),
            Act("View", "Day or night", self.turn_theme, ("Ctrl+T",)),
            Act("View", "Metric or US units", self.turn_units, ("Ctrl+Shift+U",)),
            Act("View", "Larger text", lambda: self.size_text(1), ()),
            Act("View", "Smaller text", lambda: self.size_text(-1), ()),
            Act("View", "Find an act", self.palette_panel.open, ("Ctrl+K", "Ctrl+P")),
            Act("View", "Guide", self.help.open, ("F1",)),
            Act("View", "What can go wrong here?", self.mishaps.open, ("Shift+F1",)),
            Act("View", "Keys", self.sheet.open, ("Ctrl+F1",)),
        ]
        for number, places in enumerate(slots_of(self.stations), 1):
            names = " or ".join(self.stations[k].name for k in places)
            self.acts.append(
                Act("Stations", tr("Go to {}", names), partial(self._go_to_one, places), keys_of(number))
            )
        self.actions_by_title = install_acts(self, self.acts)
        drawings = [act.title for act in self.plan_acts.drawings()]
        menu, self.recent_menu = job_menu(self, self.actions_by_title, drawings, self._fill_recent)
        self.buttons["menu"].setMenu(menu)
        for key, act in (
            ("undo", undo.undo), ("redo", undo.redo), ("theme", self.turn_theme), ("units", self.turn_units),
            ("find", self.palette_panel.open), ("fold", self.fold_side), ("rules", self.actions_by_title["Shop rules…"].trigger),
        ):  # fmt: skip
            self.buttons[key].clicked.connect(lambda _=False, a=act: a())

    def _build_station(self, station: Station) -> None:
        """Make a station's widgets and give them their places, theme and keys."""
        station.build()
        self.bench.take_in(station)
        if isinstance(station.bench, Tabs):
            station.bench.shown.connect(lambda _: self._share_side(station))
            station.bench.made.connect(lambda page: self._take_page(station, page))
        self._take_page(station, station.bench)

    def build_one(self) -> bool:
        """Make the widgets of a station that stands for the job and has none yet; tell whether there was one."""
        waiting = [s for s in self.stations if not s.built and s.stands(self.session.job)]
        for station in waiting[:1]:
            self._build_station(station)
        return bool(waiting)

    def _take_page(self, station: Station, page: QWidget) -> None:
        """Give what was just made of a station its place at the side, its theme, and the keys of its plans."""
        if page is not station.bench:
            self.bench.dress(station, page, self.theme)
        for plan in page.findChildren(PlanView):
            if plan.editable:
                plan.menu_acts = self.plan_acts.context_menu
                install_keys(plan, "plan", self.acts)
        self._place_marks()

    def turn_theme(self) -> None:
        """From day to night, or back."""
        self.set_theme(DAY if self.theme is NIGHT else NIGHT)

    def size_text(self, steps: int) -> None:
        """Choose larger or smaller text, for the next start."""
        size = text_size.other(self.session.settings, steps)
        self.say(tr("Text and drawings at {} % from the next start on.", size), False)

    def turn_units(self) -> None:
        """From metric to US units, or back."""
        self.session.set_system("metric" if self.session.system == "us" else "us")

    def fold_side(self) -> None:
        """Fold the side panel away, or bring it back."""
        self.side_folded = not self.side_folded
        self.session.settings.setValue("view/side_folded", "yes" if self.side_folded else "no")
        self.side.setVisible(not self.side_folded and not self.stations[self.current].full)

    def fold_clock(self) -> None:
        """Fold the clock away, or bring it back."""
        self.clock_folded = not self.clock_folded
        self.session.settings.setValue("view/clock_folded", "yes" if self.clock_folded else "no")
        self.clock_panel.setVisible(not self.clock_folded and self.stations[self.current].clock)

    # -- showing

    def set_theme(self, theme: Theme) -> None:
        """Choose day or night."""
        self.theme = theme
        self.session.settings.setValue("theme", theme.name)
        self._dress(theme)

    def _dress(self, theme: Theme) -> None:
        """Put everything into a theme; the board's station is dark by day too."""
        install(theme)
        shown = self.stations[self.current]
        self.findings.set_theme(theme)
        if shown.built:
            self.bench.wear(shown, theme)
        self._dim_frame(self.stations[self.current].full)
        for over in (self.ways, self.mishaps):
            over.set_theme(theme)
        self._rows()

    def _dim_frame(self, full: bool) -> None:
        own = (self.topbar, self.clock_panel, self.rail)
        self._dressed = dim_frame((*own, self.practice, self.first), (*own, self.message), self.theme, full)

    def go(self, index: int) -> None:
        """Go to a station."""
        station = self.stations[index]
        self.message.let_go()
        self.current = index
        self.findings.set_here(station.name)
        if not station.built:
            self._build_station(station)
        self.bench.wear(station, self.theme)
        self._dim_frame(station.full)
        self.bench.setCurrentWidget(station.bench)
        self._share_side(station)
        self.side.setVisible(not station.full and not self.side_folded)
        self.clock_panel.setVisible(station.clock and not self.clock_folded)
        self.rail.set_current(index)
        station.bench.setFocus()
        station.entered()

    def _go_to_one(self, places: list[int]) -> None:
        """Go to that of some stations which stands for the job."""
        job = self.session.job
        self.go(next((k for k in places if self.stations[k].stands(job)), places[0]))

    def _share_side(self, station: Station) -> None:
        """Show the side panel of the page that is open."""
        if station is self.stations[self.current]:
            self.side.show_side(station)

    def go_to(self, name: str) -> None:
        """Go to a station by its name."""
        self.go([s.name for s in self.stations].index(name))

    def _built(self) -> list[Station]:
        """Return the stations that were shown so far."""
        return [s for s in self.stations if s.built]

    def station(self, name: str) -> Station:
        """Return a station by its name, with its widgets."""
        station = next(s for s in self.stations if s.name == name)
        if not station.built:
            self._build_station(station)
        return station

    def _rows(self) -> None:
        job = self.session.job
        for row, station in zip(self.rail.rows, self.stations, strict=True):
            row.setVisible(station.stands(job))
            row.set(station.standing(job, self.session.outlook))
        if not self.stations[self.current].stands(job):
            self._go_to_one(next(s for s in slots_of(self.stations) if self.current in s))
        self._titles()

    def _on_outlook(self, outlook: Outlook) -> None:
        self._rows()
        self._place_marks()

    def _titles(self) -> None:
        self.topbar.show_job()
        self.setWindowTitle(tr("{} · Bibulon", self.session.job.name))

    def say(self, text: str, alarm: bool) -> None:
        """Show a message above the clock."""
        self.message.say(text, alarm, self._dressed, self.session.system)

    def _show_finding(self, finding: Finding | None) -> None:
        if finding is None:
            return
        if finding.station in {s.name for s in self.stations} - {self.stations[self.current].name}:
            self.go_to(finding.station)
        if finding.time is not None:
            self.session.set_moment(finding.time)
        self._place_marks()

    def _light(self, finding: Finding | None) -> None:
        """Light the place of a finding that is looked at on plan, cut and clock."""
        self._lit = finding
        self.clock.light(finding.time if finding else None)
        for station in self._built():
            for cut in station.bench.findChildren(CutView):
                cut.light(finding.places[0] if finding and finding.places else None)
        self._place_marks()

    def _place_marks(self) -> None:
        lit = self._lit.key if self._lit else ""
        marks = tuple(
            Mark(place, "lit" if finding.key == lit else "finding", str(number))
            for number, finding in enumerate(self.findings.findings, start=1)
            for place in finding.places[:1]
            if finding.weight != "note" or finding.key in {self.findings.open_key, lit}
        )
        for station in self._built():
            for plan in station.bench.findChildren(PlanView) if station.marked else ():
                plan.marks = marks
                plan.update()

    def closeEvent(self, event: QCloseEvent) -> None:
        if not self._may_leave():
            event.ignore()
            return
        self.session.close()
        event.accept()
