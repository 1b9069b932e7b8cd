"""The shop's log in a window: which folders it covers, and its rows, read off the interface thread."""

from __future__ import annotations

import os
from collections.abc import Callable
from pathlib import Path
from typing import Any

from PySide6.QtCore import QFileSystemWatcher, QObject, QTimer, Signal

from bibulon.app.session.session import Session
from bibulon.app.work.ask import Ask
from bibulon.core.units.words import tr
from bibulon.store.logbook import LogRow, closed, write_series

__all__ = ["Log", "index_of"]

CALM_MS = 400  # several files that change at once are read once
FOLDERS = "log/folders"
Rows = tuple[LogRow, ...]


def index_of(session: Session) -> Path:
    """Return where the index of the shop's jobs is kept."""
    return session.state_folder / "logbook.sqlite"


class Log(QObject):
    """``changed`` tells that other rows are there; ``rows`` are those that hold the words asked for, latest first."""

    changed = Signal()
    reading = Signal(int, int)  # so many of so many files that are new or changed

    def __init__(self, parent: QObject, session: Session) -> None:
        super().__init__(parent)
        self.session = session
        self.rows: tuple[LogRow, ...] = ()
        self.every: tuple[LogRow, ...] = ()
        self.words = ""
        self.read = False
        self._watch = QFileSystemWatcher(self)
        self._later = QTimer(self)
        self._later.setSingleShot(True)
        self._later.setInterval(CALM_MS)
        self._later.timeout.connect(self.refresh)
        self._watch.directoryChanged.connect(lambda _: self._later.start())
        self.ask = Ask(self, lambda: (self.words, tuple(self.folders)))
        self.ask.ready.connect(self._show)
        self.ask.progress.connect(self.reading)
        session.closing.connect(self._end)
        self.ask.failed.connect(
            lambda error: session.said.emit(tr("The log could not be read: {}", error), True)
        )

    def _end(self) -> None:
        self._later.stop()
        self.ask.close()

    @property
    def folders(self) -> list[Path]:
        """Return the folders that were chosen; else those in which jobs were opened or saved of late."""
        told: Any = self.session.settings.value(FOLDERS, [])
        chosen = [Path(f) for f in ([told] if isinstance(told, str) else list(told or []))]
        found = chosen or list(dict.fromkeys(p.parent for p in self.session.recent()))
        if not chosen and self.session.examples is not None:
            found.append(self.session.examples)
        return [f for f in found if f.is_dir() or f == self.session.examples]

    def add(self, folder: Path) -> None:
        """Cover another folder."""
        self.session.settings.setValue(FOLDERS, [str(f) for f in dict.fromkeys([*self.folders, folder])])
        self.refresh()

    def refresh(self) -> None:
        """Read what changed on disk, and search again."""
        index, folders, words = self._index, self.folders, self.words
        self.ask.start(lambda tell, stopped: _read(index, folders, words, tell, stopped))

    def search(self, words: str) -> None:
        """Show the rows that hold all words."""
        self.words = words
        if not self.read:
            self.refresh()
            return
        index, every = self._index, self.every
        self.ask.want(lambda: (_holding(index, every, words), every))

    @property
    def _index(self) -> Path:
        return index_of(self.session)

    def _show(self, answer: tuple[Rows, Rows]) -> None:
        self.rows, self.every = answer
        self.read = True
        wanted = {str(f) for f in self.folders}
        watched = set(self._watch.directories())
        if wanted - watched:
            self._watch.addPaths(sorted(wanted - watched))
        if watched - wanted:
            self._watch.removePaths(sorted(watched - wanted))
        self.changed.emit()


def _read(
    index: Path,
    folders: list[Path],
    words: str,
    tell: Callable[[int, int], None],
    stopped: Callable[[], bool],
) -> tuple[Rows, Rows]:
    """Follow the disk; return the rows that hold the words, and all rows of the folders."""
    for folder in folders:
        if not folder.is_dir():  # the examples, which nobody has looked at yet
            write_series(folder)
    with closed(index) as book:
        book.refresh(folders, tell, stopped)
        roots = [str(f.resolve()) + os.sep for f in folders]
        every = tuple(r for r in book.search() if str(r.path).startswith(tuple(roots)))
    return _holding(index, every, words), every


def _holding(index: Path, every: Rows, words: str) -> Rows:
    """Return those of the rows that hold all words."""
    if not words.strip():
        return every
    with closed(index) as book:
        paths = book.paths(words)
    return tuple(r for r in every if str(r.path) in paths)
