"""The two forms of a job file, as bytes: one SQLite file, or one JSON file; document, rows, and who the file is.

Both carry an identity, a checksum over the document, and over the rows a chain: each row's sum covers
the row before, and the file's head names the last sum and the count, so that a row changed, missing or
out of place is seen.  Nothing here knows what a job is.
"""

from __future__ import annotations

import contextlib
import hashlib
import json
import math
import sqlite3
import time
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

from bibulon.core.run.journal import Entry
from bibulon.store.durable import aside, named, write_text
from bibulon.store.jsontext import JsonError, read_json

__all__ = [
    "CONTAINER",
    "HEADER",
    "NOBODY",
    "ContainerError",
    "Content",
    "Tag",
    "add",
    "is_json",
    "read",
    "write",
]

CONTAINER = 2
APPLICATION_ID = 0x42494255  # "BIBU"
HEADER = b"SQLite format 3\x00"
KEPT = "kept"  # what a JSON file holds beside the document's own fields
BUSY_S = 0.04  # a reader lets go of the file sooner than this
_TABLES = (
    "CREATE TABLE meta (key TEXT PRIMARY KEY, value TEXT NOT NULL)",
    "CREATE TABLE document (id INTEGER PRIMARY KEY CHECK (id = 1), saved_at REAL NOT NULL, json TEXT NOT NULL)",
    "CREATE TABLE journal (seq INTEGER PRIMARY KEY AUTOINCREMENT, run TEXT NOT NULL, written_at REAL NOT NULL, "
    "clock REAL NOT NULL, kind TEXT NOT NULL, data TEXT NOT NULL, uid TEXT NOT NULL UNIQUE, sum TEXT NOT NULL)",
)


class ContainerError(Exception):
    """A file that cannot be read or written; the text says what and why, for people."""


@dataclass(frozen=True)
class Tag:
    """Who a file is: its identity, and for a working file whose it is (path and identity)."""

    id: str
    home: str = ""
    home_id: str = ""


NOBODY = Tag("")


@dataclass(frozen=True)
class Content:
    """What a file holds: the document as JSON text, the rows, the tag, its version, and what is damaged.

    ``edited`` tells that the document of a JSON file was changed by another program since it was written.
    """

    document: str
    rows: tuple[Entry, ...]
    tag: Tag
    version: int
    problems: tuple[str, ...] = ()
    edited: bool = False


def is_json(path: Path) -> bool:
    """Whether a file of this name is written as JSON."""
    return path.suffix.lower() == ".json"


# -- sums


def _document_sum(tag: Tag, document: str) -> str:
    return _sum("document", tag.id, tag.home, tag.home_id, document)


def _sum(*texts: str) -> str:
    whole = hashlib.sha256()
    for text in texts:
        data = text.encode("utf-8", "surrogatepass")
        whole.update(len(data).to_bytes(8, "big") + data)
    return whole.hexdigest()[:32]


def _row_sum(before: str, entry: Entry, data: str) -> str:
    return _sum(before, entry.run, repr(entry.written_at), repr(entry.clock), entry.kind, data, entry.uid)


@dataclass(frozen=True)
class _Row:
    """A row as it is written: entry, its data as text, and its sum."""

    entry: Entry
    data: str
    sum: str


def _chained(entries: Iterable[Entry], before: str) -> list[_Row]:
    rows = []
    for entry in entries:
        if not (math.isfinite(entry.clock) and math.isfinite(entry.written_at)):
            raise ContainerError(f"“{entry.kind}” has a time that is no number and was not stored.")
        entry = replace(entry, written_at=float(entry.written_at or time.time()), clock=float(entry.clock))
        data = json.dumps(entry.data)
        before = _row_sum(before, entry, data)
        rows.append(_Row(entry, data, before))
    return rows


def _seed(tag: Tag) -> str:
    return _sum("journal", tag.id)


# -- writing


def write(path: Path, document: str, rows: Sequence[Entry], tag: Tag) -> None:
    """Write a file anew, in the form that its name asks for: whole, or not at all.

    Raises
    ------
    OSError, sqlite3.Error : when the place cannot be written; what stood there is as it was.
    """
    chained = _chained({e.uid: e for e in rows}.values(), _seed(tag))
    if is_json(path):
        write_text(path, _json_text(document, chained, tag))
        return
    with aside(path) as part:
        part.touch(exist_ok=False)
        with _connect(part, "rwc", sync=False) as db:
            db.execute("BEGIN IMMEDIATE")
            for statement in _TABLES:
                db.execute(statement)
            db.execute(f"PRAGMA application_id={APPLICATION_ID}")
            db.execute(f"PRAGMA user_version={CONTAINER}")
            _put_meta(db, tag, document, chained)
            db.execute("INSERT INTO document VALUES (1, ?, ?)", (time.time(), document))
            _insert(db, chained)
            db.execute("COMMIT")


