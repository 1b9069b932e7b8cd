"""Units of one system for some things and of the other for the rest, as a person has them: known before the first window."""

from __future__ import annotations

from PySide6.QtCore import QSettings

from bibulon.core.units.units import KINDS, System, own_units

__all__ = ["apply_own", "choose_own", "own_choice"]


def own_choice(settings: QSettings, kind: str) -> System | None:
    """Return the system that this person has for one of ``KINDS``; None where it goes with the rest."""
    match settings.value(f"own_units/{kind}"):
        case "metric":
            return "metric"
        case "us":
            return "us"
    return None


def choose_own(settings: QSettings, kind: str, system: System | None) -> None:
    """Keep a choice, for the next start."""
    settings.setValue(f"own_units/{kind}", system or "")


def apply_own(settings: QSettings) -> None:
    """Let what this person chose hold from now on: drawings that are kept know only the system, so no window may be there yet."""
    own_units({kind: system for kind in KINDS if (system := own_choice(settings, kind)) is not None})
