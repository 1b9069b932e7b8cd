"""Pages of paper: headings, text, tables and drawings laid one below another."""

from __future__ import annotations

import textwrap
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from msgspec.structs import replace

from bibulon.core.drawing.kit.scene import Area, Clip, Item, Label, Line, Picture, Texture
from bibulon.core.drawing.kit.tokens import PAPER, WEIGHT
from bibulon.core.units.words import tr

__all__ = ["LEFT", "PAGE", "RIGHT", "Page", "Pages", "shifted"]

PAGE = (794.0, 1123.0)  # A4 at 96 px an inch
LEFT, RIGHT = 48.0, 746.0


@dataclass
class Page:
    """One page: its shapes, and how far down it is used [px]."""

    items: list[Item]
    y: float = 48.0


class Pages:
    """Lays things down the pages one below another."""

    def __init__(self, title: str, what: str) -> None:
        self.title, self.what = title, what
        self.pages: list[Page] = []
        self.turn()

    def turn(self) -> None:
        """Begin a new page."""
        page = Page([])
        self.pages.append(page)
        number = len(self.pages)
        page.items.append(Label(LEFT, 36, self.title, PAPER.ink, 18, True, "l"))
        page.items.append(
            Label(RIGHT, 36, tr("{0} · page {1}", self.what, number), PAPER.soft, 11, anchor="r")
        )
        page.items.append(Line([np.array([[LEFT, 52.0], [RIGHT, 52.0]])], PAPER.ink, WEIGHT["line"]))
        page.y = 66

    def room(self, height: float) -> Page:
        """Return the page with so much room left, a new one if need be."""
        if self.pages[-1].y + height > PAGE[1] - 48:
            self.turn()
        return self.pages[-1]

    def heading(self, text: str) -> None:
        """Lay a heading."""
        page = self.room(60)
        page.items.append(Label(LEFT, page.y + 12, text, PAPER.ink, 14, True, "l"))
        page.y += 26

    def line(self, text: str, bold: bool = False, size: float = 11.5) -> None:
        """Lay a line of text, wrapped where it is too long."""
        for part in _wrapped(tr(text), int((RIGHT - LEFT) / (size * 0.52))):
            page = self.room(size * 1.5)
            page.items.append(Label(LEFT, page.y + size * 0.7, part, PAPER.ink, size, bold, "l"))
            page.y += size * 1.5

    def table(self, columns: Sequence[tuple[str, float, str]], rows: Sequence[Sequence[str]]) -> None:
        """Lay a table; columns are (heading, x from the left, anchor)."""
        self._row([c[0] for c in columns], columns, head=True)
        for row in rows:
            self._row(row, columns, head=False)
        self.pages[-1].y += 8

    def rows(self, rows: Sequence[Sequence[str]], columns: Sequence[tuple[int, float, str]]) -> None:
        """Lay chosen columns of rows, whose first is the heading; columns are (index, x, anchor)."""
        self.table(
            [(rows[0][i], x, anchor) for i, x, anchor in columns],
            [[r[i] for i, *_ in columns] for r in rows[1:]],
        )

    def _row(self, cells: Sequence[str], columns: Sequence[tuple[str, float, str]], head: bool) -> None:
        page = self.room(17)
        y = page.y + 8
        for text, (_, x, anchor) in zip(cells, columns, strict=True):
            page.items.append(Label(LEFT + x, y, text, PAPER.soft if head else PAPER.ink, 11, False, anchor))
        page.items.append(Line([np.array([[LEFT, y + 9], [RIGHT, y + 9]])], PAPER.edge, WEIGHT["hair"]))
        page.y += 17

    def drawing(self, items: Sequence[Item], height: float) -> None:
        """Lay a drawing made for a field of (RIGHT − LEFT) by ``height`` px."""
        page = self.room(height)
        page.items += [shifted(item, LEFT, page.y) for item in items]
        page.y += height + 6


def _wrapped(text: str, length: int) -> list[str]:
    return textwrap.wrap(text, max(length, 20)) or [""]


def shifted(item: Item, dx: float, dy: float) -> Item:
    """Return a shape moved by px."""
    by = np.array([dx, dy])
    match item:
        case Area() | Texture():
            return replace(item, rings=[r + by for r in item.rings])
        case Line():
            return replace(item, paths=[p + by for p in item.paths])
        case Label() | Picture():
            return replace(item, x=item.x + dx, y=item.y + dy)
        case Clip():
            return Clip([r + by for r in item.rings], [shifted(i, dx, dy) for i in item.items])
