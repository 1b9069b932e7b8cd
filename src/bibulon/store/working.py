"""The working file of a session: autosave, and the second place for rows; and what earlier sessions left of theirs."""

from __future__ import annotations

import contextlib
import hashlib
import os
import sqlite3
import tempfile
from collections.abc import Iterator, Sequence
from pathlib import Path
from urllib.parse import quote, unquote_to_bytes

from msgspec import Struct

from bibulon.core.run.journal import Entry
from bibulon.core.units.words import tr
from bibulon.store import container
from bibulon.store.content import ContainerError, Tag
from bibulon.store.document import Document
from bibulon.store.durable import named, sweep
from bibulon.store.jobfile import JobFileError, load, new_id
from bibulon.store.lock import Held, Lock, take

__all__ = ["TROUBLE", "Leftover", "WorkingFile", "home_of", "leftovers"]

TROUBLE = (OSError, sqlite3.Error, ContainerError)
LEFT = "left-"  # before the name of one that somebody chose to leave


class Leftover(Struct, frozen=True):
    """A working file that a session left: what part, when [Unix time], how many rows, whose it was.

    ``problem`` says why it cannot be read, if so; ``asked`` that somebody has chosen to leave it.
    """

    path: Path
    name: str = ""
    size: tuple[float, float] = (0.0, 0.0)
    when: float = 0.0
    rows: int = 0
    home: str = ""
    problem: str = ""
    asked: bool = False

    def discard(self) -> None:
        """Remove it for good.

        Raises
        ------
        OSError : when it cannot be removed.
        """
        self.path.unlink(missing_ok=True)


def _folders(state_folder: Path) -> Iterator[Path]:
    """Yield where working files stand: the state folder, and where that cannot be written the system's own."""
    yield state_folder / "autosave"
    mark = hashlib.sha256(os.fsencode(os.path.abspath(state_folder))).hexdigest()[:12]
    yield Path(tempfile.gettempdir()) / f"bibulon-{os.getuid()}" / mark


def home_of(tag: Tag) -> Path | None:
    """Return the job file that a working file belongs to, if to one."""
    return Path(os.fsdecode(unquote_to_bytes(tag.home))) if tag.home else None


class WorkingFile:
    """One session's working file; it is made, and locked, when it is first written."""

    def __init__(self, state_folder: Path) -> None:
        self._state_folder = state_folder
        self.path: Path | None = None
        self._lock: Lock | None = None
        self._id = ""
        self._rows: list[str] | None = (
            None  # of the rows that it holds, as last written; None when that is not known
        )

    def take_up(self, path: Path, lock: Lock, identity: str) -> None:
        """Go on with a file that another session left."""
        self.path, self._lock, self._id = path, lock, identity

    def write(self, document: Document, rows: Sequence[Entry], home: Path | None, home_id: str) -> None:
        """Write it whole; in the system's own folder where the state folder cannot be written.

        Raises
        ------
        OSError, sqlite3.Error, ContainerError : when it can be written nowhere.
        """
        tag = self._tag(home, home_id)
        held = [e.uid for e in rows]
        if self.path is not None:
            with contextlib.suppress(*TROUBLE):
                if held == self._rows:  # an autosave between two rows: only what was changed is written
                    container.revise(self.path, document, tag)
                    return
            container.write(self.path, document, rows, tag)
            self._rows = held
            return
        trouble: Exception = OSError(tr("nowhere to write"))
        for folder in _folders(self._state_folder):
            try:
                self._make(folder)
                assert self.path is not None
                container.write(self.path, document, rows, self._tag(home, home_id))
                self._rows = held
                return
            except TROUBLE as error:
                trouble = error
                self.leave()
        raise trouble

    def add(self, rows: Sequence[Entry]) -> bool:
        """Add rows to it; False when it has to be written whole first."""
        if self.path is None or not self.path.exists():
            return False
        self._rows = None
        with contextlib.suppress(*TROUBLE):
            return container.add(self.path, Tag(self._id), rows)
        return False

    def _make(self, folder: Path) -> None:
        folder.mkdir(parents=True, exist_ok=True)
        self._id = new_id()
        place = folder / f"{self._id}.bibulon"
        try:
            self._lock = take(place)
        except Held as error:
            raise ContainerError(str(error)) from error
        self.path = place

    def _tag(self, home: Path | None, home_id: str) -> Tag:
        return Tag(self._id, quote(os.fsencode(home)) if home is not None else "", home_id)

    def leave(self) -> None:
        """Let go of it; what was written stays."""
        if self._lock is not None:
            self._lock.release()
        self.path = self._lock = self._rows = None

    def drop(self) -> None:
        """Remove it: all that it held stands elsewhere."""
        if self.path is not None:
            with contextlib.suppress(OSError):
                self.path.unlink(missing_ok=True)
        self.leave()

    def set_aside(self) -> None:
        """Let go of it under a name that tells that somebody chose to leave it."""
        if self.path is not None and not self.path.name.startswith(LEFT):
            os.replace(self.path, self.path.with_name(f"{LEFT}{self.path.name}"))
        self.leave()


def leftovers(state_folder: Path, mine: Path | None) -> list[Leftover]:
    """Return the working files of sessions that are no more, newest first."""
    found = []
    for folder in _folders(state_folder):
        sweep(folder)
        with contextlib.suppress(OSError):
            found += [
                left for p in folder.glob("*.bibulon") if p != mine and (left := _leftover(p)) is not None
            ]
    return sorted(found, key=lambda x: -x.when)


def _leftover(path: Path) -> Leftover | None:
    """Return what a working file holds; None while its session lives."""
    try:
        lock: Lock | None = take(path)
    except Held:
        return None
    except OSError:
        lock = None
    asked = path.name.startswith(LEFT)
    try:
        when = path.stat().st_mtime
        loaded = load(path)
    except OSError:
        return None
    except JobFileError as error:
        return Leftover(path, when=when, problem=str(error), asked=asked)
    finally:
        if lock is not None:
            lock.release()
    xs, ys = ([getattr(c, a) for c in loaded.job.part.outline] for a in "xy")
    size = (max(xs) - min(xs), max(ys) - min(ys))
    home = home_of(loaded.tag)
    return Leftover(
        path, loaded.job.name, size, when, len(loaded.journal), named(home) if home else "", "", asked
    )
