"""The air of this shop: what somebody last said it was, which new jobs begin with; a shop on a hill stays there."""

from __future__ import annotations

import math

from PySide6.QtCore import QSettings

from bibulon.core.edit.edit import change
from bibulon.core.model.job import Job
from bibulon.core.units.air import LEAST, MOST

__all__ = ["AIR", "with_shop_air"]

AIR = "shop/air"


def with_shop_air(settings: QSettings, job: Job) -> Job:
    """Return a new job in this shop's air; as it is, where nobody has said what that is."""
    try:
        air = float(str(settings.value(AIR, "")))
    except ValueError:
        return job
    if not math.isfinite(air) or not max(LEAST, job.conditions.vacuum) < air <= MOST:
        return job
    return change(job, conditions=job.conditions.replaced(atmosphere=air))
