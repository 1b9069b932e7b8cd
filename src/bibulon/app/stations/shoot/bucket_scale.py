"""A scale under the bucket, followed while a run is on: each row on disk before it is shown, a gap a gap."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QObject, QTimer, Signal

from bibulon.app.session.session import Session
from bibulon.app.work.ask import Ask
from bibulon.core.run.scale import due, scale_entry
from bibulon.core.units.units import show
from bibulon.devices.device import Reading
from bibulon.devices.watched import Watched

__all__ = ["BucketScale"]

TICK_MS = 1000


class BucketScale(QObject):
    """``told`` is what it says, in words; ``changed`` that it says something else.  ``mixed`` tells what was put into the bucket."""

    changed = Signal()

    def __init__(self, session: Session, mixed: Callable[[], float | None]) -> None:
        super().__init__(session)
        self.session, self._mixed = session, mixed
        self.told = ""
        self._last: tuple[float, float] | None = None
        self._run = ""
        self.reading = Ask(self, lambda: (session.number, self.device))
        self.reading.ready.connect(self._took)
        self._ticker = QTimer(self)
        self._ticker.setInterval(TICK_MS)
        self._ticker.timeout.connect(self.tick)
        session.closing.connect(self._ticker.stop)

    @property
    def device(self) -> Watched | None:
        """The scale; None where a person weighs and types."""
        return self.session.instruments.others.get("mass")

    def follow(self, running: bool) -> None:
        """Read it while a run is on."""
        if running and not self._ticker.isActive():
            self._ticker.start()
        elif not running:
            self._ticker.stop()
            self._say("")

    def tick(self) -> None:
        """Read it: off the interface thread where it lets wait for its answer."""
        device, now = self.device, self.session.elapsed()
        if device is None:
            self._say("")
        elif not getattr(device.device, "waits", False):
            self._took(device.read(now))
        elif not self.reading.busy:
            self.reading.want(lambda: device.read(now))

    def stamp_now(self) -> bool:
        """Write a row at the next reading, however little has gone; return whether there is a scale to read."""
        self._last = None
        if self.device is None:
            return False
        self.tick()
        return True

    def _took(self, reading: Reading) -> None:
        device, state, mixed = self.device, self.session.run_state(), self._mixed()
        if device is None or not state.running:
            return
        left = reading.values.get("mass")
        if left is None:
            if reading.gap:
                self._say(reading.gap)
            return
        if state.run != self._run:
            self._run, self._last = state.run, None
        left = max(left, 0.0)
        if mixed is not None and due(reading.time, left, self._last):
            wall = self.session.run_clock.wall()
            if not self.session.log_readings(
                scale_entry(state.run, max(reading.time, 0.0), left, mixed, device.name, wall)
            ):
                return
            self._last = (reading.time, left)
        words = f"{device.name}: {show(left, 'mass', self.session.system, 2)}"
        self._say(f"{words}; {device.note}" if device.note else words)

    def _say(self, words: str) -> None:
        if words != self.told:
            self.told = words
            self.changed.emit()
