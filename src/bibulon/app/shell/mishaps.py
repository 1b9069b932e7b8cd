"""What can go wrong here: the practices of a station as cards with drawings, and how the open job keeps to each."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QComboBox,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from bibulon.app.kit.appearance import Bare, named
from bibulon.app.kit.fields import heading, note, offer, word_of
from bibulon.app.kit.mishap_picture import MishapPicture
from bibulon.app.kit.over import Over
from bibulon.core.drawing.kit.tokens import DAY, Theme
from bibulon.core.findings.base import Finding
from bibulon.core.findings.catalogue import Practice, practices
from bibulon.core.units.words import tr

__all__ = ["MishapsPanel"]

EVERYWHERE = "all stations"


class MishapsPanel(Over):
    """Cards of one station or of all, searched as one types; ``chosen`` brings the finding of a card that the job breaks."""

    chosen = Signal(str)

    def __init__(
        self, parent: QWidget, place: Callable[[], str], found: Callable[[], tuple[Finding, ...]], system: Callable[[], str]
    ) -> None:  # fmt: skip
        super().__init__(parent, 820)
        self._place_of, self._found, self._system = place, found, system
        self.theme = DAY
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 16, 12, 12)
        row = QHBoxLayout()
        row.addWidget(heading("What can go wrong here?"))
        self.station = QComboBox()
        self.station.setAccessibleName(tr("Station of the catalogue"))
        offer(self.station, [EVERYWHERE, *dict.fromkeys(p.station for p in practices())])
        self.station.currentTextChanged.connect(lambda _: self.fill())
        row.addWidget(self.station)
        self.search = QLineEdit()
        self.search.setPlaceholderText(tr("Search"))
        self.search.setAccessibleName(tr("Search what can go wrong"))
        self.search.textChanged.connect(lambda _: self.fill())
        row.addWidget(self.search, 1)
        layout.addLayout(row)
        self.area = Bare()
        self.area.setWidgetResizable(True)
        self.area.setAccessibleName(tr("What can go wrong"))
        layout.addWidget(self.area, 1)
        layout.addWidget(
            note(
                "A job that keeps to all of this can still fail: the sheets, local rules and a practised hand come first."
            )
        )

    def tall(self) -> int:
        return 620

    def open(self) -> None:
        self.search.clear()
        at = self.station.findData(self._place_of())
        self.station.setCurrentIndex(max(at, 0))
        self.fill()
        super().open()
        self.search.setFocus()

    def set_theme(self, theme: Theme) -> None:
        """Choose the theme."""
        self.theme = theme
        if self.isVisible():
            self.fill()

    def shown(self) -> list[Practice]:
        """Return the practices that station and words leave."""
        where = word_of(self.station)
        words = self.search.text().lower().split()
        every = practices("" if where == EVERYWHERE else where)
        return [p for p in every if all(w in f"{p.words} {p.station}".lower() for w in words)]

    def fill(self) -> None:
        """Show the cards; those that the job breaks stand first."""
        broken: dict[str, Finding] = {}
        for f in self._found():
            broken.setdefault(f.rule, f)
        body = QWidget()
        column = QVBoxLayout(body)
        column.setContentsMargins(0, 4, 8, 4)
        column.setSpacing(6)
        cards = sorted(self.shown(), key=lambda p: p.rule not in broken)
        for practice in cards:
            column.addWidget(self._card(practice, broken.get(practice.rule)))
        if not cards:
            column.addWidget(note("Nothing holds all of these words."))
        column.addStretch()
        self.area.setWidget(body)

    def _card(self, practice: Practice, finding: Finding | None) -> QWidget:
        card = QWidget()
        row = QHBoxLayout(card)
        row.setContentsMargins(0, 2, 0, 2)
        row.setSpacing(16)
        row.addWidget(MishapPicture(practice.drawing, lambda: self.theme))
        words = QVBoxLayout()
        title = named(QLabel(tr(practice.words)), "strong")
        title.setWordWrap(True)
        words.addWidget(title)
        if finding is None:
            words.addWidget(named(QLabel(tr("This job keeps to it, as far as it is known.")), "soft"))
        else:
            told = finding.worded("us" if self._system() == "us" else "metric")
            state = named(QLabel(tr("This job: {0} ({1}).", told.title, told.number)), "alarm")
            state.setWordWrap(True)
            words.addWidget(state)
            button = QPushButton(tr("Show it"))
            button.setAccessibleName(tr("Show: {}", told.title))
            button.clicked.connect(lambda _=False, key=finding.key: self._choose(key))
            words.addWidget(button, 0, Qt.AlignmentFlag.AlignLeft)
        words.addStretch()
        row.addLayout(words, 1)
        return card

    def _choose(self, key: str) -> None:
        self.put_away()
        self.chosen.emit(key)
