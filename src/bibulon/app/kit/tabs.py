"""A row of faces to choose from, one shown at a time: for benches and side panels."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any, Generic, TypeVar, overload

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QButtonGroup,
    QHBoxLayout,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from bibulon.app.kit.appearance import named
from bibulon.app.kit.pile import Pile
from bibulon.core.drawing.kit.tokens import Theme
from bibulon.core.units.words import tr

__all__ = ["Paged", "Tabs", "paged", "pages_of"]

T = TypeVar("T", bound=QWidget)
Making = QWidget | Callable[[], QWidget]


class Tabs(QWidget):
    """Pages with their names in a row above; ``shown`` tells which one is entered.

    A page may be given as what makes it: it is made when it is first shown or asked for, and ``made`` tells.
    """

    shown = Signal(int)
    made = Signal(QWidget)

    def __init__(self, name: str, pages: Sequence[tuple[str, Making]], tools: QWidget | None = None) -> None:
        super().__init__()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        row = QHBoxLayout()
        row.setContentsMargins(16, 6, 16, 4)
        row.setSpacing(2)
        self.group = QButtonGroup(self)
        self.stack = Pile()
        self.names = [text for text, _ in pages]
        self._makers = {k: page for k, (_, page) in enumerate(pages) if not isinstance(page, QWidget)}
        self.pages = [page if isinstance(page, QWidget) else QWidget() for _, page in pages]
        for k, (text, page) in enumerate(zip(self.names, self.pages, strict=True)):
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
        self._make(0)
        self.group.button(0).setChecked(True)
        self.group.idClicked.connect(self.go)

    @property
    def current(self) -> QWidget:
        """Return the page shown."""
        return self.pages[self.stack.currentIndex()]

    @property
    def name(self) -> str:
        """Return the name of the page shown."""
        return self.names[self.stack.currentIndex()]

    def has(self, name: str) -> bool:
        """Whether a page is made."""
        return self.names.index(name) not in self._makers

    def page(self, name: str) -> QWidget:
        """Return a page, made now if it never was."""
        k = self.names.index(name)
        self._make(k)
        return self.pages[k]

    def _make(self, k: int) -> None:
        maker = self._makers.pop(k, None)
        if maker is None:
            return
        page, holder, shown = maker(), self.pages[k], self.stack.currentIndex()
        self.pages[k] = page
        self.stack.insertWidget(k, page)
        self.stack.removeWidget(holder)
        self.stack.setCurrentIndex(shown)
        holder.deleteLater()
        self.made.emit(page)

    def go(self, page: int | str) -> None:
        """Show a page, by its place or its name."""
        k = self.names.index(page) if isinstance(page, str) else page
        self.group.button(k).setChecked(True)
        self._make(k)
        self.stack.setCurrentIndex(k)
        self.shown.emit(k)

    def set_theme(self, theme: Theme) -> None:
        """Pass a theme on to the pages that draw."""
        for page in self.pages:
            if hasattr(page, "set_theme"):
                page.set_theme(theme)


class Paged(Generic[T]):
    """A page of an owner, by its name among the owner's tabs: asked for, it is made."""

    def __init__(self, title: str, make: Callable[[Any], T], tabs: str) -> None:
        self.title, self.make, self.tabs = title, make, tabs

    @overload
    def __get__(self, owner: None, kind: type) -> Paged[T]: ...
    @overload
    def __get__(self, owner: object, kind: type) -> T: ...
    def __get__(self, owner: object | None, kind: type) -> Paged[T] | T:
        if owner is None:
            return self
        page: Any = getattr(owner, self.tabs).page(self.title)
        return page


def paged(title: str, tabs: str = "tabs") -> Callable[[Callable[[Any], T]], Paged[T]]:
    """Let a method make the page of this name of the owner's tabs, once it is first wanted."""
    return lambda make: Paged(title, make, tabs)


def pages_of(owner: object, tabs: str = "tabs") -> list[tuple[str, Callable[[], QWidget]]]:
    """Return the pages that an owner's methods make, in the order in which they stand in its class."""
    found = [p for p in vars(type(owner)).values() if isinstance(p, Paged) and p.tabs == tabs]
    return [(p.title, lambda p=p: p.make(owner)) for p in found]  # type: ignore[misc]
