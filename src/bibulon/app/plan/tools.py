"""Tools beside the titles of plan and cut: layers, field, snapping, probe; where to cut."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtWidgets import QComboBox, QHBoxLayout, QMenu, QToolButton, QWidget

from bibulon.app.kit.appearance import named
from bibulon.app.kit.theme import icon
from bibulon.app.plan.view import PlanView
from bibulon.app.session.session import Session
from bibulon.core.drawing.kit.look import LAYERS
from bibulon.core.drawing.kit.tokens import DAY, Theme
from bibulon.core.drawing.plan.fieldmap import FIELDS, RESIN
from bibulon.core.edit.cuts import cut_across, cut_along, cut_through
from bibulon.core.model.job import Job
from bibulon.core.units.words import tr

__all__ = ["CutTools", "PlanTools"]


def _tool(name: str, text: str = "") -> QToolButton:
    button = named(QToolButton(), "flat")
    button.setAccessibleName(tr(name))
    button.setToolTip(tr(name))
    button.setText(text)
    return button


class PlanTools(QWidget):
    """Which layers are drawn, what colours the plan, whether the hand snaps and tells values."""

    def __init__(self, session: Session, resin: bool) -> None:
        super().__init__()
        self.session = session
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(2)
        self.field = QComboBox()
        self.field.addItem(tr("Resin"), RESIN)
        for key in FIELDS:
            self.field.addItem(tr(key).capitalize(), key)
        self.field.setAccessibleName(tr("What colours the plan"))
        self.field.activated.connect(lambda _: session.view.set_field(str(self.field.currentData())))
        row.addWidget(self.field)
        self.field.setVisible(resin)  # once it stands in a row: alone it would open as a window
        self.layers = _tool(tr("Layers of the plan"))
        self.layers.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        menu = QMenu(self.layers)
        for key, title in LAYERS.items():
            action = menu.addAction(title)
            action.setCheckable(True)
            action.setData(key)
            action.toggled.connect(
                lambda on, k=key: session.view.show(k, on) if (k in session.view.shown) != on else None
            )
        self.layers.setMenu(menu)
        self.snaps, self.probes = _tool(tr("Snap to ends, edges, grid")), _tool(tr("Values at the hand (I)"))
        self.snaps.setCheckable(True)
        self.probes.setCheckable(True)
        self.snaps.clicked.connect(session.view.set_snaps)
        self.probes.clicked.connect(session.view.set_probes)
        for button in (self.layers, self.snaps, self.probes):
            row.addWidget(button)
        self.probes.setVisible(resin)
        session.view.changed.connect(self._fill)
        self._theme: Theme = DAY
        self._fill()

    def set_theme(self, theme: Theme) -> None:
        """Choose the theme of the icons."""
        self._theme = theme
        self._fill()

    def _fill(self) -> None:
        view, t = self.session.view, self._theme
        self.field.setCurrentIndex(max(self.field.findData(view.field), 0))
        for action in self.layers.menu().actions():
            action.setChecked(action.data() in view.shown)
        self.snaps.setChecked(view.snaps)
        self.probes.setChecked(view.probes)
        for button, name in ((self.layers, "layers"), (self.snaps, "magnet"), (self.probes, "crosshair")):
            button.setIcon(icon(name, t.on_accent if button.isChecked() else t.ink))


class CutTools(QWidget):
    """Where the section is taken, and whether the pressure is drawn on it."""

    def __init__(self, session: Session, plan: PlanView) -> None:
        super().__init__()
        self.session, self.plan = session, plan
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(2)
        for text, name, act in (
            ("along", tr("Cut along the part"), lambda: self._cut(cut_along)),
            ("across", tr("Cut across the part"), lambda: self._cut(cut_across)),
            ("feed", tr("Cut through the feed chosen, or the first"), self._through_feed),
            (tr("last place"), tr("Cut through the place that closes last"), self._through_last),
            ("draw", tr("Draw the cut on the plan"), lambda: plan.begin_drawing("cut")),
        ):
            button = _tool(name, tr(text))
            button.clicked.connect(lambda _=False, a=act: a())
            row.addWidget(button)
        self.pressure = _tool(tr("Pressure along the cut"), tr("pressure"))
        self.pressure.setCheckable(True)
        self.pressure.setChecked(session.view.cut_pressure)
        self.pressure.clicked.connect(session.view.set_cut_pressure)
        row.addWidget(self.pressure)
        session.view.changed.connect(lambda: self.pressure.setChecked(session.view.cut_pressure))

    def _cut(self, change: Callable[[Job], Job]) -> None:
        self.session.edit("Move cut", change)

    def _through_feed(self) -> None:
        job = self.session.job
        feeds = [x for x in job.lines if x.role == "feed"]
        line = next((x for x in feeds if x.id == self.session.selected), feeds[0] if feeds else None)
        if line is None:
            self.session.said.emit(tr("There is no feed to cut through yet."), True)
            return
        (x0, y0), (x1, y1) = line.path[0], line.path[-1]
        middle = ((x0 + x1) / 2, (y0 + y1) / 2)
        square = (y1 - y0, x0 - x1) if len(line.path) > 1 else None
        if square is not None and square[0] < 0:
            square = (-square[0], -square[1])
        self._cut(lambda j: cut_through(j, middle, square))

    def _through_last(self) -> None:
        outlook = self.session.outlook
        if outlook is None or outlook.forecast is None:
            self.session.said.emit(tr("There is no forecast yet that has a last place."), True)
            return
        x, y, _ = outlook.forecast.last_wet
        self._cut(lambda j: cut_through(j, (x, y)))
