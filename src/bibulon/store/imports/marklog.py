"""Marks of a front out of a CSV: x_mm, y_mm, time_s, kind."""

from __future__ import annotations

import csv
import io
import math
from pathlib import Path

from bibulon.core.run.journal import FrontMark
from bibulon.core.units.units import UnitError, parse
from bibulon.core.units.words import tr
from bibulon.store.durable import named
from bibulon.store.imports.gaugelog import LogError, text_of

__all__ = ["parse_marks", "read_marks"]

KINDS = {
    "front": "front", "wet": "front", "passed": "front", "seen": "front", "": "front",
    "dry": "dry", "not yet": "dry", "not_yet": "dry", "not-yet": "dry", "notyet": "dry",
}  # fmt: skip


def read_marks(path: Path) -> list[FrontMark]:
    """Read a file of marks; see ``parse_marks``.

    Raises
    ------
    LogError : when it cannot be read; says where.
    """
    text = text_of(path, "file of marks")
    return parse_marks(text, named(path))


def parse_marks(text: str, name: str) -> list[FrontMark]:
    """Return marks in the order of the file; a time may be seconds or m:ss.

    Raises
    ------
    LogError : when a column is missing, or a cell is no number; says which line.
    """
    delimiter = ";" if text.split("\n", 1)[0].count(";") > text.split("\n", 1)[0].count(",") else ","
    rows = list(csv.reader(io.StringIO(text), delimiter=delimiter))
    if not rows or not any(cell.strip() for cell in rows[0]):
        raise LogError(tr("{} is empty.", name))
    head = [cell.strip().lower() for cell in rows[0]]
    where = {}
    for column in ("x_mm", "y_mm", "time_s"):
        if column not in head:
            raise LogError(
                tr("{0}, line 1: there is no column {1}; wanted are x_mm, y_mm, time_s, kind.", name, column)
            )
        where[column] = head.index(column)
    kind_at = head.index("kind") if "kind" in head else -1
    out = []
    for number, row in enumerate(rows[1:], 2):
        if not any(cell.strip() for cell in row):
            continue
        cells = {}
        for column, at in where.items():
            cell = row[at].strip() if at < len(row) else ""
            cells[column] = _number(cell, column, name, number, delimiter)
        kind = row[kind_at].strip().lower() if 0 <= kind_at < len(row) else ""
        if kind not in KINDS:
            raise LogError(tr("{0}, line {1}: “{2}” is no kind of mark: front, or dry.", name, number, kind))
        out.append(
            FrontMark(
                cells["x_mm"] / 1e3, cells["y_mm"] / 1e3, cells["time_s"], KINDS[kind], tr("line {}", number)
            )
        )
    if not out:
        raise LogError(tr("{} holds no marks.", name))
    return out


def _number(cell: str, column: str, name: str, line: int, delimiter: str) -> float:
    try:
        if column == "time_s" and ":" in cell:
            return parse(cell, "time")
        value = float(cell.replace(",", ".") if delimiter == ";" else cell)
    except (ValueError, UnitError) as error:
        raise LogError(tr("{0}, line {1}: “{2}” in {3} is no number.", name, line, cell, column)) from error
    if not math.isfinite(value) or (column == "time_s" and value < 0):
        raise LogError(tr("{0}, line {1}: {2} is no {3}.", name, line, cell, column))
    return value
