"""Files that are written off the interface thread: every one that was asked for, in that order."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QObject, Signal

from bibulon.core.units.words import tr

if TYPE_CHECKING:
    from concurrent.futures import Future, ThreadPoolExecutor

__all__ = ["Writes", "not_written"]


def not_written(path: Path) -> Callable[[Exception], str]:
    """Return what says why a file could not be written."""

    def said(error: Exception) -> str:
        return tr("{0} could not be written: {1}.", path.name, getattr(error, "strerror", None) or error)

    return said


class Writes(QObject):
    """Sheets, drawings and lists on their way to the disk; what came of each is ``said``."""

    said = Signal(str, bool)
    rested = Signal()  # nothing is on its way any more
    _done = Signal(object, object)

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self._pool: ThreadPoolExecutor | None = None  # one thread, made with the first file
        self._left = 0
        self._done.connect(self._tell)

    def begin(
        self, act: Callable[[], object], done: str | Callable[[Any], str], failed: Callable[[Exception], str]
    ) -> None:
        """Do an act that writes; then say ``done``, which may be made of what the act returns, or what ``failed`` makes of its error.

        The act belongs to the worker: it holds what is to be written as it stands now.
        """
        if self._pool is None:
            from concurrent.futures import ThreadPoolExecutor

            self._pool = ThreadPoolExecutor(1, thread_name_prefix="writes")
        self._left += 1
        self._pool.submit(act).add_done_callback(lambda came: self._done.emit(came, (done, failed)))

    def _tell(
        self, came: Future[object], words: tuple[str | Callable[[Any], str], Callable[[Exception], str]]
    ) -> None:
        self._left -= 1
        error: Any = came.exception()
        done, failed = words
        try:
            if error is None:
                self.said.emit(done if isinstance(done, str) else done(came.result()), False)
            elif isinstance(error, OSError | ValueError):
                self.said.emit(failed(error), True)
            else:
                raise error  # a fault of ours: the last door tells it
        finally:
            if not self._left:
                self.rested.emit()

    def close(self) -> None:
        """Wait until all is on the disk."""
        if self._pool is not None:
            self._pool.shutdown(wait=True)
