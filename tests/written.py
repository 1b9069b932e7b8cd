"""A job as text, as a JSON file has its document."""

from __future__ import annotations

import json

from bibulon.core.model.job import Job
from bibulon.store.raw import raw_of


def written(job: Job) -> str:
    """Return the text."""
    return json.dumps(raw_of(job))
