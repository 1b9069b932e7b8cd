"""How a job begins: from a drawing, measurements, a shape, an old job; or by looking at the demo, or practising."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QCheckBox, QGridLayout, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from bibulon.app.kit.appearance import named
from bibulon.app.kit.fields import heading, note, push
from bibulon.app.kit.over import Over
from bibulon.app.kit.paint import paint
from bibulon.app.kit.whole import paint_whole
from bibulon.core.drawing.kit.scene import Label
from bibulon.core.drawing.kit.tiles import draw_tile
from bibulon.core.drawing.kit.tokens import DAY, Theme
from bibulon.core.units.words import tr

__all__ = ["WAYS", "BeginPanel"]

WAYS = {
    "drawing": (tr("From a drawing"), tr("outline or surface: DXF, SVG, STL")),
    "measured": (tr("From measurements"), tr("type or paste the corners")),
    "shape": (tr("From a shape"), tr("its sizes, filled in")),
    "old": (tr("From an old job"), tr("as it was, mirrored or scaled")),
    "demo": (tr("Look at the demo"), tr("a dome petal, ready to shoot")),
    "practise": (tr("Practise a shot"), tr("a simulated shop with hidden faults")),
}


class _Tile(QPushButton):
    """A way to begin: its drawing, its name and what it takes."""

    def __init__(self, kind: str) -> None:
        super().__init__()
        named(self, "tile")
        self.kind, self.theme = kind, DAY
        self.setAccessibleName(tr(WAYS[kind][0]))
        self.setAccessibleDescription(tr(WAYS[kind][1]))

    def sizeHint(self) -> QSize:
        return QSize(360, 88)

    def paintEvent(self, event: QPaintEvent) -> None:
        super().paintEvent(event)
        paint_whole(self, self._draw)

    def _draw(self, painter: QPainter) -> None:
        painter.translate(8, (self.height() - 64) / 2)
        paint(painter, draw_tile(self.kind, self.theme))
        title, text = WAYS[self.kind]
        paint(
            painter,
            [
                Label(108, 22, title, self.theme.ink, 15, True, "l"),
                Label(108, 44, text, self.theme.soft, 13, anchor="l"),
            ],
        )


class BeginPanel(Over):
    """Six ways, a key each; ``chosen`` tells which, ``led`` whether the thread of a first job is wanted."""

    chosen = Signal(str)

    def __init__(self, parent: QWidget, led: Callable[[bool], None]) -> None:
        super().__init__(parent, 800)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(24, 18, 24, 16)
        layout.addWidget(heading("How does this job begin?"))
        grid = QGridLayout()
        grid.setSpacing(10)
        self.tiles: dict[str, _Tile] = {}
        for k, kind in enumerate(WAYS):
            tile = _Tile(kind)
            tile.setMinimumHeight(88)
            tile.clicked.connect(lambda _=False, w=kind: self._choose(w))
            self.tiles[kind] = tile
            grid.addWidget(tile, k // 2, k % 2)
        layout.addLayout(grid)
        row = QHBoxLayout()
        self.lead = QCheckBox(tr("Lead me through: eight steps to a plan that fills"))
        self.lead.toggled.connect(led)
        row.addWidget(self.lead, 1)
        self.blank = push("An empty panel", self.put_away)
        row.addWidget(self.blank)
        layout.addLayout(row)
        layout.addWidget(
            note("Data sheets, local rules and qualified practice come before anything that is told here.")
        )

    def tall(self) -> int:
        return max(self.sizeHint().height(), 430)

    def show_ways(self, led: bool) -> None:
        """Show it; ``led`` is whether the thread is followed."""
        self.lead.blockSignals(True)
        self.lead.setChecked(led)
        self.lead.blockSignals(False)
        self.open()
        next(iter(self.tiles.values())).setFocus(Qt.FocusReason.TabFocusReason)

    def _choose(self, kind: str) -> None:
        self.put_away()
        self.chosen.emit(kind)

    def set_theme(self, theme: Theme) -> None:
        """Choose the theme."""
        for tile in self.tiles.values():
            tile.theme = theme
            tile.update()
