"""What filling does over and over along links: in C where that was built, else the same with NumPy."""

from __future__ import annotations

from bibulon.core.flow.kernel.by_array import entries, links

try:
    from bibulon.core.flow.kernel.compiled import assemble, pour, regions, spread, widen
except ImportError:
    from bibulon.core.flow.kernel.by_array import assemble, pour, regions, spread, widen

__all__ = ["assemble", "entries", "links", "pour", "regions", "spread", "widen"]
