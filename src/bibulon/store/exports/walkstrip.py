"""The walk-round as a PDF at full size."""

from __future__ import annotations

from pathlib import Path

from bibulon.core.bag.bag import Bag
from bibulon.core.drawing.sheets.walkstrips import SHEET, walk_pages
from bibulon.core.units.units import System
from bibulon.core.units.words import tr
from bibulon.store.exports.pdf import write_pages

__all__ = ["write_walk"]


def write_walk(name: str, bag: Bag, path: Path, system: System = "metric") -> int:
    """Write the strips and return on how many sheets.

    Raises
    ------
    OSError : when the file cannot be written.
    """
    pages = walk_pages(name, bag, system)
    write_pages(pages, SHEET, path, tr("{}, walk-round", name))
    return len(pages)
