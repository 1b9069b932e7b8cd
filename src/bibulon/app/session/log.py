"""The shop's log in a window: which folders it covers, and its rows, read off the interface thread."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from PySide6.QtCore import QFileSystemWatcher, QObject, QTimer, Signal

from bibulon.app.session.session import Session
from bibulon.app.work.ask import Ask
from bibulon.store.logbook import LogRow, closed

__all__ = ["Log"]

CALM_MS = 400  # several files that change at once are read once
FOLDERS = "log/folders"


class Log(QObject):
    """``changed`` tells that other rows are there; ``rows`` are those that hold the words asked for, latest first."""

    changed = Signal()

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
        session.closing.connect(self._end)
        self.ask.failed.connect(lambda error: session.said.emit(f"The log could not be read: {error}", True))

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
        return [f for f in found if f.is_dir()]

    def add(self, folder: Path) -> None:
        """Cover another folder."""
        self.session.settings.setValue(FOLDERS, [str(f) for f in dict.fromkeys([*self.folders, folder])])
        self.refresh()

    def refresh(self) -> None:
        """Read what changed on disk, and search again."""
        self._ask(read=True)

    def search(self, words: str) -> None:
        """Show the rows that hold all words."""
        self.words = words
        self._ask(read=not self.read)

    def _ask(self, read: bool) -> None:
        folders, words = self.folders, self.words
        index = self.session.state_folder / "logbook.sqlite"
        self.ask.want(lambda: _found(index, folders, words, read))

    def _show(self, answer: tuple[tuple[LogRow, ...], tuple[LogRow, ...]]) -> None:
        self.rows, self.every = answer
        self.read = True
        wanted = {str(f) for f in self.folders}
        watched = set(self._watch.directories())
        if wanted - watched:
            self._watch.addPaths(sorted(wanted - watched))
        if watched - wanted:
            self._watch.removePaths(sorted(watched - wanted))
        self.changed.emit()


def _found(
    index: Path, folders: list[Path], words: str, read: bool
) -> tuple[tuple[LogRow, ...], tuple[LogRow, ...]]:
    """Return the rows that hold the words, and all rows of the folders."""
    with closed(index) as book:
        if read:
            book.refresh(folders)
        roots = [f.resolve() for f in folders]

        def here(rows: list[LogRow]) -> tuple[LogRow, ...]:
            return tuple(r for r in rows if any(r.path.is_relative_to(f) for f in roots))

        every = here(book.search(""))
        return (here(book.search(words)) if words.strip() else every), every
