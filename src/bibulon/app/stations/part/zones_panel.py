"""Zones of the part: kind, where they lie, draw; drawn, offset, joined, or made from plies."""

from __future__ import annotations

from typing import Any, get_args

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QComboBox, QVBoxLayout, QWidget

from bibulon.app.kit.button_row import ButtonRow
from bibulon.app.kit.fields import (
    UnitEdit,
    narrow,
    note,
    offer,
    push,
    word_of,
)
from bibulon.app.kit.table import Cell, Column, Table, high_as_rows
from bibulon.app.session.session import Session
from bibulon.core.edit.edit import new_id, remove_zone, set_zone
from bibulon.core.edit.shape import combine_zones, offset_zone, zone_from_ply
from bibulon.core.geometry.zones import regions
from bibulon.core.model.job import Corner, Drawn, Inset, Job, Zone, ZoneKind
from bibulon.core.units.units import System, UnitError, parse, show
from bibulon.core.units.words import tr
from bibulon.store.salvage import plainly

__all__ = ["ZonesPanel"]

KINDS: tuple[str, ...] = get_args(ZoneKind)
COLUMNS = (
    Column("name", 85, typed=True), Column("kind", 92, choices=KINDS), Column("lies", 78, typed=True),
    Column("draw", 46, typed=True), Column("depth", 47, typed=True),
)  # fmt: skip


