"""A row of faces to choose from, one shown at a time: for benches and side panels."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QButtonGroup,
    QHBoxLayout,
    QPushButton,
    QSizePolicy,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from bibulon.app.kit.fields import named
from bibulon.core.drawing.kit.tokens import Theme
from bibulon.core.units.words import tr

__all__ = ["Tabs"]


class Tabs(QWidget):
    """Pages with their names in a row above; ``shown`` tells which one is entered."""

    shown = Signal(int)

    def __init__(self, name: str, pages: list[tuple[str, QWidget]], tools: QWidget | None = None) -> None:
        super().__init__()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        row = QHBoxLayout()
        row.setContentsMargins(16, 6, 16, 4)
        row.setSpacing(2)
        self.group = QButtonGroup(self)
        self.stack = QStackedWidget()
        self.pages = [page for _, page in pages]
        self.names = [text for text, _ in pages]
        for k, (text, page) in enumerate(pages):
            button = named(QPushButton(tr(text)), "tab")
            button.setCheckable(True)
            button.setAccessibleName(f"{tr(name)}: {tr(text)}")
            button.setCursor(Qt.CursorShape.PointingHandCursor)
            self.group.addButton(button, k)
            row.addWidget(button)
            self.stack.addWidget(page)
        row.addStretch()
        if tools is not None:
            row.addWidget(tools)
        layout.addLayout(row)
        layout.addWidget(self.stack, 1)
        self._policies = [page.sizePolicy() for page in self.pages]
        self._only(0)
        self.group.button(0).setChecked(True)
        self.group.idClicked.connect(self.go)

    @property
    def current(self) -> QWidget:
        """Return the page shown."""
        return self.pages[self.stack.currentIndex()]

    def go(self, page: int | str) -> None:
        """Show a page, by its place or its name."""
        k = self.names.index(page) if isinstance(page, str) else page
        self.group.button(k).setChecked(True)
        self._only(k)
        self.stack.setCurrentIndex(k)
        self.shown.emit(k)

    def _only(self, shown: int) -> None:
        """Let the page shown alone say how large the pages are, so that a small one neither scrolls nor is cut."""
        for k, page in enumerate(self.pages):
            ignored = QSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Ignored)
            page.setSizePolicy(self._policies[k] if k == shown else ignored)

    def set_theme(self, theme: Theme) -> None:
        """Pass a theme on to the pages that draw."""
        for page in self.pages:
            if hasattr(page, "set_theme"):
                page.set_theme(theme)
