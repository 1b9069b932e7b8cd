"""Reading a job file of either form: what is damaged is told, and all the rest is read."""

from __future__ import annotations

import contextlib
import json
import math
import sqlite3
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import Any

from bibulon.core.run.journal import Entry
from bibulon.core.units.words import tr
from bibulon.store.content import (
    CONTAINER,
    KEPT,
    NOBODY,
    ContainerError,
    Content,
    Tag,
    canonical,
    document_sum,
    row_sum,
    seed,
)
from bibulon.store.document import Document
from bibulon.store.durable import named
from bibulon.store.jsontext import JsonError, read_json

__all__ = ["HEADER", "Damaged", "connect", "read", "text_of"]

HEADER = b"SQLite format 3\x00"
BUSY_S = 0.04  # a reader lets go of the file sooner than this


@contextlib.contextmanager
def connect(path: Path, mode: str, *, sync: bool = True) -> Iterator[sqlite3.Connection]:
    """Open a SQLite file, its texts as bytes; rows written to it are synced, its folder too."""
    db = sqlite3.connect(
        f"{path.absolute().as_uri()}?mode={mode}", uri=True, isolation_level=None, timeout=BUSY_S
    )
    try:
        db.text_factory = bytes
        # EXTRA syncs the folder as well once the rollback journal is gone: without it a power cut could bring
        # the journal back, and with it the state before.  A file written aside is synced whole at its end.
        db.execute(f"PRAGMA synchronous={'EXTRA' if sync else 'OFF'}")
        yield db
    finally:
        db.close()


class Damaged(Exception):
    """A cell that is not what was written."""


def text_of(value: Any) -> str:
    """Return a cell as text.

    Raises
    ------
    Damaged : when it is none.
    """
    if isinstance(value, bytes):
        try:
            return value.decode("utf-8")
        except UnicodeDecodeError as error:
            raise Damaged(tr("text that is no text")) from error
    if isinstance(value, str):
        return value
    raise Damaged(tr("a cell of another kind"))


def real_of(value: Any) -> float:
    if isinstance(value, (int, float)) and math.isfinite(value):
        return float(value)
    raise Damaged(tr("a number that is none"))


def read(path: Path) -> Content:
    """Read a file of either form, whatever its name; what is damaged is told in ``problems``.

    Raises
    ------
    ContainerError : when it cannot be read, is of a later version, or holds no document that can be read.
    """
    try:
        with path.open("rb") as file:
            head = file.read(16)
    except (OSError, ValueError) as error:
        told = getattr(error, "strerror", None) or str(error)
        raise ContainerError(tr("{0} cannot be read: {1}.", named(path), told)) from error
    return _read_sqlite(path) if head == HEADER else _read_json(path)


def _too_new(path: Path, version: object) -> ContainerError:
    return ContainerError(
        tr(
            "{0} was written by a later version of Bibulon (format {1}; this one reads {2}). It "
            "was left untouched: open it with that version.",
            named(path),
            version,
            CONTAINER,
        )
    )


def _read_json(path: Path) -> Content:
    try:
        whole = read_json(path)
    except JsonError as error:
        raise ContainerError(str(error)) from error
    if not isinstance(whole, dict) or whole.get("format") != "bibulon-job":
        raise ContainerError(tr("{} is not a Bibulon job: it has no “format”: “bibulon-job”.", named(path)))
    kept = whole.pop(KEPT, None)
    document = Document(json.dumps(whole))
    if kept is None:
        return Content(document, (), NOBODY, 1)
    if not isinstance(kept, dict) or not isinstance(kept.get("container"), int):
        return Content(
            document, (), NOBODY, 1, (tr("{}: what was kept of a run cannot be read.", named(path)),)
        )
    if kept["container"] > CONTAINER:
        raise _too_new(path, kept["container"])
    tag = Tag(*(str(kept.get(k, "")) for k in ("id", "home", "home_id")))
    cells = kept.get("journal")
    problems: list[str] = []
    rows = _verified(cells if isinstance(cells, list) else [], tag, kept, path, problems)
    edited = kept.get("document") != document_sum(tag, canonical(whole))
    return Content(document, tuple(rows), tag, CONTAINER, tuple(problems), edited)


def _read_sqlite(path: Path) -> Content:
    problems: list[str] = []
    try:
        with _open_to_read(path) as db:
            version = db.execute("PRAGMA user_version").fetchone()[0]
            columns = {text_of(c[1]) for c in db.execute("PRAGMA table_info(journal)")}
            if version > CONTAINER:
                # Our own tables under a version that nobody wrote yet: a flipped byte, or a later program.
                raise _too_new(path, version)
            if "sum" not in columns and version < CONTAINER:
                return _read_first_form(path, db)
            meta, tag = _meta(db, path, problems)
            row = db.execute("SELECT json FROM document WHERE id = 1").fetchone()
            parts = _parts(db) if version >= CONTAINER else {}
            cells = _cells(db, path, problems)
    except OSError as error:
        raise ContainerError(tr("{0} cannot be read: {1}.", named(path), error.strerror or error)) from error
    except (sqlite3.Error, Damaged, OverflowError) as error:
        raise ContainerError(
            tr("{} is damaged and no job can be read from it. The file was left as it is.", named(path))
        ) from error
    rows = _verified(cells, tag, meta, path, problems)
    if row is None:
        raise ContainerError(tr("{0} holds no job document. {1}", named(path), _rows_there(rows)))
    try:
        document = text_of(row[0])
    except Damaged as error:
        raise ContainerError(
            tr(
                "The document in {0} is damaged. {1} The file was left as it is.",
                named(path),
                _rows_there(rows),
            )
        ) from error
    if meta.get("document") != document_sum(tag, document):
        problems.append(tr("{} is damaged: the plan in it is not what was saved.", named(path)))
    return Content(Document(document, parts), tuple(rows), tag, version, tuple(problems))


