"""Gauge logs: CSV of time and pressure, as people keep them."""

from __future__ import annotations

import csv
import re
from pathlib import Path

from bibulon.core.model.job import Reading
from bibulon.core.units.units import QUANTITIES, UnitError, parse, settled_commas
from bibulon.store.durable import named

__all__ = ["LogError", "parse_log", "read_log"]

LARGEST = 20_000_000  # bytes
MOST_ROWS = 200_000


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
            raise LogError(f"{named(path)} is larger than {LARGEST // 1_000_000} MB: that is no gauge log.")
        text = path.read_text(encoding="utf-8-sig")
    except OSError as error:
        raise LogError(f"{named(path)} cannot be read: {error.strerror or error}.") from error
    except UnicodeDecodeError as error:
        raise LogError(f"{named(path)} is not a text file.") from error
    return parse_log(text, named(path))


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
    rows = _rows(text, name)
    if not rows:
        raise LogError(f"{name} is empty.")
    time_unit, pressure_unit = "s", "mbar"
    first = rows[0][1]
    if any(c.isalpha() for c in first[0]) and not _is_value(first[0], "time"):
        if len(first) < 2:
            raise LogError(f"{name}, line {rows[0][0]}: two columns are needed, time and pressure.")
        time_unit, pressure_unit = _unit(first[0], "time") or "s", _unit(first[1], "pressure") or "mbar"
        rows = rows[1:]
    plain = settled_commas(c for _, row in rows for c in row[:2])
    readings: list[Reading] = []
    for number, row in rows:
        if len(row) < 2 or not row[1].strip():
            raise LogError(f"{name}, line {number}: there is a time but no pressure.")
        try:
            time = parse(_with_unit(plain(row[0]), time_unit), "time")
            pressure = parse(_with_unit(plain(row[1]), pressure_unit), "pressure")
        except UnitError as error:
            raise LogError(f"{name}, line {number}: {error}.") from error
        if time < 0 or pressure < 0:
            raise LogError(f"{name}, line {number}: a reading below zero. Pressures are absolute.")
        if readings and time <= readings[-1].time:
            raise LogError(f"{name}, line {number}: its time does not come after the line before.")
        readings.append(Reading(time=time, pressure=pressure))
    return tuple(readings)


def _rows(text: str, name: str) -> list[tuple[int, list[str]]]:
    """Return the rows that hold anything, with their line numbers."""
    lines = re.split(r"\r\n|\n|\r", text.replace("\x00", ""))
    first = next((line for line in lines if line.strip()), "")
    mark = next((d for d in ("\t", ";", ",") if d in first), ",")
    if len(lines) > MOST_ROWS + 100:
        raise LogError(f"{name} has {len(lines)} lines: {MOST_ROWS} at most; keep one reading a second.")
    rows = []
    for number, line in enumerate(lines, 1):
        if line.strip():
            try:
                row = next(csv.reader([line], delimiter=mark))
            except csv.Error as error:
                raise LogError(f"{name}, line {number}: a cell is too long to be a reading.") from error
            if any(c.strip() for c in row):
                rows.append((number, row))
    return rows


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
