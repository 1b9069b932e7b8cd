"""Gauge logs: CSV of time and pressure, as people keep them."""

from __future__ import annotations

import csv
import re
from pathlib import Path
from typing import Literal

import numpy as np

from bibulon.core.model.drop_test import Reading
from bibulon.core.run.recording import thinned
from bibulon.core.units.units import QUANTITIES, UnitError, parse, settled_commas
from bibulon.core.units.words import tr
from bibulon.store.durable import named

__all__ = ["Gauge", "GaugeUnclear", "LogError", "parse_log", "read_log", "text_of"]

LARGEST = 20_000_000  # bytes
MOST_ROWS = 1_000_000  # three days at four a second
LONGEST = 60_000_000  # bytes of as many


Gauge = Literal["absolute", "below"]
AIR = 101325.0  # Pa, where the day's is not known


class LogError(ValueError):
    """A log that cannot be read; the text says which line and why."""


class GaugeUnclear(LogError):
    """A log that does not say how its gauge reads."""


def text_of(path: Path, what: str, largest: int = LARGEST) -> str:
    """Return the text of a log's file; ``what`` it should be, for the message, of ``largest`` bytes at most.

    Raises
    ------
    LogError : when it cannot be read, is no text, or too large to be one.
    """
    try:
        if path.stat().st_size > largest:
            raise LogError(
                tr("{0} is larger than {1} MB: that is no {2}.", named(path), largest // 1000000, what)
            )
        return path.read_text(encoding="utf-8-sig")
    except OSError as error:
        raise LogError(tr("{0} cannot be read: {1}.", named(path), error.strerror or error)) from error
    except UnicodeDecodeError as error:
        raise LogError(tr("{} is not a text file.", named(path))) from error


def read_log(path: Path, gauge: Gauge | None = None, air: float = AIR) -> tuple[Reading, ...]:
    """Read a gauge log file; see ``parse_log``.

    Raises
    ------
    LogError : when it cannot be read; says where.
    """
    return parse_log(text_of(path, "gauge log", LONGEST), named(path), gauge, air)


def _unit(heading: str, quantity: str) -> str | None:
    """Find a unit in a heading such as "pressure (mbar)", "time_s" or "t [min]"."""
    for word in re.split(r"[^A-Za-z]+", heading):
        for unit in QUANTITIES[quantity].units:
            if word and word.lower() == unit.lower():
                return unit
    return None


def parse_log(
    text: str, name: str = "The log", gauge: Gauge | None = None, air: float = AIR
) -> tuple[Reading, ...]:
    """Read a gauge log: two columns, time and pressure; a heading may name units and how the gauge reads.

    Without a heading times are seconds and pressures mbar.  Times may be clock times such as 1:30.  A log of many hours is
    thinned as a test is that is recorded here.

    gauge : how the gauge reads, "absolute" or "below" today's air; where it is None the heading's words decide,
        and minus signs.
    air : today's air pressure [Pa].

    Raises
    ------
    GaugeUnclear : when nothing says how the gauge reads: taken wrongly, every leak becomes a fall and passes.
    LogError : when it cannot be read; says where.
    """
    rows = _rows(text, name)
    if not rows:
        raise LogError(tr("{} is empty.", name))
    time_unit, pressure_unit = "s", "mbar"
    first = rows[0][1]
    if any(c.isalpha() for c in first[0]) and not _is_value(first[0], "time"):
        if len(first) < 2:
            raise LogError(tr("{0}, line {1}: two columns are needed, time and pressure.", name, rows[0][0]))
        time_unit, pressure_unit = _unit(first[0], "time") or "s", _unit(first[1], "pressure") or "mbar"
        gauge = gauge or _gauge_in(first[1])
        rows = rows[1:]
    read = _values(rows, name, time_unit, pressure_unit)
    if gauge is None and read and max(p for _, p in read) <= 0 and min(p for _, p in read) < 0:
        gauge = "below"
    if gauge is None:
        raise GaugeUnclear(
            tr(
                "{} does not say how its gauge reads: absolute, or below today's air? Say which, or "
                "write it into the heading.",
                name,
            )
        )
    if gauge == "below":
        read = [(t, air - abs(p)) for t, p in read]
    for (number, _), (time, pressure) in zip(rows, read, strict=True):
        if time < 0 or pressure < 0:
            how = (
                tr("below what air there is")
                if gauge == "below"
                else tr("below zero; pressures are absolute")
            )
            raise LogError(tr("{0}, line {1}: a reading {2}.", name, number, how))
    return thinned(*np.array(read, dtype=float).reshape(-1, 2).T)


def _values(
    rows: list[tuple[int, list[str]]], name: str, time_unit: str, pressure_unit: str
) -> list[tuple[float, float]]:
    """Return times [s] and pressures as they stand [Pa], in rising order."""
    plain = settled_commas(c for _, row in rows for c in row[:2])
    read: list[tuple[float, float]] = []
    for number, row in rows:
        if len(row) < 2 or not row[1].strip():
            raise LogError(tr("{0}, line {1}: there is a time but no pressure.", name, number))
        try:
            time = parse(_with_unit(plain(row[0]), time_unit), "time")
            pressure = parse(_with_unit(plain(row[1]), pressure_unit), "pressure")
        except UnitError as error:
            raise LogError(tr("{0}, line {1}: {2}.", name, number, error)) from error
        if read and time <= read[-1][0]:
            raise LogError(tr("{0}, line {1}: its time does not come after the line before.", name, number))
        read.append((time, pressure))
    return read


def _gauge_in(heading: str) -> Gauge | None:
    """Return how a gauge reads by the words of its heading; None when they do not say."""
    words = heading.lower()
    if re.search(r"(?<![a-z])abs", words):
        return "absolute"
    if re.search(r"below|(?<![a-z])vac|gauge|(?<![a-z])rel|under", words):
        return "below"
    return None


def _rows(text: str, name: str) -> list[tuple[int, list[str]]]:
    """Return the rows that hold anything, with their line numbers."""
    lines = re.split(r"\r\n|\n|\r", text.replace("\x00", ""))
    first = next((line for line in lines if line.strip()), "")
    mark = next((d for d in ("\t", ";", ",") if d in first), ",")
    if len(lines) > MOST_ROWS + 100:
        raise LogError(
            tr("{0} has {1} lines: {2} at most; keep four readings a second.", name, len(lines), MOST_ROWS)
        )
    rows = []
    for number, line in enumerate(lines, 1):
        if line.strip():
            try:
                row = next(csv.reader([line], delimiter=mark))
            except csv.Error as error:
                raise LogError(
                    tr("{0}, line {1}: a cell is too long to be a reading.", name, number)
                ) from error
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
