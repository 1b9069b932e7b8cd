"""The calling sheet: what is said to whom, in order, and as pages for the wall."""

from __future__ import annotations

from itertools import zip_longest
from pathlib import Path

from PySide6.QtGui import QGuiApplication
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from bibulon.app.kit import files
from bibulon.app.kit.fields import note, push
from bibulon.app.kit.printing import preview
from bibulon.app.kit.table import Column, Table
from bibulon.app.session.session import Session
from bibulon.app.work.ask import Ask
from bibulon.core.drawing.kit.pages import PAGE
from bibulon.core.drawing.sheets.callpages import HEADS, call_pages, call_rows
from bibulon.core.outlook.outlook import Outlook
from bibulon.core.run.callsheet import SheetRow, call_sheet
from bibulon.core.units.pasted import table_text
from bibulon.core.units.units import System
from bibulon.core.units.words import tr
from bibulon.store.exports.lists import write_csv
from bibulon.store.exports.pdf import write_pages

__all__ = ["CallsView"]

WIDTHS = (58, 62, 176, 180)  # px; the last takes what is left


class CallsView(QWidget):
    """A row a call; choosing one moves the clock there."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.rows: list[SheetRow] = []
        self._asked: tuple[Outlook, System] | None = None
        self.later = Ask(self, lambda: session.number)
        self.later.ready.connect(self._show)
        self.later.failed.connect(self._on_failure)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(16, 4, 16, 8)
        row = QHBoxLayout()
        row.addWidget(
            note("What is said, to whom, on what sign. Choosing a call moves plan, cut and clock there."), 1
        )
        for text, act in (
            ("Print…", self.print),
            (tr("Save large, as PDF…"), self.save),
            (tr("Copy table"), self.copy),
        ):
            row.addWidget(push(text, act))
        layout.addLayout(row)
        self.table = Table(
            [Column(h, w) for h, w in zip_longest(HEADS, WIDTHS)],
            "Calling sheet",
            whole=True,
            copying=self.copy,
        )
        self.table.row_chosen.connect(self._chosen)
        layout.addWidget(self.table, 1)
        self.words = note()
        layout.addWidget(self.words)
        session.outlook_changed.connect(lambda _: self.fill() if self.isVisible() else None)
        session.job_opened.connect(self._forget)

    def _on_failure(self, error: Exception) -> None:
        self.words.setText(str(error))

    def _forget(self) -> None:
        """Another job is open: the calls of the last one are not its."""
        self._asked = None
        self._show([])

    def fill(self) -> None:
        """Work the calls out from the forecast there is."""
        outlook, system = self.session.outlook, self.session.system
        if outlook is None or outlook.forecast is None:
            self._show([])
            self.words.setText(self.session.problem or tr("No forecast yet."))
            return
        if self._asked is not None and self._asked[0] is outlook and self._asked[1] == system:
            return
        self._asked = outlook, system
        job, forecast = outlook.job, outlook.forecast
        plan = outlook.evidence.charge if outlook.evidence else None
        self.later.want(lambda: call_sheet(job, forecast, plan, system))

    def _show(self, rows: list[SheetRow]) -> None:
        self.rows = rows
        self.words.setText(
            tr("Calls come from the forecast: on the day the front itself is the sign." if rows else "")
        )
        self.table.show_rows([[tr(text) for text in cells] for cells in call_rows(rows)[1:]])
        self.table.resizeRowsToContents()

    def _chosen(self, row: int) -> None:
        if 0 <= row < len(self.rows):
            self.session.set_moment(self.rows[row].time)

    def save(self, path: Path | None = None) -> None:
        """Write the sheet as PDF, large, or as CSV by the file's ending."""
        if path is None:
            name = tr("{} calls", self.session.job.name)
            path = files.to_write(self, tr("Save calling sheet"), name, "PDF (*.pdf);;CSV (*.csv)")
        if path is None:
            return
        name, rows = self.session.job.name, self.rows

        def write() -> None:
            if path.suffix.lower() == ".csv":
                write_csv(call_rows(rows), path)
            else:
                write_pages([p.items for p in call_pages(name, rows)], PAGE, path, tr("{}, calls", name))

        done = tr("The calling sheet is saved as {}.", path.name)
        self.session.errands.begin(write, done, lambda error: tr("The sheet could not be saved: {}", error))

    def print(self) -> None:
        """Print the sheet, large, by the desk's own dialog."""
        name = self.session.job.name
        preview(self, [p.items for p in call_pages(name, self.rows)], PAGE, tr("{}, calls", name))

    def copy(self) -> None:
        """Put the sheet on the clipboard."""
        rows = call_rows(self.rows)
        QGuiApplication.clipboard().setText(table_text(rows[0], rows[1:]))
        self.session.said.emit(tr("{} calls are on the clipboard.", len(rows) - 1), False)
