"""The banner of a rehearsal: that nothing here is real, its speed, what one may look at, and its end; and the debrief after it."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial
from html import escape
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QComboBox,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from bibulon.app.kit import files
from bibulon.app.kit.appearance import Bare, named
from bibulon.app.kit.fields import heading, push
from bibulon.app.kit.over import Over
from bibulon.app.kit.printing import preview
from bibulon.app.kit.sound import Player, hiss
from bibulon.app.session.rehearsal import SPEED, Rehearsal
from bibulon.app.work.errands import Errands, not_written
from bibulon.core.drawing.kit.pages import PAGE, Page
from bibulon.core.drawing.kit.scene import Item
from bibulon.core.drawing.sheets.debrief import debrief_pages, debrief_sections, trained_words
from bibulon.core.plans.rehearsal.debrief import Debrief
from bibulon.core.plans.rehearsal.followed import LOOKS
from bibulon.core.plans.rehearsal.shop import Shop
from bibulon.core.plans.rehearsal.training import Trained
from bibulon.core.units.units import System
from bibulon.core.units.words import tr
from bibulon.store.exports.pdf import write_pages

__all__ = ["DebriefPanel", "RehearsalBar", "debrief_html"]

SPEEDS = (0.0, 1.0, 5.0, 10.0, 20.0)


class RehearsalBar(QWidget):
    """A row above the bench, seen while a rehearsal is under way."""

    def __init__(self, rehearsal: Rehearsal, window: QWidget) -> None:
        super().__init__()
        self.debrief = DebriefPanel(window, rehearsal.session.errands)
        rehearsal.told.connect(self._tell)
        self.rehearsal = rehearsal
        row = QHBoxLayout(self)
        row.setContentsMargins(16, 4, 12, 4)
        self.words = named(QLabel(tr("Rehearsal: nothing here is real")), "head")
        row.addWidget(self.words)
        self.speed = QComboBox()
        self.speed.setAccessibleName(tr("Speed of the rehearsal"))
        for factor in SPEEDS:
            self.speed.addItem(tr("stands still") if factor == 0 else f"× {factor:g}", factor)
        self.speed.setCurrentIndex(SPEEDS.index(SPEED))
        self.speed.activated.connect(lambda _: rehearsal.set_speed(float(self.speed.currentData())))
        row.addWidget(self.speed)
        self.looks = QComboBox()
        self.looks.setAccessibleName(tr("Look at"))
        for key, words in LOOKS.items():
            self.looks.addItem(tr(words), key)
        row.addWidget(self.looks)
        self.do = push("Look", lambda: rehearsal.look(str(self.looks.currentData())))
        row.addWidget(self.do)
        row.addStretch()
        self.end = named(QPushButton(tr("End and tell")), "act")
        self.end.clicked.connect(lambda _=False: rehearsal.end())
        row.addWidget(self.end)
        self.player = Player()
        rehearsal.hissed.connect(self._hiss)
        rehearsal.session.closing.connect(self.player.close)
        rehearsal.changed.connect(self._follow)
        self.setVisible(False)

    def _hiss(self, pan: float) -> None:
        """Let a leak be heard from where it is."""
        self.player.play("hiss", hiss(pan, 0.8))

    def _tell(self, told: tuple[Shop, Debrief]) -> None:
        rehearsal = self.rehearsal
        self.debrief.show_told(*told, rehearsal.trained(), rehearsal.person, rehearsal.session.system)

    def _follow(self) -> None:
        self.setVisible(self.rehearsal.running)
        self.speed.setCurrentIndex(SPEEDS.index(SPEED))


def debrief_html(shop: Shop, told: Debrief, trained: Sequence[Trained], system: System) -> str:
    """Return the debrief as rich text, with the rehearsals so far below it."""
    sections = debrief_sections(told, shop.plan.fill_time, system)
    if trained:
        sections.append((tr("Rehearsals so far"), trained_words(trained)))
    out = []
    for title, lines in sections:
        rows = "".join(f"<li>{escape(words)}</li>" for words in lines)
        out.append(f"<h4>{escape(title)}</h4><ul>{rows}</ul>")
    return "".join(out)


class DebriefPanel(Over):
    """What was hidden, and how each decision compares, when a rehearsal is over; printed, or saved."""

    def __init__(self, parent: QWidget, errands: Errands) -> None:
        super().__init__(parent, 640)
        self._errands = errands
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 16, 12, 12)
        layout.addWidget(heading("After the rehearsal"))
        self.area = Bare()
        self.area.setWidgetResizable(True)
        self.area.setAccessibleName(tr("After the rehearsal"))
        self.text = QLabel()
        self.text.setTextFormat(Qt.TextFormat.RichText)
        self.text.setWordWrap(True)
        self.text.setAlignment(Qt.AlignmentFlag.AlignTop)
        self.area.setWidget(self.text)
        layout.addWidget(self.area)
        row = QHBoxLayout()
        self.printed = push("Print…", lambda: preview(self.window(), self._items(), PAGE, "Rehearsal"))
        self.save = push("Save as PDF…", self._ask_save)
        row.addStretch()
        row.addWidget(self.printed)
        row.addWidget(self.save)
        layout.addLayout(row)
        self.pages: list[Page] = []

    def show_told(
        self, shop: Shop, told: Debrief, trained: Sequence[Trained], person: str, system: System
    ) -> None:
        """Show a debrief."""
        self.text.setText(debrief_html(shop, told, trained, system))
        self.pages = debrief_pages(shop.job.name, person, told, shop.plan.fill_time, trained, system)
        self.open()
        self.area.setFocus()

    def _items(self) -> list[list[Item]]:
        return [page.items for page in self.pages]

    def _ask_save(self) -> None:
        path = files.to_write(self, tr("Save what was told"), tr("rehearsal"), "PDF (*.pdf)")
        if path is not None:
            self.write(path)

    def write(self, path: Path) -> None:
        """Write the debrief as PDF."""
        self._errands.begin(
            partial(write_pages, self._items(), PAGE, path, "Rehearsal"),
            tr("What was told is saved as {}.", path.name),
            not_written(path),
        )
