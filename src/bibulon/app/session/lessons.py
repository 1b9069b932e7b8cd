"""Lessons of jobs like the open one, out of the shop's log as it was last read."""

from __future__ import annotations

import sqlite3
from pathlib import Path

from PySide6.QtCore import QObject, Signal

from bibulon.app.session.log import index_of
from bibulon.app.session.session import Session
from bibulon.app.work.ask import Ask
from bibulon.core.model.job import Job
from bibulon.core.series.like import ALIKE, likeness, told_of
from bibulon.store.logbook import closed

__all__ = ["Lessons"]

MOST = 3


class Lessons(QObject):
    """``found`` holds (lesson, job that it is from), those of the likest job first; ``changed`` tells that they are others."""

    changed = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.session = session
        self.found: tuple[tuple[str, str], ...] = ()
        self.ask = Ask(self, lambda: session.number)
        self.ask.ready.connect(self._show)
        self.ask.failed.connect(
            lambda _error: self._show(())
        )  # an index is rebuilt when the log is looked at
        session.job_opened.connect(self.look)
        session.closing.connect(self.ask.close)

    def look(self) -> None:
        """Look again."""
        index, job, path = index_of(self.session), self.session.job, self.session.path
        self.ask.drop()
        if index.exists():
            self.ask.want(lambda: _found(index, job, path))
        else:
            self._show(())

    def _show(self, found: tuple[tuple[str, str], ...]) -> None:
        if found != self.found:
            self.found = found
            self.changed.emit()


def _found(index: Path, job: Job, path: Path | None) -> tuple[tuple[str, str], ...]:
    """Return lessons of the jobs most like one, none of its own file.

    Raises
    ------
    sqlite3.Error : when the index cannot be read.
    """
    mine = told_of(job)
    try:
        with closed(index) as book:
            rows = [r for r in book.search() if r.lessons and r.path != path]
    except sqlite3.Error:
        return ()
    likest = sorted(
        ((likeness(mine, (r.outline, r.materials, r.process)), r) for r in rows), key=lambda pair: -pair[0]
    )
    said = [(text, r.name) for near, r in likest if near >= ALIKE for text in r.lessons]
    return tuple(dict(said[::-1]).items())[::-1][:MOST]
