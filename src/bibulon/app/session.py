"""The open job: its document, undo, file, journal, autosave, and the moment shown."""

from __future__ import annotations

import time
import uuid
from collections.abc import Callable
from pathlib import Path
from typing import Any

from PySide6.QtCore import QObject, QSettings, QTimer, Signal
from PySide6.QtGui import QUndoCommand, QUndoStack

from bibulon.app.forecaster import Forecaster
from bibulon.app.moments import Moments
from bibulon.app.outlook import Outlook
from bibulon.app.view_settings import ViewSettings
from bibulon.core.job.materials import Material
from bibulon.core.job.model import Job
from bibulon.core.library.catalogue import library
from bibulon.core.library.demo import blank_job
from bibulon.core.run.journal import Entry
from bibulon.core.units import System
from bibulon.store.jobfile import JobFileError, append, load, save
from bibulon.store.library import LibraryError, read_library, write_library

__all__ = ["Session"]

RECENT = 8
AUTOSAVE_AFTER_MS = 1500


class _Snapshot(QUndoCommand):
    """One edit: the job before and after.  Edits of one gesture share a key and become one."""

    def __init__(self, session: Session, name: str, new: Job, key: str) -> None:
        super().__init__(name)
        self.session, self.old, self.new, self.key = session, session.job, new, key

    def redo(self) -> None:
        self.session._show(self.new)

    def undo(self) -> None:
        self.session._show(self.old)

    def id(self) -> int:
        return 1 if self.key else -1

    def mergeWith(self, other: QUndoCommand) -> bool:
        if not isinstance(other, _Snapshot) or other.key != self.key:
            return False
        self.new = other.new
        return True


