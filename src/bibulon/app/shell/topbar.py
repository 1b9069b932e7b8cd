"""The top bar: which job is open, how it stands on disk, and the acts that are always at hand."""

from __future__ import annotations

import time

from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QHBoxLayout, QLabel, QToolButton, QWidget

from bibulon.app.kit.appearance import EDGE, named
from bibulon.app.kit.theme import icon
from bibulon.app.kit.whole import paint_whole
from bibulon.app.session.session import Session
from bibulon.core.drawing.kit.tokens import NIGHT, Theme
from bibulon.core.units.words import tr

__all__ = ["TopBar"]

BUTTONS = (
    ("find", tr("Find an act (Ctrl+K)")), ("undo", "Undo"), ("redo", "Redo"), ("units", "Units"), ("theme", tr("Day or night")),
    ("fold", tr("Fold side panel (Ctrl+B)")), ("menu", tr("Job menu")),
)  # fmt: skip


class TopBar(QWidget):
    """Title, what the job is, whether it is saved; ``buttons`` by name."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        named(self, "topbar")
        row = QHBoxLayout(self)
        row.setContentsMargins(16, 6, 12, 6)
        self.title = named(QLabel(""), "title")
        self.subtitle = named(QLabel(""), "soft")
        self.saved = named(QLabel(""), "soft")
        row.addWidget(self.title)
        row.addSpacing(10)
        row.addWidget(self.subtitle)
        self.rules = named(QToolButton(), "flat")
        self.rules.setToolTip(tr("The limits that findings are judged by"))
        self.rules.setAccessibleName(tr("Shop rules"))
        row.addWidget(self.rules)
        row.addStretch()
        self._row, self._held = row, row.count()
        row.addWidget(self.saved)
        self.buttons: dict[str, QToolButton] = {"rules": self.rules}
        for key, name in BUTTONS:
            button = named(QToolButton(), "flat")
            button.setAccessibleName(tr(name))
            button.setToolTip(tr(name))
            self.buttons[key] = button
            row.addWidget(button)
        self.buttons["menu"].setText(tr("Job"))
        self.buttons["find"].setText(tr("Find an act…"))
        self.buttons["menu"].setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        session.undo_stack.indexChanged.connect(lambda _: self.show_undo())
        self.show_undo()

    def hold(self, part: QWidget) -> None:
        """Give a part a place before what is said of the file."""
        self._row.insertWidget(self._held, part)

    def paintEvent(self, event: QPaintEvent) -> None:
        paint_whole(self, self._draw)

    def _draw(self, painter: QPainter) -> None:
        painter.fillRect(0, self.height() - 1, self.width(), 1, self.palette().color(EDGE))

    def show_undo(self) -> None:
        """Say what undo and redo would do."""
        stack = self.session.undo_stack
        for key, can, text in (
            ("undo", stack.canUndo(), stack.undoText()),
            ("redo", stack.canRedo(), stack.redoText()),
        ):
            self.buttons[key].setEnabled(can)
            self.buttons[key].setToolTip(f"{tr(key.capitalize())} {tr(text)}".strip())

    def show_job(self) -> None:
        """Say which job is open and how it stands."""
        s = self.session
        self.title.setText(s.job.name)
        words = (
            tr(s.job.process),
            tr("mould {}", s.job.mould) if s.job.mould else "",
        )
        self.subtitle.setText(" · ".join(w for w in words if w))
        self.rules.setText(tr("rules: {}", s.job.rules.name))
        self.saved.setText(self._saved())
        self.buttons["units"].setText(tr("US units" if s.system == "us" else "metric"))

    def _saved(self) -> str:
        s = self.session
        if s.keeper.holder is not None:
            return tr("read only, {} has it", s.keeper.holder.words())
        if s.path is None:
            return tr("not saved yet")
        if s.modified:
            return "changed"
        return tr("saved {}", time.strftime("%H:%M", time.localtime(s.saved_at))) if s.saved_at else "saved"

    def set_theme(self, theme: Theme) -> None:
        """Choose the colours of the icons."""
        sun = "sun" if theme is NIGHT else "moon"
        for key, name in (("undo", "undo-2"), ("redo", "redo-2"), ("theme", sun), ("fold", "panel-right")):
            self.buttons[key].setIcon(icon(name, theme.ink))
