"""The recipe of an injection as a file: PDF for the wall, CSV for a spreadsheet, JSON for a machine."""

from __future__ import annotations

import json
import math
from pathlib import Path
from typing import Any

from bibulon.core.drawing.kit.pages import PAGE
from bibulon.core.drawing.sheets.recipesheet import recipe_pages, recipe_rows
from bibulon.core.flow.forecast import Forecast
from bibulon.core.model.job import Job
from bibulon.core.mould.recipe import course_of, recipe_of
from bibulon.core.units.figures import worded
from bibulon.core.units.units import System
from bibulon.core.units.words import tr
from bibulon.store.durable import aside
from bibulon.store.exports.lists import write_csv
from bibulon.store.exports.pdf import write_pages

__all__ = ["recipe_document", "write_recipe"]


def recipe_document(job: Job, forecast: Forecast) -> dict[str, Any]:
    """Return the recipe as a document whose keys end in their unit; None for what a stage has not, or never ends."""
    course = course_of(job, forecast)
    return {
        "job": job.name,
        "stages": [
            {
                "key": s.key, "words": worded(s.words, "metric"), "until": worded(s.until, "metric"),
                "lasts_s": s.seconds if math.isfinite(s.seconds) else None,
                "pressure_kpa": s.pressure / 1e3 if s.pressure is not None else None, "mass_kg": s.mass, "caution": s.caution,
            }
            for s in recipe_of(job, forecast)
        ],
        "course": [
            {"time_s": float(t), "pressure_kpa": float(p) / 1e3, "flow_kg_per_min": float(q) * 60, "mass_kg": float(m)}
            for t, p, q, m in zip(course.time, course.pressure, course.flow, course.mass, strict=True)
        ],
    }  # fmt: skip


def write_recipe(job: Job, forecast: Forecast, path: Path, system: System = "metric") -> None:
    """Write the recipe in the form that the file's ending names.

    Raises
    ------
    ValueError : when the ending is none of .pdf, .csv and .json.
    OSError : when the file cannot be written.
    """
    match path.suffix.lower():
        case ".csv":
            write_csv(recipe_rows(job, forecast, system), path)
        case ".pdf":
            write_pages(
                [p.items for p in recipe_pages(job, forecast, system)], PAGE, path, tr("{}, recipe", job.name)
            )
        case ".json":
            text = json.dumps(recipe_document(job, forecast), indent=1, ensure_ascii=False)
            with aside(path) as part:
                part.write_text(text + "\n", encoding="utf-8")
        case other:
            raise ValueError(
                tr("A recipe is written as .pdf, .csv or .json, not as “{}”.", other or path.name)
            )
