"""Controllers over Modbus TCP or a serial line, as a device to read and set."""

from __future__ import annotations

import logging
import time
from collections.abc import Callable, Mapping
from typing import Any

from bibulon.core.units.words import tr
from bibulon.devices.device import DeviceError, Reading
from bibulon.devices.registers import RegisterMap

__all__ = ["UNIT", "ModbusDevice"]

log = logging.getLogger(__name__)
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
