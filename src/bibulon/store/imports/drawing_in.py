"""Outlines out of drawings: DXF and SVG files read as chains of lines and arcs."""

from __future__ import annotations

import logging
from pathlib import Path

import numpy as np

from bibulon.store.durable import named
from bibulon.store.imports.chains import Chain, Drawing, DrawingError
from bibulon.store.imports.dxf_chains import read_dxf
from bibulon.store.imports.rings import UNITS, Taken, assemble
from bibulon.store.imports.svg_chains import read_svg

__all__ = ["UNITS", "Chain", "Drawing", "DrawingError", "Taken", "assemble", "read_drawing"]

log = logging.getLogger(__name__)

LARGEST = 60_000_000  # bytes


def read_drawing(path: Path) -> Drawing:
    """Read a DXF or SVG file.

    Raises
    ------
    DrawingError : when it is none, is damaged, or holds neither lines nor faces.
    """
    kind = path.suffix.lower()
    try:
        if path.stat().st_size > LARGEST:
            raise DrawingError(
                f"{named(path)} is larger than {LARGEST // 1_000_000} MB: export the outline alone."
            )
        read = {".dxf": read_dxf, ".svg": read_svg}.get(kind)
        if read is None:
            raise DrawingError(f"{named(path)} is neither DXF nor SVG.")
        drawing = read(path)
    except DrawingError:
        raise
    except OSError as error:
        raise DrawingError(f"{named(path)} cannot be read: {error.strerror or error}.") from error
    except Exception as error:  # readers of foreign formats fail in ways of their own
        log.info("%s: %s", path, error)
        raise DrawingError(f"{named(path)} is damaged, or no {kind[1:].upper()} file.") from error
    for chain in drawing.chains:
        if not np.isfinite(np.array(chain.corners)).all():
            raise DrawingError(f"{named(path)} holds a point that is no number, in layer {chain.layer}.")
    if not drawing.chains and not drawing.faces:
        passed = ", ".join(f"{n} × {k}" for k, n in drawing.passed.items())
        raise DrawingError(
            f"{named(path)} holds no lines or arcs{f' (passed over: {passed})' if passed else ''}."
        )
    return drawing
