"""The garbage collector during a start, and the heap: what is imported stays, so that looking through it again finds nothing.

Left on, it takes some tenth of the processor time of the imports, and looks through all of them again at each full pass later.
"""

from __future__ import annotations

import contextlib
import ctypes
import gc

__all__ = ["let_rest", "one_heap", "wake"]

M_ARENA_MAX = -8  # of malloc.h


def let_rest() -> None:
    """Collect nothing until ``wake``."""
    gc.disable()


def wake() -> None:
    """Collect again, what is there by now left out."""
    gc.freeze()
    gc.enable()


def one_heap() -> None:
    """Let all threads share one heap of the C library, where it has more.

    Each thread that works something out would have a heap of its own, in which what a forecast leaves behind lies between
    what stays: a quarter more memory after a few edits.
    """
    with contextlib.suppress(OSError, AttributeError):  # other C libraries have one heap anyway
        ctypes.CDLL(None).mallopt(M_ARENA_MAX, 1)