class Session(QObject):
    """The one document of a window.  Views listen; edits go through ``edit``."""

    job_changed = Signal(object)  # Job
    outlook_changed = Signal(object)  # Outlook
    moment_changed = Signal(float)
    selection_changed = Signal(object)  # str | None
    journal_changed = Signal()
    file_changed = Signal()
    system_changed = Signal(str)
    library_changed = Signal()
    closing = Signal()
    said = Signal(str, bool)  # text, whether it is an alarm

    def __init__(self, settings: QSettings, state_folder: Path, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.settings, self.state_folder = settings, state_folder
        self.job = blank_job()
        self.outlook: Outlook | None = None
        self.path: Path | None = None
        self.journal: tuple[Entry, ...] = ()
        self.moment = 0.0
        self.selection: tuple[str, ...] = ()
        self.view = ViewSettings(settings, self)
        self.moments = Moments(self)
        self.saved_at: float | None = None
        self.undo_stack = QUndoStack(self)
        self.undo_stack.cleanChanged.connect(self._on_clean)
        self.forecaster = Forecaster(self)
        self.forecaster.ready.connect(self._on_outlook)
        self.forecaster.failed.connect(lambda text: self.said.emit(text, True))
        self._autosave = QTimer(self)
        self._autosave.setSingleShot(True)
        self._autosave.setInterval(AUTOSAVE_AFTER_MS)
        self._autosave.timeout.connect(self.autosave)
        self._working = self._new_working_file()
        self.own_materials: dict[str, Material] = {}
        self.library_problem = ""
        self._read_library()

    def _on_clean(self, _clean: bool) -> None:
        self.file_changed.emit()

    # -- the document

    def edit(self, name: str, change: Callable[[Job], Job] | Job, key: str = "") -> bool:
        """Make an edit that undo knows by ``name``; False, and a message, when it is refused."""
        try:
            new = change(self.job) if callable(change) else change
        except ValueError as error:  # outlines and validation say what and where
            self.said.emit(_plain(error), True)
            return False
        if new != self.job:
            self.undo_stack.push(_Snapshot(self, name, new, key))
        return True

    def end_gesture(self) -> None:
        """Close the running gesture: the next edit is an undo step of its own."""
        command = self.undo_stack.command(self.undo_stack.count() - 1)
        if isinstance(command, _Snapshot) and command.key:
            command.key = f"{command.key}#{uuid.uuid4().hex}"

    def _show(self, job: Job) -> None:
        self.job = job
        there = {line.id for line in job.lines} | {f"zone:{z.id}" for z in job.part.zones}
        self.set_selection(tuple(t for t in self.selection if t in there))
        self._autosave.start()
        self.job_changed.emit(job)
        self.forecaster.request(job)

    def _on_outlook(self, outlook: Outlook) -> None:
        self.outlook = outlook
        self.outlook_changed.emit(outlook)

    @property
    def selected(self) -> str | None:
        """Return the line chosen, when it is just one."""
        lines = [t for t in self.selection if not t.startswith("zone:")]
        return lines[0] if len(self.selection) == 1 and lines else None

    def select(self, thing: str | None, more: bool = False) -> None:
        """Choose a line or "zone:…", or nothing; with ``more`` add it, or take it off again."""
        if thing is None:
            self.set_selection(())
        elif not more:
            self.set_selection((thing,))
        elif thing in self.selection:
            self.set_selection(tuple(t for t in self.selection if t != thing))
        else:
            self.set_selection((*self.selection, thing))

    def set_selection(self, things: tuple[str, ...]) -> None:
        """Choose several things."""
        if things != self.selection:
            self.selection = things
            self.selection_changed.emit(self.selected)

    def set_moment(self, seconds: float) -> None:
        """Move the hand of the clock."""
        if seconds != self.moment:
            self.moment = seconds
            self.moment_changed.emit(seconds)

    # -- units, a matter of the person

    @property
    def system(self) -> System:
        """Return the unit system of this person."""
        return "us" if self.settings.value("units") == "us" else "metric"

    def set_system(self, system: System) -> None:
        """Choose the unit system."""
        self.settings.setValue("units", system)
        self.system_changed.emit(system)

    # -- the library, a matter of the shop

    @property
    def shelf(self) -> dict[str, Material]:
        """Return all materials that can be taken: those shipped, and over them the shop's own."""
        return {**library(), **self.own_materials}

    @property
    def library_path(self) -> Path:
        """Return where the shop's own materials are kept."""
        return Path(self.settings.fileName()).parent / "library.json"

    def _read_library(self) -> None:
        if not self.library_path.exists():
            return
        try:
            self.own_materials = read_library(self.library_path)
        except LibraryError as error:
            self.library_problem = str(error)

    def keep_materials(self, materials: dict[str, Material]) -> bool:
        """Replace the shop's own materials; False, and a message, when they could not be stored."""
        try:
            self.library_path.parent.mkdir(parents=True, exist_ok=True)
            write_library(materials, self.library_path)
        except OSError as error:
            self.said.emit(f"The library could not be stored: {error}", True)
            return False
        self.own_materials = materials
        self.library_changed.emit()
        return True

    # -- files

    @property
    def modified(self) -> bool:
        """Whether there are edits that the job's own file does not hold."""
        return not self.undo_stack.isClean()

    def _begin(self, job: Job, path: Path | None, journal: tuple[Entry, ...]) -> None:
        self.discard_autosave()
        self._working = self._new_working_file()
        self.path, self.journal = path, journal
        self.undo_stack.clear()
        self.moment = 0.0
        self.select(None)
        self.outlook = None
        self.forecaster.forget()
        self.job = job
        self._autosave.stop()
        self.job_changed.emit(job)
        self.journal_changed.emit()
        self.file_changed.emit()
        self.moment_changed.emit(0.0)
        self.forecaster.request(job)

    def new(self, job: Job | None = None) -> None:
        """Begin a new job."""
        self._begin(job or blank_job(), None, ())

    def open(self, path: Path) -> bool:
        """Open a job; False, and a message, when it cannot be read."""
        try:
            loaded = load(path)
        except JobFileError as error:
            self.said.emit(str(error), True)
            return False
        whole = not loaded.problems
        self._begin(loaded.job, path if whole else None, loaded.journal)
        if not whole:
            self.said.emit(f"Opened as a copy, the file is untouched: {' '.join(loaded.problems)}", True)
            self.undo_stack.resetClean()
        else:
            self._remember(path)
        return True

    def save(self, path: Path | None = None) -> bool:
        """Save the job, under another name when one is given."""
        target = path or self.path
        if target is None:
            return False
        source = self.path if path and self.path else (self._working if self._working.exists() else None)
        try:
            save(self.job, target, source if target != self.path else None)
        except JobFileError as error:
            self.said.emit(str(error), True)
            return False
        self.path, self.saved_at = target, time.time()
        self.undo_stack.setClean()
        self.discard_autosave()
        self._remember(target)
        self.file_changed.emit()
        return True

    def recent(self) -> list[Path]:
        """Return the jobs last opened or saved that still exist."""
        value: Any = self.settings.value("recent", [])
        paths = [value] if isinstance(value, str) else list(value or [])
        return [Path(p) for p in paths if Path(p).exists()]

    def _remember(self, path: Path) -> None:
        path = path.absolute()
        others = [p for p in self.recent() if p != path]
        self.settings.setValue("recent", [str(p) for p in [path, *others][:RECENT]])
        self.file_changed.emit()

    # -- autosave and recovery

    def _new_working_file(self) -> Path:
        return self.state_folder / "autosave" / f"{uuid.uuid4().hex}.bibulon"

    def autosave(self) -> None:
        """Write the unsaved state aside, for after a crash."""
        if not self.modified:
            return
        try:
            self._working.parent.mkdir(parents=True, exist_ok=True)
            save(self.job, self._working)
        except (JobFileError, OSError) as error:
            self.said.emit(f"Autosave failed: {error}", True)

    def discard_autosave(self) -> None:
        """Remove this session's autosave file."""
        self._autosave.stop()
        self._working.unlink(missing_ok=True)

    def leftovers(self) -> list[Path]:
        """Return autosave files of earlier sessions that ended without saving, newest first."""
        folder = self.state_folder / "autosave"
        files = [p for p in folder.glob("*.bibulon") if p != self._working] if folder.exists() else []
        return sorted(files, key=lambda p: -p.stat().st_mtime)

    def recover(self, path: Path) -> bool:
        """Take up what an earlier session left."""
        try:
            loaded = load(path)
        except JobFileError as error:
            self.said.emit(str(error), True)
            return False
        self._begin(loaded.job, None, ())
        self._working = path
        self.journal = loaded.journal
        self.journal_changed.emit()
        self.undo_stack.resetClean()
        self.said.emit("Recovered what was not saved. Save it under a name to keep it.", False)
        return True

    # -- what happens in the shop

    def stamp(self, entry: Entry) -> bool:
        """Write a journal row at once; False, and a message, when it could not be stored."""
        target = self.path
        try:
            if target is None or target.suffix.lower() == ".json":
                target = self._working
                if not target.exists():
                    target.parent.mkdir(parents=True, exist_ok=True)
                    save(self.job, target)
            append(target, entry)
        except (JobFileError, OSError) as error:
            self.said.emit(str(error), True)
            return False
        self.journal = (*self.journal, entry)
        self.journal_changed.emit()
        return True

    def close(self) -> None:
        """Stop the workers and timers, and tell no view any more."""
        self.closing.emit()
        self.undo_stack.blockSignals(True)
        self._autosave.stop()
        self.forecaster.close()
        self.moments.close()


def _plain(error: ValueError) -> str:
    """Return an error as one sentence for people."""
    from pydantic import ValidationError

    from bibulon.store.jobfile import explain

    return explain(error)[0] if isinstance(error, ValidationError) else str(error)
