"""Start, progress and stop of a long run, for a panel to place."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import Any, TypeVar

from PySide6.QtCore import QObject, Signal
from PySide6.QtWidgets import QHBoxLayout, QProgressBar, QPushButton, QWidget

from bibulon.app.kit.appearance import named
from bibulon.app.work.ask import Ask, Progress, Stopped
from bibulon.app.work.collector import give_back
from bibulon.core.flow.fill.filling import Cancelled
from bibulon.core.units.words import tr

__all__ = ["RunBar", "gathered"]

_R = TypeVar("_R")


def gathered(rows: Iterable[_R], count: int, progress: Progress, stopped: Stopped) -> list[_R]:
    """Return the answers of a long run as they come, counted; when it is stopped, what had come until then."""
    out: list[_R] = []
    try:
        for row in rows:
            out.append(row)
            progress(len(out), count)
            if stopped():
                break
    except Cancelled:
        pass
    return out


class RunBar(QObject):
    """Three widgets and the run that they show; ``ready`` and ``failed`` come when they are at rest again."""

    ready = Signal(object)
    failed = Signal(object)
    progressed = Signal(int, int)  # done, of

    def __init__(self, start: str, told: str, stop: str, parent: QObject, key: Callable[[], object]) -> None:
        super().__init__(parent)
        self.start = QPushButton(tr(start))
        named(self.start, "act")
        self.progress = QProgressBar()
        self.progress.setTextVisible(False)
        self.progress.setAccessibleName(tr(told))
        self.halt = QPushButton(tr("Stop"))
        self.halt.setAccessibleName(tr(stop))
        self.run = Ask(self, key)
        self.run.progress.connect(self._on_progress)
        self.run.ready.connect(self._on_ready)
        self.run.failed.connect(self._on_failed)
        self.run.rested.connect(self._rest)
        self._rest()

    def row(self, *more: QWidget) -> QHBoxLayout:
        """Return a row above a page: start, progress, stop, and what else belongs there."""
        row = QHBoxLayout()
        row.setContentsMargins(16, 4, 16, 0)
        for widget in (self.start, self.progress, self.halt, *more):
            row.addWidget(widget)
        row.addStretch()
        return row

    @property
    def busy(self) -> bool:
        """Whether it runs."""
        return self.run.busy

    def begin(self, work: Callable[[Progress, Stopped], Any], of: int) -> None:
        """Start ``of`` pieces of work."""
        self.start.setEnabled(False)
        self.progress.setRange(0, of)
        self.progress.setValue(0)
        self.progress.setVisible(True)
        self.halt.setVisible(True)
        self.run.start(work)

    def _rest(self) -> None:
        self.start.setEnabled(True)
        self.progress.setVisible(False)
        self.halt.setVisible(False)

    def _on_progress(self, done: int, of: int) -> None:
        self.progress.setRange(0, of)
        self.progress.setValue(done)
        self.progressed.emit(done, of)

    def _on_ready(self, answer: Any) -> None:
        self._rest()
        self.ready.emit(answer)
        give_back()

    def _on_failed(self, error: Exception) -> None:
        self._rest()
        self.failed.emit(error)
