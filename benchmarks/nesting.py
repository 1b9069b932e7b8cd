"""Nesting of random kits: nothing overlaps, nothing lies off the roll, and waste against shelves."""

from __future__ import annotations

import numpy as np
from tests.core.test_cutplan import APART, hits, kit

from bibulon.core.bag.nesting import nested, on_shelves

WIDTH = 1.2


def main(*, quick: bool = False) -> None:
    """Nest 200 kits and print the worst of each figure."""
    over = off = 0.0
    gained = []
    for seed in range(2 if quick else 200):
        pieces = kit(seed)
        length, placed = nested(pieces, WIDTH, APART)
        shelf, _ = on_shelves(pieces, WIDTH, APART)
        a, b = hits(placed, WIDTH)
        over, off = max(over, a), max(off, b)
        gained.append(length / shelf)
    print(
        f"nesting: {len(gained)} kits, most overlap {over * 1e6:.3f} mm², most off the roll {off * 1e6:.3f} mm²"
    )
    print(f"length over that of shelves: median {np.median(gained):.2f}, worst {max(gained):.2f}")
    assert over < 1e-9
    assert off < 1e-6
