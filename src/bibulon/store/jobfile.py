"""Job files: one SQLite file a job, the document as JSON and the journal as rows.

Every save is one transaction and every journal row another, both synced to disk before they
count as done, so that a kill at any moment leaves the state before or the state after.
Plain JSON of the same document is read and written as well.
"""

from __future__ import annotations

import contextlib
import json
import os
import sqlite3
import time
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from pydantic import ValidationError

from bibulon.core.job.model import FORMAT, VERSION, Job
from bibulon.core.run.journal import Entry

__all__ = [
    "APPLICATION_ID",
    "JobFileError",
    "Loaded",
    "append",
    "explain",
    "load",
    "read_journal",
    "save",
]

APPLICATION_ID = 0x42494255  # "BIBU"
_HEADER = b"SQLite format 3\x00"
_TABLES = """
CREATE TABLE IF NOT EXISTS meta (key TEXT PRIMARY KEY, value TEXT NOT NULL);
CREATE TABLE IF NOT EXISTS document (id INTEGER PRIMARY KEY CHECK (id = 1), saved_at REAL NOT NULL, json TEXT NOT NULL);
CREATE TABLE IF NOT EXISTS journal (
    seq INTEGER PRIMARY KEY AUTOINCREMENT, run TEXT NOT NULL, written_at REAL NOT NULL,
    clock REAL NOT NULL, kind TEXT NOT NULL, data TEXT NOT NULL
);
"""


class JobFileError(Exception):
    """A job file that cannot be read or written; the text says what and why, for people."""


@dataclass(frozen=True)
class Loaded:
    """A job as read.  ``problems`` is not empty when parts were damaged: then it is a copy to save anew."""

    job: Job
    journal: tuple[Entry, ...] = ()
    problems: tuple[str, ...] = ()


@contextlib.contextmanager
def _connect(path: Path, *, create: bool) -> Iterator[sqlite3.Connection]:
    mode = "rwc" if create else "rw"
    connection = sqlite3.connect(
        f"{path.absolute().as_uri()}?mode={mode}", uri=True, isolation_level=None, timeout=5
    )
    try:
        connection.execute("PRAGMA synchronous=FULL")
        yield connection
    finally:
        connection.close()


def save(job: Job, path: Path, journal_from: Path | None = None) -> None:
    """Write a job; ``.json`` gives plain JSON, all else a job file.

    An existing job file keeps its journal.  A new one takes over the journal of ``journal_from``.

    Raises
    ------
    JobFileError : when the place cannot be written; nothing that was there is lost.
    """
    try:
        if path.suffix.lower() == ".json":
            _save_json(job, path)
        else:
            _save_sqlite(job, path, journal_from)
    except (OSError, sqlite3.Error) as error:
        raise JobFileError(
            f"{path.name} could not be saved: {error}. The job is still open and unchanged."
        ) from error


def _save_json(job: Job, path: Path) -> None:
    aside = path.with_name(f".{path.name}.part")
    with aside.open("w", encoding="utf-8") as file:
        file.write(job.model_dump_json(indent=1))
        file.flush()
        os.fsync(file.fileno())
    aside.replace(path)


def _save_sqlite(job: Job, path: Path, journal_from: Path | None) -> None:
    rows: tuple[Entry, ...] = ()
    if journal_from is not None and journal_from != path and journal_from.exists():
        rows = read_journal(journal_from)
        if path.exists():
            path.unlink()  # "save as" over another job: its journal belongs to that job
    with _connect(path, create=True) as db:
        db.execute("BEGIN IMMEDIATE")
        for statement in _TABLES.split(";"):
            db.execute(statement)
        db.execute(f"PRAGMA application_id={APPLICATION_ID}")
        db.execute(f"PRAGMA user_version={VERSION}")
        db.execute("INSERT OR REPLACE INTO meta VALUES ('format', ?)", (FORMAT,))
        db.execute("INSERT OR REPLACE INTO document VALUES (1, ?, ?)", (time.time(), job.model_dump_json()))
        for row in rows:
            _insert(db, row)
        db.execute("COMMIT")


def _insert(db: sqlite3.Connection, entry: Entry) -> None:
    db.execute(
        "INSERT INTO journal (run, written_at, clock, kind, data) VALUES (?, ?, ?, ?, ?)",
        (entry.run, entry.written_at or time.time(), entry.clock, entry.kind, json.dumps(entry.data)),
    )


def append(path: Path, entry: Entry) -> None:
    """Add a row to a job file's journal; on return it is on disk.

    Raises
    ------
    JobFileError : when it could not be written.
    """
    try:
        with _connect(path, create=False) as db:
            _insert(db, entry)
    except sqlite3.Error as error:
        raise JobFileError(f"“{entry.kind}” could not be written to {path.name}: {error}.") from error


def read_journal(path: Path) -> tuple[Entry, ...]:
    """Return the journal of a job file in the order in which it was written."""
    try:
        with _connect(path, create=False) as db:
            return tuple(_rows(db))
    except sqlite3.Error as error:
        raise JobFileError(f"The journal of {path.name} cannot be read: {error}.") from error


