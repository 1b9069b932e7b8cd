"""The job card as PDF."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from bibulon.core.drawing.kit.pages import PAGE
from bibulon.core.drawing.sheets.card import card_pages
from bibulon.core.findings.judge import evidence_of, find
from bibulon.core.flow.build.builder import BuildError
from bibulon.core.flow.forecast import COARSE, Resolution, forecast
from bibulon.core.model.job import Job
from bibulon.core.run.journal import Entry
from bibulon.core.units.units import System
from bibulon.store.exports.pdf import write_pages

__all__ = ["write_card"]

ON_PAPER = Resolution(2600, 2, 24)


def write_card(job: Job, journal: Sequence[Entry], path: Path, system: System = "metric") -> None:
    """Work a job out and write its card.

    Raises
    ------
    OSError : when the file cannot be written.
    OutlineError : when the outline is crossed or empty.
    """
    try:
        result = forecast(job, ON_PAPER if job.stack else COARSE)
    except BuildError:
        result = None  # a card of an unfinished job still shows what there is
    evidence = evidence_of(job, result)
    pages = card_pages(job, evidence, find(evidence), journal, system)
    write_pages([page.items for page in pages], PAGE, path, job.name)
