"""Reckoner: the program's own functions without a job, each with a curve and a line to copy."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import Qt
from PySide6.QtGui import QGuiApplication, QShowEvent
from PySide6.QtWidgets import (
    QFormLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QListWidgetItem,
    QVBoxLayout,
    QWidget,
)

from bibulon.app.kit.appearance import Bare, named
from bibulon.app.kit.drawing_view import DrawingView
from bibulon.app.kit.fields import heading, note, push
from bibulon.app.kit.rows import Rows
from bibulon.app.session.session import Session
from bibulon.app.work.ask import Ask
from bibulon.core.drawing.graphs.sweep import draw_sweep
from bibulon.core.drawing.kit.scene import Item, Label
from bibulon.core.drawing.kit.tokens import Theme
from bibulon.core.plans.reckon.quick import line_of
from bibulon.core.plans.reckon.row import NEEDED, ReckonError, Row, Sweep, reckon, sweep
from bibulon.core.plans.reckon.rows import ROWS
from bibulon.core.units.words import tr

__all__ = ["ReckonPage"]


class ReckonPage(QWidget):
    """Rows at the left, what goes in and comes out in the middle, the curve below."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.row: Row = next(iter(ROWS.values()))
        self.fields: dict[str, QLineEdit] = {}
        self.answers: dict[str, Any] = {}
        self.curve: Sweep | None = None
        layout = QHBoxLayout(self)
        layout.setContentsMargins(16, 4, 16, 8)
        self.list = Rows()
        self.list.setAccessibleName(tr("What is reckoned"))
        for row in ROWS.values():
            item = QListWidgetItem(f"{row.name}\n{row.words}")
            item.setData(Qt.ItemDataRole.UserRole, row.name)
            self.list.addItem(item)
        self.list.setMaximumWidth(240)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.setWordWrap(True)
        layout.addWidget(self.list, 2)
        layout.addLayout(self._middle(), 5)
        self.ask = Ask(self, lambda: 0)
        self.ask.ready.connect(self._show)
        self.ask.failed.connect(self._fail)
        self.list.currentItemChanged.connect(
            lambda item, _: self.open(item.data(Qt.ItemDataRole.UserRole)) if item else None
        )
        self.list.setCurrentRow(0)

    def _middle(self) -> QVBoxLayout:
        """Return the row's fields with its answer, and the curve below."""
        middle = QVBoxLayout()
        self.title = heading("")
        middle.addWidget(self.title)
        top = QHBoxLayout()
        self.area = Bare()
        self.area.setWidgetResizable(True)
        self.area.setAccessibleName(tr("What goes in"))
        top.addWidget(self.area, 3)
        out = QVBoxLayout()
        self.out = QLabel("")
        self.out.setAccessibleName(tr("What comes out"))
        self.out.setTextFormat(Qt.TextFormat.RichText)
        self.out.setWordWrap(True)
        self.out.setAlignment(Qt.AlignmentFlag.AlignTop)
        self.out.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        out.addWidget(self.out, 1)
        self.copy = push("Copy as a line", self.copy_line)
        out.addWidget(self.copy)
        top.addLayout(out, 2)
        middle.addLayout(top, 3)
        self.problem = note("")
        middle.addWidget(self.problem)
        self.chart = DrawingView("How the answer goes with one input", self._items, 170)
        middle.addWidget(self.chart, 2)
        return middle

    def showEvent(self, event: QShowEvent) -> None:
        """Work out what is shown: what was asked before a job was opened is answered no more."""
        super().showEvent(event)
        if not self.answers and not self.ask.busy:
            self.work()

    def open(self, name: str, typed: dict[str, str] | None = None) -> None:
        """Show a row, with what is typed into it, or its example."""
        self.row, self.answers, self.curve = ROWS[name], {}, None
        at = list(ROWS).index(name)
        if self.list.currentRow() != at:
            self.list.blockSignals(True)
            self.list.setCurrentRow(at)
            self.list.blockSignals(False)
        self.title.setText(f"{self.row.words[:1].upper()}{self.row.words[1:]}")
        body = QWidget()
        form = QFormLayout(body)
        form.setContentsMargins(0, 0, 8, 0)
        self.fields = {}
        filled = self.row.example if typed is None else typed
        for key, wanted in self.row.inputs.items():
            field = QLineEdit(filled.get(key, ""))
            field.setAccessibleName(f"{self.row.name}: {key}")
            field.setPlaceholderText(
                tr("needed")
                if wanted.default is NEEDED
                else tr(" or ").join(map(tr, wanted.among)) or tr("as usual")
            )
            field.editingFinished.connect(self.work)
            self.fields[key] = field
            form.addRow(named(QLabel(key.replace("_", " ")), "soft"), field)
        self.area.setWidget(body)
        self.work()

    @property
    def typed(self) -> dict[str, str]:
        """What stands in the fields."""
        return {key: field.text().strip() for key, field in self.fields.items() if field.text().strip()}

    def work(self) -> None:
        """Work it out."""
        row, typed = self.row, self.typed
        self.ask.want(lambda: (row, reckon(row, typed), sweep(row, typed)))

    def _show(self, answer: tuple[Row, dict[str, Any], Sweep | None]) -> None:
        row, answers, curve = answer
        if row is not self.row:
            return
        self.answers, self.curve = answers, curve
        self.problem.setText("")
        told = "".join(
            f"<tr><td style='padding-right:12px'>{key.replace('_', ' ')}</td><td align='right'><b>{_plain(value)}</b></td></tr>"
            for key, value in self.answers.items()
        )
        self.out.setText(f"<table cellspacing='4'>{told}</table>")
        self.copy.setEnabled(True)
        self.chart.setAccessibleDescription(line_of(self.answers))
        self.chart.update()

    def _fail(self, error: Exception) -> None:
        self.answers, self.curve = {}, None
        self.out.setText("")
        self.copy.setEnabled(False)
        self.problem.setText(
            str(error) if isinstance(error, ReckonError) else tr("It cannot be worked out: {}", error)
        )
        self.chart.update()

    def copy_line(self) -> None:
        """Put one line with what went in and came out on the clipboard."""
        into = ", ".join(f"{k} {v}" for k, v in self.typed.items())
        QGuiApplication.clipboard().setText(f"{self.row.name} ({into}): {line_of(self.answers)}")
        self.session.said.emit("Copied.", False)

    def _items(self, width: float, height: float, theme: Theme) -> list[Item]:
        if self.curve is None:
            return [
                Label(
                    width / 2,
                    height / 2,
                    "" if self.answers else tr("Fill in what is needed."),
                    theme.soft,
                    13,
                )
            ]
        wanted = self.row.inputs[self.curve.over]
        return list(draw_sweep(self.curve, wanted, (width, height), theme, self.session.system))

    def set_theme(self, theme: Theme) -> None:
        """Choose the theme."""
        self.chart.set_theme(theme)


def _plain(value: Any) -> str:
    """Return an answer as people read it."""
    if isinstance(value, bool):
        return tr("yes" if value else "no")
    return line_of({"": value}).strip()
