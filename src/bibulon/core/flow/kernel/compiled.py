"""The kernel in C, as ``bin/_env.sh`` builds it beside its source.  Importing this raises ImportError where it was not built."""

from __future__ import annotations

import ctypes
from pathlib import Path
from typing import Any

import numpy as np
import numpy.typing as npt

from bibulon.core.flow.kernel.links import Links, Upper

__all__ = [
    "VERSION",
    "assemble",
    "carry",
    "drops",
    "least",
    "pour",
    "raster",
    "regions",
    "spread",
    "triangle",
    "widen",
]

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]
Bools = npt.NDArray[np.bool_]

_INT, _FLOAT, _BOOL = np.dtype(np.int64), np.dtype(np.float64), np.dtype(np.bool_)
VERSION = 6  # of what is called, as kernel.c has it: a library built from an older source is not used


def _library() -> ctypes.CDLL:
    try:
        library = ctypes.CDLL(str(Path(__file__).with_name("kernel.so")))
        if library.version() != VERSION:
            raise ImportError(f"the kernel is of version {library.version()}; {VERSION} is wanted")
    except (OSError, AttributeError) as error:
        raise ImportError(str(error)) from error
    for function, arguments in (
        (library.spread, 7), (library.widen, 7), (library.pour, 8), (library.assemble, 17),
        (library.regions, 6), (library.carry, 16), (library.raster, 8),
        (library.triangle, 6), (library.drops, 8), (library.least, 7),
    ):  # fmt: skip
        # Numbers and addresses alike: both are as wide on all that Debian runs on.
        function.argtypes, function.restype = [ctypes.c_ssize_t] * arguments, ctypes.c_int64
    return library


_C = _library()


def _at(array: npt.NDArray[np.generic], kind: np.dtype[Any]) -> int:
    """Return where an array's numbers lie.

    Raises
    ------
    TypeError : when they are of another kind, or do not follow each other.
    """
    if array.dtype != kind or not array.flags.c_contiguous:
        raise TypeError(f"{array.dtype} of strides {array.strides} where {kind} in a row is wanted")
    if not array.size or not array.flags.writeable:
        return array.ctypes.data
    view: Any = array  # NumPy's types do not say that it is a buffer
    return ctypes.addressof(
        ctypes.c_byte.from_buffer(view)
    )  # in a third of the time that ``ctypes.data`` takes


def spread(links: Links, source: Ints, amount: Floats) -> Floats:
    """As ``by_array.spread``."""
    got = np.zeros(links.size)
    _C.spread(len(source), _at(source, _INT), _at(amount, _FLOAT), *links.addresses, _at(got, _FLOAT))
    return got


def drops(links: Links, which: Ints, pressure: Floats) -> tuple[Floats, Floats]:
    """As ``by_array.drops``."""
    flow, weighed = np.empty(len(which)), np.empty(len(which))
    _C.drops(
        len(which), _at(which, _INT), *links.addresses, _at(pressure, _FLOAT), _at(flow, _FLOAT), _at(weighed, _FLOAT)
    )  # fmt: skip
    return flow, weighed


def least(links: Links, which: Ints, numbers: Floats) -> Floats:
    """As ``by_array.least``."""
    found = np.empty(len(which))
    _C.least(len(which), _at(which, _INT), *links.addresses, _at(numbers, _FLOAT), _at(found, _FLOAT))
    return found


def widen(links: Links, nodes: Ints, hops: int) -> Bools:
    """As ``by_array.widen``."""
    near, ring = np.zeros(links.size, dtype=bool), np.empty(links.size, dtype=np.int64)
    near[nodes] = True
    first = np.flatnonzero(near)  # each once: the ring has room for no more
    ring[: len(first)] = first
    _C.widen(len(first), hops, *links.addresses, _at(ring, _INT), _at(near, _BOOL))
    return near


def pour(links: Links, gain: Floats, dry: Floats, blocked: Bools) -> Ints:
    """As ``by_array.pour``."""
    held, blocked, found = gain.copy(), blocked.copy(), np.empty(links.size, dtype=np.int64)
    count = _C.pour(
        links.size, *links.addresses, _at(dry, _FLOAT), _at(held, _FLOAT), _at(blocked, _BOOL), _at(found, _INT)
    )  # fmt: skip
    return found[:count]


def assemble(
    links: Links, nodes: Ints, number: Ints, size: int, held: Ints, fixed: int, block: Floats
) -> tuple[Upper, Floats]:
    """As ``by_array.assemble``."""
    m = len(block)
    room = int((links.start[nodes + 1] - links.start[nodes]).sum()) + size + m * m
    begins, rows = np.empty(size + 1, dtype=np.int64), np.empty(room, dtype=np.int64)
    values, couple = np.empty(room), np.zeros((size, fixed))
    mine, among = number[nodes], np.full(size, -1, dtype=np.int64)
    count = _C.assemble(
        len(nodes), _at(nodes, _INT), _at(mine, _INT), _at(number, _INT), _at(held, _INT), fixed,
        *links.addresses, size, m, _at(block, _FLOAT), _at(among, _INT), _at(couple, _FLOAT), _at(begins, _INT),
        _at(rows, _INT), _at(values, _FLOAT),
    )  # fmt: skip
    if count < 0:
        raise ValueError("nodes are not in the order of their unknowns")
    return Upper(begins, rows[:count], values[:count]), couple


def regions(links: Links, inside: Bools) -> tuple[int, Ints]:
    """As ``by_array.regions``."""
    label, queue = np.full(links.size, -1, dtype=np.int64), np.empty(links.size, dtype=np.int64)
    start, far, _ = links.addresses
    count = _C.regions(links.size, start, far, _at(inside, _BOOL), _at(queue, _INT), _at(label, _INT))
    return count, label


def carry(
    a: Ints, b: Ints, flux: Floats, order: Ints, held: Floats, entering: Bools, substeps: int, told: Floats
) -> Floats:
    """As ``by_array.carry``."""
    n, width = told.shape
    m, told = len(flux), told.copy()
    nodes, parts = np.empty(n * (3 + 2 * width)), np.empty(m)
    rank, begins, ups = (
        np.empty(n, dtype=np.int64),
        np.empty(n + 2, dtype=np.int64),
        np.empty(m, dtype=np.int64),
    )
    lost = _C.carry(
        n, width, m, _at(a, _INT), _at(b, _INT), _at(flux, _FLOAT), _at(order, _INT), _at(entering, _BOOL), substeps,
        _at(held, _FLOAT), _at(told, _FLOAT), _at(nodes, _FLOAT), _at(parts, _FLOAT), _at(rank, _INT),
        _at(begins, _INT), _at(ups, _INT),
    )  # fmt: skip
    if lost:
        raise ArithmeticError("what flows round and round is not carried to an end")
    return told


def raster(
    corners: Floats, triangles: Ints, x: Floats, y: Floats, slack: float, vertices: Ints, weights: Floats
) -> None:
    """As ``by_array.raster``."""
    grid = np.array([x[0], y[0], x[1] - x[0], slack])
    _C.raster(
        len(triangles), _at(corners, _FLOAT), _at(triangles, _INT), _at(grid, _FLOAT), len(x), len(y),
        _at(vertices, _INT), _at(weights, _FLOAT),
    )  # fmt: skip


def triangle(begins: Ints, rows: Ints, values: Floats, load: Floats, *, up: bool) -> Floats:
    """As ``by_array.triangle``."""
    load = load.copy()
    _C.triangle(
        len(load), _at(begins, _INT), _at(rows, _INT), _at(values, _FLOAT), int(up), _at(load, _FLOAT)
    )
    return load
