"""A file read ahead of its opening: reading a large one takes a thread of its own."""

from __future__ import annotations

import os
from pathlib import Path

from msgspec import Struct

from bibulon.store.document import document_of
from bibulon.store.home import signature
from bibulon.store.jobfile import Loaded, load

__all__ = ["Ahead", "read_ahead"]


class Ahead(Struct, frozen=True, eq=False):
    """What a file held when it was read, and its signature before that."""

    path: Path
    loaded: Loaded
    seen: tuple[int, int, int] | None

    def still(self, path: Path) -> bool:
        """Whether that is what a file holds now."""
        return path == self.path and signature(path) == self.seen


def read_ahead(path: Path) -> Ahead:
    """Read a file that will be opened.

    Raises
    ------
    JobFileError : when it cannot be read.
    """
    path = Path(os.path.abspath(path))
    seen = signature(path)
    loaded = load(path)
    document_of(loaded.job)  # the texts of its parts are remembered
    return Ahead(path, loaded, seen)
