"""A row of the reckoner: its inputs with their quantities and ranges, and the function behind it."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from typing import Any

from msgspec import Struct, field

from bibulon.core.library.catalogue import resins
from bibulon.core.model.materials import Resin
from bibulon.core.units.units import UnitError, parse, show
from bibulon.core.units.words import tr

__all__ = ["NEEDED", "In", "ReckonError", "Row", "Sweep", "reckon", "sweep"]

NEEDED: Any = object()  # an input without a default


class ReckonError(ValueError):
    """A key that is missing, unknown or out of its range; one sentence that names it."""


class In(Struct, frozen=True):
    """An input: a quantity of ``units``, or "resin", "ratio", "choice", "vacuum"; a default, or needed; its range."""

    quantity: str
    default: Any = NEEDED
    low: float = -math.inf
    high: float = math.inf
    among: tuple[str, ...] = ()


class Row(Struct, frozen=True):
    """One thing that is reckoned; its answers' keys end in their unit.

    example : what could be typed, by key; graph : the input that is swept and the answer drawn against it, where one says
    most.
    """

    name: str
    words: str
    inputs: Mapping[str, In]
    work: Callable[..., dict[str, Any]]
    example: Mapping[str, str] = field(default_factory=dict)
    graph: tuple[str, str] | None = None


class Sweep(Struct, frozen=True):
    """How an answer goes with one input: values in SI and answers, same length; where it stands now."""

    over: str
    answer: str
    x: tuple[float, ...]
    y: tuple[float, ...]
    here: tuple[float, float]


def sweep(row: Row, typed: Mapping[str, str], points: int = 33) -> Sweep | None:
    """Return how the row's graph goes around what was typed; None where it has none, or nothing comes of it."""
    if row.graph is None:
        return None
    over, answer = row.graph
    try:
        at = _read(over, typed[over], row.inputs[over]) if over in typed else row.inputs[over].default
        now = reckon(row, typed)[answer]
    except (ReckonError, KeyError):
        return None
    if not isinstance(at, float | int) or not isinstance(now, float | int):
        return None
    wanted, width = row.inputs[over], 12.0 if row.inputs[over].quantity == "temperature" else 0.6 * abs(at)
    xs, ys = [], []
    for k in range(points):
        x = at + width * (2 * k / (points - 1) - 1)
        if width <= 0 or not wanted.low <= x <= wanted.high:
            continue
        try:
            y = reckon(row, {**typed, over: repr(float(x))})[answer]
        except ReckonError:
            continue
        if isinstance(y, float | int) and math.isfinite(y):
            xs.append(float(x))
            ys.append(float(y))
    return Sweep(over, answer, tuple(xs), tuple(ys), (float(at), float(now))) if len(xs) > 2 else None


def reckon(row: Row, typed: Mapping[str, str]) -> dict[str, Any]:
    """Reckon a row from what was typed; a bare number is SI.

    Raises
    ------
    ReckonError : when a key is missing, unknown or out of range, or what follows from them cannot be worked out.
    """
    for key in typed:
        if key not in row.inputs:
            raise ReckonError(tr("{0} knows no “{1}”: it takes {2}.", row.name, key, ", ".join(row.inputs)))
    values: dict[str, Any] = {}
    for key, wanted in row.inputs.items():
        if key in typed:
            values[key] = _read(key, typed[key], wanted)
        elif wanted.default is NEEDED:
            raise ReckonError(tr("{0} needs {1}, {2}.", row.name, key, _wanted(wanted)))
        else:
            values[key] = wanted.default
    try:
        return row.work(**values)
    except ReckonError:
        raise
    except (ValueError, ZeroDivisionError, OverflowError) as error:
        raise ReckonError(tr("{0} cannot be worked out from these: {1}", row.name, error)) from error


def _wanted(wanted: In) -> str:
    if wanted.among:
        return " or ".join(wanted.among)
    return {
        "ratio": "such as 100:27",
        "resin": tr("one of {}", ", ".join(resins())),
        "vacuum": "such as “26 inHg below”",
    }.get(wanted.quantity, f"a {wanted.quantity}")


def _read(key: str, text: str, wanted: In) -> Any:
    text = text.strip()
    if wanted.among:
        if text not in wanted.among:
            raise ReckonError(tr("{0} is {1}, not “{2}”.", key, _wanted(wanted), text))
        return text
    if wanted.quantity in ("text", "vacuum"):
        return text
    if wanted.quantity == "resin":
        return _resin(key, text)
    try:
        value = _ratio(text) if wanted.quantity == "ratio" else _number(text, wanted.quantity)
    except UnitError as error:
        raise ReckonError(f"{key}: {error}") from error
    if not wanted.low <= value <= wanted.high or not math.isfinite(value):
        quantity = "number" if wanted.quantity == "ratio" else wanted.quantity
        low, high = (show(v, quantity) if math.isfinite(v) else "" for v in (wanted.low, wanted.high))
        limits = (
            tr("from {0} to {1}", low, high)
            if low and high
            else tr("{} or more", low)
            if low
            else tr("{} at most", high)
        )
        raise ReckonError(tr("{0} is {1}, not “{2}”.", key, limits, text))
    return value


def _number(text: str, quantity: str) -> float:
    try:
        return float(text)  # a bare number is SI
    except ValueError:
        return parse(text, quantity)


def _ratio(text: str) -> float:
    """Read "100:27", or so much of B for one of A."""
    a, colon, b = text.partition(":")
    try:
        return float(b) / float(a) if colon else float(a)
    except (ValueError, ZeroDivisionError):
        raise UnitError(tr("“{}” is no ratio: type such as 100:27", text)) from None


def _resin(key: str, text: str) -> Resin:
    known = resins()
    found = known.get(text) or next((r for r in known.values() if r.name.lower() == text.lower()), None)
    if found is None:
        raise ReckonError(tr("{0} “{1}” is not in the library: {2}.", key, text, ", ".join(known)))
    return found
