"""A box that offers what moulds are made of."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QComboBox

from bibulon.core.library.tooling import TOOLING, Tooling
from bibulon.core.units.words import tr

__all__ = ["ToolingBox"]


class ToolingBox(QComboBox):
    """The materials; one that has figures of its own stands there as typed.  ``picked`` brings what was chosen."""

    picked = Signal(object)  # Tooling

    def __init__(self, name: str) -> None:
        super().__init__()
        self.setAccessibleName(name)
        for made in TOOLING:
            self.addItem(tr(made.name))
        self.addItem(tr("as typed"))
        self.activated.connect(self._pick)

    def _pick(self, row: int) -> None:
        if row < len(TOOLING):
            self.picked.emit(TOOLING[row])

    def show_made(self, made: Tooling | None) -> None:
        """Show what it is made of; None for figures of its own."""
        self.setCurrentIndex(TOOLING.index(made) if made in TOOLING else len(TOOLING))
