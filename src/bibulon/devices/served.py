"""The simulated machine served over Modbus TCP on this machine's loopback."""

from __future__ import annotations

import asyncio
import logging
import threading
from types import TracebackType
from typing import Any

from bibulon.core.units.words import tr
from bibulon.devices.device import DeviceError
from bibulon.devices.machine import SimulatedMachine
from bibulon.devices.modbus import UNIT
from bibulon.devices.registers import Register, RegisterMap

__all__ = ["Served"]

log = logging.getLogger(__name__)
LOOPBACK = "127.0.0.1"


class Served:
    """The simulated machine on a port of the loopback, in a thread of its own, for as long as it is entered."""

    def __init__(self, machine: SimulatedMachine, registers: RegisterMap, port: int) -> None:
        self.machine, self.registers, self.port = machine, registers, port
        self.lock = threading.Lock()  # the machine is stepped by one thread and asked by another
        self._up = threading.Event()
        self._loop: asyncio.AbstractEventLoop | None = None
        self._server: Any = None
        self._failed: Exception | None = None
        self._thread = threading.Thread(target=self._run, name="simulated machine", daemon=True)

    def __enter__(self) -> Served:
        self._thread.start()
        self._up.wait(10.0)
        if self._failed is not None:
            self._thread.join(5.0)
            raise DeviceError(tr("Port {} of this machine cannot be used.", self.port)) from self._failed
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        if self._loop is not None and self._server is not None:
            asyncio.run_coroutine_threadsafe(self._server.shutdown(), self._loop)
        self._thread.join(10.0)

    def _run(self) -> None:
        try:
            asyncio.run(self._serve())
        except Exception as error:  # told to who entered
            self._failed = error
            log.info("serving ended with %s", error)
        finally:
            self._up.set()

    async def _serve(self) -> None:
        from pymodbus.server import ModbusTcpServer
        from pymodbus.simulator import DataType, SimData, SimDevice

        block = SimData(0, count=self.registers.size, values=0, datatype=DataType.REGISTERS)
        device = SimDevice(UNIT, [block], action=self._asked)
        self._server = ModbusTcpServer(device, address=(LOOPBACK, self.port))
        self._loop = asyncio.get_running_loop()
        await self._server.serve_forever(background=True)
        self._up.set()
        await self._server.serving

    async def _asked(
        self,
        _code: int,
        start: int,
        address: int,
        count: int,
        words: list[int],
        values: list[int] | list[bool] | None,
    ) -> Any:
        """Fill registers before they are read, and hand on what is written."""
        from pymodbus.constants import ExcCodes

        with self.lock:
            if values is None:
                for at, raw in self._now().items():
                    if start <= at < start + len(words):
                        words[at - start] = raw
                return None
            for point, register in self.registers.points.items():
                if register.address == address and register.count == count:
                    try:
                        self.machine.write(point, register.decode([int(v) for v in values]))
                    except DeviceError:
                        return ExcCodes.ILLEGAL_VALUE
                    return None
        return ExcCodes.ILLEGAL_ADDRESS

    def _now(self) -> dict[int, int]:
        """Return all registers as the machine is now."""
        reading, out = self.machine.read(), {}

        def put(register: Register, value: float) -> None:
            for k, raw in enumerate(register.encode(value)):
                out[register.address + k] = raw

        for name, register in self.registers.readings.items():
            put(register, reading.values.get(name, 0.0))
        for name, register in self.registers.points.items():
            put(register, self.machine.set[name])
        if self.registers.state is not None:
            known = {words: int(raw) for raw, words in self.registers.state.words.items()}
            out[self.registers.state.address] = known.get(reading.state, 0)
        if self.registers.alarms is not None:
            bits = sum(
                1 << k for k, words in enumerate(self.registers.alarms.words) if words in reading.alarms
            )
            out[self.registers.alarms.address] = bits
        return out
