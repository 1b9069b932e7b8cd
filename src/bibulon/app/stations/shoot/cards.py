"""The pieces of the board: fields of text, and targets that are hit from three metres."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QFrame, QLabel, QLineEdit, QPushButton, QVBoxLayout

from bibulon.app.kit.fields import named
from bibulon.core.units.words import tr

__all__ = ["BoardButton", "BoardLine", "Card", "Target"]


class Card(QFrame):
    """A field of the board: a small title, a large line, a smaller one."""

    def __init__(self, title: str, loud: bool = False) -> None:
        super().__init__()
        self.setObjectName("loud" if loud else "card")
        layout = QVBoxLayout(self)
        layout.setContentsMargins(16, 4, 16, 5)
        layout.setSpacing(1)
        self.title = named(QLabel(tr(title).upper()), "cardtitle")
        self.big = named(QLabel("—"), "cardbig" if loud else "cardtext")
        self.small = named(QLabel(""), "cardsmall")
        for label in (self.title, self.big, self.small):
            label.setWordWrap(True)
            layout.addWidget(label)
        self.big.setAccessibleName(tr(title))

    def set(self, big: str, small: str = "", title: str | None = None) -> None:
        """Show a large line and a small one."""
        self.big.setText(tr(big))
        self.small.setText(tr(small))
        self.small.setVisible(bool(small))
        if title is not None:
            self.title.setText(tr(title).upper())


@dataclass(frozen=True)
class Target:
    """One large target of the board."""

    key: str
    text: str
    short: str
    act: Callable[[], object]
    loud: bool = False


class BoardButton(QPushButton):
    """A target that is seen from three metres; what it does may change while it stays."""

    def __init__(self, target: Target) -> None:
        super().__init__()
        self.act = target.act
        named(self, "loudact" if target.loud else "boardact")
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.clicked.connect(lambda _=False: self.act())


class BoardLine(QLineEdit):
    """A line of text below the map; its Return is its own, and starts nothing on the board."""

    def keyPressEvent(self, event: QKeyEvent) -> None:
        super().keyPressEvent(event)
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            event.accept()
