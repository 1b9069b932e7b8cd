"""What follows when a way to begin was chosen: each goes to the station where it is done, and puts the hand there."""

from __future__ import annotations

from typing import Protocol

from bibulon.app.session.session import Session
from bibulon.app.stations.base import Station
from bibulon.app.stations.part.station import PartStation
from bibulon.core.library.demo import demo_job

__all__ = ["begin_by"]


class Host(Protocol):
    """The window, for all that this knows."""

    session: Session

    def may_begin(self) -> bool:
        """Ask about what is unsaved."""
        ...

    def go_to(self, name: str) -> None:
        """Go to a station."""
        ...

    def station(self, name: str) -> Station:
        """Return a station with its widgets."""
        ...

    def ask_act(self, words: str) -> None:
        """Open the list of acts with words typed."""
        ...


def begin_by(window: Host, kind: str) -> None:
    """Begin by a way of ``WAYS``."""
    if kind == "old":
        window.go_to("Logbook")
    elif kind == "practise":
        window.ask_act("Rehearse")
    elif kind == "demo":
        if window.may_begin():
            window.session.new(demo_job())
            window.go_to("Part")
    else:
        window.go_to("Part")
        part = window.station("Part")
        assert isinstance(part, PartStation)
        part.begin(kind)
