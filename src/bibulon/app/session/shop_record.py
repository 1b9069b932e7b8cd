"""What this shop's own record changes in the program: where its bags are likely to leak, and what hours a part takes it."""

from __future__ import annotations

import json
import math

from PySide6.QtCore import QSettings

__all__ = ["hours_of", "keep_hours", "keep_leak_factors", "leak_factors"]

KEY = "shop/leak-factors"
HOURS = "shop/hours"
LEAST, MOST = 0.05, 20.0


def leak_factors(settings: QSettings) -> dict[str, float]:
    """Return factors on the usual weights by kind of place; none where nothing was taken, or it cannot be read."""
    try:
        told = json.loads(str(settings.value(KEY, "{}")))
    except json.JSONDecodeError:
        return {}
    if not isinstance(told, dict):
        return {}
    return {
        str(kind): min(max(float(value), LEAST), MOST)
        for kind, value in told.items()
        if isinstance(value, int | float) and math.isfinite(value)
    }


def keep_leak_factors(settings: QSettings, factors: dict[str, float]) -> None:
    """Keep factors; none puts the usual weights back."""
    settings.setValue(KEY, json.dumps(factors))


def hours_of(settings: QSettings) -> dict[str, tuple[float, int]]:
    """Return hours a part by process, each with the jobs that it is from; none where nothing was taken, or it cannot be read."""
    try:
        told = json.loads(str(settings.value(HOURS, "{}")))
    except json.JSONDecodeError:
        return {}
    out = {}
    for process, pair in told.items() if isinstance(told, dict) else ():
        good = isinstance(pair, list) and len(pair) == 2 and all(isinstance(v, int | float) for v in pair)
        if good and 0 < pair[0] < 1000 and pair[1] >= 1:
            out[str(process)] = (float(pair[0]), int(pair[1]))
    return out


def keep_hours(settings: QSettings, hours: dict[str, tuple[float, int]]) -> None:
    """Keep hours; none puts the typical ones back."""
    settings.setValue(HOURS, json.dumps({process: list(pair) for process, pair in hours.items()}))
