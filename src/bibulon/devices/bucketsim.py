"""A simulated scale under a bucket: it reads a hidden mass, to ten grams, with the error of a shop scale."""

from __future__ import annotations

from collections.abc import Callable, Mapping

import numpy as np

from bibulon.core.units.words import tr
from bibulon.devices.device import DeviceError, Reading

__all__ = ["SimulatedScale"]

NOISE, STEP = 0.005, 0.01  # kg


class SimulatedScale:
    """Reads what ``left`` tells [kg], None for nothing to read, by seconds that are handed in; the same seed, the same error."""

    units: Mapping[str, str] = {"mass": "mass"}
    points: Mapping[str, str] = {}

    def __init__(
        self, left: Callable[[], float | None], clock: Callable[[], float], seed: int, name: str = "simulated scale"
    ) -> None:  # fmt: skip
        self.name, self._left, self._now, self._seed = name, left, clock, seed

    def read(self) -> Reading:
        """Return the mass [kg]."""
        now, left = self._now(), self._left()
        if left is None:
            return Reading(now, {}, gap=tr("{}: nothing stands on it yet", self.name))
        noise = NOISE * float(np.random.default_rng([self._seed, int(max(now, 0.0) * 10)]).standard_normal())
        return Reading(now, {"mass": max(round((left + noise) / STEP) * STEP, 0.0)})

    def write(self, point: str, value: float) -> None:
        """Refuse: nothing of it can be set."""
        raise DeviceError(tr("{0} has no set point {1}", self.name, point))
