"""Writing a job file in one of its two forms: one SQLite file, or one JSON file.  Nothing here knows what a job is."""

from __future__ import annotations

import json
import sqlite3
import time
from collections.abc import Sequence
from pathlib import Path

from bibulon.core.run.journal import Entry
from bibulon.core.units.words import tr
from bibulon.store.container_read import Damaged, connect, read, text_of
from bibulon.store.content import (
    CONTAINER,
    KEPT,
    ContainerError,
    Row,
    Tag,
    canonical,
    chained,
    document_sum,
    head_of,
    seed,
)
from bibulon.store.document import Document, joined
from bibulon.store.durable import aside, named, write_text

__all__ = ["add", "is_json", "revise", "write"]

APPLICATION_ID = 0x42494255  # "BIBU"
_TABLES = (
    "CREATE TABLE meta (key TEXT PRIMARY KEY, value TEXT NOT NULL)",
    "CREATE TABLE document (id INTEGER PRIMARY KEY CHECK (id = 1), saved_at REAL NOT NULL, json TEXT NOT NULL)",
    "CREATE TABLE part (sum TEXT PRIMARY KEY, json TEXT NOT NULL)",
    "CREATE TABLE journal (seq INTEGER PRIMARY KEY AUTOINCREMENT, run TEXT NOT NULL, written_at REAL NOT NULL, "
    "clock REAL NOT NULL, kind TEXT NOT NULL, data TEXT NOT NULL, uid TEXT NOT NULL UNIQUE, sum TEXT NOT NULL)",
)


def is_json(path: Path) -> bool:
    """Whether a file of this name is written as JSON."""
    return path.suffix.lower() == ".json"


def write(path: Path, document: Document, rows: Sequence[Entry], tag: Tag) -> None:
    """Write a file anew, in the form that its name asks for: whole, or not at all.

    Raises
    ------
    OSError, sqlite3.Error : when the place cannot be written; what stood there is as it was.
    """
    linked = chained({e.uid: e for e in rows}.values(), seed(tag))
    if is_json(path):
        write_text(path, _json_text(document, linked, tag))
        return
    with aside(path) as part:
        part.touch(exist_ok=False)
        with connect(part, "rwc", sync=False) as db:
            db.execute("BEGIN IMMEDIATE")
            for statement in _TABLES:
                db.execute(statement)
            db.execute(f"PRAGMA application_id={APPLICATION_ID}")
            db.execute(f"PRAGMA user_version={CONTAINER}")
            _put_meta(db, tag, document, linked)
            _put_document(db, document)
            _insert(db, linked)
            db.execute("COMMIT")


def _put_meta(db: sqlite3.Connection, tag: Tag, document: Document, rows: Sequence[Row]) -> None:
    values = {
        "format": "bibulon-job", "container": str(CONTAINER), "id": tag.id, "home": tag.home, "home_id": tag.home_id,
        "document": document_sum(tag, document.text), **head_of(rows, seed(tag), 0),
    }  # fmt: skip
    db.executemany("INSERT OR REPLACE INTO meta VALUES (?, ?)", list(values.items()))


def _put_document(db: sqlite3.Connection, document: Document) -> None:
    db.execute("INSERT OR REPLACE INTO document VALUES (1, ?, ?)", (time.time(), document.text))
    db.executemany("INSERT OR IGNORE INTO part VALUES (?, ?)", list(document.parts.items()))


