"""Numbers beside a handle: type where it shall be."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QApplication, QFrame, QHBoxLayout, QLabel, QWidget

from bibulon.app.kit.appearance import framed, named
from bibulon.app.kit.fields import UnitEdit
from bibulon.core.units.units import System
from bibulon.core.units.words import tr

__all__ = ["PlaceEdit"]


class PlaceEdit(QFrame):
    """Two fields, x and y, or one, the rise of an arc, that float beside a handle.

    ``placed`` gives x and y, or the rise twice; Esc, or an empty click on the plan, takes it away.
    """

    placed = Signal(float, float)
    refused = Signal(str)

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        framed(self, "raised")
        row = QHBoxLayout(self)
        row.setContentsMargins(6, 4, 6, 4)
        row.setSpacing(4)
        self.title_x, self.title_y = named(QLabel("x"), "soft"), named(QLabel("y"), "soft")
        self.x_field, self.y_field = (
            UnitEdit("length", name, -100.0, 100.0) for name in (tr("Handle x"), tr("Handle y"))
        )
        for title, field in ((self.title_x, self.x_field), (self.title_y, self.y_field)):
            row.addWidget(title)
            row.addWidget(field)
            field.setFixedWidth(86)
            field.committed.connect(lambda _, f=field: self._commit(f))
            field.refused.connect(self.refused)
        self.single = False
        self.hide()

    def offer(self, values: tuple[float, float], single: bool, system: System, at: tuple[int, int]) -> None:
        """Show the values of a handle [m] near a px."""
        self.single = single
        self.title_x.setText(tr("rise" if single else "x"))
        self.title_y.setVisible(not single)
        self.y_field.setVisible(not single)
        self.x_field.set_value(values[0], system)
        self.y_field.set_value(values[1], system)
        self.adjustSize()
        parent = self.parentWidget()
        assert parent is not None
        x = min(max(at[0] + 14, 4), max(parent.width() - self.width() - 4, 4))
        y = min(max(at[1] + 14, 4), max(parent.height() - self.height() - 4, 4))
        self.move(x, y)
        self.show()
        self.raise_()

    def _commit(self, field: UnitEdit) -> None:
        """Place it once both are typed: Tab from one field to the other is no end."""
        now = QApplication.focusWidget()
        if now is field or now not in (self.x_field, self.y_field):
            self._place()

    def _place(self) -> None:
        x = self.x_field.value()
        self.placed.emit(x, x if self.single else self.y_field.value())

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self.hide()
            parent = self.parentWidget()
            if parent is not None:
                parent.setFocus()
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            # A field hands Return on; the plan beneath would take it for the end of what is being drawn.  Where the
            # field stood as it was, it has told nothing yet.
            if self.isVisible() and not (self.x_field.isModified() or self.y_field.isModified()):
                self._place()
        else:
            super().keyPressEvent(event)
