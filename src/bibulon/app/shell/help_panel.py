"""The guide inside the program: opened at the place where one is, searched as one types, without a network."""

from __future__ import annotations

import re
from collections.abc import Callable
from pathlib import Path

from msgspec import Struct
from PySide6.QtCore import Qt
from PySide6.QtGui import QTextCursor, QTextDocument
from PySide6.QtWidgets import QHBoxLayout, QLabel, QLineEdit, QTextBrowser, QVBoxLayout, QWidget

from bibulon.app.kit.appearance import named
from bibulon.app.kit.assets import ASSETS
from bibulon.app.kit.fields import heading
from bibulon.app.kit.over import Over
from bibulon.app.kit.rows import Rows
from bibulon.core.units.words import tr

__all__ = ["HelpPanel", "Section", "read_guide", "sections_with"]

SOURCE = Path(__file__).resolve().parents[4] / "docs"


class Section(Struct, frozen=True):
    """A section of the guide: its title and its text, as Markdown."""

    title: str
    text: str


def read_guide() -> list[Section]:
    """Return the guide's sections in order; that of an installed program lies with its assets.

    Raises
    ------
    OSError : when there is none.
    """
    installed = ASSETS / "guide.md"
    whole = (installed if installed.exists() else SOURCE / "guide.md").read_text(encoding="utf-8")
    _, *parts = re.split(r"^## ", f"## Begin\n{whole.partition(chr(10))[2]}", flags=re.MULTILINE)
    return [Section(title.strip(), body.strip()) for title, _, body in (p.partition("\n") for p in parts)]


def sections_with(sections: list[Section], words: str) -> list[Section]:
    """Return the sections that hold all words; those that say them most often, or in their title, first."""
    asked = words.lower().split()
    if not asked:
        return sections

    def weight(section: Section) -> int:
        text, title = section.text.lower(), section.title.lower()
        found = [text.count(w) + 20 * title.count(w) for w in asked]
        return sum(found) if all(found) else 0

    return sorted((s for s in sections if weight(s)), key=lambda s: -weight(s))


class HelpPanel(Over):
    """Sections at the left, the one that is read at the right, and a field that searches all of them."""

    def __init__(self, parent: QWidget, place: Callable[[], str], keys: Callable[[], None]) -> None:
        super().__init__(parent, 860)
        self._place_of = place
        self.sections: list[Section] = []
        self.shown: list[Section] = []
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 16, 20, 12)
        row = QHBoxLayout()
        row.addWidget(heading("Guide"))
        self.field = QLineEdit()
        self.field.setPlaceholderText(tr("Search the guide"))
        self.field.setAccessibleName(tr("Search the guide"))
        self.field.textChanged.connect(self._search)
        row.addWidget(self.field, 1)
        layout.addLayout(row)
        across = QHBoxLayout()
        self.list = Rows()
        self.list.setAccessibleName(tr("Sections of the guide"))
        self.list.setFixedWidth(190)
        self.list.currentRowChanged.connect(self._show)
        across.addWidget(self.list)
        self.text = QTextBrowser()
        self.text.setAccessibleName(tr("Guide"))
        self.text.setOpenLinks(False)
        across.addWidget(self.text, 1)
        layout.addLayout(across, 1)
        self.foot = named(QLabel(), "soft")
        self.foot.linkActivated.connect(lambda _: self._keys(keys))
        layout.addWidget(self.foot)

    def _keys(self, show: Callable[[], None]) -> None:
        self.put_away()
        show()

    def tall(self) -> int:
        return 640

    def open(self) -> None:
        """Show it, at the section of the place where one is."""
        if not self.sections:
            try:
                self.sections = read_guide()
            except OSError as error:
                self.sections = [Section("Guide", tr("The guide is not there: {}.", error.strerror or error))]
        self.field.blockSignals(True)
        self.field.clear()
        self.field.blockSignals(False)
        self._fill(self.sections)
        place = self._place_of()
        titles = [s.title for s in self.shown]
        self.list.setCurrentRow(titles.index(place) if place in titles else 0)
        self.foot.clear()  # a link keeps the colour that the theme had when it was read
        self.foot.setText(
            tr(
                "Esc puts it away; <a href='keys'>all keys</a> (Ctrl+F1). Data sheets and local rules come first."
            )
        )
        super().open()
        self.field.setFocus()

    def _fill(self, sections: list[Section]) -> None:
        self.shown = sections
        self.list.blockSignals(True)
        self.list.clear()
        self.list.addItems([s.title for s in sections])
        self.list.blockSignals(False)

    def _search(self, words: str) -> None:
        self._fill(sections_with(self.sections, words))
        if self.shown:
            self.list.setCurrentRow(0)
            self._show(0)
        else:
            self.text.setMarkdown(tr("No section holds all of these words."))

    def _show(self, row: int) -> None:
        if not 0 <= row < len(self.shown):
            return
        section = self.shown[row]
        self.text.setMarkdown(f"## {section.title}\n\n{section.text}")
        first = (self.field.text().split() or [""])[0]
        if first:
            self.text.moveCursor(QTextCursor.MoveOperation.Start)
            self.text.find(first, QTextDocument.FindFlag(0))

    def keyPressEvent(self, event) -> None:  # type: ignore[no-untyped-def]
        if event.key() in (Qt.Key.Key_Down, Qt.Key.Key_Up) and self.field.hasFocus():
            step = 1 if event.key() == Qt.Key.Key_Down else -1
            self.list.setCurrentRow(min(max(self.list.currentRow() + step, 0), self.list.count() - 1))
            return
        super().keyPressEvent(event)
