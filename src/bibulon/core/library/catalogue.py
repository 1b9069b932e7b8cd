"""The shipped library of invented materials with typical values."""

from __future__ import annotations

import json
from functools import lru_cache
from pathlib import Path

from bibulon.core.model.base import checked
from bibulon.core.model.materials import Material, Resin

__all__ = ["library", "resins"]


@lru_cache(maxsize=1)
def library() -> dict[str, Material]:
    """Return all materials by id."""
    text = (Path(__file__).parent / "data/materials.json").read_text(encoding="utf-8")
    return checked(dict[str, Material], json.loads(text))


def resins() -> dict[str, Resin]:
    """Return the resins by id."""
    return {key: m for key, m in library().items() if isinstance(m, Resin)}
