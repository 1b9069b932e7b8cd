"""Lists for the floor as they will print: ply book, core kit, material totals."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtGui import QGuiApplication
from PySide6.QtWidgets import (
    QComboBox,
    QHBoxLayout,
    QVBoxLayout,
    QWidget,
)

from bibulon.app.kit import files
from bibulon.app.kit.appearance import Bare
from bibulon.app.kit.fields import note, push
from bibulon.app.kit.page_view import PageView
from bibulon.app.kit.printing import preview
from bibulon.app.session.session import Session
from bibulon.app.work.ask import Ask
from bibulon.core.drawing.kit.pages import PAGE, Page
from bibulon.core.drawing.kit.tokens import Theme
from bibulon.core.units.pasted import table_text
from bibulon.core.units.words import tr
from bibulon.store.exports.lists import LISTS, write_list

__all__ = ["ListsView"]


class ListsView(QWidget):
    """One list at a time, with its file."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        layout = QVBoxLayout(self)
        layout.setContentsMargins(16, 4, 16, 8)
        row = QHBoxLayout()
        self.which = QComboBox()
        self.which.setAccessibleName(tr("List shown"))
        self.which.activated.connect(lambda _: self.fill())
        row.addWidget(self.which)
        row.addStretch()
        for text, act in (
            ("Print…", self.print),
            (tr("Save as PDF…"), lambda: self.save("pdf")),
            (tr("Save as CSV…"), lambda: self.save("csv")),
            (tr("Copy table"), self.copy),
        ):
            row.addWidget(push(text, act))
        layout.addLayout(row)
        self.pages = PageView(tr("List preview"))
        self.scroller = Bare()
        self.scroller.setWidget(self.pages)
        self.scroller.setAccessibleName(tr("Pages of the list"))
        self.scroller.setAlignment(Qt.AlignmentFlag.AlignHCenter)
        layout.addWidget(self.scroller, 1)
        self.problem = note()
        layout.addWidget(self.problem)
        self.later = Ask(self, lambda: session.number)
        self.later.ready.connect(self._show)
        self.later.failed.connect(lambda error: self._show([], str(error)))
        session.job_changed.connect(lambda _: self.fill() if self.isVisible() else None)

    @property
    def key(self) -> str:
        """Return which list is shown."""
        return str(self.which.currentData() or next(iter(LISTS)))

    def fill(self) -> None:
        """Show the job's list as it is now."""
        self._offer()
        job, system, told = self.session.job, self.session.system, LISTS[self.key]
        self.later.want(lambda: told.pages(job, system))

    def _offer(self) -> None:
        """Offer the lists that this job has: nobody walks round a closed mould with tape."""
        keys = [key for key, told in LISTS.items() if told.stands(self.session.job)]
        if keys == [self.which.itemData(k) for k in range(self.which.count())]:
            return
        shown = self.key
        self.which.clear()
        for key in keys:
            self.which.addItem(tr(LISTS[key].name), key)
        self.which.setCurrentIndex(max(self.which.findData(shown), 0))

    def _show(self, pages: list[Page], problem: str = "") -> None:
        self.pages.set_pages(pages)
        self.problem.setText(problem)
        self.problem.setVisible(bool(problem))

    def save(self, kind: str, path: Path | None = None) -> None:
        """Write the list as PDF or CSV, asking where when no path is given."""
        name = LISTS[self.key].name
        if path is None:
            offered = f"{self.session.job.name} {name.lower()}"
            path = files.to_write(self, tr("Save {}", name.lower()), offered, f"{kind.upper()} (*.{kind})")
        if path is None:
            return
        self.session.errands.begin(
            partial(write_list, self.session.job, self.key, path, self.session.system),
            tr("The {0} is saved as {1}.", name.lower(), path.name),
            lambda error: tr("The list could not be saved: {}", error),
        )

    def print(self) -> None:
        """Print the list by the desk's own dialog."""
        preview(
            self,
            [p.items for p in self.pages.pages],
            PAGE,
            f"{self.session.job.name}, {LISTS[self.key].name.lower()}",
        )

    def copy(self) -> None:
        """Put the list's rows on the clipboard."""
        try:
            rows = LISTS[self.key].rows(self.session.job, self.session.system)
        except ValueError as error:
            self.session.said.emit(str(error), True)
            return
        QGuiApplication.clipboard().setText(table_text(rows[0], rows[1:]))
        self.session.said.emit(tr("{} rows are on the clipboard.", len(rows) - 1), False)

    def set_theme(self, theme: Theme) -> None:
        """Paper is paper by day and night."""
