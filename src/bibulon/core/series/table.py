"""A series as a table: a row a part, a column a figure, its unit in the heading; read back by the same headings."""

from __future__ import annotations

import csv
import io
import math
from collections.abc import Sequence

from bibulon.core.series.record import FIGURES
from bibulon.core.units.words import tr

__all__ = ["HEADINGS", "read_series", "series_table"]

UNITS = {"mass": "kg", "time": "s", "leak": "pa_m3_per_s"}
HEADINGS = {key: f"{key}_{UNITS[quantity]}" for key, (_, quantity) in FIGURES.items()}
MOST = 100_000  # rows


def series_table(parts: Sequence[tuple[str, dict[str, float]]]) -> str:
    """Return parts, each (name, figures by key [SI]), as CSV."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(["part", *HEADINGS.values()])
    for name, figures in parts:
        writer.writerow([name, *(f"{figures[k]:.9g}" if k in figures else "" for k in HEADINGS)])
    return out.getvalue()


def read_series(text: str) -> list[tuple[str, dict[str, float]]]:
    """Return the parts of a CSV, each (name, figures by key [SI]).

    Raises
    ------
    ValueError : names the row and the column that cannot be read, or says that no heading is known.
    """
    rows = list(csv.reader(io.StringIO(text)))
    if not rows:
        raise ValueError(tr("the table is empty"))
    if len(rows) > MOST:
        raise ValueError(tr("more than {} rows", MOST))
    heads = [h.strip().lower() for h in rows[0]]
    known = {heads.index(words): key for key, words in HEADINGS.items() if words in heads}
    if not known:
        raise ValueError(tr("none of the headings {} is there", ", ".join(HEADINGS.values())))
    out = []
    for n, row in enumerate(rows[1:], start=2):
        if not any(cell.strip() for cell in row):
            continue
        figures = {}
        for at, key in known.items():
            cell = row[at].strip() if at < len(row) else ""
            if not cell:
                continue
            try:
                value = float(cell)
            except ValueError:
                value = math.nan
            if not math.isfinite(value) or value < 0:
                raise ValueError(tr("row {0}, {1}: “{2}” is no figure", n, HEADINGS[key], cell[:40]))
            figures[key] = value
        name = row[heads.index("part")].strip() if "part" in heads and heads.index("part") < len(row) else ""
        out.append((name or tr("part {}", n - 1), figures))
    return out
