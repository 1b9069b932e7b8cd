"""Ply book, core kit and material totals as files: PDF for the wall, CSV for a spreadsheet."""

from __future__ import annotations

import csv
from collections.abc import Callable, Sequence
from pathlib import Path

from msgspec import Struct

from bibulon.core.bag.bag import NO_BAG, has_bag
from bibulon.core.drawing.kit.pages import PAGE, Page
from bibulon.core.drawing.sheets.kitlist import kit_pages_of, walk_list, walk_list_pages
from bibulon.core.drawing.sheets.mixsheet import mix_pages, mix_rows
from bibulon.core.drawing.sheets.plybook import book_pages, core_rows, kit_pages, ply_rows
from bibulon.core.drawing.sheets.storelists import line_pages, material_rows, totals_pages
from bibulon.core.lines.kit import kit_rows
from bibulon.core.lines.linelist import line_rows
from bibulon.core.model.job import Job
from bibulon.core.units.units import System
from bibulon.core.units.words import tr
from bibulon.store.durable import aside
from bibulon.store.exports.pdf import write_pages

__all__ = ["LISTS", "FloorList", "write_csv", "write_list"]


class FloorList(Struct, frozen=True):
    """A list for the floor: its name, its pages and its rows, and whether a job has one."""

    name: str
    pages: Callable[[Job, System], list[Page]]
    rows: Callable[[Job, System], list[tuple[str, ...]]]
    stands: Callable[[Job], bool] = lambda _: True


LISTS: dict[str, FloorList] = {
    "ply-book": FloorList(tr("Ply book"), book_pages, ply_rows),
    "core-kit": FloorList(tr("Core kit"), kit_pages, core_rows),
    "line-list": FloorList(tr("Line list"), line_pages, line_rows),
    "kit": FloorList("Kit", kit_pages_of, kit_rows),
    "walk-round": FloorList("Walk-round", walk_list_pages, walk_list, has_bag),
    "mixing": FloorList(tr("Mixing cards"), mix_pages, mix_rows),
    "material": FloorList(tr("Material totals"), totals_pages, material_rows),
}


def write_csv(rows: Sequence[Sequence[str]], path: Path) -> None:
    """Write rows as CSV, aside first.

    Raises
    ------
    OSError : when the file cannot be written.
    """
    with aside(path) as part, part.open("w", encoding="utf-8", newline="") as file:
        csv.writer(file).writerows(rows)


def write_list(job: Job, key: str, path: Path, system: System = "metric") -> None:
    """Write one of ``LISTS`` in the form that the file's ending names.

    Raises
    ------
    ValueError : when the ending is neither .pdf nor .csv, or there is no such list.
    OutlineError : when an outline is crossed or empty.
    OSError : when the file cannot be written.
    """
    if key not in LISTS:
        raise ValueError(tr("there is no list “{0}”: use one of {1}", key, ", ".join(LISTS)))
    told = LISTS[key]
    if not told.stands(job):
        raise ValueError(tr(NO_BAG))
    match path.suffix.lower():
        case ".csv":
            write_csv(told.rows(job, system), path)
        case ".pdf":
            write_pages([p.items for p in told.pages(job, system)], PAGE, path, f"{job.name}, {told.name}")
        case other:
            raise ValueError(tr("A list is written as .pdf or .csv, not as “{}”.", other or path.name))
