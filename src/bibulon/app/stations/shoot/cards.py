"""The pieces of the board: fields of text, and targets that are hit from three metres."""

from __future__ import annotations

from collections.abc import Callable

from msgspec import Struct
from PySide6.QtCore import Qt
from PySide6.QtGui import QColor, QKeyEvent, QPalette
from PySide6.QtWidgets import QFrame, QLabel, QLineEdit, QPushButton, QVBoxLayout

from bibulon.app.kit.appearance import EDGE, HEAVY, PLAIN, RAISED, SOFT, STRONG, framed, named, words
from bibulon.core.drawing.kit.tokens import NIGHT
from bibulon.core.units.words import tr

__all__ = ["BoardButton", "BoardLine", "Card", "Target"]


def _loud() -> QPalette:
    """Return the colours of what is to be seen first: those of fresh resin."""
    colours, roles = QPalette(), QPalette.ColorRole
    for role in (RAISED, EDGE):
        colours.setColor(role, QColor(NIGHT.resin_new))
    for role in (roles.WindowText, roles.ButtonText, SOFT):
        colours.setColor(role, QColor(NIGHT.on_resin))
    return colours


class Card(QFrame):
    """A field of the board: a small title, a large line, a smaller one."""

    def __init__(self, title: str, loud: bool = False) -> None:
        super().__init__()
        framed(self, "card")
        self.loud = loud
        if loud:
            self.setPalette(_loud())
        layout = QVBoxLayout(self)
        layout.setContentsMargins(16, 4, 16, 5)
        layout.setSpacing(1)
        self.title = named(QLabel(tr(title).upper()), "cardtitle")
        self.big = QLabel("—")
        self.small = QLabel("")
        for label in (self.title, self.big, self.small):
            label.setWordWrap(True)
            layout.addWidget(label)
        self.small.setForegroundRole(SOFT)
        self.big.setAccessibleName(tr(title))

    def fit(self, tight: bool) -> None:
        """Write smaller where the window is low."""
        words(
            self.big,
            (24 if tight else 32) if self.loud else (17 if tight else 20),
            HEAVY if self.loud else STRONG,
        )
        words(self.small, 13 if tight else 15, PLAIN)

    def set(self, big: str, small: str = "", title: str | None = None) -> None:
        """Show a large line and a small one."""
        self.big.setText(tr(big))
        self.small.setText(tr(small))
        self.small.setVisible(bool(small))
        if title is not None:
            self.title.setText(tr(title).upper())


class Target(Struct, frozen=True):
    """One large target of the board."""

    key: str
    text: str
    short: str
    act: Callable[[], object]
    loud: bool = False


class BoardButton(QPushButton):
    """A target that is seen from three metres; what it does may change while it stays."""

    def __init__(self, target: Target, tight: bool) -> None:
        super().__init__()
        self.act = target.act
        named(self, "boardact")
        if target.loud:
            self.setPalette(_loud())
        self.fit(tight)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.clicked.connect(lambda _=False: self.act())

    def fit(self, tight: bool) -> None:
        """Be smaller where the window is low."""
        words(self, 16 if tight else 18, STRONG)
        self.setMinimumHeight(54 if tight else 76)


class BoardLine(QLineEdit):
    """A line of text below the map; its Return is its own, and starts nothing on the board."""

    def __init__(self) -> None:
        super().__init__()
        named(self, "boardline")
        words(self, 18, PLAIN)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        super().keyPressEvent(event)
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            event.accept()
