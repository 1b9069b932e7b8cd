"""Cloth: how full the gap is place by place, where splices double it, which edges are empty, and where a half is parted."""

from __future__ import annotations

import contextlib
from collections.abc import Callable, Iterable

from PySide6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget
from shapely.geometry import Point

from bibulon.app.kit.fields import FigureGrid, Form, UnitEdit, heading, note, push
from bibulon.app.kit.rows import Rows
from bibulon.app.session.session import Session
from bibulon.app.stations.base import SidedPage
from bibulon.app.stations.shared.place_plan import PlacePlan
from bibulon.app.work.ask import Ask
from bibulon.core.drawing.kit.look import PlanLook
from bibulon.core.drawing.kit.scene import Item
from bibulon.core.drawing.kit.tokens import Theme
from bibulon.core.drawing.plan.clothmap import draw_cloth, is_wrong, words_of
from bibulon.core.findings.base import inside_of
from bibulon.core.geometry.outline import OutlineError
from bibulon.core.geometry.zones import regions
from bibulon.core.model.job import Job
from bibulon.core.model.mould import PartingLine
from bibulon.core.mould.cloth import Cloth, Filled, cloth_of
from bibulon.core.mould.parting import Loss, parted_of
from bibulon.core.stack.laid import place_name
from bibulon.core.units.units import show
from bibulon.core.units.words import tr

__all__ = ["ClothPage"]