def _rows(db: sqlite3.Connection) -> Iterator[Entry]:
    for run, written, clock, kind, data in db.execute(
        "SELECT run, written_at, clock, kind, data FROM journal ORDER BY seq"
    ):
        yield Entry(run, clock, kind, json.loads(data), written)


def load(path: Path) -> Loaded:
    """Read a job from a job file or from JSON.

    Raises
    ------
    JobFileError : when there is no such file, it is of a later version, or nothing of it can be read.
    """
    try:
        with path.open("rb") as file:
            head = file.read(16)
    except OSError as error:
        raise JobFileError(f"{path} cannot be read: {error.strerror or error}.") from error
    if head == _HEADER:
        return _load_sqlite(path)
    return _load_json(path)


def _load_json(path: Path) -> Loaded:
    try:
        text = path.read_text(encoding="utf-8")
        document = json.loads(text)
    except UnicodeDecodeError as error:
        raise JobFileError(f"{path.name} is neither a job file nor JSON.") from error
    except json.JSONDecodeError as error:
        raise JobFileError(
            f"{path.name} is damaged: {error.msg} at line {error.lineno}, column {error.colno}."
        ) from error
    job, problems = _document(document, path)
    return Loaded(job, (), problems)


def _load_sqlite(path: Path) -> Loaded:
    problems: list[str] = []
    try:
        with _connect(path, create=False) as db:
            version = db.execute("PRAGMA user_version").fetchone()[0]
            if version > VERSION:
                raise JobFileError(_too_new(path, version))
            row = db.execute("SELECT json FROM document WHERE id = 1").fetchone()
            if row is None:
                raise JobFileError(f"{path.name} holds no job document.")
            journal = _journal_so_far(db, path, problems)
    except sqlite3.Error as error:
        raise JobFileError(
            f"{path.name} is damaged and no job can be read from it: {error}. The file was left as it is."
        ) from error
    try:
        document = json.loads(row[0])
    except json.JSONDecodeError as error:
        raise JobFileError(
            f"The document in {path.name} is damaged: {error.msg} at column {error.colno}."
        ) from error
    job, more = _document(document, path)
    return Loaded(job, tuple(journal), (*problems, *more))


def _journal_so_far(db: sqlite3.Connection, path: Path, problems: list[str]) -> list[Entry]:
    """Read journal rows until one fails."""
    rows: list[Entry] = []
    try:
        for entry in _rows(db):
            rows.append(entry)
    except (sqlite3.Error, json.JSONDecodeError, TypeError) as error:
        problems.append(f"The journal of {path.name} is damaged after {len(rows)} rows: {error}.")
    return rows


def _too_new(path: Path, version: object) -> str:
    return (
        f"{path.name} was written by a later version of Bibulon (format {version}; this one reads {VERSION}). "
        "It was left untouched: open it with that version."
    )


def _document(document: Any, path: Path) -> tuple[Job, tuple[str, ...]]:
    """Validate a document; what is wrong in it falls back to nothing and is told."""
    if not isinstance(document, dict) or document.get("format") != FORMAT:
        raise JobFileError(f"{path.name} is not a Bibulon job: it has no “format”: “{FORMAT}”.")
    version = document.get("version")
    if isinstance(version, int) and version > VERSION:
        raise JobFileError(_too_new(path, version))
    try:
        return Job.model_validate(document), ()
    except ValidationError as error:
        return _salvage(document, path, error)


def _salvage(document: dict[str, Any], path: Path, error: ValidationError) -> tuple[Job, tuple[str, ...]]:
    """Drop the parts of a document that do not validate, as few as will do."""
    problems = [f"{path.name}: {line}" for line in explain(error)]
    kept = dict(document)
    for _ in range(len(document)):
        bad = {str(e["loc"][0]) for e in error.errors() if e["loc"]} - {"part", "format"}
        if not bad and not any(e["loc"] for e in error.errors()):
            bad = _dangling(kept)
        if not bad & set(kept):
            break
        for name in bad & set(kept):
            del kept[name]
        try:
            return Job.model_validate(kept), tuple(problems)
        except ValidationError as again:
            error = again
    raise JobFileError(f"{path.name} cannot be opened. {' '.join(explain(error)[:3])}") from error


def _dangling(document: dict[str, Any]) -> set[str]:
    """Return the one part whose absence lets the others refer to what exists, or all that refer to one another."""
    referring = [name for name in ("buckets", "mesh", "lines", "stack", "manifolds") if name in document]
    for name in referring:
        try:
            Job.model_validate({k: v for k, v in document.items() if k != name})
        except ValidationError:
            continue
        return {name}
    return set(referring)


def explain(error: ValidationError) -> list[str]:
    """Return a validation error as plain sentences, one a fault, saying where."""
    out = []
    for fault in error.errors():
        where = " → ".join(str(p) for p in fault["loc"])
        what = fault["msg"].removeprefix("Value error, ")
        out.append(f"{where}: {what}." if where else f"{what[:1].upper()}{what[1:]}.")
    return out
