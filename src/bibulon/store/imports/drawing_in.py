"""Outlines out of drawings: DXF and SVG files read as chains of lines and arcs."""

from __future__ import annotations

import logging
from collections.abc import Callable
from pathlib import Path

import numpy as np

from bibulon.core.units.words import tr
from bibulon.store.durable import named
from bibulon.store.imports.chains import Chain, Drawing, DrawingError
from bibulon.store.imports.dxf_chains import read_dxf
from bibulon.store.imports.rings import UNITS, Taken, assemble
from bibulon.store.imports.svg_chains import read_svg

__all__ = ["READERS", "UNITS", "Chain", "Drawing", "DrawingError", "Taken", "assemble", "read_drawing"]

log = logging.getLogger(__name__)

LARGEST = 60_000_000  # bytes
READERS: dict[str, Callable[[Path], Drawing]] = {".dxf": read_dxf, ".svg": read_svg}  # by ending


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
                tr("{0} is larger than {1} MB: export the outline alone.", named(path), LARGEST // 1000000)
            )
        read = READERS.get(kind)
        if read is None:
            known = ", ".join(ending[1:].upper() for ending in READERS)
            raise DrawingError(tr("{0} is no drawing that is read here: {1}.", named(path), known))
        drawing = read(path)
    except DrawingError:
        raise
    except OSError as error:
        raise DrawingError(tr("{0} cannot be read: {1}.", named(path), error.strerror or error)) from error
    except Exception as error:  # readers of foreign formats fail in ways of their own
        log.info("%s: %s", path, error)
        raise DrawingError(tr("{0} is damaged, or no {1} file.", named(path), kind[1:].upper())) from error
    for chain in drawing.chains:
        if not np.isfinite(np.array(chain.corners)).all():
            raise DrawingError(
                tr("{0} holds a point that is no number, in layer {1}.", named(path), chain.layer)
            )
    if not drawing.chains and not drawing.faces:
        passed = ", ".join(f"{n} × {k}" for k, n in drawing.passed.items())
        raise DrawingError(
            tr(
                "{0} holds no lines or arcs{1}.",
                named(path),
                tr(" (passed over: {})", passed) if passed else "",
            )
        )
    return drawing
