"""Controllers over Modbus TCP: as a device to read and set, and the simulated machine served on this machine's loopback."""

from __future__ import annotations

import asyncio
import logging
import threading
import time
from collections.abc import Callable, Mapping
from types import TracebackType
from typing import Any

from bibulon.core.units.words import tr
from bibulon.devices.device import DeviceError, Reading
from bibulon.devices.machine import SimulatedMachine
from bibulon.devices.registers import Register, RegisterMap

__all__ = ["ModbusDevice", "Served"]

log = logging.getLogger(__name__)
LOOPBACK = "127.0.0.1"
UNIT = 1


class ModbusDevice:
    """A controller at an address; what cannot be read is a gap with its reason, and the next reading tries again.

    ``host`` with a slash in it is a serial port, and ``port`` its rate [baud]: Modbus RTU.
    """

    waits = True  # for an answer over a line: not to be read where nothing may wait

    def __init__(
        self,
        registers: RegisterMap,
        host: str,
        port: int,
        now: Callable[[], float] = time.monotonic,
        timeout: float = 1.0,
    ) -> None:
        from pymodbus.client import ModbusSerialClient, ModbusTcpClient  # only where a controller is asked

        self.name, self.registers, self._now = registers.name, registers, now
        self.units: Mapping[str, str] = {k: r.unit for k, r in registers.readings.items()}
        self.points: Mapping[str, str] = {k: r.unit for k, r in registers.points.items()}
        self._client: Any = (
            ModbusSerialClient(host, baudrate=port, timeout=timeout, retries=1)
            if "/" in host
            else ModbusTcpClient(host, port=port, timeout=timeout, retries=1)
        )

    def read(self) -> Reading:
        """Return what the controller says."""
        try:
            values = {
                k: r.decode(self._words(r.address, r.count)) for k, r in self.registers.readings.items()
            }
            state = self._state()
            alarms = self._alarms()
        except DeviceError as error:
            return Reading(self._now(), gap=str(error))
        known = {k: v for k, v in values.items() if v == v and abs(v) != float("inf")}
        gap = (
            ""
            if len(known) == len(values)
            else tr("{0}: no figure for {1}", self.name, ", ".join(sorted(set(values) - set(known))))
        )
        return Reading(self._now(), known, state, alarms, gap)

    def write(self, point: str, value: float) -> None:
        """Set a point, in SI.

        Raises
        ------
        DeviceError : when there is no such point, it does not fit, or the controller refuses or does not answer.
        """
        register = self.registers.points.get(point)
        if register is None:
            raise DeviceError(
                tr("{0} has no “{1}”: {2}.", self.name, point, ", ".join(self.registers.points))
            )
        try:
            raw = register.encode(value)
        except ValueError as error:
            raise DeviceError(f"{self.name}, {point}: {error}.") from error
        self._asked(
            lambda: self._client.write_registers(register.address, raw, device_id=UNIT),
            tr("took no {}", point),
        )

    def close(self) -> None:
        """Let go of the connection."""
        self._client.close()

    def _words(self, address: int, count: int) -> list[int]:
        answer = self._asked(
            lambda: self._client.read_holding_registers(address, count=count, device_id=UNIT),
            tr("register {}", address),
        )
        words = list(answer.registers)
        if len(words) != count:
            raise DeviceError(
                tr("{0}, register {1}: {2} words in place of {3}.", self.name, address, len(words), count)
            )
        return words

    def _asked(self, ask: Callable[[], Any], what: str) -> Any:
        from pymodbus.exceptions import ModbusException

        try:
            if not self._client.connected and not self._client.connect():
                raise DeviceError(tr("{} does not answer.", self.name))
            answer = ask()
        except (ModbusException, OSError) as error:
            self._client.close()
            raise DeviceError(tr("{} does not answer.", self.name)) from error
        if answer.isError():
            raise DeviceError(tr("{0} refuses: {1}.", self.name, what))
        return answer

    def _state(self) -> str:
        told = self.registers.state
        if told is None:
            return ""
        raw = self._words(told.address, 1)[0]
        return told.words.get(str(raw), tr("state {}", raw))

    def _alarms(self) -> tuple[str, ...]:
        told = self.registers.alarms
        if told is None:
            return ()
        bits = self._words(told.address, 1)[0]
        return tuple(words for k, words in enumerate(told.words) if bits >> k & 1)


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
