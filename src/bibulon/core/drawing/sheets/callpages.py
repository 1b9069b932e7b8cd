"""The calling sheet on paper: large enough to be read across a shop, and as rows."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from bibulon.core.drawing.kit.pages import LEFT, PAGE, RIGHT, Page
from bibulon.core.drawing.kit.scene import Item, Label, Line
from bibulon.core.drawing.kit.tokens import PAPER, WEIGHT
from bibulon.core.run.callsheet import SheetRow
from bibulon.core.units.units import clock
from bibulon.core.units.words import tr

__all__ = ["HEADS", "call_pages", "call_rows"]

HEADS = ("when", "to", "say", "on what sign", "front then")
ROW = 96.0  # px of a call
SAFETY = "Gloves, eyes, air. Hoses tied. A hot bucket goes outside, on metal. The data sheet comes first."


def call_rows(rows: Sequence[SheetRow]) -> list[tuple[str, ...]]:
    """Return the sheet as text, headings first."""
    return [HEADS, *((clock(r.time), r.to, r.say, r.sign, r.front) for r in rows)]


def call_pages(title: str, rows: Sequence[SheetRow]) -> list[Page]:
    """Return the sheet: time and words large, sign and front below them."""
    per_page = int((PAGE[1] - 150) // ROW)
    pages: list[Page] = []
    for start in range(0, max(len(rows), 1), per_page):
        items: list[Item] = [
            Label(LEFT, 40, title, PAPER.ink, 20, True, "l"),
            Label(RIGHT, 40, tr("calls · page {}", len(pages) + 1), PAPER.soft, 12, anchor="r"),
            Line([np.array([[LEFT, 60.0], [RIGHT, 60.0]])], PAPER.ink, WEIGHT["heavy"]),
        ]
        for k, row in enumerate(rows[start : start + per_page]):
            y = 76 + ROW * k
            items += [
                Label(LEFT + 108, y + 26, clock(row.time), PAPER.ink, 34, True, "r"),
                Label(LEFT + 128, y + 26, row.say, PAPER.ink, 30, True, "l"),
                Label(LEFT + 128, y + 56, f"{row.to}: {row.sign}", PAPER.ink, 15, False, "l"),
                Label(LEFT + 128, y + 76, tr("front {}", row.front), PAPER.soft, 14, False, "l"),
                Line([np.array([[LEFT, y + ROW - 4], [RIGHT, y + ROW - 4]])], PAPER.edge, WEIGHT["thin"]),
            ]
        items.append(Label(LEFT, PAGE[1] - 30, SAFETY, PAPER.soft, 12, anchor="l"))
        pages.append(Page(items))
    return pages
