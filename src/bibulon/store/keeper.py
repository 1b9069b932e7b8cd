"""The owner of the job that is open: its file, the rows of its runs, its working file, and who else has it.

Every row that was acknowledged is on disk in at least one place: the job's own file, or the working file in
the state folder ("the second place").  Rows that are not in the job's own file are ``away`` and go home as
soon as that can be written again.
"""

from __future__ import annotations

import contextlib
import os
from collections.abc import Sequence
from pathlib import Path

from msgspec.structs import replace

from bibulon.core.model.job import Job
from bibulon.core.run.journal import Entry
from bibulon.core.units.words import tr
from bibulon.store import container
from bibulon.store.ahead import Ahead, read_ahead
from bibulon.store.container_read import read
from bibulon.store.content import NOBODY
from bibulon.store.document import document_of
from bibulon.store.durable import named, sweep
from bibulon.store.home import (
    Opened,
    given_identity,
    lock_of,
    merged,
    signature,
    why_not_home,
    with_ids,
)
from bibulon.store.jobfile import JobFileError, Loaded, load, new_id, why
from bibulon.store.lock import Held, take
from bibulon.store.saving import NOTHING, Saving
from bibulon.store.working import TROUBLE, Leftover, home_of, leftovers

__all__ = ["Keeper", "Leftover", "Opened"]


