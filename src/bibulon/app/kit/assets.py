"""Where fonts, icons and the guide stand that ship with the program."""

from __future__ import annotations

from pathlib import Path

__all__ = ["ASSETS"]

ASSETS = Path(__file__).resolve().parents[2] / "assets"
