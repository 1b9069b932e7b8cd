"""A simulated thermometer on a part that cures: it reads a hidden course, with the error of a thermocouple."""

from __future__ import annotations

from collections.abc import Callable, Mapping

import numpy as np
import numpy.typing as npt

from bibulon.core.units.words import tr
from bibulon.devices.device import DeviceError, Reading

__all__ = ["PartThermometer"]

Floats = npt.NDArray[np.float64]
NOISE, BIAS = 0.3, 0.6  # K of each reading, and of all alike


class PartThermometer:
    """Reads a course of times [s] and temperatures [K] by seconds that are handed in; the same seed, the same error."""

    units: Mapping[str, str] = {"temperature": "temperature"}
    points: Mapping[str, str] = {}

    def __init__(
        self, time: Floats, temperature: Floats, clock: Callable[[], float], seed: int, name: str = "simulated thermometer"
    ) -> None:  # fmt: skip
        self.name, self._time, self._temperature, self._now, self._seed = name, time, temperature, clock, seed
        self._bias = BIAS * float(np.random.default_rng([seed, 7]).standard_normal())

    def read(self) -> Reading:
        """Return the temperature [K], to a tenth."""
        now = self._now()
        noise = NOISE * float(np.random.default_rng([self._seed, int(max(now, 0.0) * 10)]).standard_normal())
        warm = float(np.interp(now, self._time, self._temperature)) + self._bias + noise
        return Reading(now, {"temperature": round(warm, 1)})

    def write(self, point: str, value: float) -> None:
        """Refuse: nothing of it can be set."""
        raise DeviceError(tr("{0} has no set point {1}", self.name, point))
