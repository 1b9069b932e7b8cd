"""What filling does over and over along links, and drawing over triangles: in C where that was built, else the same with NumPy."""

from __future__ import annotations

from bibulon.core.flow.kernel.by_array import entries, links

try:
    from bibulon.core.flow.kernel.compiled import (
        assemble,
        carry,
        drops,
        least,
        pour,
        raster,
        regions,
        spread,
        triangle,
        widen,
    )
except ImportError:
    from bibulon.core.flow.kernel.by_array import (
        assemble,
        carry,
        drops,
        least,
        pour,
        raster,
        regions,
        spread,
        triangle,
        widen,
    )

__all__ = [
    "assemble",
    "carry",
    "drops",
    "entries",
    "least",
    "links",
    "pour",
    "raster",
    "regions",
    "spread",
    "triangle",
    "widen",
]