def _put_meta(db: sqlite3.Connection, tag: Tag, document: str, rows: Sequence[_Row]) -> None:
    values = {
        "format": "bibulon-job", "container": str(CONTAINER), "id": tag.id, "home": tag.home, "home_id": tag.home_id,
        "document": _document_sum(tag, document), **_head(rows, _seed(tag), 0),
    }  # fmt: skip
    db.executemany("INSERT OR REPLACE INTO meta VALUES (?, ?)", list(values.items()))


def _head(rows: Sequence[_Row], before: str, count: int) -> dict[str, str]:
    return {"head": rows[-1].sum if rows else before, "count": str(count + len(rows))}


def _insert(db: sqlite3.Connection, rows: Sequence[_Row]) -> None:
    db.executemany(
        "INSERT INTO journal (run, written_at, clock, kind, data, uid, sum) VALUES (?, ?, ?, ?, ?, ?, ?)",
        [
            (r.entry.run, r.entry.written_at, r.entry.clock, r.entry.kind, r.data, r.entry.uid, r.sum)
            for r in rows
        ],
    )


def _json_text(document: str, rows: Sequence[_Row], tag: Tag) -> str:
    whole = json.loads(document)
    whole[KEPT] = {
        "container": CONTAINER, "id": tag.id, "home": tag.home, "home_id": tag.home_id,
        "document": _document_sum(tag, _canonical(json.loads(document))), **_head(rows, _seed(tag), 0),
        "journal": [
            [r.entry.run, r.entry.written_at, r.entry.clock, r.entry.kind, r.data, r.entry.uid, r.sum] for r in rows
        ],
    }  # fmt: skip
    return json.dumps(whole, indent=1, ensure_ascii=False) + "\n"


def _canonical(document: Any) -> str:
    return json.dumps(document, sort_keys=True)


@contextlib.contextmanager
def _connect(path: Path, mode: str, *, sync: bool = True) -> Iterator[sqlite3.Connection]:
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
            raise ContainerError(f"{named(path)} is damaged.")
        if content.tag.id != tag.id:
            raise ContainerError(f"{named(path)} now holds another job.")
        if there is not None and len(content.rows) != there:
            return False
        known = {e.uid for e in content.rows}
        rows = [*content.rows, *(e for e in entries if e.uid not in known)]
        write(path, content.document, rows, tag)
        return True
    with _connect(path, "rw") as db:
        db.execute("BEGIN IMMEDIATE")
        try:
            meta = {_text(k): _text(v) for k, v in db.execute("SELECT key, value FROM meta")}
            if meta.get("id") != tag.id:
                raise ContainerError(f"{named(path)} now holds another job.")
            ask = "SELECT 1 FROM journal WHERE uid = ?"
            known = {e.uid for e in entries if db.execute(ask, (e.uid,)).fetchone()}
            count, before = int(meta["count"]), meta["head"]
            if there is not None and count != there:
                return False
            chained = _chained([e for e in entries if e.uid not in known], before)
            _insert(db, chained)
            for key, value in _head(chained, before, count).items():
                db.execute("INSERT OR REPLACE INTO meta VALUES (?, ?)", (key, value))
            db.execute("COMMIT")
        except (KeyError, ValueError, TypeError, _Damaged) as error:
            raise ContainerError(f"{named(path)} is damaged.") from error
    return True


# -- reading


class _Damaged(Exception):
    """A cell that is not what was written."""


def _text(value: Any) -> str:
    if isinstance(value, bytes):
        try:
            return value.decode("utf-8")
        except UnicodeDecodeError as error:
            raise _Damaged("text that is no text") from error
    if isinstance(value, str):
        return value
    raise _Damaged("a cell of another kind")


def _real(value: Any) -> float:
    if isinstance(value, (int, float)) and math.isfinite(value):
        return float(value)
    raise _Damaged("a number that is none")


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
        raise ContainerError(f"{named(path)} cannot be read: {told}.") from error
    return _read_sqlite(path) if head == HEADER else _read_json(path)


def _too_new(path: Path, version: object) -> ContainerError:
    return ContainerError(
        f"{named(path)} was written by a later version of Bibulon (format {version}; this one reads {CONTAINER}). "
        "It was left untouched: open it with that version."
    )


def _read_json(path: Path) -> Content:
    try:
        whole = read_json(path)
    except JsonError as error:
        raise ContainerError(str(error)) from error
    if not isinstance(whole, dict) or whole.get("format") != "bibulon-job":
        raise ContainerError(f"{named(path)} is not a Bibulon job: it has no “format”: “bibulon-job”.")
    kept = whole.pop(KEPT, None)
    document = json.dumps(whole)
    if kept is None:
        return Content(document, (), NOBODY, 1)
    if not isinstance(kept, dict) or not isinstance(kept.get("container"), int):
        return Content(document, (), NOBODY, 1, (f"{named(path)}: what was kept of a run cannot be read.",))
    if kept["container"] > CONTAINER:
        raise _too_new(path, kept["container"])
    tag = Tag(*(str(kept.get(k, "")) for k in ("id", "home", "home_id")))
    cells = kept.get("journal")
    problems: list[str] = []
    rows = _verified(cells if isinstance(cells, list) else [], tag, kept, path, problems)
    edited = kept.get("document") != _document_sum(tag, _canonical(whole))
    return Content(document, tuple(rows), tag, CONTAINER, tuple(problems), edited)


