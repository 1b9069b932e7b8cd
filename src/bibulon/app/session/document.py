"""The job that is open, with undo: every edit goes through ``edit``, and views draw from ``job`` alone."""

from __future__ import annotations

import uuid
from collections.abc import Callable, Iterator
from contextlib import contextmanager

from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QUndoCommand, QUndoStack

from bibulon.app.session.choice import Choice
from bibulon.core.library.demo import blank_job
from bibulon.core.model.job import Job
from bibulon.store.salvage import plainly

__all__ = ["Document"]


class _Snapshot(QUndoCommand):
    """One edit: the job before and after.  Edits of one gesture share a key and become one."""

    def __init__(self, document: Document, name: str, new: Job, key: str) -> None:
        super().__init__(name)
        self.document, self.old, self.new, self.key = document, document.job, new, key

    def redo(self) -> None:
        self.document._show(self.new)

    def undo(self) -> None:
        self.document._show(self.old)

    def id(self) -> int:
        return 1 if self.key else -1

    def mergeWith(self, other: QUndoCommand) -> bool:
        if not isinstance(other, _Snapshot) or other.key != self.key:
            return False
        self.new = other.new
        return True


class Document(Choice):
    """One job, its undo stack, and what is chosen of it."""

    job_changed = Signal(object)  # Job
    said = Signal(str, bool)  # text, whether it is an alarm

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.job = blank_job()
        self.undo_stack = QUndoStack(self)

    def barred(self) -> str:
        """Return why nothing may be edited now; empty when it may."""
        return ""

    def edit(self, name: str, change: Callable[[Job], Job] | Job, key: str = "") -> bool:
        """Make an edit that undo knows by ``name``; False, and a message, when it is refused."""
        if reason := self.barred():
            self.said.emit(reason, True)
            return False
        try:
            new = change(self.job) if callable(change) else change
        except ValueError as error:  # outlines and validation say what and where
            self.said.emit(plainly(error), True)
            return False
        if new != self.job:
            self.undo_stack.push(_Snapshot(self, name, new, key))
        return True

    @contextmanager
    def together(self, name: str) -> Iterator[None]:
        """Make all edits meanwhile one step of undo; none when nothing was edited."""
        self.undo_stack.beginMacro(name)
        try:
            yield
        finally:
            self.undo_stack.endMacro()
            command = self.undo_stack.command(self.undo_stack.count() - 1)
            if command.childCount() == 0:
                command.setObsolete(True)
                self.undo_stack.undo()  # what is obsolete goes

    def end_gesture(self) -> None:
        """Close the running gesture: the next edit is an undo step of its own."""
        command = self.undo_stack.command(self.undo_stack.count() - 1)
        if isinstance(command, _Snapshot) and command.key:
            command.key = f"{command.key}#{uuid.uuid4().hex}"

    def _show(self, job: Job) -> None:
        """Show a state of the job, of an edit or of undo."""
        self.job = job
        there = {line.id for line in job.lines} | {f"zone:{z.id}" for z in job.part.zones}
        self.set_selection(tuple(t for t in self.selection if t in there))
        self.job_changed.emit(job)
