"""Shapes that are asked again and again, prepared for it: of each thread its own copy.

What GEOS keeps with a prepared shape it makes when it is first asked, without a lock: two threads that ask the same one end the
program.  Regions of a part are shared by all who look at it, so none of them is ever prepared itself.
"""

from __future__ import annotations

import threading
from collections import OrderedDict

import numpy as np
import numpy.typing as npt
import shapely
from shapely.geometry.base import BaseGeometry

__all__ = ["prepared", "within"]

KEPT = 64  # of a thread


class _Mine(threading.local):
    def __init__(self) -> None:
        self.known: OrderedDict[int, tuple[BaseGeometry, BaseGeometry]] = OrderedDict()


_mine = _Mine()


def prepared(shape: BaseGeometry) -> BaseGeometry:
    """Return this thread's own copy of a shape, prepared; it must not be handed to another thread."""
    known = _mine.known
    found = known.get(id(shape))
    if found is None:  # what is kept keeps its shape: no other can have its number
        copy = shapely.from_wkb(shapely.to_wkb(shape))
        shapely.prepare(copy)
        found = known[id(shape)] = shape, copy
        if len(known) > KEPT:
            known.popitem(last=False)
    else:
        known.move_to_end(id(shape))
    return found[1]


def within(shape: BaseGeometry, points: npt.ArrayLike) -> npt.NDArray[np.bool_]:
    """Return whether points [m], shape (…, 2), lie inside a shape, shape (…)."""
    x, y = np.moveaxis(np.asarray(points, dtype=np.float64), -1, 0)
    return np.asarray(shapely.contains_xy(prepared(shape), x, y))