class Keeper(Saving):
    """What is open is kept here, without a window: each act either is done on disk or raises."""

    # -- what is open

    @property
    def unkept(self) -> int:
        """How many rows are in no file that has a name."""
        return 0 if self.reading else len(self.rows if self.home is None else self.away)

    @property
    def working(self) -> Path | None:
        """Return the working file, once there is one."""
        return self._work.path

    def begin(self, job: Job, rows: Sequence[Entry] = ()) -> None:
        """Begin with a job that has no file."""
        self.end()
        self._text = document_of(job)
        self.rows = with_ids(rows)

    def _forget(self) -> None:
        if self._lock is not None:
            self._lock.release()
        self.home, self.rows, self.away, self.holder = None, (), (), None
        self._tag, self._lock, self._document, self._seen = NOBODY, None, NOTHING, None
        self._work.leave()

    def open(self, path: Path, ahead: Ahead | None = None) -> Opened:
        """Open a file, as read ``ahead`` while it is the same; one that somebody has to read, one that is damaged as a copy.

        Raises
        ------
        JobFileError : when it cannot be read; what was open stays open.
        """
        path = Path(os.path.abspath(path))
        mine = self._lock is not None and self._same_home(path)
        lock, holder, words = (self._lock, None, ()) if mine else lock_of(path)
        try:
            if ahead is None or not ahead.still(path):
                ahead = read_ahead(path)
        except JobFileError:
            if lock is not None and not mine:
                lock.release()
            raise
        loaded = ahead.loaded
        if loaded.problems:
            if lock is not None and not mine:
                lock.release()
            return self._open_copy(path, loaded)
        sweep(path.parent)
        if mine:
            self._lock = None  # it goes on with the same file
        self.end()
        self.home, self._lock, self.holder = path, lock, holder
        self._take(ahead)
        words += (loaded.note,) if loaded.note else ()
        return Opened(loaded.job, words, alarm=bool(words))

    def _take(self, ahead: Ahead) -> None:
        """Take over what was read from the home file."""
        loaded = ahead.loaded
        self.rows, self._tag, self._seen = loaded.journal, loaded.tag, ahead.seen
        self._text = self._document = document_of(loaded.job)

    def _open_copy(self, path: Path, loaded: Loaded) -> Opened:
        self.end()
        self._text, self.rows = document_of(loaded.job), with_ids(loaded.journal)
        words = [tr("Opened as a copy, {0} is untouched: {1}", named(path), " ".join(loaded.problems))]
        if self.rows:
            try:
                self._write_working()
            except TROUBLE as error:
                words.append(tr("The copy's rows are not kept elsewhere yet: {}.", why(error)))
        return Opened(loaded.job, tuple(words), alarm=True, modified=True)

    @property
    def outdated(self) -> bool:
        """Whether the file that is only read has changed since it was."""
        return self.reading and signature(self.home) not in (None, self._seen)

    def follow(self, ahead: Ahead) -> Opened | None:
        """Take over what the file that is only read holds by now; None when it is damaged, or another's."""
        if not self.reading or ahead.path != self.home or ahead.loaded.problems:
            return None
        self._take(ahead)
        return Opened(ahead.loaded.job)

    # -- rows

    def stamp(self, entry: Entry) -> str:
        """Keep a row; on return it is on disk.  Returns a warning when it is in the second place only.

        Raises
        ------
        JobFileError : when it could not be written anywhere, or the file is only read here.
        """
        if self.reading:
            raise JobFileError(tr("“{}” was not stored: this window only reads the file.", entry.kind))
        entry = replace(entry, uid=entry.uid or new_id())
        trouble = ""
        if self.home is not None:
            try:
                self._add_home((entry,))
                self.rows, self.away = (*self.rows, entry), ()
                return ""
            except (*TROUBLE, JobFileError) as error:
                trouble = why_not_home(self.home, error)
        try:
            self._add_working(entry)
        except TROUBLE as error:
            raise JobFileError(tr("“{0}” could not be stored: {1}.", entry.kind, why(error))) from error
        self.rows = (*self.rows, entry)
        if self.home is None:
            return ""
        self.away = (*self.away, entry)
        return tr(
            "{} What happens is kept in a second place and written there as soon as it can be.", trouble
        )

    def _add_home(self, new: Sequence[Entry] = ()) -> None:
        """Write ``new``, and the rows that are away before them, into the job's own file."""
        assert self.home is not None
        if not self._tag.id:
            self._tag = given_identity(self.home, self._document)
        there = len(self.rows) - len(self.away)
        if not container.add(self.home, self._tag, (*self.away, *new), there):
            # An older copy was put in its place, or rows came from elsewhere: both hold all afterwards.
            container.add(self.home, self._tag, [*self.rows, *new])
            mine = {e.uid for e in new}
            self.rows = merged(self.rows, [e for e in read(self.home).rows if e.uid not in mine])
        self._seen = signature(self.home)

    def go_home(self) -> bool:
        """Try to write rows that are in the second place into the job's own file; True when all are there."""
        if self.home is None or not self.away or self.reading:
            return not self.away
        try:
            self._add_home()
        except (*TROUBLE, JobFileError):
            return False
        self.away = ()
        self._work.drop()
        return True

    # -- the working file: autosave, and the second place for rows

    def autosave(self, job: Job) -> None:
        """Write the unsaved state aside, for after a crash.

        Raises
        ------
        JobFileError : when it cannot be written.
        """
        self._text = document_of(job)
        try:
            self._write_working()
        except TROUBLE as error:
            raise JobFileError(tr("Autosave failed: {}.", why(error))) from error

    def _write_working(self, new: Sequence[Entry] = ()) -> None:
        """Write the working file whole: with every row, unless the job's own file has them all."""
        whole = self.home is None or self.away or new
        self.rows = with_ids(self.rows)
        rows = [*self.rows, *new] if whole else ()
        self._work.write(self._text, rows, self.home, self._tag.id)

    def _add_working(self, entry: Entry) -> None:
        whole = self.home is None or self.away  # whether what stands there has every row so far
        if not (whole and self._work.add([*self.away, entry])):
            self._write_working((entry,))

    def end(self) -> None:
        """Let go of what is open; a record that has no file of its own stays where it can be taken up again."""
        if self.unkept:
            with contextlib.suppress(*TROUBLE):
                self._write_working()
                self._work.set_aside()
        else:
            self._work.drop()
        self._forget()

    # -- what earlier sessions left

    def leftovers(self) -> list[Leftover]:
        """Return the working files of sessions that are no more, newest first."""
        return leftovers(self.state_folder, self._work.path)

    def recover(self, path: Path) -> Opened:
        """Take up what a session left: its job, its rows, and its own file where that is still the same.

        Raises
        ------
        JobFileError : when it cannot be read; it stays where it is.
        """
        try:
            working_lock = take(path)
        except (Held, OSError) as error:
            raise JobFileError(str(error)) from error
        try:
            left = load(path)
        except JobFileError:
            working_lock.release()
            raise
        self.end()
        words = [tr("Taken up what was not saved.")]
        self._work.take_up(path, working_lock, left.tag.id)
        self._text, self.rows = document_of(left.job), left.journal
        home = home_of(left.tag)
        if home is not None:
            words.append(self._take_home(home, left))
        else:
            words.append(tr("Save it under a name to keep it."))
        told = (*left.problems, *words)
        return Opened(left.job, told, alarm=bool(left.problems), modified=self._text != self._document)

    def _take_home(self, home: Path, left: Loaded) -> str:
        """Take the home file of a leftover again when it is the same; return what to tell."""
        try:
            lock = take(home)
        except (Held, OSError) as error:
            return tr("{} It goes on as a job without a file: save it under another name.", error)
        try:
            there = load(home)
            same = there.tag.id == left.tag.home_id and not there.problems
        except JobFileError:
            same = False
        if not same:
            lock.release()
            return tr("{} is gone, damaged or another job now: save it under a name to keep it.", named(home))
        mine = left.journal
        self.home, self._lock, self._tag = home, lock, there.tag
        self._document = document_of(there.job)
        self._seen = signature(self.home)
        known = {e.uid for e in there.journal}
        self.away = tuple(e for e in mine if e.uid not in known)
        self.rows = (*there.journal, *self.away)
        if self.away:
            with contextlib.suppress(*TROUBLE, JobFileError):
                self._add_home()
                self.away = ()
        return tr("It belongs to {}: saving brings that up to date.", named(home))