class ZonesPanel(QWidget):
    """A row a zone; ``draw`` asks for a zone to be drawn on the plan."""

    draw = Signal(str)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._shown: tuple[object, ...] | None = None
        layout = QVBoxLayout(self)
        layout.setContentsMargins(16, 4, 16, 0)
        self.table = Table(COLUMNS, "Zones", ordered=True, together=session.together)
        self.table.typed.connect(self._typed)
        self.table.row_chosen.connect(self._select)
        high_as_rows(self.table, 120, 320)
        layout.addWidget(self.table)
        layout.addWidget(
            note(
                "Where zones overlap the later one counts. “Lies” is the distance from the part's edge, or its own outline."
            )
        )
        layout.addWidget(
            ButtonRow(
                push("Draw zone", lambda: self.draw.emit("zone")), push("Zone inside", self._inside),
                push("Remove zone", self._remove),
            )
        )  # fmt: skip
        up = push("Up", lambda: self._order(-1), name="Zone up")
        layout.addWidget(ButtonRow(up, push("Down", lambda: self._order(1), name="Zone down")))
        self.ply = narrow(QComboBox())
        self.ply.setMinimumContentsLength(22)  # a material by its name
        self.ply.setAccessibleName(tr("Ply that makes the zone"))
        layout.addWidget(ButtonRow(push("From ply", self._from_ply, name="Zone from a ply"), self.ply))
        self.distance = UnitEdit("length", "Distance of the new zone's edge", -5.0, 5.0)
        self.distance.set_value(0.03, session.system)
        tip = tr("A zone round the chosen one by this distance; below 0, inside it")
        layout.addWidget(ButtonRow(self.distance, push("Zone around", self._around, tip=tip)))
        self.act, self.other = narrow(QComboBox()), narrow(QComboBox())
        self.act.setAccessibleName(tr("What is done with the other zone"))
        offer(self.act, ["join", "take away", "keep common"])
        self.other.setAccessibleName(tr("The other zone"))
        layout.addWidget(ButtonRow(self.act, self.other, push("Do it", self._combine, name="Combine zones")))
        layout.addStretch(1)

    def fill(self) -> None:
        """Show the job's zones, unless they are shown."""
        s, job = self.session.system, self.session.job
        key = (job.part, job.stack, s)
        if self._shown is not None and all(a is b for a, b in zip(key, self._shown, strict=True)):
            return
        self._shown = key
        self.table.show_rows([_cells(zone, s) for zone in job.part.zones])
        other = self.other.currentData()
        self.other.clear()
        for zone in job.part.zones:
            self.other.addItem(zone.name, zone.id)
        if (at := self.other.findData(other)) >= 0:
            self.other.setCurrentIndex(at)
        self.ply.clear()
        for k, layer in enumerate(job.stack):
            if layer.zones or layer.outline or layer.runs_on:
                self.ply.addItem(f"{k + 1} {job.materials[layer.material].name}", k)

    def _select(self, k: int) -> None:
        zones = self.session.job.part.zones
        if 0 <= k < len(zones):
            self.session.select(f"zone:{zones[k].id}")

    def _chosen(self) -> Zone | None:
        k, zones = self.table.current_row(), self.session.job.part.zones
        if 0 <= k < len(zones):
            return zones[k]
        self.session.said.emit(tr("Choose a zone in the list first."), True)
        return None

    def _keep(self, name: str, zone: Zone) -> bool:
        def edit(job: Job) -> Job:
            new = set_zone(job, zone)
            regions(new.part)  # refuses a zone that leaves nothing
            return new

        return self.session.edit(name, edit)

    def _set(self, row: int, act: str, **fields: Any) -> bool:
        return self._keep(act, self.session.job.part.zones[row].replaced(**fields))

    def _typed(self, row: int, column: int, text: str) -> None:
        s = self.session.system
        try:
            match column:
                case 0 if text:
                    self._set(row, tr("Rename zone"), name=text)
                case 1:
                    self._set(row, tr("Change kind of zone"), kind=text)
                case 2:
                    distance = parse(text, "length", s)
                    if distance < 0:
                        raise UnitError(tr("An edge distance cannot be negative"))
                    self._set(row, tr("Change edge distance"), area=Inset(distance=distance))
                case 3:
                    self._set(
                        row, tr("Change draw factor"), draw_factor=parse(text, "number") if text else None
                    )
                case 4:
                    self._set(row, tr("Change depth"), depth=parse(text, "length", s) if text else 0.0)
        except ValueError as error:
            self.session.said.emit(plainly(error), True)

    def take(self, points: tuple[tuple[float, float], ...]) -> None:
        """Take a zone that was drawn."""
        outline = tuple(Corner(x=x, y=y) for x, y in points)
        if len(outline) < 3:
            self.session.said.emit(tr("A zone needs at least three corners."), True)
            return
        zone = self._new(Drawn(outline=outline))
        if self._keep(tr("Draw zone"), zone):
            self.session.select(f"zone:{zone.id}")

    def _new(self, area: Drawn | Inset) -> Zone:
        zones = self.session.job.part.zones
        return Zone(id=new_id("zone", [z.id for z in zones]), name=tr("Field {}", len(zones) + 1), area=area)

    def _inside(self) -> None:
        self._keep(tr("Add zone"), self._new(Inset(distance=0.1)))

    def _around(self) -> None:
        if (zone := self._chosen()) is not None:
            distance = self.distance.value()
            self.session.edit(tr("Zone around {}", zone.name), lambda j: offset_zone(j, zone.id, distance))

    def _from_ply(self) -> None:
        index = self.ply.currentData()
        if index is None:
            self.session.said.emit(tr("No ply lies in a part of the part alone."), True)
        else:
            self.session.edit("Zone from a ply", lambda j: zone_from_ply(j, int(index)))

    def _combine(self) -> None:
        zone, other, act = self._chosen(), self.other.currentData(), word_of(self.act)
        if zone is None:
            return
        if other is None or other == zone.id:
            self.session.said.emit(tr("Choose another zone than the one in the table."), True)
            return
        words = tr("{} zones", act.capitalize())
        self.session.edit(words, lambda j: combine_zones(j, zone.id, str(other), act))  # type: ignore[arg-type]

    def _order(self, by: int) -> None:
        zone = self._chosen()
        zones = list(self.session.job.part.zones)
        if zone is None or not 0 <= (k := zones.index(zone)) + by < len(zones):
            return
        zones[k], zones[k + by] = zones[k + by], zones[k]
        self.table.choose(k + by)
        self.session.edit(
            "Order zones",
            lambda j: j.replaced(part=j.part.replaced(zones=tuple(zones))),
        )

    def _remove(self) -> None:
        if (zone := self._chosen()) is not None:
            self.session.edit(tr("Remove {}", zone.name), lambda j: remove_zone(j, zone.id))


def _cells(zone: Zone, s: System) -> tuple[Cell | str, ...]:
    """Return what the list says of a zone; one of its own outline lies where it was drawn."""
    if isinstance(zone.area, Inset):
        lies = Cell(show(zone.area.distance, "length", s))
    else:
        lies = Cell(tr("own outline"), fixed=True)
    draw = f"{zone.draw_factor:.2f}" if zone.draw_factor is not None else ""
    return zone.name, zone.kind, lies, draw, show(zone.depth, "length", s) if zone.depth else ""
