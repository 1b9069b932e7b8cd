"""Works out a moment's fields off the interface thread: the newest wish alone counts."""

from __future__ import annotations

import logging
from dataclasses import dataclass

from PySide6.QtCore import QObject, QRunnable, QThreadPool, Signal

from bibulon.app.outlook import THROUGH, Outlook
from bibulon.core.drawing.fieldmap import RESIN, FieldMap, field_map
from bibulon.core.flow.moment import Moment, moment_of

__all__ = ["Moments", "Picture"]

log = logging.getLogger(__name__)


@dataclass(frozen=True, eq=False)
class Picture:
    """A moment worked out, and the field that was asked for."""

    outlook: Outlook
    moment: Moment
    field: FieldMap | None


@dataclass(frozen=True, eq=False)
class _Wish:
    outlook: Outlook
    time: float
    field: str
    layer: str

    def same(self, other: _Wish | None) -> bool:
        return other is not None and self.outlook is other.outlook and (
            (self.time, self.field, self.layer) == (other.time, other.field, other.layer)
        )  # fmt: skip


class _Signals(QObject):
    done = Signal(object, object)  # _Wish, Picture | None


class _Task(QRunnable):
    def __init__(self, wish: _Wish, moment: Moment | None, signals: _Signals) -> None:
        super().__init__()
        self.wish, self.moment, self.signals = wish, moment, signals

    def run(self) -> None:
        wish, picture = self.wish, None
        forecast = wish.outlook.forecast
        try:
            if forecast is not None and wish.outlook.sampler is not None:
                moment = self.moment or moment_of(forecast, wish.time)
                slot = None if wish.layer == THROUGH else wish.layer
                field = None
                if wish.field != RESIN:
                    field = field_map(wish.field, moment, forecast, slot, wish.outlook.sampler)
                picture = Picture(wish.outlook, moment, field)
        except Exception:  # the last door before the user: a field that cannot be had is not shown
            log.exception("moment failed")
        self.signals.done.emit(wish, picture)


class Moments(QObject):
    """``want`` a moment; ``ready`` tells that ``picture`` has it."""

    ready = Signal()

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._pool = QThreadPool(self)
        self._pool.setMaxThreadCount(1)
        self._signals = _Signals(self)
        self._signals.done.connect(self._on_done)
        self._running: _Wish | None = None
        self._waiting: _Wish | None = None
        self._told: _Wish | None = None
        self.picture: Picture | None = None

    def want(self, outlook: Outlook | None, time: float, field: str, layer: str) -> None:
        """Ask for a moment; an older wish that has not begun is forgotten."""
        if outlook is None or outlook.forecast is None:
            self.picture = self._told = self._waiting = None
            return
        wish = _Wish(outlook, time, field, layer)
        if wish.same(self._told) or wish.same(self._running):
            return
        if self._running is not None:
            self._waiting = wish
        else:
            self._begin(wish)

    def _begin(self, wish: _Wish) -> None:
        self._running, self._waiting = wish, None
        known = None
        if self._told is not None and self.picture is not None and self._told.outlook is wish.outlook:
            known = self.picture.moment if self._told.time == wish.time else None
        self._pool.start(_Task(wish, known, self._signals))

    def _on_done(self, wish: _Wish, picture: Picture | None) -> None:
        self._running = None
        self._told, self.picture = wish, picture
        self.ready.emit()
        if self._waiting is not None:
            self._begin(self._waiting)

    def close(self) -> None:
        """Wait for the worker."""
        self._waiting = None
        self._pool.waitForDone()
