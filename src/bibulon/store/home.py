"""What can be asked about a job's own file: whether it is free, whether it changed, why it cannot be written."""

from __future__ import annotations

import os
from collections.abc import Sequence
from pathlib import Path

from msgspec import Struct
from msgspec.structs import replace

from bibulon.core.model.job import Job
from bibulon.core.run.journal import Entry
from bibulon.core.units.words import tr
from bibulon.store import container
from bibulon.store.container_read import HEADER, read
from bibulon.store.content import ContainerError, Tag
from bibulon.store.document import Document, document_of
from bibulon.store.durable import named
from bibulon.store.jobfile import load, new_id, why
from bibulon.store.lock import Held, Holder, Lock, take

__all__ = [
    "Opened",
    "given_identity",
    "holds_record",
    "lock_of",
    "merged",
    "signature",
    "why_not_home",
    "with_ids",
]


class Opened(Struct, frozen=True):
    """A job as it was opened, what to tell about it, and whether it differs from its file."""

    job: Job
    words: tuple[str, ...] = ()
    alarm: bool = False
    modified: bool = False


def lock_of(path: Path) -> tuple[Lock | None, Holder | None, tuple[str, ...]]:
    """Take a file for writing; return its lock, or who else has it, and what to tell of that."""
    try:
        return take(path), None, ()
    except Held as held:
        return None, held.holder, (tr("Opened to read, and followed as it changes. {}", held),)
    except OSError as error:
        if not path.exists():
            return None, None, ()
        words = tr("Opened to read: {0} is in a place that cannot be written ({1}).", named(path), why(error))
        return None, Holder("nobody", "", 0, 0.0), (words,)


def signature(home: Path | None) -> tuple[int, int, int] | None:
    """Return what changes when a file is written or replaced; None while it is not there."""
    try:
        stat = os.stat(home) if home is not None else None
    except OSError:
        return None
    return (stat.st_ino, stat.st_mtime_ns, stat.st_size) if stat else None


def why_not_home(home: Path, error: Exception) -> str:
    """Return why a row could not be written into a job's own file."""
    if not home.exists():
        return tr("{} is gone: saving writes it anew.", named(home))
    if "another job" in str(error):
        return tr("{} now holds another job: save this one under another name.", named(home))
    return tr("{0} cannot be written: {1}.", named(home), why(error))


def with_ids(rows: Sequence[Entry]) -> tuple[Entry, ...]:
    """Return rows, each with an identity."""
    return tuple(e if e.uid else replace(e, uid=new_id()) for e in rows)


def given_identity(home: Path, document: Document) -> Tag:
    """Bring a file of an older form, or one from elsewhere, to today's: the same content, with an identity.

    Raises
    ------
    ContainerError, OSError, sqlite3.Error : when it holds another job, or cannot be written.
    JobFileError : when it cannot be read.
    """
    there = load(home)
    if there.problems or there.tag.id or document_of(there.job) != document:
        raise ContainerError(tr("{} now holds another job.", named(home)))
    tag = Tag(new_id())
    container.write(home, document, there.journal, tag)
    return tag


def merged(rows: Sequence[Entry], there: Sequence[Entry]) -> tuple[Entry, ...]:
    """Return rows together with those that a file holds and they lack, in the order in which they were written."""
    known = {e.uid for e in rows}
    new = [e for e in there if e.uid not in known]
    return tuple(sorted([*rows, *new], key=lambda e: e.written_at)) if new else tuple(rows)


def holds_record(path: Path) -> bool:
    """Whether replacing a file would lose the rows of a run, or what may be such rows."""
    try:
        there = read(path)
    except ContainerError:
        with path.open("rb") as file:
            return file.read(16) == HEADER
    return bool(there.rows or there.problems)
