"""What a window does with files: new, open, save, recent, dropped."""

from __future__ import annotations

from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtGui import QDragEnterEvent, QDropEvent
from PySide6.QtWidgets import QMainWindow, QMenu

from bibulon.app.kit import files
from bibulon.app.kit.fields import commit_field
from bibulon.app.session.session import Session
from bibulon.app.stations.base import Station
from bibulon.core.model.job import Job
from bibulon.core.units.words import tr

if TYPE_CHECKING:
    from bibulon.app.shell.opening import Opening

__all__ = ["WindowFiles"]

FILES = "Jobs (*.bibulon *.json)"


class WindowFiles(QMainWindow):
    """The part of a window that opens and saves its job."""

    session: Session
    stations: list[Station]
    recent_menu: QMenu

    def go(self, index: int) -> None:
        """Go to a station."""
        raise NotImplementedError

    def say(self, text: str, alarm: bool) -> None:
        """Show a message."""
        raise NotImplementedError

    def _may_leave(self) -> bool:
        """Ask about unsaved edits and rows; False when the person stays."""
        commit_field(self)
        if not self.session.modified:
            return True
        from PySide6.QtWidgets import QMessageBox

        box = QMessageBox(self)
        box.setWindowTitle(tr("Not saved"))
        rows = self.session.keeper.unkept
        box.setText(tr("“{}” has changes that are not saved.", self.session.job.name))
        if rows:
            box.setText(
                tr(
                    "“{0}” holds {1} rows of what happened that are in no file yet.",
                    self.session.job.name,
                    rows,
                )
            )
            box.setInformativeText(tr("Discarded, they can still be taken up by Job, Left without saving…."))
        keep = box.addButton("Save", QMessageBox.ButtonRole.AcceptRole)
        drop = box.addButton(tr("Discard changes"), QMessageBox.ButtonRole.DestructiveRole)
        box.addButton("Stay", QMessageBox.ButtonRole.RejectRole)
        box.exec()
        if box.clickedButton() is keep:
            return self.save()
        return box.clickedButton() is drop

    def new(self) -> None:
        """Begin a new job."""
        if self._may_leave():
            self.session.new()
            self.go(0)

    def open(self, path: Path | None = None) -> None:
        """Open a job, asking which when no path is given."""
        if not self._may_leave():
            return
        if path is None:
            path = files.to_read(self, tr("Open job"), FILES)
        if path is not None:
            self.say("", False)
            self.opening.begin(path)

    @cached_property
    def opening(self) -> Opening:
        """What reads a job's file."""
        from bibulon.app.shell.opening import Opening

        return Opening(self.session, lambda: self._may_leave(), self)

    def may_begin(self) -> bool:
        """Ask about what is unsaved; False when the person stays."""
        return self._may_leave()

    def begin(self, job: Job) -> None:
        """Begin with a job that was made out of another."""
        if self._may_leave():
            self.session.new(job)
            self.go(0)

    def save(self) -> bool:
        """Save, asking where when the job has no file yet."""
        commit_field(self)
        return self.save_as() if self.session.path is None else self.session.save()

    def save_as(self) -> bool:
        """Save under another name."""
        commit_field(self)
        path = files.to_write(self, tr("Save job as"), self.session.job.name, FILES)
        return path is not None and self.session.save(path)

    def offer_leftovers(self, all_of_them: bool = False) -> None:
        """Offer what earlier sessions left; those that somebody chose to leave only when asked for."""
        left = [x for x in self.session.leftovers() if all_of_them or not x.asked]
        if not left:
            if all_of_them:
                self.say(tr("Nothing was left without saving."), False)
            return
        from bibulon.app.shell.recover_dialog import RecoverDialog

        dialog = RecoverDialog(self.session, left, self)
        if (
            dialog.exec() == RecoverDialog.DialogCode.Accepted
            and dialog.taken is not None
            and self._may_leave()
        ):
            self.session.recover(dialog.taken.path)

    def _fill_recent(self) -> None:
        self.recent_menu.clear()
        for path in self.session.recent():
            action = self.recent_menu.addAction(f"{path.stem}   {path.parent}")
            action.triggered.connect(lambda _=False, p=path: self.open(p))
        if self.recent_menu.isEmpty():
            self.recent_menu.addAction(tr("No jobs yet")).setEnabled(False)

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if event.mimeData().hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        for url in event.mimeData().urls()[:1]:
            path = Path(url.toLocalFile())
            for index, station in enumerate(self.stations):
                if path.suffix.lower() in station.takes:
                    self.go(index)
                    station.take_file(path)
                    break
            else:
                self.open(path)
