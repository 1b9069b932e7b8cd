"""The machine's own clock."""

from __future__ import annotations

import time
from pathlib import Path

from bibulon.core.run.clock import Instant

__all__ = ["SystemClock"]


class SystemClock:
    """Wall time, and the seconds since the machine started, sleep included."""

    def __init__(self) -> None:
        try:
            self._boot = Path("/proc/sys/kernel/random/boot_id").read_text().strip()
        except OSError:
            self._boot = ""

    def now(self) -> Instant:
        """Return the moment."""
        return Instant(time.time(), time.clock_gettime(time.CLOCK_BOOTTIME), self._boot)
