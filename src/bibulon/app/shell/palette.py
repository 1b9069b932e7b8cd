"""The palette, which finds any act by typing, and the sheet of all shortcuts: both lie over the window."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from html import escape

from PySide6.QtCore import QEvent, QObject, Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import (
    QLabel,
    QLineEdit,
    QListWidgetItem,
    QVBoxLayout,
    QWidget,
)

from bibulon.app.kit.acts import KEYS_IN_PLACE, Act
from bibulon.app.kit.appearance import Bare
from bibulon.app.kit.fields import heading
from bibulon.app.kit.over import Over
from bibulon.app.kit.rows import Rows
from bibulon.core.units.words import tr

__all__ = ["Palette", "ShortcutSheet"]


class Palette(Over):
    """Type part of what should be done; Enter does it.  ``asked`` makes acts of words that are no act's name."""

    def __init__(
        self,
        parent: QWidget,
        acts: Callable[[], Sequence[Act]],
        asked: Callable[[str], Sequence[Act]] = lambda _: (),
    ) -> None:
        super().__init__(parent, 560)
        self._acts, self._asked = acts, asked
        self._found: list[Act] = []
        layout = QVBoxLayout(self)
        layout.setContentsMargins(12, 12, 12, 12)
        self.field = QLineEdit()
        self.field.setPlaceholderText(tr("What shall be done?"))
        self.field.setAccessibleName(tr("Find an act"))
        self.field.textChanged.connect(self._filter)
        self.field.installEventFilter(self)
        layout.addWidget(self.field)
        self.list = Rows()
        self.list.setAccessibleName(tr("Acts found"))
        self.list.itemActivated.connect(lambda _: self._run())
        self.list.itemClicked.connect(lambda _: self._run())
        layout.addWidget(self.list)

    def open(self) -> None:
        super().open()
        self.field.clear()
        self._filter("")
        self.field.setFocus()

    def tall(self) -> int:
        return min(88 + 32 * max(self.list.count(), 1), 520)

    def _filter(self, text: str) -> None:
        words = text.lower().split()
        named = [(f"{tr(a.group)}: {tr(a.title)}".lower(), a) for a in self._acts() if a.can()]
        found = [a for name, a in named if all(w in name for w in words)]
        # What begins with the words typed comes first.
        self._found = sorted(found, key=lambda a: not tr(a.title).lower().startswith(text.lower().strip()))
        self._found[:0] = self._asked(text)
        self.list.clear()
        for act in self._found:
            item = QListWidgetItem(f"{act.words}    {act.shortcut}" if act.shortcut else act.words)
            item.setToolTip(tr(act.group))
            self.list.addItem(item)
        if self._found:
            self.list.setCurrentRow(0)
        self._place()

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if watched is self.field and isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            if event.key() in (
                Qt.Key.Key_Tab,
                Qt.Key.Key_Backtab,
            ):  # what lies behind is out of reach while it is open
                return True
            if event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down):
                step = 1 if event.key() == Qt.Key.Key_Down else -1
                self.list.setCurrentRow(max(0, min(self.list.count() - 1, self.list.currentRow() + step)))
                return True
            if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
                self._run()
                return True
        return super().eventFilter(watched, event)

    def _run(self) -> None:
        row = self.list.currentRow()
        if 0 <= row < len(self._found):
            act = self._found[row]
            self.put_away()
            act.run()


class ShortcutSheet(Over):
    """All keys on one sheet."""

    def __init__(self, parent: QWidget, acts: Callable[[], Sequence[Act]]) -> None:
        super().__init__(parent, 760)
        self._acts = acts
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 16, 12, 12)
        layout.addWidget(heading("Keys"))
        self.area = Bare()
        self.area.setWidgetResizable(True)
        self.area.setAccessibleName(tr("Keys"))
        layout.addWidget(self.area)
        self.text = QLabel()
        self.text.setTextFormat(Qt.TextFormat.RichText)
        self.text.setAlignment(Qt.AlignmentFlag.AlignTop)
        self.area.setWidget(self.text)

    def open(self) -> None:
        rows = [(a.group, a.shortcut, a.title) for a in self._acts() if a.keys]
        groups: dict[str, list[tuple[str, str]]] = {}
        for group, keys, title in [*rows, *KEYS_IN_PLACE]:
            groups.setdefault(group, []).append((keys, title))
        body = "".join(
            f"<tr><td colspan=2><b>{escape(tr(group))}</b></td></tr>"
            + "".join(
                f"<tr><td width=260>{escape(tr(keys))}</td><td>{escape(tr(title))}</td></tr>"
                for keys, title in entries
            )
            + "<tr><td>&nbsp;</td></tr>"
            for group, entries in groups.items()
        )
        self.text.setText(f"<table cellspacing=3>{body}</table>")
        super().open()
        self.area.setFocus()
