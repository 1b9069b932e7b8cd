"""What this shop's own record changes in the program: factors on where its bags are likely to leak."""

from __future__ import annotations

import json
import math

from PySide6.QtCore import QSettings

__all__ = ["keep_leak_factors", "leak_factors"]

KEY = "shop/leak-factors"
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