class ClothPage(SidedPage):
    """The plan; at the side its places and laps, the edge, and the parting lines."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.cloth: Cloth | None = None
        self.pick: Filled | None = None
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        self.plan = PlacePlan(
            session, "Cloth in the cavity", "A click picks a place or a lap; the list beside it by keys.", self.items,
            lambda: inside_of(self.pick.region) if self.pick else None,
        )  # fmt: skip
        self.plan.pointed.connect(self._pointed)
        layout.addWidget(self.plan)
        self._lay_side()

    def _lay_side(self) -> None:
        s = self.session
        self.side = QWidget()
        side = QVBoxLayout(self.side)
        side.setContentsMargins(16, 12, 16, 8)
        self.figures = FigureGrid(("fibre here", "pushes apart", "plies push in all", "laps push"))
        side.addWidget(self.figures)
        self.list = Rows()
        self.list.setAccessibleName(tr("Places and laps"))
        self.list.setMinimumHeight(110)
        self.list.currentRowChanged.connect(self._row)
        side.addWidget(self.list)
        form = Form()
        self.edge = UnitEdit("thickness", "Gap between plies and the cavity's edge", 0.0, 0.05)
        self.edge.committed.connect(
            lambda v: self._edit(
                tr("Change edge gap"), lambda j: j.replaced(conditions=j.conditions.replaced(edge_gap=v))
            )
        )
        self.edge.refused.connect(lambda text: s.said.emit(text, True))
        form.add("Empty edge", self.edge)
        side.addWidget(form)
        self._lay_partings(side)
        self.lost = note("")
        self.ask = Ask(self, lambda: (s.outlook, s.job))
        self.ask.ready.connect(self._tell_loss)
        side.addWidget(self.lost)
        side.addStretch()

    def _lay_partings(self, side: QVBoxLayout) -> None:
        side.addWidget(heading("Parting lines"))
        self.partings = Rows()
        self.partings.setAccessibleName(tr("Parting lines"))
        self.partings.setMinimumHeight(56)
        self.partings.currentRowChanged.connect(lambda _: self._fill_parting())
        side.addWidget(self.partings)
        row = QHBoxLayout()
        self.buttons: dict[str, QPushButton] = {}
        for text, name, act in (
            ("Across", tr("Parting line across"), lambda: self.add_parting(True)),
            ("Along", tr("Parting line along"), lambda: self.add_parting(False)),
            ("Remove", tr("Remove: parting line"), self.remove_parting),
        ):
            self.buttons[text] = push(text, act, name=name)
            row.addWidget(self.buttons[text])
        side.addLayout(row)
        form = Form()
        self.gape = UnitEdit("thickness", "How far the line gapes", 0.0, 0.005)
        self.land = UnitEdit("length", "How wide the faces meet", 1e-4, 0.5)
        for field, key in ((self.gape, "gape"), (self.land, "land")):
            field.committed.connect(lambda value, k=key: self._change_parting(**{k: value}))
            field.refused.connect(lambda text: self.session.said.emit(text, True))
        form.add("It gapes", self.gape)
        form.add("Faces meet over", self.land)
        side.addWidget(form)

    def items(self, look: PlanLook) -> Iterable[Item]:
        """Return the drawing's shapes."""
        return draw_cloth(self.session.job, self.cloth, self.pick, look) if self.cloth else ()

    @property
    def shown(self) -> list[Filled]:
        """Places and laps in the order of the list: what is wrong first."""
        if self.cloth is None:
            return []
        job = self.session.job
        return sorted(
            (*self.cloth.places, *self.cloth.laps), key=lambda x: (not is_wrong(x, job), bool(x.lapped))
        )

    def fill(self) -> None:
        """Show the job."""
        job, s = self.session.job, self.session.system
        self.cloth = None
        if job.part.cavity > 0:
            with contextlib.suppress(OutlineError):  # told in Part
                self.cloth = cloth_of(job)
        was = (self.pick.place, self.pick.lapped) if self.pick else None
        numbers = {layer.id: k for k, layer in enumerate(job.stack, 1)}
        self.list.blockSignals(True)
        self.list.clear()
        for x in self.shown:
            what = tr("lap of ply {}", numbers[x.lapped]) if x.lapped else place_name(job, x.place)
            self.list.addItem(f"{what}: {words_of(x, s)}")
        at = next(
            (k for k, x in enumerate(self.shown) if (x.place, x.lapped) == was), 0 if self.shown else -1
        )
        self.list.setCurrentRow(at)
        self.list.blockSignals(False)
        self.edge.set_value(job.conditions.edge_gap, s)
        row = max(self.partings.currentRow(), 0)
        self.partings.blockSignals(True)
        self.partings.clear()
        for line in job.closed.partings:
            self.partings.addItem(tr("{0}: gapes {1}", line.id, show(line.gape, "thickness", s)))
        self.partings.setCurrentRow(min(row, self.partings.count() - 1))
        self.partings.blockSignals(False)
        self._row(at)
        self._fill_parting()

    def _row(self, row: int) -> None:
        shown = self.shown
        self.pick = shown[row] if 0 <= row < len(shown) else None
        s = self.session.system
        if self.cloth is None or self.pick is None:
            for name in self.figures.figures:
                self.figures.set(name, "—")
        else:
            share, _, push = words_of(self.pick, s).partition(", ")
            for name, text in (
                ("fibre here", share), ("pushes apart", push.removeprefix("pushes ")),
                ("plies push in all", show(sum(x.force for x in self.cloth.places), "force", s)),
                ("laps push", show(sum(x.force for x in self.cloth.laps), "force", s, 2)),
            ):  # fmt: skip
                self.figures.set(name, text)
        self.plan.setAccessibleDescription(
            self.list.item(row).text()
            if 0 <= row < self.list.count()
            else tr("The gap between the halves is not set: it is on Part.")
        )
        self.plan.update()

    def _pointed(self, x: float, y: float) -> None:
        at = Point(x, y)
        near = [(bool(not f.lapped), f.region.distance(at), k) for k, f in enumerate(self.shown)]
        hit = [n for n in near if n[1] <= (0.01 if not n[0] else 0.0)]
        if hit:
            self.list.setCurrentRow(min(hit)[2])

    # -- parting lines

    def _chosen(self) -> PartingLine | None:
        lines, row = self.session.job.closed.partings, self.partings.currentRow()
        return lines[row] if 0 <= row < len(lines) else None

    def _fill_parting(self) -> None:
        line, s = self._chosen(), self.session.system
        for field in (self.gape, self.land, self.buttons["Remove"]):
            field.setEnabled(line is not None)
        if line is None:
            self.gape.clear()
            self.land.clear()
            self.lost.setText(tr("None: each half is of one piece."))
            return
        self.gape.set_value(line.gape, s)
        self.land.set_value(line.land, s)
        self.lost.setText("")
        job, outlook = self.session.job, self.session.outlook
        forecast = outlook.forecast if outlook else None
        if forecast is not None:
            self.ask.want(lambda: parted_of(job, forecast))

    def _tell_loss(self, losses: tuple[Loss, ...]) -> None:
        line = self._chosen()
        loss = next((x for x in losses if x.line is line), None)
        if loss is not None:
            mass = show(loss.mass, "mass", self.session.system)
            self.lost.setText(tr("{} of resin goes out there while the part fills.", mass))

    def add_parting(self, across: bool) -> None:
        """Lay a parting line through the middle of the part."""
        job = self.session.job
        try:
            x0, y0, x1, y1 = regions(job.part).whole.bounds
        except OutlineError as error:
            self.session.said.emit(str(error), True)
            return
        x, y = round((x0 + x1) / 2, 3), round((y0 + y1) / 2, 3)
        path = ((x, y0), (x, y1)) if across else ((x0, y), (x1, y))
        known = {p.id for p in job.closed.partings}
        name = next(f"PL{k}" for k in range(1, 200) if f"PL{k}" not in known)
        self._lay((*job.closed.partings, PartingLine(id=name, path=path)), tr("Lay a parting line"))
        self.partings.setCurrentRow(self.partings.count() - 1)

    def remove_parting(self) -> None:
        """Take the chosen line away."""
        line = self._chosen()
        if line is not None:
            self._lay(
                tuple(p for p in self.session.job.closed.partings if p is not line),
                tr("Remove a parting line"),
            )

    def _change_parting(self, **fields: object) -> None:
        line = self._chosen()
        if line is not None:
            self._lay(
                tuple(p.replaced(**fields) if p is line else p for p in self.session.job.closed.partings),
                tr("Change a parting line"),
            )

    def _lay(self, lines: tuple[PartingLine, ...], name: str) -> None:
        self._edit(name, lambda j: j.replaced(closed=j.closed.replaced(partings=lines)))

    def _edit(self, name: str, change: Callable[[Job], Job]) -> None:
        if not self.session.edit(name, change):
            self.fill()

    def set_theme(self, theme: Theme) -> None:
        """Choose the theme."""
        self.plan.set_theme(theme)
