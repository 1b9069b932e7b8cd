"""Gauge logs: CSV of time and pressure, as people keep them."""

from __future__ import annotations

import csv
import io
import re
from pathlib import Path

from bibulon.core.job.model import Reading
from bibulon.core.units import QUANTITIES, UnitError, parse

__all__ = ["LogError", "parse_log", "read_log"]

LARGEST = 20_000_000  # bytes


class LogError(ValueError):
    """A log that cannot be read; the text says which line and why."""


def read_log(path: Path) -> tuple[Reading, ...]:
    """Read a gauge log file.

    Raises
    ------
    LogError : when it cannot be read; says where.
    """
    try:
        if path.stat().st_size > LARGEST:
            raise LogError(f"{path.name} is larger than {LARGEST // 1_000_000} MB: that is no gauge log.")
        text = path.read_text(encoding="utf-8-sig")
    except OSError as error:
        raise LogError(f"{path} cannot be read: {error.strerror or error}.") from error
    except UnicodeDecodeError as error:
        raise LogError(f"{path.name} is not a text file.") from error
    return parse_log(text, path.name)


def _unit(heading: str, quantity: str) -> str | None:
    """Find a unit in a heading such as "pressure (mbar)", "time_s" or "t [min]"."""
    for word in re.split(r"[^A-Za-z]+", heading):
        for unit in QUANTITIES[quantity].units:
            if word and word.lower() == unit.lower():
                return unit
    return None


def parse_log(text: str, name: str = "The log") -> tuple[Reading, ...]:
    """Read a gauge log: two columns, time and absolute pressure; a heading may name the units.

    Without a heading times are seconds and pressures mbar.  Times may be clock times such as 1:30.
    """
    rows = [
        (n, row)
        for n, row in enumerate(csv.reader(io.StringIO(text), _dialect(text)), start=1)
        if any(c.strip() for c in row)
    ]
    if not rows:
        raise LogError(f"{name} is empty.")
    time_unit, pressure_unit = "s", "mbar"
    first = rows[0][1]
    if not _is_value(first[0], "time"):
        if len(first) < 2:
            raise LogError(f"{name}, line {rows[0][0]}: two columns are needed, time and pressure.")
        time_unit, pressure_unit = _unit(first[0], "time") or "s", _unit(first[1], "pressure") or "mbar"
        rows = rows[1:]
    readings: list[Reading] = []
    for number, row in rows:
        if len(row) < 2 or not row[1].strip():
            raise LogError(f"{name}, line {number}: there is a time but no pressure.")
        try:
            time = parse(_with_unit(row[0], time_unit), "time")
            pressure = parse(_with_unit(row[1], pressure_unit), "pressure")
        except UnitError as error:
            raise LogError(f"{name}, line {number}: {error}.") from error
        if time < 0 or pressure < 0:
            raise LogError(f"{name}, line {number}: a reading below zero. Pressures are absolute.")
        if readings and time <= readings[-1].time:
            raise LogError(f"{name}, line {number}: its time does not come after the line before.")
        readings.append(Reading(time=time, pressure=pressure))
    return tuple(readings)


def _dialect(text: str) -> type[csv.Dialect]:
    class Log(csv.excel):
        delimiter = (
            next((d for d in ("\t", ";", ",") if d in text.splitlines()[0]), ",") if text.strip() else ","
        )

    return Log


def _is_value(text: str, quantity: str) -> bool:
    try:
        parse(text, quantity)
    except UnitError:
        return False
    return True


def _with_unit(text: str, unit: str) -> str:
    return (
        text
        if re.search(r"[A-Za-z:]", text) and not re.fullmatch(r"[\d.+-]+[eE][\d+-]+", text.strip())
        else f"{text} {unit}"
    )
