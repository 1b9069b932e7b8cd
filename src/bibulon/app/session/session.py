"""What is open in a window: document, file, forecast, and what belongs to the person and the shop."""

from __future__ import annotations

import getpass
import os
from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import Any
from urllib.parse import quote, unquote_to_bytes

from PySide6.QtCore import QObject, QSettings, QTimer, Signal

from bibulon.app.session.document import Document
from bibulon.app.session.forecaster import Forecaster
from bibulon.app.session.instruments import Instruments
from bibulon.app.session.moments import Moments
from bibulon.app.session.reading import read_ready
from bibulon.app.session.rule_sets import RuleSets
from bibulon.app.session.shelf import Shelf
from bibulon.app.session.shop_air import AIR, with_shop_air
from bibulon.app.session.view_settings import ViewSettings
from bibulon.app.work.ask import Ask
from bibulon.app.work.errands import Errands
from bibulon.core.drawing.kit.field import Contours
from bibulon.core.library.demo import blank_job
from bibulon.core.model.job import Job
from bibulon.core.model.materials import Material
from bibulon.core.outlook.outlook import Outlook
from bibulon.core.run.clock import Clock, RunClock
from bibulon.core.run.journal import Entry, RunState, run_state
from bibulon.core.units.figures import worded
from bibulon.core.units.units import System
from bibulon.core.units.words import tr
from bibulon.devices.clock import SystemClock
from bibulon.store.ahead import Ahead
from bibulon.store.jobfile import JobFileError
from bibulon.store.keeper import Keeper, Leftover, Opened
from bibulon.store.library import LibraryError

__all__ = ["Session"]

RECENT = 8
AUTOSAVE_AFTER_MS = 1500
LOOK_AGAIN_MS = 1000  # at a file that another window writes, and at one that could not be written


