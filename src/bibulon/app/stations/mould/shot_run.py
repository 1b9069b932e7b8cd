"""One shot on a machine while it runs: stepped or asked by a timer, its readings as a course, an emergency stop."""

from __future__ import annotations

import re
import uuid
from collections.abc import Callable
from pathlib import Path

import numpy as np
from PySide6.QtCore import QObject, QTimer, Signal

from bibulon.app.work.ask import Ask
from bibulon.core.mould.recipe import Course
from bibulon.core.run.clock import Instant
from bibulon.core.run.journal import Entry
from bibulon.core.run.shots import ShotRecorder
from bibulon.core.units.words import tr
from bibulon.devices.device import DeviceError, Reading
from bibulon.devices.injector import Injection, Injector
from bibulon.devices.machine import SimulatedMachine
from bibulon.devices.modbus import ModbusDevice
from bibulon.devices.registers import read_map, shipped_map

__all__ = ["ShotRun"]

EVERY_MS = 100
FASTER = 20.0  # times that the simulated machine runs faster than the clock
ADDRESS = re.compile(
    r"([A-Za-z0-9_.-]+):(\d{1,5})(?:\s+(\S.*))?"
)  # and a file of registers, where it has its own


class ShotRun(QObject):
    """``changed`` tells that there is something new to show; ``refused`` why a shot was not begun.

    keep : writes a row of the journal, returns whether it is on disk; only of what runs by the clock.
    clock : the moment, by which a real machine runs; a simulated one runs ``faster``, unless it is to go by the clock too.
    """

    changed = Signal()
    refused = Signal(str)

    def __init__(self, parent: QObject, keep: Callable[[Entry], bool], clock: Callable[[], Instant]) -> None:
        super().__init__(parent)
        self._keep, self._clock = keep, clock
        self._up: float | None = (
            None  # of the clock, when a simulated machine that goes by it was stepped last [s]
        )
        self.recorder: ShotRecorder | None = None
        self.faster = FASTER
        self._density = 1000.0
        self.run: Injector | None = None
        self.machine: SimulatedMachine | ModbusDevice | None = None
        self._timer = QTimer(self)
        self._timer.setInterval(EVERY_MS)
        self._timer.timeout.connect(self._tick)
        self._ask = Ask(self, lambda: self.run)  # a controller may be slow to answer
        self._ask.ready.connect(self._answered)
        self._ask.failed.connect(self._lost)
        self._halt = Ask(self, lambda: None)  # not behind a reading that waits
        self._halt.failed.connect(
            lambda error: self.refused.emit(tr("{} Use the machine's own stop.", error))
        )

    @property
    def going(self) -> bool:
        """Whether it runs."""
        return self._timer.isActive()

    @property
    def last(self) -> Reading | None:
        """The newest reading."""
        return self.run.rows[-1] if self.run is not None and self.run.rows else None

    @property
    def time(self) -> float:
        """Since it began [s of the machine's clock]."""
        return (
            self.run.rows[-1].time - self.run.rows[0].time if self.run is not None and self.run.rows else 0.0
        )

    @property
    def ended(self) -> str:
        """Why it ended; empty while it runs."""
        return self.run.ended if self.run is not None else ""

    @property
    def course(self) -> Course | None:
        """What came so far; None before there is anything."""
        rows = [r for r in self.run.rows if r.values] if self.run is not None else []
        if len(rows) < 3:
            return None
        time = np.array([r.time - rows[0].time for r in rows])
        pressure, flow, mass = (
            np.array([r.values.get(k, 0.0) for r in rows]) for k in ("pressure", "flow", "mass")
        )
        per_volume = self._density
        return Course(time, pressure, flow * per_volume, mass, 0.0)

    def _wall(self) -> float:
        return self._clock().wall

    def begin(
        self, plan: Injection, simulated: SimulatedMachine, where: str, *, by_clock: bool = False
    ) -> None:
        """Begin a shot on the simulated machine, or on the controller at HOST:PORT when an address is given.

        by_clock : the simulated machine goes by the clock, and what it does is kept.
        """
        if self.going:
            return
        self._density = simulated.part.density
        self.close()
        if where:
            told = ADDRESS.fullmatch(where)
            if told is None or not 0 < int(told[2]) < 65536:
                self.refused.emit(tr("“{}” is no address: type HOST:PORT, such as 127.0.0.1:5020.", where))
                return
            try:
                registers = read_map(Path(told[3])) if told[3] else shipped_map()
            except (OSError, ValueError) as error:
                self.refused.emit(tr("Its registers cannot be read: {}", error))
                return
            self.machine = ModbusDevice(registers, told[1], int(told[2]))
        else:
            self.machine = simulated
        self.run = run = Injector(self.machine, plan)
        self.recorder = None
        self._up = self._clock().up if by_clock and not where else None
        if where or by_clock:
            recorder = ShotRecorder.begun(uuid.uuid4().hex[:8])
            if not self._keep(
                recorder.start(where or simulated.name, plan.rate, plan.pressure, plan.mass, self._wall())
            ):
                self.run = None  # what cannot be kept is not begun
                return
            self.recorder = recorder
        if where:
            self._ask.want(run.begin)
            return
        try:
            run.begin()
        except DeviceError as error:
            self._lost(error)
            return
        self._timer.start()
        self.changed.emit()

    def _answered(self, reading: Reading | None) -> None:
        """A controller has taken its points, and runs; or has been read."""
        if reading is None:
            self._timer.start()
        self._looked()

    def _tick(self) -> None:
        run, machine = self.run, self.machine
        if run is None:
            self._timer.stop()
        elif isinstance(machine, SimulatedMachine):
            machine.step(self._passed())
            run.look()
            self._looked()
        elif not self._ask.busy:
            self._ask.want(run.look)

    def _passed(self) -> float:
        """Return how much time a simulated machine is to live through [s]."""
        if self._up is None:
            return EVERY_MS / 1000 * self.faster
        now = self._clock().up
        passed, self._up = now - self._up, now
        return max(passed, 0.0)

    def _looked(self) -> None:
        last = self.last
        if self.recorder is not None and last is not None and last.values:
            v = last.values
            row = self.recorder.take(
                self.time, v.get("pressure", 0.0), v.get("flow", 0.0), v.get("mass", 0.0), self._wall()
            )
            if row is not None:
                self._keep(row)
        if self.run is not None and self.run.ended:
            self._timer.stop()
            self._end_record(self.run.ended)
        self.changed.emit()

    def _end_record(self, why: str) -> None:
        if self.recorder is None:
            return
        mass = self.last.values.get("mass", 0.0) if self.last is not None else 0.0
        for row in self.recorder.end(self.time, why, mass, self._wall()):
            self._keep(row)
        self.recorder = None

    def _lost(self, error: Exception) -> None:
        self._timer.stop()
        self._end_record(tr("lost: {}", error))
        self.refused.emit(str(error))
        self.changed.emit()

    def stop(self) -> None:
        """Emergency stop: at once, whatever else is asked."""
        machine, run = self.machine, self.run
        if machine is None or run is None:
            return
        if isinstance(machine, SimulatedMachine):
            machine.stop()
            run.look()
        else:
            self._halt.want(lambda: machine.write("run", 0.0))
            run.ended = "emergency stop"
            self._end_record(run.ended)
        self._timer.stop()
        self.changed.emit()

    def forget(self) -> None:
        """Another job is open: nothing of this shot belongs to it; a real machine goes on by itself, and is no longer followed."""
        if self.going and isinstance(self.machine, ModbusDevice):
            self.refused.emit(
                tr("The machine's shot goes on by itself; its record ends here, with the job that it is of.")
            )
        self.recorder = self.run = None  # its rows are the other job's
        self.close()
        self.changed.emit()

    def close(self) -> None:
        """Let go of a controller; a shot that still runs there is the machine's own."""
        self._timer.stop()
        self._end_record(tr("let go of while it ran: the machine goes on by itself"))
        if isinstance(self.machine, ModbusDevice):
            self.machine.close()
        self.machine = None
