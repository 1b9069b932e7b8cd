"""A clock that runs faster than another, or stands still: for practice."""

from __future__ import annotations

from bibulon.core.run.clock import Clock, Instant

__all__ = ["ScaledClock"]


class ScaledClock:
    """Goes on from where the other one stands now, so many times as fast; a change of speed never makes it jump."""

    def __init__(self, clock: Clock, speed: float = 1.0) -> None:
        self.clock, self.speed = clock, speed
        self._real = self._own = clock.now()

    def now(self) -> Instant:
        """Return the moment."""
        by = (self.clock.now().up - self._real.up) * self.speed
        return Instant(self._own.wall + by, self._own.up + by, self._own.boot)

    def set_speed(self, speed: float) -> None:
        """Run so many times as fast from now on; 0 stands still."""
        self._own, self._real = self.now(), self.clock.now()
        self.speed = speed