class Session(Document):
    """What a window has open: the document, its file, its forecast, and the person's and the shop's own things."""

    job_opened = Signal()  # another job than before: nothing of the last one's answers belongs to it
    outlook_changed = Signal(object)  # Outlook
    journal_changed = Signal()
    file_changed = Signal()
    system_changed = Signal(str)
    library_changed = Signal()
    answered = Signal()  # a station worked something out that its row on the rail tells
    closing = Signal()
    opening = Signal(object)  # a file that somebody wants to open
    seen_changed = Signal()  # of the resin, as a camera or a simulated shop shows it
    beginning = Signal(object)  # a job that somebody wants to begin with

    def __init__(
        self,
        settings: QSettings,
        state_folder: Path,
        parent: QObject | None = None,
        clock: Clock | None = None,
    ) -> None:
        super().__init__(parent)
        self.settings, self.state_folder = settings, state_folder
        self.examples: Path | None = None  # a folder of jobs to look at where nobody has chosen one
        self.keeper = Keeper(state_folder)
        self.run_clock = RunClock(clock or SystemClock())
        self.instruments = Instruments(settings, self.run_clock.clock, self)
        self.seen: Contours | None = None  # when places showed wet; None where nobody watches but the crew
        self.number = 0  # counts the jobs that were opened: what answers for one is dropped in the next
        self.outlook: Outlook | None = None
        self.view = ViewSettings(settings, self)
        self.moments = Moments(self)
        self.saved_at: float | None = None
        self.undo_stack.cleanChanged.connect(self._on_clean)
        self.forecaster = Forecaster(self)
        self.forecaster.ready.connect(self._on_outlook)
        self.forecaster.failed.connect(lambda text: self.said.emit(text, True))
        self._autosave = self._timer(AUTOSAVE_AFTER_MS, self.autosave, once=True)
        self._look = self._timer(LOOK_AGAIN_MS, self._look_at_file, once=False)
        self.errands = Errands(self)
        self.errands.said.connect(self.said)
        self._reads = Ask(self, lambda: self.number)
        self._reads.ready.connect(self._follow)
        self._autosave_trouble = ""
        self.shelf_file = Shelf(self.library_path)
        self.rule_sets = RuleSets(settings)

    def _timer(self, every_ms: int, act: Callable[[], object], *, once: bool) -> QTimer:
        timer = QTimer(self)
        timer.setSingleShot(once)
        timer.setInterval(every_ms)
        timer.timeout.connect(act)
        return timer

    def _on_clean(self, _clean: bool) -> None:
        self.file_changed.emit()

    # -- the document

    def barred(self) -> str:
        """Return why nothing may be edited: somebody else has the file."""
        holder = self.keeper.holder
        if holder is None:
            return ""
        return tr(
            "This window only reads the file; {} has it. “Save as…” makes a copy of your own.", holder.words()
        )

    def _show(self, job: Job) -> None:
        super()._show(job)
        self._autosave.start()
        self.forecaster.request(job)

    def _on_outlook(self, outlook: Outlook) -> None:
        self.outlook = outlook
        self.outlook_changed.emit(outlook)

    # -- units, a matter of the person

    @property
    def system(self) -> System:
        """Return the unit system of this person."""
        return "us" if self.settings.value("units") == "us" else "metric"

    def set_system(self, system: System) -> None:
        """Choose the unit system."""
        self.settings.setValue("units", system)
        self.system_changed.emit(system)

    @property
    def problem(self) -> str:
        """Return what a forecast still needs, in this person's units; empty when there is one."""
        return worded(self.outlook.problem, self.system) if self.outlook else ""

    # -- the library, a matter of the shop

    @property
    def shelf(self) -> dict[str, Material]:
        """Return all materials that can be taken: those shipped, and over them the shop's own."""
        return self.shelf_file.all

    @property
    def own_materials(self) -> dict[str, Material]:
        """Return the shop's own materials."""
        return self.shelf_file.own

    @property
    def library_path(self) -> Path:
        """Return where the shop's own materials are kept."""
        return Path(self.settings.fileName()).parent / "library.json"

    def keep_materials(self, materials: dict[str, Material]) -> bool:
        """Make the shop's own materials these; False, and a message, when they could not be stored."""
        try:
            words = self.shelf_file.keep(materials)
        except (OSError, LibraryError) as error:
            self.said.emit(tr("The library could not be stored: {}", error), True)
            return False
        if words:
            self.said.emit(words, True)
        self.library_changed.emit()
        return True

    # -- files

    @property
    def path(self) -> Path | None:
        """Return the job's own file."""
        return self.keeper.home

    @property
    def journal(self) -> tuple[Entry, ...]:
        """Return every row that was kept of this job's runs, in order."""
        return self.keeper.rows

    @property
    def modified(self) -> bool:
        """Whether there are edits, or rows of a run, that no file with a name holds."""
        return not self.undo_stack.isClean() or self.keeper.unkept > 0

    def _begin(self, job: Job) -> None:
        """Show another job than before; its file is open already."""
        self.number += 1
        self.undo_stack.clear()
        self.moment = 0.0
        self.select(None)
        self.outlook = None
        self.forecaster.forget()
        self.job = job
        self._autosave.stop()
        self._autosave_trouble = ""
        self.saved_at = None
        self.job_opened.emit()
        self.job_changed.emit(job)
        self.journal_changed.emit()
        self.file_changed.emit()
        self.moment_changed.emit(0.0)
        self.forecaster.request(job)

    def _opened(self, opened: Opened) -> None:
        self._begin(opened.job)
        if opened.modified:
            self.undo_stack.resetClean()
        if opened.words:
            self.said.emit(" ".join(opened.words), opened.alarm)
        self._watch()

    def new(self, job: Job | None = None) -> None:
        """Begin a new job."""
        blank = job is None
        job = with_shop_air(self.settings, self.rule_sets.begun(blank_job())) if job is None else job
        self.keeper.begin(job)
        self._begin(job)
        self._watch()
        if blank and self.rule_sets.problem:
            self.said.emit(self.rule_sets.problem, True)

    def set_air(self, air: float) -> bool:
        """Say what today's air is [Pa], for this job and those that begin after it; False where it cannot be."""
        done = self.edit(
            tr("Change today's air"), lambda j: j.replaced(conditions=j.conditions.replaced(atmosphere=air))
        )
        if done:
            self.settings.setValue(AIR, f"{air:.0f}")
        return done

    def open(self, path: Path, ahead: Ahead | None = None) -> bool:
        """Open a job, with what was read of its file ahead; False, and a message, when it cannot be read."""
        try:
            opened = self.keeper.open(path, ahead)
        except JobFileError as error:
            self.said.emit(str(error), True)
            return False
        self._opened(opened)
        if self.path is not None:
            self._remember(self.path)
        return True

    def save(self, path: Path | None = None) -> bool:
        """Save the job, under another name when one is given."""
        try:
            words = self.keeper.save(self.job, path)
        except JobFileError as error:
            self.said.emit(str(error), True)
            return False
        assert self.path is not None
        self.saved_at = self.run_clock.wall()
        self._autosave.stop()
        self.undo_stack.setClean()
        if words:
            self.said.emit(" ".join(words), True)
        self._remember(self.path)
        self._watch()
        self.journal_changed.emit()  # rows that another program had added may have come in
        self.file_changed.emit()
        return True

    def _watch(self) -> None:
        """Look at the file again and again while another window writes it, or while rows wait to go home."""
        self._look.start() if self.keeper.reading or self.keeper.away else self._look.stop()

    def _look_at_file(self) -> None:
        if self.keeper.outdated and self.path is not None:
            # A state between two, that cannot be read, is passed over: the next look finds a whole one.
            if not self._reads.busy:
                self._reads.want(partial(read_ready, self.path))
        elif self.keeper.away and self.keeper.go_home() and self.path is not None:
            self.said.emit(tr("All that happened is in {} again.", self.path.name), False)
            self.journal_changed.emit()
            self.file_changed.emit()
        self._watch()

    def _follow(self, ahead: Ahead) -> None:
        opened = self.keeper.follow(ahead)
        if opened is None:
            return
        job = opened.job
        if job != self.job:
            self.job = job
            self.job_changed.emit(job)
            self.forecaster.request(job)
        self.journal_changed.emit()

    def recent(self) -> list[Path]:
        """Return the jobs last opened or saved that still exist."""
        value: Any = self.settings.value("recent", [])
        told = [value] if isinstance(value, str) else list(value or [])
        paths = [Path(os.fsdecode(unquote_to_bytes(p))) for p in told if isinstance(p, str)]
        return [p for p in paths if p.exists()]

    def _remember(self, path: Path) -> None:
        others = [p for p in self.recent() if p != path]
        self.settings.setValue("recent", [quote(os.fsencode(p)) for p in [path, *others][:RECENT]])
        self.file_changed.emit()

    # -- autosave and recovery

    def autosave(self) -> None:
        """Write the unsaved state aside, for after a crash; what hinders it is told once."""
        if not self.modified or self.keeper.reading:
            return
        try:
            self.keeper.autosave(self.job)
        except JobFileError as error:
            if str(error) != self._autosave_trouble:
                self.said.emit(tr("{} Save the job yourself.", error), True)
            self._autosave_trouble = str(error)
        else:
            self._autosave_trouble = ""

    def leftovers(self) -> list[Leftover]:
        """Return what earlier sessions left without saving, newest first."""
        return self.keeper.leftovers()

    def recover(self, path: Path) -> bool:
        """Take up what an earlier session left; False, and a message, when it cannot be read."""
        try:
            opened = self.keeper.recover(path)
        except JobFileError as error:
            self.said.emit(str(error), True)
            return False
        self._opened(opened)
        return True

    def discard_leftover(self, left: Leftover) -> None:
        """Remove what an earlier session left, for good."""
        try:
            left.discard()
        except OSError as error:
            self.said.emit(tr("It could not be removed: {}.", error.strerror or error), True)

    # -- what happens in the shop

    @property
    def person(self) -> str:
        """Return who works here, as Stack asks it; else who is logged in."""
        return str(self.settings.value("person", getpass.getuser()))

    def run_state(self) -> RunState:
        """Return what the last run has come to."""
        return run_state(self.journal)

    def elapsed(self) -> float:
        """Return seconds into the last run."""
        return self.run_clock.elapsed(self.run_state())

    def stamp(self, entry: Entry) -> bool:
        """Write a journal row at once; False, and a message, when it could not be stored."""
        if not self.log_readings(entry):
            return False
        self.journal_changed.emit()
        self.file_changed.emit()
        return True

    def log_readings(self, entry: Entry) -> bool:
        """Write a row of readings at once, without telling the views that follow what people did."""
        try:
            warning = self.keeper.stamp(entry)
        except JobFileError as error:
            self.said.emit(str(error), True)
            return False
        if warning:
            self.said.emit(warning, True)
        self._watch()
        return True

    def close(self) -> None:
        """Stop the workers and timers, let go of the file, and tell no view any more."""
        self.closing.emit()
        self.undo_stack.blockSignals(True)
        self._autosave.stop()
        self._look.stop()
        self.errands.close()
        self.forecaster.close()
        self.moments.close()
        self.instruments.close()
        self.keeper.end()
