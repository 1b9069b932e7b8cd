"""Thickness: what a caliper says at points of the part, and the fibre share of each zone that follows."""

from __future__ import annotations

import uuid
from collections.abc import Iterator

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QSplitter, QVBoxLayout, QWidget

from bibulon.app.kit.appearance import named
from bibulon.app.kit.drawing_view import DrawingView
from bibulon.app.kit.fields import Form, UnitEdit, heading, note, push
from bibulon.app.session.session import Session
from bibulon.app.stations.base import SidedPage, titled
from bibulon.app.stations.shared.place_plan import PlacePlan
from bibulon.core.drawing.kit.look import PlanLook
from bibulon.core.drawing.kit.scene import Item
from bibulon.core.drawing.kit.tokens import Theme
from bibulon.core.drawing.plan.thickplan import ROW, draw_shares, draw_thickness
from bibulon.core.geometry.outline import OutlineError
from bibulon.core.series.thickness import (
    Measured,
    ZoneShare,
    measured_of,
    thickness_entry,
    unmeasured_entry,
    zone_shares,
)
from bibulon.core.units.units import show
from bibulon.core.units.words import tr

__all__ = ["ThicknessPage"]

GRAB = 14.0  # px around a point in which a click takes it


class ThicknessPage(SidedPage):
    """The plan with its points above each zone's fibre share."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.at: tuple[float, float] | None = None
        self.chosen: Measured | None = None
        self.points: tuple[Measured, ...] = ()
        self.zones: tuple[ZoneShare, ...] = ()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        self.plan = PlacePlan(
            session, "Thickness at points of the part", "Arrows move the place, Enter goes to the thickness, Delete takes the chosen point off.",
            self._on_plan, lambda: self.at,
        )  # fmt: skip
        self.plan.entered.connect(self._to_field)
        self.plan.pointed.connect(self.point)
        self.plan.dropped.connect(self.drop)
        self.shares = DrawingView("Fibre share of each zone, measured and planned", self._shares, 150)
        split = QSplitter(Qt.Orientation.Vertical)
        split.addWidget(titled("How thick the part came out", None, self.plan))
        split.addWidget(titled("Fibre share by zone", None, self.shares))
        split.setSizes([420, 200])
        layout.addWidget(split)
        self.side = QWidget()
        side = QVBoxLayout(self.side)
        side.setContentsMargins(16, 12, 16, 8)
        self.title = heading("Point at the part")
        side.addWidget(self.title)
        self.told = note()
        side.addWidget(self.told)
        form = Form()
        self.thick = UnitEdit("thickness", "Thickness here", 0.0001, 0.5)
        self.thick.committed.connect(self.measure)
        self.thick.refused.connect(lambda text: session.said.emit(text, True))
        form.add("Thickness here", self.thick)
        side.addWidget(form)
        row = QHBoxLayout()
        self.keep = named(QPushButton(tr("Keep it")), "act")
        self.keep.clicked.connect(lambda _=False: self.measure(self.thick.value()))
        self.off = push("Take the point off", self.drop)
        row.addWidget(self.keep)
        row.addWidget(self.off)
        side.addLayout(row)
        side.addWidget(
            note(
                "Three points and more a zone tell it well. Measure clear of edges and ply ends; sand no fibre away for it. Dust of cured laminate: mask and extraction."
            )
        )
        side.addStretch()

    def _to_field(self) -> None:
        self.thick.setFocus()

    def _on_plan(self, look: PlanLook) -> Iterator[Item]:
        chosen = self.chosen.uid if self.chosen else ""
        return draw_thickness(self.session.job, self.zones, self.points, self.at, chosen, look)

    def fill(self) -> None:
        """Follow job and journal."""
        self.points = measured_of(self.session.journal)
        if self.chosen is not None:
            self.chosen = next((p for p in self.points if p.uid == self.chosen.uid), None)
        try:
            self.zones = zone_shares(self.session.job, self.points)
        except (OutlineError, ValueError):
            self.zones = ()
        self._tell()
        self.shares.setMinimumHeight(int(ROW * max(len(self.zones), 1) + 50))
        self.plan.update()
        self.shares.update()

    def _tell(self) -> None:
        s = self.session.system
        self.off.setEnabled(self.chosen is not None)
        self.keep.setEnabled(self.at is not None)
        if self.at is None:
            self.title.setText(tr("Point at the part"))
            self.told.setText(tr("Click where the caliper sat; arrows and Enter do as well."))
            return
        x, y = self.at
        self.title.setText(f"x {show(x, 'length', s)}, y {show(y, 'length', s)}")
        try:
            (here,) = zone_shares(self.session.job, [Measured("", x, y, 1.0)])
            self.told.setText(tr("{0}: planned {1} thick.", here.name, show(here.planned, "thickness", s)))
        except (OutlineError, ValueError):
            self.told.setText("")

    def point(self, x: float, y: float) -> None:
        """Choose the point at a place [m], or the place itself."""
        view = self.plan.view()
        near = [p for p in self.points if max(abs(p.x - x), abs(p.y - y)) * view.scale <= GRAB]
        self.chosen = min(near, key=lambda p: (p.x - x) ** 2 + (p.y - y) ** 2) if near else None
        self.at = (self.chosen.x, self.chosen.y) if self.chosen else (x, y)
        if self.chosen is not None:
            self.thick.set_value(self.chosen.thickness, self.session.system)
        self._tell()
        self.plan.update()

    def measure(self, thickness: float) -> None:
        """Note the thickness [m] at the place: a row of its own, also when a point is changed."""
        session = self.session
        if self.at is None:
            session.said.emit(tr("Point at the part first."), True)
            return
        if self.chosen is not None and self.chosen.thickness == thickness:
            return
        uid = self.chosen.uid if self.chosen else uuid.uuid4().hex[:8]
        text = show(thickness, "thickness", session.system)
        try:
            entry = thickness_entry(uid, *self.at, thickness, text, session.run_clock.wall())
        except ValueError as error:
            session.said.emit(f"{str(error).capitalize()}.", True)
            return
        if session.stamp(entry):
            self.chosen = next((p for p in measured_of(session.journal) if p.uid == uid), None)
            self.fill()

    def drop(self) -> None:
        """Note that the chosen point does not count."""
        if self.chosen is not None and self.session.stamp(
            unmeasured_entry(self.chosen, self.session.run_clock.wall())
        ):
            self.chosen = None
            self.fill()

    def _shares(self, width: float, height: float, theme: Theme) -> Iterator[Item]:
        return draw_shares(self.zones, width, theme, self.session.system)

    def set_theme(self, theme: Theme) -> None:
        """Choose the theme."""
        self.plan.set_theme(theme)
        self.shares.set_theme(theme)
