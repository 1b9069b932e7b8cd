"""Keeps Qt's binding from reading the source of every module that is imported after it.

It looks for switches between ways of naming, which nobody here uses, and takes a twentieth of a start for it.
"""

from __future__ import annotations

import contextlib

import PySide6.QtCore  # noqa: F401  # brings its support with it

__all__ = ["leave_unread"]


def leave_unread() -> None:
    """Let it take all modules for ones without switches; where a release of it has no such place, it reads on."""
    with contextlib.suppress(ImportError):
        import shibokensupport.feature as switches  # type: ignore[import-not-found]

        switches._mod_uses_pyside = lambda _: False
