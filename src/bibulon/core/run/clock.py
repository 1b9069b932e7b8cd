"""Time in a run: one clock that never goes back, tied to the wall's clock once, whatever is done to that one."""

from __future__ import annotations

from typing import Protocol

from msgspec import Struct

from bibulon.core.run.journal import RunState

__all__ = ["Clock", "Instant", "RunClock"]

JUMP = 2.0  # s by which the wall's clock may drift between two looks before it counts as set


class Instant(Struct, frozen=True):
    """A moment: Unix time as the wall's clock tells it, and seconds since the machine was started as ``boot``.

    The latter go on while the machine sleeps and are never set.
    """

    wall: float
    up: float
    boot: str


class Clock(Protocol):
    """What tells the moment."""

    def now(self) -> Instant:
        """Return the moment."""
        ...


class RunClock:
    """Seconds into a run, by a clock that is handed in.

    Within one start of the machine they come from its own seconds alone.  A run that is taken up after a
    restart is tied anew, by the wall's clock, but never before its last row.
    """

    def __init__(self, clock: Clock) -> None:
        self.clock = clock
        self._run = ""
        self._tie = (0.0, 0.0)  # seconds into the run, at this up time
        first = clock.now()
        self._wall_less_up = first.wall - first.up

    def began(self) -> dict[str, object]:
        """Return what the row that starts a run holds of time."""
        now = self.clock.now()
        return {"began": now.wall, "up": now.up, "boot": now.boot}

    def wall(self) -> float:
        """Return the Unix time."""
        return self.clock.now().wall

    def elapsed(self, state: RunState) -> float:
        """Return seconds since the run began; its length once it is stopped."""
        if not state.run:
            return 0.0
        if state.stopped_at is not None:
            return state.stopped_at
        now = self.clock.now()
        if state.run != self._run:
            self._run = state.run
            same = state.boot == now.boot and state.up is not None
            since = now.up - state.up if same and state.up is not None else now.wall - state.began
            self._tie = (max(since, state.last, 0.0), now.up)
        return max(self._tie[0] + now.up - self._tie[1], state.last)

    def jump(self) -> float:
        """Return by how many seconds the wall's clock was set since the last look; 0 when it was not."""
        now = self.clock.now()
        by = (now.wall - now.up) - self._wall_less_up
        if abs(by) < JUMP:
            return 0.0
        self._wall_less_up = now.wall - now.up
        return by
