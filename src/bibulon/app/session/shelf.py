"""The shop's library on this machine: what is shipped, and over it the shop's own, shared by all windows."""

from __future__ import annotations

from pathlib import Path

from bibulon.core.library.catalogue import library
from bibulon.core.model.materials import Material
from bibulon.core.units.words import tr
from bibulon.store.durable import named
from bibulon.store.library import LibraryError, change_library, read_library

__all__ = ["Shelf"]


class Shelf:
    """Materials that can be taken; ``problem`` says what is wrong with the shop's own file, if anything."""

    def __init__(self, path: Path) -> None:
        self.path = path
        self.own: dict[str, Material] = {}
        self.problem = ""
        self.read()

    @property
    def all(self) -> dict[str, Material]:
        """Return all materials: those shipped, and over them the shop's own."""
        return {**library(), **self.own}

    def read(self) -> None:
        """Read the shop's own materials anew."""
        self.problem = ""
        if not self.path.exists():
            return
        try:
            self.own = read_library(self.path, empty=True)
        except LibraryError as error:
            self.problem = tr(
                "The shop's own materials cannot be read: {} The file is untouched; the next change "
                "keeps it aside and begins a new one.",
                error,
            )

    def keep(self, materials: dict[str, Material]) -> str:
        """Make the shop's own materials these; what another window has changed meanwhile stays.

        Returns what to tell.

        Raises
        ------
        LibraryError, OSError : when they could not be stored; what was there is as it was.
        """
        changed = {k: m for k, m in materials.items() if self.own.get(k) != m}
        gone = set(self.own) - set(materials)
        self.path.parent.mkdir(parents=True, exist_ok=True)
        self.own, aside = change_library(self.path, changed, gone)
        self.problem = ""
        return tr("The damaged library is kept as {}.", named(aside)) if aside else ""
