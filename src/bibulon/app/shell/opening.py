"""A large job is read while the window goes on."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path

from PySide6.QtCore import QObject

from bibulon.app.session.reading import read_ready
from bibulon.app.session.session import Session
from bibulon.app.work.ask import Ask
from bibulon.core.units.words import tr
from bibulon.store.ahead import Ahead

__all__ = ["LARGE", "Opening"]

LARGE = 200_000  # bytes: what is smaller is read between two pictures


class Opening(QObject):
    """Opens files; what is edited while a large one is read is asked about before it is left."""

    def __init__(self, session: Session, may_leave: Callable[[], bool], parent: QObject) -> None:
        super().__init__(parent)
        self.session, self._may_leave = session, may_leave
        self._left: object = None
        self.reads = Ask(self, lambda: session.number)
        self.reads.ready.connect(self._open)
        self.reads.failed.connect(lambda error: session.said.emit(str(error), True))

    def begin(self, path: Path) -> None:
        """Open a file whose place the job that is open may leave."""
        try:
            large = path.stat().st_size > LARGE
        except OSError:
            large = False  # what is wrong is told when it is opened
        if not large:
            self.session.open(path)
            return
        self._left = self._state()
        self.session.said.emit(tr("Reading {}…", path.name), False)
        self.reads.want(partial(read_ready, path))

    def _state(self) -> object:
        return self.session.undo_stack.index(), len(self.session.journal)

    def _open(self, ahead: Ahead) -> None:
        self.session.said.emit("", False)
        if self._state() == self._left or self._may_leave():
            self.session.open(ahead.path, ahead)
