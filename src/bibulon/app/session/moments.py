"""Works out a moment's fields off the interface thread: the newest wish alone counts."""

from __future__ import annotations

import logging

from msgspec import Struct
from PySide6.QtCore import QObject, Signal

from bibulon.app.work.ask import Ask
from bibulon.core.drawing.plan.fieldmap import RESIN, FieldMap, field_map
from bibulon.core.flow.moment import Moment, moment_of
from bibulon.core.outlook.outlook import THROUGH, Outlook

__all__ = ["Moments", "Picture"]

log = logging.getLogger(__name__)


class Picture(Struct, frozen=True, eq=False):
    """A moment worked out, and the field that was asked for."""

    outlook: Outlook
    moment: Moment
    field: FieldMap | None


class _Wish(Struct, frozen=True, eq=False):
    outlook: Outlook
    time: float
    field: str
    layer: str

    def same_moment(self, other: _Wish) -> bool:
        return self.outlook is other.outlook and self.time == other.time

    def same(self, other: _Wish | None) -> bool:
        return (
            other is not None
            and self.same_moment(other)
            and (self.field, self.layer) == (other.field, other.layer)
        )


class _Told(Struct, frozen=True, eq=False):
    wish: _Wish
    picture: Picture | None


class Moments(QObject):
    """``want`` a moment; ``ready`` tells that ``picture`` has it."""

    ready = Signal()

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._later = Ask(self, lambda: None, between=True)  # each answer tells whose it is
        self._later.ready.connect(self._on_ready)
        self._wish: _Wish | None = None  # the newest
        self._told: _Told | None = None

    @property
    def picture(self) -> Picture | None:
        """The moment that was worked out last."""
        return self._told.picture if self._told else None

    def want(self, outlook: Outlook | None, time: float, field: str, layer: str) -> None:
        """Ask for a moment; an older wish that has not begun is forgotten."""
        if outlook is None or outlook.forecast is None:
            self._wish = self._told = None
            return
        wish = _Wish(outlook, time, field, layer)
        if not wish.same(self._wish):
            self._wish = wish
            self._later.want(lambda: self._work(wish))

    def _work(self, wish: _Wish) -> _Told:
        """Work a wish out, on the worker; a moment that is known is used again."""
        told, forecast = self._told, wish.outlook.forecast
        known = told.picture.moment if told and told.picture and wish.same_moment(told.wish) else None
        picture = None
        try:
            if forecast is not None and wish.outlook.sampler is not None:
                moment = known or moment_of(forecast, wish.time)
                slot = None if wish.layer == THROUGH else wish.layer
                field = None
                if wish.field != RESIN:
                    field = field_map(wish.field, moment, forecast, slot, wish.outlook.sampler)
                picture = Picture(wish.outlook, moment, field)
        except Exception:  # the last door before the user: a field that cannot be had is not shown
            log.exception("moment failed")
        return _Told(wish, picture)

    def _on_ready(self, told: _Told) -> None:
        self._told = told
        self.ready.emit()

    def close(self) -> None:
        """Wait for the worker."""
        self._later.close()
