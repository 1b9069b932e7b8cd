"""The job card as PDF."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from bibulon.core.drawing.kit.pages import PAGE
from bibulon.core.drawing.sheets.card import card_pages
from bibulon.core.findings.base import Evidence
from bibulon.core.flow.forecast import COARSE, FINE
from bibulon.core.model.job import Job
from bibulon.core.outlook.outlook import THROUGH, look_ahead
from bibulon.core.run.journal import Entry
from bibulon.core.units.units import System
from bibulon.store.exports.pdf import write_pages

__all__ = ["write_card"]


def write_card(job: Job, journal: Sequence[Entry], path: Path, system: System = "metric") -> None:
    """Work a job out and write its card.

    Raises
    ------
    OSError : when the file cannot be written.
    OutlineError : when the outline is crossed or empty.
    """
    outlook = look_ahead(job, FINE if job.stack else COARSE, fine=True)
    evidence = outlook.evidence or Evidence(job)
    pages = card_pages(job, evidence, outlook.findings, journal, system, outlook.contours.get(THROUGH))
    write_pages([page.items for page in pages], PAGE, path, job.name)