def revise(path: Path, document: Document, tag: Tag, before: tuple[str, int] | None = None) -> None:
    """Write another document into a SQLite file whose rows stay: its text, and the parts that it did not have; those that it had
    and the document no longer has are taken out.

    before : the text of the document that it should hold, and how many rows.

    Raises
    ------
    ContainerError : when the file is another one than ``tag`` says, holds something else than before, or is of an older form.
    OSError, sqlite3.Error : when it cannot be written; what stood there is as it was.
    """
    with connect(path, "rw") as db:
        db.execute("BEGIN IMMEDIATE")
        try:
            meta = {text_of(k): text_of(v) for k, v in db.execute("SELECT key, value FROM meta")}
            had = [text_of(s) for (s,) in db.execute("SELECT sum FROM part")]
        except Damaged as error:
            raise ContainerError(tr("{} is damaged.", named(path))) from error
        if meta.get("id") != tag.id or meta.get("container") != str(CONTAINER):
            raise ContainerError(tr("{} now holds another job.", named(path)))
        held = meta.get("document"), meta.get("count")
        if before is not None and held != (document_sum(tag, before[0]), str(before[1])):
            raise ContainerError(tr("{} was changed by another program.", named(path)))
        _put_document(db, document)
        db.executemany("DELETE FROM part WHERE sum = ?", [(s,) for s in had if s not in document.parts])
        told = {"home": tag.home, "home_id": tag.home_id, "document": document_sum(tag, document.text)}
        db.executemany("INSERT OR REPLACE INTO meta VALUES (?, ?)", list(told.items()))
        db.execute("COMMIT")


def _insert(db: sqlite3.Connection, rows: Sequence[Row]) -> None:
    db.executemany(
        "INSERT INTO journal (run, written_at, clock, kind, data, uid, sum) VALUES (?, ?, ?, ?, ?, ?, ?)",
        [
            (r.entry.run, r.entry.written_at, r.entry.clock, r.entry.kind, r.data, r.entry.uid, r.sum)
            for r in rows
        ],
    )


def _json_text(document: Document, rows: Sequence[Row], tag: Tag) -> str:
    whole, _ = joined(json.loads(document.text), document.parts)
    text = canonical(whole)
    whole[KEPT] = {
        "container": CONTAINER, "id": tag.id, "home": tag.home, "home_id": tag.home_id,
        "document": document_sum(tag, text), **head_of(rows, seed(tag), 0),
        "journal": [
            [r.entry.run, r.entry.written_at, r.entry.clock, r.entry.kind, r.data, r.entry.uid, r.sum] for r in rows
        ],
    }  # fmt: skip
    return json.dumps(whole, indent=1, ensure_ascii=False) + "\n"


def add(path: Path, tag: Tag, entries: Sequence[Entry], there: int | None = None) -> bool:
    """Add rows to a file's journal, those left out that it holds; on return they are on disk.

    ``there`` is how many rows the file should hold: when it holds others nothing is written, and False returned.

    Raises
    ------
    ContainerError : when the file is another one than ``tag`` says, is damaged, or of an older form.
    OSError, sqlite3.Error : when it cannot be written.
    """
    if is_json(path):
        content = read(path)
        if content.problems:
            raise ContainerError(tr("{} is damaged.", named(path)))
        if content.tag.id != tag.id:
            raise ContainerError(tr("{} now holds another job.", named(path)))
        if there is not None and len(content.rows) != there:
            return False
        known = {e.uid for e in content.rows}
        rows = [*content.rows, *(e for e in entries if e.uid not in known)]
        write(path, content.document, rows, tag)
        return True
    with connect(path, "rw") as db:
        db.execute("BEGIN IMMEDIATE")
        try:
            meta = {text_of(k): text_of(v) for k, v in db.execute("SELECT key, value FROM meta")}
            if meta.get("id") != tag.id:
                raise ContainerError(tr("{} now holds another job.", named(path)))
            ask = "SELECT 1 FROM journal WHERE uid = ?"
            known = {e.uid for e in entries if db.execute(ask, (e.uid,)).fetchone()}
            count, before = int(meta["count"]), meta["head"]
            if there is not None and count != there:
                return False
            linked = chained([e for e in entries if e.uid not in known], before)
            _insert(db, linked)
            for key, value in head_of(linked, before, count).items():
                db.execute("INSERT OR REPLACE INTO meta VALUES (?, ?)", (key, value))
            db.execute("COMMIT")
        except (KeyError, ValueError, TypeError, Damaged) as error:
            raise ContainerError(tr("{} is damaged.", named(path))) from error
    return True
