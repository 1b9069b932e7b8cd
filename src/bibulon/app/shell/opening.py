"""A large job is read while the window goes on: what is in its file, and what its first picture asks for."""

from __future__ import annotations

import contextlib
from collections.abc import Callable
from functools import partial
from pathlib import Path

from PySide6.QtCore import QObject

from bibulon.app.session.session import Session
from bibulon.app.work.ask import Ask
from bibulon.core.drawing.plan.solid import solid_of
from bibulon.core.geometry.outline import OutlineError
from bibulon.core.stack.laid import mould_area
from bibulon.core.units.words import tr
from bibulon.store.ahead import Ahead, read_ahead

__all__ = ["LARGE", "Opening"]

LARGE = 200_000  # bytes: what is smaller is read between two pictures


def _read(path: Path) -> Ahead:
    """Read a file, and work out what the first picture of its part would wait for."""
    ahead = read_ahead(path)
    part = ahead.loaded.job.part
    if part.surface is not None:
        solid_of(part.surface)
    with contextlib.suppress(OutlineError):  # told where the part is shown
        mould_area(part)
    return ahead


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
        self.reads.want(partial(_read, path))

    def _state(self) -> object:
        return self.session.undo_stack.index(), len(self.session.journal)

    def _open(self, ahead: Ahead) -> None:
        self.session.said.emit("", False)
        if self._state() == self._left or self._may_leave():
            self.session.open(ahead.path, ahead)
