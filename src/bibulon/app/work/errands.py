"""What is done off the interface thread and must be done, such as writing files: every errand, in the order in which it was asked for."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QObject, Qt, Signal

from bibulon.core.units.words import tr

if TYPE_CHECKING:
    from concurrent.futures import Future, ThreadPoolExecutor

__all__ = ["Errands", "not_written"]


def not_written(path: Path) -> Callable[[Exception], str]:
    """Return what says why a file could not be written."""

    def said(error: Exception) -> str:
        return tr("{0} could not be written: {1}.", path.name, getattr(error, "strerror", None) or error)

    return said


class Errands(QObject):
    """Sheets, drawings and lists on their way to the disk, photos on theirs from it; what came of each is ``said``."""

    said = Signal(str, bool)
    rested = Signal()  # nothing is on its way any more
    _done = Signal(object, object)

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self._pool: ThreadPoolExecutor | None = None  # one thread, made with the first file
        self._left = 0
        # In a later turn of the loop also where it is done before it is waited for.
        self._done.connect(self._tell, Qt.ConnectionType.QueuedConnection)

    def begin(
        self, act: Callable[[], object], done: str | Callable[[Any], str], failed: Callable[[Exception], str]
    ) -> None:
        """Do an act; then say ``done``, which may be made of what the act returns, or what ``failed`` makes of its error.

        The act belongs to the worker: it holds what it is about as it stands now.
        """
        if self._pool is None:
            from concurrent.futures import ThreadPoolExecutor

            self._pool = ThreadPoolExecutor(1, thread_name_prefix="errands")
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
                if text := done if isinstance(done, str) else done(came.result()):
                    self.said.emit(text, False)
            elif isinstance(error, OSError | ValueError):
                self.said.emit(failed(error), True)
            else:
                raise error  # a fault of ours: the last door tells it
        finally:
            if not self._left:
                self.rested.emit()

    def close(self) -> None:
        """Wait until all is done."""
        if self._pool is not None:
            self._pool.shutdown(wait=True)
