"""What earlier sessions left without saving: which part, when, how many rows; taken up, left, or removed."""

from __future__ import annotations

import time

from PySide6.QtWidgets import QDialog, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from bibulon.app.kit.appearance import named
from bibulon.app.kit.fields import note, push
from bibulon.app.kit.table import Cell, Column, Table
from bibulon.app.session.session import Session
from bibulon.core.units.units import show
from bibulon.core.units.words import tr
from bibulon.store.keeper import Leftover

__all__ = ["RecoverDialog"]

HEADS = (
    Column("part"),
    Column("size"),
    Column("left"),
    Column("rows of a run", right=True),
    Column("belongs to"),
)


class RecoverDialog(QDialog):
    """A row a leftover; ``taken`` is the one to go on with, None when all are left for another time."""

    def __init__(self, session: Session, left: list[Leftover], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session, self.left = session, list(left)
        self.taken: Leftover | None = None
        self.setWindowTitle(tr("Left without saving"))
        layout = QVBoxLayout(self)
        layout.addWidget(
            note("Earlier sessions ended without saving these. Nothing is removed unless you remove it.")
        )
        self.table = Table(HEADS, "Left without saving", whole=True)
        self.table.setSelectionMode(Table.SelectionMode.SingleSelection)
        self.table.row_chosen.connect(lambda _: self._chosen())
        self.table.doubleClicked.connect(lambda _: self.take())
        layout.addWidget(self.table, 1)
        self.words = note("")
        layout.addWidget(self.words)
        row = QHBoxLayout()
        self.buttons: dict[str, QPushButton] = {}
        for text, act in (
            ("Take up", self.take),
            ("Remove for good", self.remove),
            (tr("Leave for later"), self.reject),
        ):
            button = push(text, act)
            self.buttons[text] = button
            row.addWidget(button)
            if text == "Remove for good":
                row.addStretch()
        named(self.buttons["Take up"], "act")
        layout.addLayout(row)
        self._fill()

    def _fill(self) -> None:
        s = self.session.system
        rows = []
        for left in self.left:
            when = time.strftime("%d %b %Y, %H:%M", time.localtime(left.when))
            size = f"{show(left.size[0], 'length', s)} × {show(left.size[1], 'length', s)}"
            cells = (
                left.name or tr("cannot be read"), "" if left.problem else size, when, str(left.rows or "none"),
                left.home or tr("no file yet"),
            )  # fmt: skip
            rows.append([Cell(tr(text), tip=left.problem) for text in cells])
        self.table.show_rows(rows)
        self.table.fit_columns()
        wide = sum(self.table.columnWidth(c) for c in range(len(HEADS))) + 60
        self.resize(min(max(wide, 560), 1100), 340)
        if self.left:
            self.table.choose(0)
        self._chosen()

    @property
    def chosen(self) -> Leftover | None:
        """Return the leftover that is chosen."""
        row = self.table.current_row()
        return self.left[row] if 0 <= row < len(self.left) else None

    def _chosen(self) -> None:
        left = self.chosen
        self.buttons["Take up"].setEnabled(left is not None and not left.problem)
        self.buttons["Remove for good"].setEnabled(left is not None)
        self.words.setText(left.problem if left else "")

    def take(self) -> None:
        """Go on with the one that is chosen."""
        if (left := self.chosen) is not None and not left.problem:
            self.taken = left
            self.accept()

    def remove(self) -> None:
        """Remove the one that is chosen; one that holds a run asks once more."""
        left = self.chosen
        if left is None:
            return
        if left.rows and self.words.text() != _sure(left):
            self.words.setText(_sure(left))
            return
        self.session.discard_leftover(left)
        self.left.remove(left)
        self._fill()
        if not self.left:
            self.reject()


def _sure(left: Leftover) -> str:
    return tr(
        "This holds {} rows of a run that stand nowhere else. Press “Remove for good” again to lose them.",
        left.rows,
    )
