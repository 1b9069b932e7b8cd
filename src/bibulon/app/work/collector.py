"""The garbage collector after a start, and the heap: what is imported stays, so that looking through it again finds nothing.

Commands that open a window put it to rest before they import anything: left on, it takes a twentieth of a start, and looks
through all that was imported again at each full pass later.
"""

from __future__ import annotations

import contextlib
import ctypes
import gc

__all__ = ["give_back", "one_heap", "wake"]

M_ARENA_MAX, M_MMAP_THRESHOLD = -8, -3  # of malloc.h
APART = (
    512 * 1024
)  # bytes from which what is asked for lies apart, and goes back to the system at once when it is freed


def wake() -> None:
    """Collect again, what is there by now left out."""
    gc.freeze()
    gc.enable()


def one_heap() -> None:
    """Let all threads share one heap of the C library, where it has more, and what is large lie apart from it.

    Each thread that works something out would have a heap of its own, in which what a forecast leaves behind lies between
    what stays: a quarter more memory after a few edits.  And once a block of megabytes is freed the library takes blocks of
    that size from the heap too, unless it is told from which on not to: 7 % more memory after half an hour.
    """
    with contextlib.suppress(OSError, AttributeError):  # other C libraries have one heap anyway
        ctypes.CDLL(None).mallopt(M_ARENA_MAX, 1)
        ctypes.CDLL(None).mallopt(M_MMAP_THRESHOLD, APART)


def give_back() -> None:
    """Give pages that lie free between what stays back to the system, where the C library can: some milliseconds.

    A forecast takes tens of megabytes in pieces of all sizes and frees them; the heap keeps their pages for the next, and after
    two hours of edits a quarter more is held than is used.
    """
    with contextlib.suppress(
        OSError, AttributeError
    ):  # other C libraries give back by themselves, or not at all
        ctypes.CDLL(None).malloc_trim(0)
