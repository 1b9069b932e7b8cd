"""Answers of the engine that tests of windows and commands ask for again and again: each is worked out once a test process.

What is tested there is what becomes of an answer.  Tests of the engine itself ask it every time.
"""

from __future__ import annotations

import functools
from collections.abc import Callable
from typing import Any

from msgspec.structs import replace
from tests.written import written

from bibulon.core.cure import places
from bibulon.core.flow import forecast as flow
from bibulon.core.leak import droptest

__all__ = ["Remembered", "remembered"]


class Remembered:
    """Whether answers are remembered now, and those that are."""

    def __init__(self) -> None:
        self.on = False
        self._known: dict[object, tuple[object, Any]] = {}

    def of(
        self, work: Callable[..., Any], key: Callable[..., object], again: Callable[..., Any]
    ) -> Callable[..., Any]:
        """Return work that is done once for each key; ``again`` makes of a known answer one for who asks now."""

        @functools.wraps(work)
        def asked(*args: Any, **named: Any) -> Any:
            if not self.on or (told := key(*args, **named)) is None:
                return work(*args, **named)
            if (work, told) not in self._known:
                # What was asked is kept too: a key may hold who of it was meant.
                self._known[work, told] = (args, work(*args, **named))
                return self._known[work, told][1]
            return again(self._known[work, told][1], *args)

        return asked


def _of_forecast(job: Any, resolution: Any = flow.FINEST, **rest: Any) -> object:
    return None if rest.get("start") is not None else (written(job), resolution)


def _of_cure(job: Any, forecast: Any, wanted: Any, **rest: Any) -> object:
    return written(job), id(forecast.history), tuple(wanted), tuple(sorted(rest.items()))


def _of_drop(readings: Any, volume: float, **rest: Any) -> object:
    return tuple((r.time, r.pressure) for r in readings), volume, tuple(sorted(rest.items()))


remembered = Remembered()
flow.forecast = remembered.of(flow.forecast, _of_forecast, lambda told, job, *_: replace(told, job=job))
places.cure_of = remembered.of(places.cure_of, _of_cure, lambda told, *_: list(told))
droptest.fit_drop = remembered.of(droptest.fit_drop, _of_drop, lambda told, *_: told)
