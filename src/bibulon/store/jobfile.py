"""Job files without a window: read a job with the record of its runs, write one.

A job that is open in a window is kept by ``keeper``; this is the door for everything else.
"""

from __future__ import annotations

import sqlite3
import uuid
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from msgspec import Struct

from bibulon.core.model.invalid import Invalid
from bibulon.core.model.job import FORMAT, VERSION, Job
from bibulon.core.run.journal import Entry
from bibulon.core.units.words import tr
from bibulon.store import container
from bibulon.store.container_read import HEADER, read
from bibulon.store.content import CONTAINER, NOBODY, ContainerError, Tag
from bibulon.store.document import Document, document_of, joined
from bibulon.store.durable import named
from bibulon.store.jsontext import JsonError, parse_json
from bibulon.store.lock import Held, take
from bibulon.store.migrations import migrated
from bibulon.store.raw import job_from
from bibulon.store.salvage import JobFileError, explain, salvage

__all__ = [
    "ENDINGS",
    "JobFileError",
    "Loaded",
    "check_ending",
    "explain",
    "job_of",
    "load",
    "new_id",
    "save",
    "why",
]

ENDINGS = (".bibulon", ".json")


class Loaded(Struct, frozen=True):
    """A job as read.  ``problems`` is not empty when parts were damaged: then it is a copy to save anew.

    ``note`` is something to tell that is no damage.
    """

    job: Job
    journal: tuple[Entry, ...] = ()
    problems: tuple[str, ...] = ()
    tag: Tag = NOBODY
    version: int = CONTAINER
    note: str = ""


def new_id() -> str:
    """Return an identity for a new file or row."""
    return uuid.uuid4().hex


def check_ending(path: Path) -> None:
    """Refuse a name that is no job's.

    Raises
    ------
    JobFileError : when the file would not be found again as a job.
    """
    if path.suffix.lower() not in ENDINGS:
        raise JobFileError(tr("A job is kept as {0}, not as “{1}”.", " or ".join(ENDINGS), named(path)))


def why(error: Exception) -> str:
    """Return why the system refused, for people."""
    if isinstance(error, OSError):
        return error.strerror or str(error)
    if isinstance(error, sqlite3.OperationalError) and "lock" in str(error):
        return tr("another program holds it")
    if isinstance(error, sqlite3.Error):
        return tr("the disk is full, or the place cannot be written") if "full" in str(error) else str(error)
    return str(error)


def load(path: Path) -> Loaded:
    """Read a job from a job file or from JSON.

    Raises
    ------
    JobFileError : when there is no such file, it is of a later version, or nothing of it can be read.
    """
    try:
        content = read(path)
    except ContainerError as error:
        raise JobFileError(str(error)) from error
    job, problems = job_of(content.document, path)
    note = (
        tr("{} was changed by another program since it was saved here.", named(path))
        if content.edited
        else ""
    )
    return Loaded(job, content.rows, (*content.problems, *problems), content.tag, content.version, note)


def job_of(written: Document, path: Path) -> tuple[Job, tuple[str, ...]]:
    """Return the job in a document, and what of it was damaged and left out.

    Raises
    ------
    JobFileError : when it is no job, or of a later version.
    """
    try:
        document: Any = parse_json(written.text, tr("The document in {}", named(path)))
    except JsonError as error:
        raise JobFileError(str(error)) from error
    if not isinstance(document, dict) or document.get("format") != FORMAT:
        raise JobFileError(tr("{0} is not a Bibulon job: it has no “format”: “{1}”.", named(path), FORMAT))
    version = document.get("version")
    if isinstance(version, int) and version > VERSION:
        raise JobFileError(
            tr(
                "{0} was written by a later version of Bibulon (format {1}; this one reads {2}). It "
                "was left untouched: open it with that version.",
                named(path),
                version,
                VERSION,
            )
        )
    document, lost = joined(document, written.parts)
    problems = tuple(f"{named(path)}: {text}." for text in lost)
    document = migrated(document)
    try:
        return job_from(document), problems
    except Invalid as error:
        job, more = salvage(document, named(path), error)
        return job, (*problems, *more)
    except RecursionError as error:
        raise JobFileError(tr("{} is nested too deeply to be read.", named(path))) from error


def save(job: Job, path: Path, journal: Sequence[Entry] = ()) -> None:
    """Write a job to a file of its own, with the rows of its runs.

    Raises
    ------
    JobFileError : when the place cannot be written, somebody has that file open, or it holds the record of
        a run that would be lost; nothing that was there is changed.
    """
    check_ending(path)
    try:
        lock = take(path)
    except Held as error:
        raise JobFileError(str(error)) from error
    except OSError as error:
        raise JobFileError(tr("{0} could not be saved: {1}.", named(path), why(error))) from error
    try:
        if path.exists():
            _refuse_records(path)
        rows = [
            e if e.uid else Entry(e.run, e.clock, e.kind, e.data, e.written_at, new_id()) for e in journal
        ]
        container.write(path, document_of(job), rows, Tag(new_id()))
    except (OSError, sqlite3.Error, ContainerError) as error:
        raise JobFileError(
            tr("{0} could not be saved: {1}. What stood there is unchanged.", named(path), why(error))
        ) from error
    finally:
        lock.release()


def _refuse_records(path: Path) -> None:
    try:
        there = read(path)
    except ContainerError as error:
        if path.read_bytes()[:16] == HEADER:
            raise JobFileError(
                tr("{} is damaged, and may hold a record: choose another name.", named(path))
            ) from error
        return  # no job file: whoever names it means to replace it
    if there.rows or there.problems:
        raise JobFileError(
            tr(
                "{0} holds the record of a run ({1} rows to be read): choose another name.",
                named(path),
                len(there.rows),
            )
        )
