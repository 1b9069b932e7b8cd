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


# What is said of what came, and of an error.
_Words = tuple[str | Callable[[Any], str], Callable[[Exception], str]]


class Errands(QObject):
    """Sheets, drawings and lists on their way to the disk, photos on theirs from it; what came of each is ``said``."""

    said = Signal(str, bool)
    rested = Signal()  # nothing is on its way any more
    _done = Signal(object)

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self._pool: ThreadPoolExecutor | None = None  # one thread, made with the first errand
        self._out: dict[Future[Any], _Words] = {}  # what is not told yet
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
        future = self._pool.submit(act)
        self._out[future] = done, failed
        future.add_done_callback(self._done.emit)

    def _tell(self, future: Future[Any]) -> None:
        words = self._out.pop(future, None)
        if words is None:  # told when it was closed
            return
        done, failed = words
        error: Any = future.exception()
        try:
            if error is None:
                if text := done if isinstance(done, str) else done(future.result()):
                    self.said.emit(text, False)
            elif isinstance(error, OSError | ValueError):
                self.said.emit(failed(error), True)
            else:
                raise error  # a fault of ours: the last door tells it
        finally:
            if not self._out:
                self.rested.emit()

    def close(self) -> None:
        """Wait until all is done, and tell what came of it: a photo is on record before the job's file is let go."""
        if self._pool is not None:
            self._pool.shutdown(wait=True)
        for future in list(self._out):
            self._tell(future)
