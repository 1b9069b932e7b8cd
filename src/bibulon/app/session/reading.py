"""What a thread reads for a window: what is in a job's file, and what the first picture of it would wait for."""

from __future__ import annotations

import contextlib
from pathlib import Path

from bibulon.core.drawing.plan.solid import solid_of
from bibulon.core.geometry.outline import OutlineError
from bibulon.core.model.job import Part
from bibulon.core.run.journal import run_state
from bibulon.core.stack.laid import mould_area
from bibulon.store.ahead import Ahead, read_ahead

__all__ = ["make_ready", "read_ready"]


def read_ready(path: Path) -> Ahead:
    """Read a file, and work out what is asked first of a large one: its surface, and the state of its run.

    Raises
    ------
    JobFileError : when it cannot be read.
    """
    ahead = read_ahead(path)
    make_ready(ahead.loaded.job.part)
    run_state(ahead.loaded.journal)
    return ahead


def make_ready(part: Part) -> None:
    """Work out what a large surface is shown with, and its area; both are remembered."""
    if part.surface is not None:
        solid_of(part.surface)
    with contextlib.suppress(OutlineError):  # told where the part is shown
        mould_area(part)
