"""The kernel in C, as ``bin/_env.sh`` builds it beside its source.  Importing this raises ImportError where it was not built."""

from __future__ import annotations

import ctypes
from pathlib import Path

import numpy as np
import numpy.typing as npt

from bibulon.core.flow.kernel.links import Links, Upper

__all__ = ["VERSION", "assemble", "pour", "regions", "spread", "widen"]

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]
Bools = npt.NDArray[np.bool_]

VERSION = 1  # of what is called, as kernel.c has it: a library built from an older source is not used


def _library() -> ctypes.CDLL:
    try:
        library = ctypes.CDLL(str(Path(__file__).with_name("kernel.so")))
        if library.version() != VERSION:
            raise ImportError(f"the kernel is of version {library.version()}; {VERSION} is wanted")
    except (OSError, AttributeError) as error:
        raise ImportError(str(error)) from error
    for function, arguments in (
        (library.spread, 7), (library.widen, 7), (library.pour, 8), (library.assemble, 17),
        (library.regions, 6),
    ):  # fmt: skip
        # Numbers and addresses alike: both are as wide on all that Debian runs on.
        function.argtypes, function.restype = [ctypes.c_ssize_t] * arguments, ctypes.c_int64
    return library


_C = _library()


def _at(array: npt.NDArray[np.generic], kind: type[np.generic]) -> int:
    """Return where an array's numbers lie.

    Raises
    ------
    TypeError : when they are of another kind, or do not follow each other.
    """
    if array.dtype != kind or not array.flags.c_contiguous:
        raise TypeError(f"{array.dtype} of strides {array.strides} where {kind.__name__} in a row is wanted")
    return array.ctypes.data


def spread(links: Links, source: Ints, amount: Floats) -> Floats:
    """As ``by_array.spread``."""
    got = np.zeros(links.size)
    _C.spread(len(source), _at(source, np.int64), _at(amount, np.float64), *links.addresses, got.ctypes.data)
    return got


def widen(links: Links, nodes: Ints, hops: int) -> Bools:
    """As ``by_array.widen``."""
    near, ring = np.zeros(links.size, dtype=bool), np.empty(links.size, dtype=np.int64)
    near[nodes] = True
    ring[: len(nodes)] = nodes
    _C.widen(len(nodes), hops, *links.addresses, ring.ctypes.data, near.ctypes.data)
    return near


def pour(links: Links, gain: Floats, dry: Floats, blocked: Bools) -> Ints:
    """As ``by_array.pour``."""
    held, blocked, found = gain.copy(), blocked.copy(), np.empty(links.size, dtype=np.int64)
    count = _C.pour(
        links.size, *links.addresses, _at(dry, np.float64), _at(held, np.float64), _at(blocked, np.bool_), found.ctypes.data
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
        len(nodes), _at(nodes, np.int64), mine.ctypes.data, _at(number, np.int64), _at(held, np.int64), fixed,
        *links.addresses, size, m, _at(block, np.float64), among.ctypes.data, couple.ctypes.data, begins.ctypes.data,
        rows.ctypes.data, values.ctypes.data,
    )  # fmt: skip
    return Upper(begins, rows[:count], values[:count]), couple


def regions(links: Links, inside: Bools) -> tuple[int, Ints]:
    """As ``by_array.regions``."""
    label, queue = np.full(links.size, -1, dtype=np.int64), np.empty(links.size, dtype=np.int64)
    start, far, _ = links.addresses
    count = _C.regions(links.size, start, far, _at(inside, np.bool_), queue.ctypes.data, label.ctypes.data)
    return count, label
