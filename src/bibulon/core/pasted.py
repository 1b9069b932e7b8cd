"""Tables as they come off a clipboard: cells by tab, semicolon or comma, units in the heading or the cells."""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Sequence

from bibulon.core.units import System, UnitError, parse

__all__ = ["PasteError", "cells_of", "columns_of", "table_text"]


class PasteError(ValueError):
    """A pasted table that cannot be read; the text says which row and column."""


def cells_of(text: str) -> list[list[str]]:
    """Return a pasted text as rows of cells; empty rows are left out."""
    lines = [line for line in text.replace("\r\n", "\n").split("\n") if line.strip()]
    if not lines:
        return []
    mark = next((m for m in "\t;" if m in lines[0] or m in lines[-1]), None)
    if mark is None:
        # "1,5 2,5" is two numbers with decimal commas; "1.5,2.5" two numbers parted by a comma.
        if any("," in line and "." not in line and " " in line.strip() for line in lines):
            return [re.split(r"\s+", line.strip()) for line in lines]
        if not any("," in line for line in lines):
            return [re.split(r"\s+", line.strip()) for line in lines]
        mark = ","
    return [[c.strip() for c in row] for row in csv.reader(io.StringIO("\n".join(lines)), delimiter=mark)]


def columns_of(
    text: str, quantities: Sequence[tuple[str, str]], system: System = "metric", least: int = 1
) -> list[tuple[float, ...]]:
    """Read a pasted table of figures into SI.

    Parameters
    ----------
    quantities : (name of the column, its quantity), in order.
    least : how many columns there must be; those missing are 0.

    Raises
    ------
    PasteError : when a cell is no figure of its quantity; says the row and the column.
    """
    rows = cells_of(text)
    if not rows:
        raise PasteError("There is nothing to paste: copy the cells of a table first.")
    units = ["" for _ in quantities]
    if not any(_is_number(cell) for cell in rows[0]):
        units = [_unit_in(cell) for cell in rows.pop(0)]
        if not rows:
            raise PasteError("There is a heading but no rows below it.")
    out = []
    for r, row in enumerate(rows, 1):
        if len(row) < least:
            raise PasteError(
                f"Row {r} has {len(row)} columns, {least} are needed: {', '.join(q[0] for q in quantities)}."
            )
        values = []
        for k, (name, quantity) in enumerate(quantities):
            cell = row[k] if k < len(row) else ""
            if not cell and k >= least:
                values.append(0.0)
                continue
            unit = units[k] if k < len(units) else ""
            try:
                values.append(parse(f"{cell} {unit}" if unit and _bare(cell) else cell, quantity, system))
            except UnitError as error:
                raise PasteError(f"Row {r}, column {name}: {error}.") from error
        out.append(tuple(values))
    return out


def table_text(heads: Sequence[str], rows: Sequence[Sequence[str]]) -> str:
    """Return a table as tab-separated text for the clipboard, headings first."""
    return "\n".join("\t".join(row) for row in [heads, *rows])


def _bare(cell: str) -> bool:
    return re.fullmatch(r"\s*[-+]?[\d.,]+(?:[eE][-+]?\d+)?\s*", cell) is not None


def _is_number(cell: str) -> bool:
    return re.match(r"\s*[-+−]?[\d.,]*\d", cell) is not None


def _unit_in(heading: str) -> str:
    """Return the unit that a heading tells in brackets or after its last space; empty when it tells none."""
    if match := re.search(r"[\[(/]\s*([^\])/]+?)\s*[\])]?\s*$", heading):
        return match[1]
    words = heading.split()
    return words[-1] if len(words) > 1 else ""
