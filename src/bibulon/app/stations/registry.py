"""The stations in shop order: a new one is a folder beside these and a line here."""

from __future__ import annotations

from bibulon.app.stations.bag.station import BagStation
from bibulon.app.stations.base import Station
from bibulon.app.stations.charge.station import ChargeStation
from bibulon.app.stations.cure.station import CureStation
from bibulon.app.stations.lines.station import LinesStation
from bibulon.app.stations.logbook.station import LogbookStation
from bibulon.app.stations.mould.station import MouldStation
from bibulon.app.stations.part.station import PartStation
from bibulon.app.stations.prove.station import ProveStation
from bibulon.app.stations.record.station import RecordStation
from bibulon.app.stations.shoot.station import ShootStation
from bibulon.app.stations.stack.station import StackStation

__all__ = ["STATIONS"]

STATIONS: tuple[type[Station], ...] = (
    PartStation,
    StackStation,
    LinesStation,
    BagStation,
    MouldStation,
    ChargeStation,
    ProveStation,
    ShootStation,
    CureStation,
    RecordStation,
    LogbookStation,
)
