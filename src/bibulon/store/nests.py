"""Nests of cut plans that were found, kept between starts: the search is given time, so that no two runs of it end alike."""

from __future__ import annotations

import contextlib
import json
import logging
from collections.abc import Sequence
from pathlib import Path

from platformdirs import user_cache_path

from bibulon.core.bag.nesting import Pose
from bibulon.store.durable import write_text

__all__ = ["KeptNests"]

log = logging.getLogger(__name__)
MOST = 300  # nests kept; the oldest go


class KeptNests:
    """Nests in a folder, by default this person's cache; one that cannot be read or written is searched for again."""

    def __init__(self, folder: Path | None = None) -> None:
        self.folder = folder or user_cache_path("bibulon") / "nests"

    def known(self, key: str) -> tuple[Pose, ...] | None:
        """Return the nest that was kept, if there is one that can be read."""
        try:
            rows = json.loads((self.folder / f"{key}.json").read_text(encoding="utf-8"))
            return tuple((str(name), float(turn), float(x), float(y)) for name, turn, x, y in rows)
        except FileNotFoundError:
            return None
        except (OSError, ValueError, TypeError) as error:
            log.warning("kept nest %s: %s", key, error)
            return None

    def keep(self, key: str, poses: Sequence[Pose]) -> None:
        """Keep a nest; where that fails it is no loss."""
        try:
            self.folder.mkdir(parents=True, exist_ok=True)
            write_text(self.folder / f"{key}.json", json.dumps(poses))
            files = sorted(self.folder.glob("*.json"), key=lambda f: f.stat().st_mtime)
            for old in files[:-MOST]:
                with contextlib.suppress(FileNotFoundError):
                    old.unlink()
        except OSError as error:
            log.warning("nest %s is not kept: %s", key, error)
