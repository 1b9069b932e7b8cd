"""What a job file holds, whatever its form: document, rows, who the file is; and the sums that guard them.

Over the rows runs a chain: each row's sum covers the row before, and the file's head names the last sum and
the count, so that a row changed, missing or out of place is seen.
"""

from __future__ import annotations

import hashlib
import json
import math
import time
from collections.abc import Iterable, Sequence

from msgspec import Struct
from msgspec.structs import replace

from bibulon.core.run.journal import Entry
from bibulon.core.units.words import tr
from bibulon.store.document import Document

__all__ = [
    "CONTAINER",
    "KEPT",
    "NOBODY",
    "ContainerError",
    "Content",
    "Row",
    "Tag",
    "canonical",
    "chained",
    "document_sum",
    "head_of",
    "row_sum",
    "seed",
]

CONTAINER = 3  # 1: rows without sums; 2: the document in one; 3: a text and its parts
KEPT = "kept"  # what a JSON file holds beside the document's own fields


class ContainerError(Exception):
    """A file that cannot be read or written; the text says what and why, for people."""


class Tag(Struct, frozen=True):
    """Who a file is: its identity, and for a working file whose it is (path and identity)."""

    id: str
    home: str = ""
    home_id: str = ""


NOBODY = Tag("")


class Content(Struct, frozen=True):
    """What a file holds: the document as JSON text and parts, the rows, the tag, its version, and what is damaged.

    ``edited`` tells that the document of a JSON file was changed by another program since it was written.
    """

    document: Document
    rows: tuple[Entry, ...]
    tag: Tag
    version: int
    problems: tuple[str, ...] = ()
    edited: bool = False


def document_sum(tag: Tag, document: str) -> str:
    """Return the sum over a document and who its file is."""
    return _sum("document", tag.id, tag.home, tag.home_id, document)


def _sum(*texts: str) -> str:
    whole = hashlib.sha256()
    for text in texts:
        data = text.encode("utf-8", "surrogatepass")
        whole.update(len(data).to_bytes(8, "big") + data)
    return whole.hexdigest()[:32]


def row_sum(before: str, entry: Entry, data: str) -> str:
    """Return the sum over a row, its data as text, and the sum of the row before."""
    return _sum(before, entry.run, repr(entry.written_at), repr(entry.clock), entry.kind, data, entry.uid)


class Row(Struct, frozen=True):
    """A row as it is written: entry, its data as text, and its sum."""

    entry: Entry
    data: str
    sum: str


def chained(entries: Iterable[Entry], before: str) -> list[Row]:
    """Return entries as rows, each with its sum.

    Raises
    ------
    ContainerError : when a time is no number.
    """
    rows = []
    for entry in entries:
        if not (math.isfinite(entry.clock) and math.isfinite(entry.written_at)):
            raise ContainerError(tr("“{}” has a time that is no number and was not stored.", entry.kind))
        entry = replace(entry, written_at=float(entry.written_at or time.time()), clock=float(entry.clock))
        data = json.dumps(entry.data)
        before = row_sum(before, entry, data)
        rows.append(Row(entry, data, before))
    return rows


def seed(tag: Tag) -> str:
    """Return the sum that stands before a file's first row."""
    return _sum("journal", tag.id)


def head_of(rows: Sequence[Row], before: str, count: int) -> dict[str, str]:
    """Return the head of a file whose last rows are these, after ``count`` others that end with the sum ``before``."""
    return {"head": rows[-1].sum if rows else before, "count": str(count + len(rows))}


def canonical(document: object) -> str:
    """Return a document as the text that its sum in a JSON file covers."""
    return json.dumps(document, sort_keys=True)