def _read_sqlite(path: Path) -> Content:
    problems: list[str] = []
    try:
        with _open_to_read(path) as db:
            version = db.execute("PRAGMA user_version").fetchone()[0]
            columns = {_text(c[1]) for c in db.execute("PRAGMA table_info(journal)")}
            if version > CONTAINER:
                # Our own tables under a version that nobody wrote yet: a flipped byte, or a later program.
                raise _too_new(path, version)
            if "sum" not in columns and version < CONTAINER:
                return _read_first_form(path, db)
            meta, tag = _meta(db, path, problems)
            row = db.execute("SELECT json FROM document WHERE id = 1").fetchone()
            cells = _cells(db, path, problems)
    except (sqlite3.Error, _Damaged, OverflowError) as error:
        raise ContainerError(
            f"{named(path)} is damaged and no job can be read from it. The file was left as it is."
        ) from error
    rows = _verified(cells, tag, meta, path, problems)
    if row is None:
        raise ContainerError(f"{named(path)} holds no job document. {_rows_there(rows)}")
    try:
        document = _text(row[0])
    except _Damaged as error:
        raise ContainerError(
            f"The document in {named(path)} is damaged. {_rows_there(rows)} The file was left as it is."
        ) from error
    if meta.get("document") != _document_sum(tag, document):
        problems.append(f"{named(path)} is damaged: the plan in it is not what was saved.")
    return Content(document, tuple(rows), tag, CONTAINER, tuple(problems))


def _rows_there(rows: Sequence[Entry]) -> str:
    return f"{len(rows)} rows of its journal can be read." if rows else "It holds no rows of a run."


@contextlib.contextmanager
def _open_to_read(path: Path) -> Iterator[sqlite3.Connection]:
    """Open for reading; a file that cannot be written is read all the same."""
    mode = "rw"  # a journal that a kill has left must be rolled back first
    try:
        with _connect(path, mode) as db:
            db.execute("PRAGMA user_version").fetchone()
    except sqlite3.OperationalError:
        mode = "ro"
    with _connect(path, mode) as db:
        yield db


def _meta(db: sqlite3.Connection, path: Path, problems: list[str]) -> tuple[dict[str, Any], Tag]:
    meta: dict[str, Any] = {}
    try:
        meta = {_text(k): _text(v) for k, v in db.execute("SELECT key, value FROM meta")}
    except (sqlite3.Error, _Damaged):
        problems.append(f"{named(path)} is damaged: who the file is cannot be read.")
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
        problems.append(f"The journal of {named(path)} is damaged after {len(front)} rows.")
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
    before, bad = _seed(tag), []
    for k, cell in enumerate(cells, 1):
        try:
            entry, data, told = _entry(cell)
        except (_Damaged, ValueError, TypeError, RecursionError):
            bad.append(k)
            before = ""
            continue
        # Behind a damaged row the sum before is not known: the next row is taken as it stands, and told.
        if before and told != _row_sum(before, entry, data):
            bad.append(k)
        else:
            rows.append(entry)
        before = told
    if bad:
        which = ", ".join(map(str, bad[:5])) + ("…" if len(bad) > 5 else "")
        problems.append(
            f"The journal of {named(path)} is damaged at row {which}: {len(rows)} of {len(cells)} rows are read."
        )
    elif head.get("head") != before or str(head.get("count")) != str(len(cells)):
        problems.append(
            f"The journal of {named(path)} is damaged: it ends otherwise than it was written; {len(rows)} rows are read."
        )
    return rows


def _entry(cell: Any) -> tuple[Entry, str, str]:
    run, written, clock, kind, data, uid, told = cell
    text = _text(data)
    body = json.loads(text)
    if not isinstance(body, dict):
        raise _Damaged("no row")
    return Entry(_text(run), _real(clock), _text(kind), body, _real(written), _text(uid)), text, _text(told)


def _read_first_form(path: Path, db: sqlite3.Connection) -> Content:
    """Read a file of the first form, which had neither sums nor an identity."""
    row = db.execute("SELECT json FROM document WHERE id = 1").fetchone()
    if row is None:
        raise ContainerError(f"{named(path)} holds no job document.")
    rows: list[Entry] = []
    problems: list[str] = []
    try:
        for seq, run, written, clock, kind, data in db.execute(
            "SELECT seq, run, written_at, clock, kind, data FROM journal ORDER BY seq"
        ):
            body = json.loads(_text(data))
            if not isinstance(body, dict):
                raise _Damaged("no row")
            rows.append(Entry(_text(run), _real(clock), _text(kind), body, _real(written), f"first-{seq}"))
    except (sqlite3.Error, ValueError, _Damaged, RecursionError):
        problems.append(f"The journal of {named(path)} is damaged after {len(rows)} rows.")
    return Content(_text(row[0]), tuple(rows), NOBODY, 1, tuple(problems))
