"""Tables as they come off a clipboard: cells by tab, semicolon or comma, units in the heading or the cells."""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Sequence

from bibulon.core.units.units import QUANTITIES, System, UnitError, parse, settled_commas
from bibulon.core.units.words import tr

__all__ = ["PasteError", "cells_of", "columns_of", "table_text"]

LARGEST = 5_000_000  # characters
MOST_ROWS = 50_000


class PasteError(ValueError):
    """A pasted table that cannot be read; the text says which row and column."""


def cells_of(text: str) -> list[list[str]]:
    """Return a pasted text as rows of cells; empty rows are left out.

    Raises
    ------
    PasteError : when it is too large, or no table.
    """
    if len(text) > LARGEST:
        raise PasteError(
            tr("That is more than {} million characters: copy the table alone.", LARGEST // 1000000)
        )
    lines = [line for line in re.split(r"\r\n|\n|\r", text.replace("\x00", "")) if line.strip()]
    if not lines:
        return []
    if len(lines) > MOST_ROWS:
        raise PasteError(tr("That is a table of {0} rows: {1} at most.", len(lines), MOST_ROWS))
    mark = next((m for m in "\t;" if m in lines[0] or m in lines[-1]), None)
    if mark is None:
        # "1,5 2,5" is two numbers with decimal commas; "1.5,2.5" two numbers parted by a comma.
        if any(
            "," in line and "." not in line and " " in line.strip() and ", " not in line for line in lines
        ):
            return [re.split(r"\s+", line.strip()) for line in lines]
        if not any("," in line for line in lines):
            return [re.split(r"\s+", line.strip()) for line in lines]
        mark = ","
    try:
        return [[c.strip() for c in row] for row in csv.reader(lines, delimiter=mark)]
    except csv.Error as error:
        raise PasteError(tr("That is no table: a cell is too long, or a quotation mark is open.")) from error


def columns_of(
    text: str,
    quantities: Sequence[tuple[str, str]],
    system: System = "metric",
    least: int = 1,
    bare: dict[str, str] | None = None,
) -> list[tuple[float, ...]]:
    """Read a pasted table of figures into SI.

    Parameters
    ----------
    quantities : (name of the column, its quantity), in order.
    least : how many columns there must be; those missing are 0.
    bare : the unit of a column's figures where neither cell nor heading tells one; else the unit shown.

    Raises
    ------
    PasteError : when a cell is no figure of its quantity; says the row and the column.
    """
    rows = cells_of(text)
    if not rows:
        raise PasteError(tr("There is nothing to paste: copy the cells of a table first."))
    units = [(bare or {}).get(name, "") for name, _ in quantities]
    if not any(_is_number(cell) for cell in rows[0]):
        heads = rows.pop(0)
        told = [_unit_in(h, q[1]) for h, q in zip(heads, quantities, strict=False)]
        units = [a or b for a, b in zip(told + [""] * len(units), units, strict=False)]
        if not rows:
            raise PasteError(tr("There is a heading but no rows below it."))
    plain = settled_commas(cell for row in rows for cell in row)
    out = []
    for r, row in enumerate(rows, 1):
        if len(row) < least:
            raise PasteError(
                tr(
                    "Row {0} has {1} columns, {2} are needed: {3}.",
                    r,
                    len(row),
                    least,
                    ", ".join(q[0] for q in quantities),
                )
            )
        values = []
        for k, (name, quantity) in enumerate(quantities):
            cell = row[k] if k < len(row) else ""
            if not cell and k >= least:
                values.append(0.0)
                continue
            try:
                cell = plain(cell)
                values.append(
                    parse(f"{cell} {units[k]}" if units[k] and _bare(cell) else cell, quantity, system)
                )
            except UnitError as error:
                raise PasteError(tr("Row {0}, column {1}: {2}.", r, name, error)) from error
        out.append(tuple(values))
    return out


def table_text(heads: Sequence[str], rows: Sequence[Sequence[str]]) -> str:
    """Return a table as tab-separated text for the clipboard, headings first; cells with quotation marks are quoted."""
    text = io.StringIO()
    csv.writer(text, delimiter="\t", lineterminator="\n").writerows([heads, *rows])
    return text.getvalue().removesuffix("\n")


def _bare(cell: str) -> bool:
    return re.fullmatch(r"\s*[-+−]?[\d.,]+(?:[eE][-+−]?\d+)?\s*", cell) is not None


def _is_number(cell: str) -> bool:
    return re.match(r"\s*[-+−]?[\d.,]*\d", cell) is not None


def _unit_in(heading: str, quantity: str) -> str:
    """Return the unit that a heading tells in brackets, or as a word of its own; empty when it tells none."""
    if match := re.search(r"[\[(/]\s*([^\])/]+?)\s*[\])]?\s*$", heading):
        return match[1]
    known = {u.lower(): u for u in QUANTITIES[quantity].units if u}
    words = re.split(r"[\s_,]+", heading.strip())
    return next((known[w.lower()] for w in reversed(words[1:]) if w.lower() in known), "")
