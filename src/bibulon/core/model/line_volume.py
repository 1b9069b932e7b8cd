"""What a line's tube and hose hold."""

from __future__ import annotations

import math
from itertools import pairwise

from bibulon.core.model.lines import FlowLine

__all__ = ["line_volume"]


def line_volume(line: FlowLine) -> tuple[float, float]:
    """Return the volume of a line's tube and of its hose [m³]."""
    length = sum(math.dist(a, b) for a, b in pairwise(line.path))
    return math.pi / 4 * line.bore**2 * length, math.pi / 4 * line.hose_bore**2 * line.hose_length