def _parts(db: sqlite3.Connection) -> dict[str, str]:
    """Return the parts that can be read; who needs another one sees that it is not there."""
    out: dict[str, str] = {}
    with contextlib.suppress(sqlite3.Error):
        for known, text in db.execute("SELECT sum, json FROM part"):
            with contextlib.suppress(Damaged):
                out[text_of(known)] = text_of(text)
    return out


def _rows_there(rows: Sequence[Entry]) -> str:
    return tr("{} rows of its journal can be read.", len(rows)) if rows else tr("It holds no rows of a run.")


@contextlib.contextmanager
def _open_to_read(path: Path) -> Iterator[sqlite3.Connection]:
    """Open for reading; a file that cannot be written is read all the same."""
    mode = "rw"  # a journal that a kill has left must be rolled back first
    try:
        with connect(path, mode) as db:
            db.execute("PRAGMA user_version").fetchone()
    except sqlite3.OperationalError:
        mode = "ro"
    with connect(path, mode) as db:
        yield db


def _meta(db: sqlite3.Connection, path: Path, problems: list[str]) -> tuple[dict[str, Any], Tag]:
    meta: dict[str, Any] = {}
    try:
        meta = {text_of(k): text_of(v) for k, v in db.execute("SELECT key, value FROM meta")}
    except (sqlite3.Error, Damaged):
        problems.append(tr("{} is damaged: who the file is cannot be read.", named(path)))
    return meta, Tag(*(meta.get(k, "") for k in ("id", "home", "home_id")))


def _cells(db: sqlite3.Connection, path: Path, problems: list[str]) -> list[list[Any]]:
    """Return the rows as cells, from the front until one fails, then from the back."""
    ask = "SELECT run, written_at, clock, kind, data, uid, sum, seq FROM journal ORDER BY seq"
    front: list[list[Any]] = []
    try:
        for cells in db.execute(ask):
            front.append(list(cells))
        return [c[:7] for c in front]
    except sqlite3.Error:
        problems.append(tr("The journal of {0} is damaged after {1} rows.", named(path), len(front)))
    back: list[list[Any]] = []
    with contextlib.suppress(sqlite3.Error):
        for cells in db.execute(f"{ask} DESC"):
            back.append(list(cells))
    there = {c[7] for c in front}
    return [c[:7] for c in [*front, *(b for b in reversed(back) if b[7] not in there)]]


def _verified(
    cells: Sequence[Any], tag: Tag, head: dict[str, Any], path: Path, problems: list[str]
) -> list[Entry]:
    """Return the rows that are as they were written; the others are told and left out."""
    rows: list[Entry] = []
    before, bad = seed(tag), []
    for k, cell in enumerate(cells, 1):
        try:
            entry, data, told = _entry(cell)
        except (Damaged, ValueError, TypeError, RecursionError):
            bad.append(k)
            before = ""
            continue
        # Behind a damaged row the sum before is not known: the next row is taken as it stands, and told.
        if before and told != row_sum(before, entry, data):
            bad.append(k)
        else:
            rows.append(entry)
        before = told
    if bad:
        which = ", ".join(map(str, bad[:5])) + ("…" if len(bad) > 5 else "")
        problems.append(
            tr(
                "The journal of {0} is damaged at row {1}: {2} of {3} rows are read.",
                named(path),
                which,
                len(rows),
                len(cells),
            )
        )
    elif head.get("head") != before or str(head.get("count")) != str(len(cells)):
        problems.append(
            tr(
                "The journal of {0} is damaged: it ends otherwise than it was written; {1} rows are read.",
                named(path),
                len(rows),
            )
        )
    return rows


def _entry(cell: Any) -> tuple[Entry, str, str]:
    run, written, clock, kind, data, uid, told = cell
    text = text_of(data)
    body = json.loads(text)
    if not isinstance(body, dict):
        raise Damaged(tr("no row"))
    return (
        Entry(text_of(run), real_of(clock), text_of(kind), body, real_of(written), text_of(uid)),
        text,
        text_of(told),
    )


def _read_first_form(path: Path, db: sqlite3.Connection) -> Content:
    """Read a file of the first form, which had neither sums nor an identity."""
    row = db.execute("SELECT json FROM document WHERE id = 1").fetchone()
    if row is None:
        raise ContainerError(tr("{} holds no job document.", named(path)))
    rows: list[Entry] = []
    problems: list[str] = []
    try:
        for seq, run, written, clock, kind, data in db.execute(
            "SELECT seq, run, written_at, clock, kind, data FROM journal ORDER BY seq"
        ):
            body = json.loads(text_of(data))
            if not isinstance(body, dict):
                raise Damaged(tr("no row"))
            rows.append(
                Entry(text_of(run), real_of(clock), text_of(kind), body, real_of(written), f"first-{seq}")
            )
    except (sqlite3.Error, ValueError, Damaged, RecursionError):
        problems.append(tr("The journal of {0} is damaged after {1} rows.", named(path), len(rows)))
    return Content(Document(text_of(row[0])), tuple(rows), NOBODY, 1, tuple(problems))
