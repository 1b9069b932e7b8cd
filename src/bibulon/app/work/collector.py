"""The garbage collector during a start: what is imported stays, so that looking through it again and again finds nothing.

Left on, it takes some tenth of the processor time of the imports, and looks through all of them again at each full pass later.
"""

from __future__ import annotations

import gc

__all__ = ["let_rest", "wake"]


def let_rest() -> None:
    """Collect nothing until ``wake``."""
    gc.disable()


def wake() -> None:
    """Collect again, what is there by now left out."""
    gc.freeze()
    gc.enable()
