"""Rows of fields, each of one figure of the job."""

from __future__ import annotations

from collections.abc import Sequence

from msgspec import Struct
from PySide6.QtWidgets import QLineEdit

from bibulon.app.kit.fields import Form, UnitEdit
from bibulon.app.session.session import Session
from bibulon.core.edit.figures import figure_at, with_figure
from bibulon.core.units.words import tr

__all__ = ["FiguresForm", "Row"]

TEXT = "text"


class Row(Struct, frozen=True):
    """A figure: its path in the job, its name, its quantity, or “text”, and between which SI values it lies.

    empty : what it means to leave it empty, where that may be; it is nothing in the job then.
    """

    path: str
    name: str
    quantity: str
    low: float = 0.0
    high: float = 1e9
    empty: str = ""


class FiguresForm(Form):
    """The rows; ``fill`` shows the job, and what is typed is an edit of it."""

    def __init__(self, session: Session, rows: Sequence[Row]) -> None:
        super().__init__()
        self.session, self.rows = session, rows
        self.fields: dict[str, UnitEdit] = {}
        self.texts: dict[str, QLineEdit] = {}
        for row in rows:
            if row.quantity == TEXT:
                text = QLineEdit()
                text.setAccessibleName(tr(row.name))
                text.editingFinished.connect(lambda r=row, t=text: self._typed(r, t))
                self.texts[row.path] = text
                self.add(row.name, text)
                continue
            field = UnitEdit(row.quantity, row.name, row.low, row.high)
            if row.empty:
                field.may_be_empty(tr(row.empty))
                field.cleared.connect(lambda r=row: self._set(r, None))
            field.committed.connect(
                lambda value, r=row: self._set(r, round(value) if r.quantity == "count" else value)
            )
            field.refused.connect(lambda told: session.said.emit(told, True))
            self.fields[row.path] = field
            self.add(row.name, field)

    def fill(self) -> None:
        """Show the job."""
        job, s = self.session.job, self.session.system
        for path, field in self.fields.items():
            value = figure_at(job, path)
            if value is None:
                field.show_empty()
            else:
                field.set_value(float(value), s)
        for path, text in self.texts.items():
            if not text.isModified():
                text.setText(str(figure_at(job, path)))

    def _typed(self, row: Row, text: QLineEdit) -> None:
        if text.isModified():
            text.setModified(False)
            self._set(row, text.text().strip())

    def _set(self, row: Row, value: object) -> None:
        words = tr("Change {}", tr(row.name).lower())
        if not self.session.edit(words, lambda job: with_figure(job, row.path, value)):
            self.fill()
