"""What filling does over and over along links, and drawing over triangles: in C where that was built, else the same with NumPy."""

from __future__ import annotations

from bibulon.core.flow.kernel.by_array import entries, links

try:
    from bibulon.core.flow.kernel.compiled import (
        assemble,
        carry,
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
    "entries",
    "links",
    "pour",
    "raster",
    "regions",
    "spread",
    "triangle",
    "widen",
]
