"""The main window: rail, bench, side, clock, and the acts of the menu."""

from __future__ import annotations

import time
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtGui import QAction, QCloseEvent, QDragEnterEvent, QDropEvent, QKeySequence
from PySide6.QtWidgets import (
    QApplication,
    QFileDialog,
    QHBoxLayout,
    QLabel,
    QMainWindow,
    QMenu,
    QMessageBox,
    QProgressBar,
    QSplitter,
    QStackedWidget,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from bibulon.app.clock_view import ClockView
from bibulon.app.fields import named
from bibulon.app.findings_panel import FindingsPanel
from bibulon.app.outlook import Outlook
from bibulon.app.plan_view import PlanView
from bibulon.app.rail import Rail
from bibulon.app.session import Session
from bibulon.app.stations.base import Station
from bibulon.app.stations.charge import ChargeStation
from bibulon.app.stations.lines import LinesStation
from bibulon.app.stations.part import PartStation
from bibulon.app.stations.prove import ProveStation
from bibulon.app.stations.record import RecordStation
from bibulon.app.stations.shoot import ShootStation
from bibulon.app.stations.stack import StackStation
from bibulon.app.theme import icon, install
from bibulon.core.drawing.plan import Mark
from bibulon.core.drawing.tokens import DAY, NIGHT, Theme
from bibulon.core.findings.base import Finding

__all__ = ["STATIONS", "Window"]

STATIONS: tuple[type[Station], ...] = (
    PartStation,
    StackStation,
    LinesStation,
    ChargeStation,
    ProveStation,
    ShootStation,
    RecordStation,
)
FILES = "Jobs (*.bibulon *.json)"


class Window(QMainWindow):
    """One window, one job."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.theme: Theme = NIGHT if session.settings.value("theme") == "night" else DAY
        self.setMinimumSize(1180, 720)
        self.resize(1280, 800)
        self.setAcceptDrops(True)
        self.stations = [kind(session) for kind in STATIONS]
        self.rail = Rail([s.name for s in self.stations])
        self.rail.chosen.connect(self.go)
        self.clock = ClockView(session)
        self.findings = FindingsPanel(session)
        self.findings.shown.connect(self._show_finding)
        self._build()
        self._acts()
        session.job_changed.connect(lambda _: self._rows())
        session.outlook_changed.connect(self._on_outlook)
        session.journal_changed.connect(self._rows)
        session.file_changed.connect(self._titles)
        session.system_changed.connect(lambda _: self._rows())
        session.said.connect(self.say)
        session.forecaster.progress.connect(self._on_progress)
        session.forecaster.idle.connect(lambda: self.working.setVisible(False))
        self._dressed = self.theme
        self._dress(self.theme)
        self.go(0)
        self._titles()

    # -- building

    def _build(self) -> None:
        central = QWidget()
        down = QVBoxLayout(central)
        down.setContentsMargins(0, 0, 0, 0)
        down.setSpacing(0)
        down.addWidget(self._topbar())
        self.progress = QProgressBar()
        self.progress.setTextVisible(False)
        self.progress.setRange(0, 100)
        self.progress.setFixedHeight(3)
        self.progress.setAccessibleName("Forecast progress")
        across = QHBoxLayout()
        across.setSpacing(0)
        across.addWidget(self.rail)
        self.bench = QStackedWidget()
        self.side = named(QWidget(), "side")
        side = QVBoxLayout(self.side)
        side.setContentsMargins(0, 0, 0, 0)
        side.setSpacing(4)
        for station in self.stations:
            self.bench.addWidget(station.bench)
            side.addWidget(station.side or QWidget())
        side.addWidget(self.findings, 1)
        self._side_layout = side
        self.split = QSplitter(Qt.Orientation.Horizontal)
        self.split.addWidget(self.bench)
        self.split.addWidget(self.side)
        self.split.setStretchFactor(0, 1)
        self.split.setCollapsible(0, False)
        self.split.setSizes([736, 392])
        self.side.setMinimumWidth(392)
        across.addWidget(self.split, 1)
        down.addLayout(across, 1)
        self.message = QLabel("")
        self.message.setWordWrap(True)
        self.message.setContentsMargins(16, 4, 16, 4)
        self.message.setVisible(False)
        self.message.setAccessibleName("Message")
        down.addWidget(self.message)
        down.addWidget(self._progress_row())
        down.addWidget(self.clock)
        self.setCentralWidget(central)

    def _progress_row(self) -> QWidget:
        """The forecast's progress, with a stop beside it."""
        self.working = QWidget()
        row = QHBoxLayout(self.working)
        row.setContentsMargins(16, 2, 12, 2)
        row.addWidget(named(QLabel("finer forecast"), "soft"))
        row.addWidget(self.progress, 1)
        self.stop = named(QToolButton(), "flat")
        self.stop.setText("Stop")
        self.stop.setAccessibleName("Stop the forecast")
        self.stop.clicked.connect(self._stop_forecast)
        row.addWidget(self.stop)
        self.working.setVisible(False)
        return self.working

    def _stop_forecast(self) -> None:
        self.session.forecaster.cancel()
        self.working.setVisible(False)
        self.say("Forecast stopped: what is shown is the coarse answer. Any edit starts it again.", False)

    def _topbar(self) -> QWidget:
        bar = named(QWidget(), "topbar")
        row = QHBoxLayout(bar)
        row.setContentsMargins(16, 6, 12, 6)
        self.title = named(QLabel(""), "title")
        self.subtitle = named(QLabel(""), "soft")
        self.saved = named(QLabel(""), "soft")
        row.addWidget(self.title)
        row.addSpacing(10)
        row.addWidget(self.subtitle)
        row.addStretch()
        row.addWidget(self.saved)
        self.buttons: dict[str, QToolButton] = {}
        for key, name in (
            ("undo", "Undo"),
            ("redo", "Redo"),
            ("units", "Units"),
            ("theme", "Day or night"),
            ("menu", "Job menu"),
        ):
            button = named(QToolButton(), "flat")
            button.setAccessibleName(name)
            button.setToolTip(name)
            self.buttons[key] = button
            row.addWidget(button)
        self.buttons["menu"].setText("Job")
        self.buttons["menu"].setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        return bar

    def _acts(self) -> None:
        menu = QMenu(self)
        s = self.session
        rows = (
            ("New", QKeySequence.StandardKey.New, self.new),
            ("Open…", QKeySequence.StandardKey.Open, self.open),
            ("Save", QKeySequence.StandardKey.Save, self.save),
            ("Save as…", QKeySequence("Ctrl+Shift+S"), self.save_as),
        )
        for text, keys, act in rows:
            action = QAction(text, self)
            action.setShortcut(QKeySequence(keys))
            action.triggered.connect(lambda _=False, a=act: a())
            menu.addAction(action)
            self.addAction(action)
        self.recent_menu = menu.addMenu("Recent")
        self.recent_menu.aboutToShow.connect(self._fill_recent)
        menu.addSeparator()
        leave = QAction("Close", self)
        leave.setShortcut(QKeySequence("Ctrl+Q"))
        leave.triggered.connect(self.close)
        menu.addAction(leave)
        self.addAction(leave)
        self.buttons["menu"].setMenu(menu)
        undo, redo = s.undo_stack.createUndoAction(self, "Undo"), s.undo_stack.createRedoAction(self, "Redo")
        undo.setShortcut(QKeySequence(QKeySequence.StandardKey.Undo))
        redo.setShortcuts([QKeySequence("Ctrl+Shift+Z"), QKeySequence("Ctrl+Y")])
        for key, action in (("undo", undo), ("redo", redo)):
            self.addAction(action)
            self.buttons[key].clicked.connect(action.trigger)
        s.undo_stack.indexChanged.connect(self._show_undo)
        self._show_undo()
        self.buttons["theme"].clicked.connect(lambda: self.set_theme(DAY if self.theme is NIGHT else NIGHT))
        self.buttons["units"].clicked.connect(lambda: s.set_system("metric" if s.system == "us" else "us"))
        for k in range(len(self.stations)):
            action = QAction(self)
            action.setShortcut(QKeySequence(f"Alt+{k + 1}"))
            action.triggered.connect(lambda _=False, i=k: self.go(i))
            self.addAction(action)

    # -- showing

    def _show_undo(self, _index: int = 0) -> None:
        stack = self.session.undo_stack
        for key, can, text in (
            ("undo", stack.canUndo(), stack.undoText()),
            ("redo", stack.canRedo(), stack.redoText()),
        ):
            self.buttons[key].setEnabled(can)
            self.buttons[key].setToolTip(f"{key.capitalize()} {text}".strip())

    def set_theme(self, theme: Theme) -> None:
        """Choose day or night."""
        self.theme = theme
        self.session.settings.setValue("theme", theme.name)
        self._dress(theme)

    def _dress(self, theme: Theme) -> None:
        """Put everything into a theme; the board's station is dark whatever the person chose."""
        self._dressed = theme
        app = QApplication.instance()
        if isinstance(app, QApplication):
            install(app, theme)
        self.rail.set_theme(theme)
        self.clock.set_theme(theme)
        self.findings.set_theme(theme)
        for station in self.stations:
            station.set_theme(theme)
        for key, name in (
            ("undo", "undo-2"),
            ("redo", "redo-2"),
            ("theme", "sun" if theme is NIGHT else "moon"),
        ):
            self.buttons[key].setIcon(icon(name, theme.ink))
        self._rows()

    def go(self, index: int) -> None:
        """Go to a station."""
        station = self.stations[index]
        self.current = index
        self.bench.setCurrentIndex(index)
        self._share_side(station)
        wanted = NIGHT if station.full else self.theme
        if wanted is not self._dressed:
            self._dress(wanted)
        self.side.setVisible(not station.full)
        self.clock.setVisible(station.name in {"Lines", "Shoot"})
        self.rail.set_current(index)
        station.bench.setFocus()
        station.entered()

    def _share_side(self, station: Station) -> None:
        """Show one side panel; tables take a share of the height, other panels just what they need."""
        for k, other in enumerate(self.stations):
            if other.side is not None:
                other.side.setVisible(other is station)
            self._side_layout.setStretch(k, other.side_share if other is station else 0)
        self._side_layout.setStretch(self._side_layout.count() - 1, max(10 - station.side_share, 1))

    def station(self, name: str) -> Station:
        """Return a station by its name."""
        return next(s for s in self.stations if s.name == name)

    def _rows(self) -> None:
        for row, station in zip(self.rail.rows, self.stations, strict=True):
            row.set(station.row(self.session.job, self.session.outlook))
        self.buttons["units"].setText("US units" if self.session.system == "us" else "metric")
        self._titles()

    def _on_outlook(self, outlook: Outlook) -> None:
        self._rows()
        self._place_marks()

    def _on_progress(self, share: float) -> None:
        self.working.setVisible(True)
        self.progress.setValue(round(share * 100))

    def _titles(self) -> None:
        s = self.session
        self.title.setText(s.job.name)
        words = [
            s.job.process,
            f"mould {s.job.mould}" if s.job.mould else "",
            f"rules: {s.job.rules.name.lower()}",
        ]
        self.subtitle.setText(" · ".join(w for w in words if w))
        if s.path is None:
            saved = "not saved yet"
        else:
            saved = (
                "changed"
                if s.modified
                else (
                    f"saved {time.strftime('%H:%M', time.localtime(s.saved_at))}" if s.saved_at else "saved"
                )
            )
        self.saved.setText(saved)
        self.setWindowTitle(f"{s.job.name} · Bibulon")

    def say(self, text: str, alarm: bool) -> None:
        """Show a message above the clock; the next act replaces it."""
        t = self._dressed
        self.message.setStyleSheet(
            f"background: {t.alarm_ground if alarm else t.raised}; color: {t.alarm if alarm else t.ink};"
        )
        self.message.setText(text)
        self.message.setVisible(bool(text))

    def _show_finding(self, finding: Finding | None) -> None:
        if finding is None:
            return
        names = [s.name for s in self.stations]
        if finding.station in names and names.index(finding.station) != self.current:
            self.go(names.index(finding.station))
        if finding.time is not None:
            self.session.set_moment(finding.time)
        self._place_marks()

    def _place_marks(self) -> None:
        marks = tuple(
            Mark(place, "finding", str(number))
            for number, finding in enumerate(self.findings.findings, start=1)
            for place in finding.places[:1]
            if finding.weight != "note" or finding.key == self.findings.open_key
        )
        station = self.station("Lines")
        for plan in station.bench.findChildren(PlanView):
            plan.marks = marks
            plan.update()

    # -- files

    def _may_leave(self) -> bool:
        """Ask about unsaved edits; False when the person stays."""
        if not self.session.modified:
            return True
        box = QMessageBox(self)
        box.setWindowTitle("Unsaved changes")
        box.setText(f"“{self.session.job.name}” has changes that are not saved.")
        keep = box.addButton("Save", QMessageBox.ButtonRole.AcceptRole)
        drop = box.addButton("Discard changes", QMessageBox.ButtonRole.DestructiveRole)
        box.addButton("Stay", QMessageBox.ButtonRole.RejectRole)
        box.exec()
        if box.clickedButton() is keep:
            return self.save()
        return box.clickedButton() is drop

    def new(self) -> None:
        """Begin a new job."""
        if self._may_leave():
            self.session.new()
            self.go(0)

    def open(self, path: Path | None = None) -> None:
        """Open a job, asking which when no path is given."""
        if not self._may_leave():
            return
        if path is None:
            name, _ = QFileDialog.getOpenFileName(self, "Open job", "", FILES)
            path = Path(name) if name else None
        if path is not None:
            self.say("", False)
            self.session.open(path)

    def save(self) -> bool:
        """Save, asking where when the job has no file yet."""
        return self.save_as() if self.session.path is None else self.session.save()

    def save_as(self) -> bool:
        """Save under another name."""
        name, _ = QFileDialog.getSaveFileName(self, "Save job as", f"{self.session.job.name}.bibulon", FILES)
        if not name:
            return False
        path = Path(name)
        return self.session.save(path if path.suffix else path.with_suffix(".bibulon"))

    def _fill_recent(self) -> None:
        self.recent_menu.clear()
        for path in self.session.recent():
            action = self.recent_menu.addAction(f"{path.stem}   {path.parent}")
            action.triggered.connect(lambda _=False, p=path: self.open(p))
        if self.recent_menu.isEmpty():
            self.recent_menu.addAction("No jobs yet").setEnabled(False)

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if event.mimeData().hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        for url in event.mimeData().urls()[:1]:
            path = Path(url.toLocalFile())
            prove = self.station("Prove")
            if path.suffix.lower() in {".csv", ".txt", ".tsv"} and hasattr(prove, "load_log"):
                prove.load_log(path)
            else:
                self.open(path)

    def closeEvent(self, event: QCloseEvent) -> None:
        if not self._may_leave():
            event.ignore()
            return
        self.session.discard_autosave()
        self.session.close()
        event.accept()
