"""What is open, and how it is saved: to the job's own file, or to another, which is then its own.

What is replaced by a save and held a record is kept aside first.
"""

from __future__ import annotations

import os
from pathlib import Path

from bibulon.core.model.job import Job
from bibulon.core.run.journal import Entry
from bibulon.core.units.words import tr
from bibulon.store import container
from bibulon.store.content import NOBODY, ContainerError, Tag
from bibulon.store.document import Document, document_of
from bibulon.store.durable import keep_aside, named
from bibulon.store.home import (
    holds_record,
    merged,
    signature,
    with_ids,
)
from bibulon.store.jobfile import JobFileError, check_ending, load, new_id, why
from bibulon.store.lock import Held, Holder, Lock, take
from bibulon.store.working import TROUBLE, WorkingFile

__all__ = ["NOTHING", "Saving"]

NOTHING = Document("")


class Saving:
    """What is open: its file, its rows, and its working file."""

    def __init__(self, state_folder: Path) -> None:
        self.state_folder = state_folder
        self.home: Path | None = None
        self.rows: tuple[Entry, ...] = ()
        self.away: tuple[Entry, ...] = ()
        self.holder: Holder | None = None  # who writes it, when this session only reads
        self._tag = NOBODY
        self._lock: Lock | None = None
        self._document = NOTHING  # as it stands in the home file, by our knowledge
        self._seen: tuple[int, int, int] | None = None
        self._work = WorkingFile(state_folder)
        self._text = NOTHING  # the newest document that the working file may have to hold

    @property
    def reading(self) -> bool:
        """Whether the file is somebody else's and only read here."""
        return self.holder is not None

    def _same_home(self, path: Path) -> bool:
        return self.home is not None and os.path.realpath(path) == os.path.realpath(self.home)

    def save(self, job: Job, path: Path | None = None) -> tuple[str, ...]:
        """Save to the job's own file, or to another, which is then its own; return what to tell.

        Raises
        ------
        JobFileError : when it could not be saved: nothing on disk is lost, and the job stays open as it is.
        """
        target = Path(os.path.abspath(path)) if path is not None else self.home
        if target is None:
            raise JobFileError(tr("The job has no file yet: choose a name."))
        check_ending(target)
        own = self._same_home(target)
        if own and self.reading:
            told = tr(
                "{} was opened to read: save it under another name to have a copy of your own.", named(target)
            )
            raise JobFileError(told)
        try:
            return self._save_own(job, target) if own else self._save_other(job, target)
        except TROUBLE as error:
            raise JobFileError(
                tr(
                    "{0} could not be saved: {1}. The job is still open and unchanged.",
                    named(target),
                    why(error),
                )
            ) from error

    def _save_own(self, job: Job, target: Path) -> tuple[str, ...]:
        if self._revised(job, target):
            return ()
        words: list[str] = []
        if target.exists():
            try:
                there = load(target)
            except JobFileError as error:
                kept = keep_aside(target, self._replaced)
                words.append(tr("{0} It is kept as {1}.", error, named(kept)))
            else:
                if there.tag.id != self._tag.id:
                    raise ContainerError(tr("it now holds another job; save this one under another name"))
                self.rows = merged(self.rows, there.journal)
                if there.problems or document_of(there.job) != self._document:
                    kept = keep_aside(target, self._replaced)
                    words.append(
                        tr("It had been changed by another program; that state is kept as {}.", kept)
                    )
        else:
            words.append(tr("{} was gone: it is written anew, with all that happened.", named(target)))
        self._write_home(job, target, self._tag if self._tag.id else Tag(new_id()))
        return tuple(words)

    def _revised(self, job: Job, target: Path) -> bool:
        """Write the document alone where nobody else has written the file since, and it holds all rows."""
        known = self._tag.id and not self.away and self._seen is not None and signature(target) == self._seen
        if not known or container.is_json(target):
            return False
        text = document_of(job)
        try:
            container.revise(target, text, self._tag, (self._document.text, len(self.rows)))
        except TROUBLE:
            return False  # of an older form, changed, or not to be written in place: it is looked at, and written anew, whole
        self._wrote(text, target)
        return True

    def _wrote(self, text: Document, target: Path) -> None:
        """Know the document that a file holds now; nothing of it need be held in a second place."""
        self._text = self._document = text
        self._seen = signature(target)
        self._work.drop()

    def _save_other(self, job: Job, target: Path) -> tuple[str, ...]:
        words: list[str] = []
        try:
            lock = take(target)
        except Held as held:
            raise ContainerError(str(held).rstrip(".")) from held
        try:
            if target.exists() and holds_record(target):
                kept = keep_aside(target, self._replaced)
                words.append(tr("The record that {0} held is kept as {1}.", named(target), kept))
            self._write_home(job, target, Tag(new_id()))
        except BaseException:
            lock.release()
            raise
        if self._lock is not None:
            self._lock.release()
        self._lock, self.home, self.holder = lock, target, None
        return tuple(words)

    def _write_home(self, job: Job, target: Path, tag: Tag) -> None:
        text = document_of(job)
        rows = with_ids(self.rows)
        container.write(target, text, rows, tag)
        self.rows, self.away, self._tag = rows, (), tag
        self._wrote(text, target)

    @property
    def _replaced(self) -> Path:
        return self.state_folder / "replaced"
