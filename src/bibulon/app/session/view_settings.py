"""What a person has chosen to see: layers of the plan, field, snapping, sizes.  Remembered, no part of the job."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import QObject, QSettings, Signal

from bibulon.core.drawing.kit.look import LAYERS
from bibulon.core.drawing.plan.fieldmap import FIELDS, RESIN

__all__ = ["ViewSettings"]

_SHOWN = frozenset(LAYERS) - {"grid"}


class ViewSettings(QObject):
    """One person's view; ``changed`` tells that any of it has."""

    changed = Signal()

    def __init__(self, settings: QSettings, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._settings = settings
        stored = self._read("view/shown", None)
        self.shown: frozenset[str] = _SHOWN if stored is None else frozenset(stored.split()) & set(LAYERS)
        self.snaps = self._read("view/snaps", "yes") == "yes"
        self.probes = self._read("view/probes", "yes") == "yes"
        self.cut_pressure = self._read("view/cut_pressure", "no") == "yes"
        self.field = RESIN  # other fields are asked for each time: resin is what one starts from

    def _read(self, name: str, default: Any) -> Any:
        return self._settings.value(name, default)

    def show(self, layer: str, on: bool) -> None:
        """Switch a layer of the plan on or off."""
        self.shown = self.shown | {layer} if on else self.shown - {layer}
        self._settings.setValue("view/shown", " ".join(sorted(self.shown)))
        self.changed.emit()

    def set_snaps(self, on: bool) -> None:
        """Turn snapping on or off."""
        self.snaps = on
        self._settings.setValue("view/snaps", "yes" if on else "no")
        self.changed.emit()

    def set_probes(self, on: bool) -> None:
        """Show the values at the hand or not."""
        self.probes = on
        self._settings.setValue("view/probes", "yes" if on else "no")
        self.changed.emit()

    def set_cut_pressure(self, on: bool) -> None:
        """Draw the pressure along the cut or not."""
        self.cut_pressure = on
        self._settings.setValue("view/cut_pressure", "yes" if on else "no")
        self.changed.emit()

    def set_field(self, name: str) -> None:
        """Choose what the plan is coloured by: resin, or another field."""
        if name in {RESIN, *FIELDS} and name != self.field:
            self.field = name
            self.changed.emit()
