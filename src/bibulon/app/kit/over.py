"""A panel that lies over the middle of the window until it is put away."""

from __future__ import annotations

import shiboken6
from PySide6.QtCore import QEvent, QObject, Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QFrame, QWidget

from bibulon.app.kit.appearance import framed

__all__ = ["Over"]


class Over(QFrame):
    """A panel over the middle of its window; Esc puts it away and gives the focus back."""

    def __init__(self, parent: QWidget, width: int) -> None:
        super().__init__(parent)
        framed(self, "over")
        self._wide = width
        self._before: QWidget | None = None
        self.hide()

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() == QEvent.Type.Resize:
            self._place()
        return False

    def focusNextPrevChild(self, forward: bool) -> bool:
        """Keep the focus inside while it is open."""
        return True

    def _place(self) -> None:
        parent = self.parentWidget()
        assert parent is not None
        wide = min(self._wide, parent.width() - 40)
        tall = min(self.tall(), parent.height() - 112)
        self.setGeometry((parent.width() - wide) // 2, 56, wide, tall)

    def tall(self) -> int:
        """Return the height that it wants [px]."""
        return 520

    def open(self) -> None:
        """Show it."""
        window = self.window()
        self._before = window.focusWidget()
        self._place()
        window.installEventFilter(self)
        self.show()
        self.raise_()

    def put_away(self) -> None:
        """Hide it."""
        self.window().removeEventFilter(self)
        self.hide()
        # What had it may be gone: a page made anew beneath makes its fields anew.
        if self._before is not None and shiboken6.isValid(self._before):
            self._before.setFocus()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self.put_away()
        else:
            super().keyPressEvent(event)
