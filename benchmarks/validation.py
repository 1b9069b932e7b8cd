"""Every textbook case on two meshes against its closed form: prints the table of docs/physics.md."""

from __future__ import annotations

import math
from pathlib import Path

import numpy as np
from examples.make import CASES, Case

from bibulon.core.flow.forecast import Resolution, forecast

MESHES = (1300, 5200)
FRAMES = 32
PAGE = Path(__file__).resolve().parents[1] / "docs/physics.md"
BEGIN, END = "<!-- table: bin/bench validation -->", "<!-- end of table -->"


def worst(case: Case, points: int) -> float:
    """Return the largest error of a case's checks."""
    result = forecast(case.job, Resolution(points, 1, FRAMES))
    layer = result.model.slots[0]
    told = [float(np.mean([result.probe(*p)[layer] for p in c.places])) / c.exact - 1 for c in case.checks]
    return max(told, key=abs)


def main(*, quick: bool = False) -> None:
    """Print the table and put it into docs/physics.md."""
    rows = ["| case | law | 1,300 points | 5,200 points |", "|---|---|---|---|"]
    coarse, fine = [], []
    for name, make in CASES.items():
        case = make()
        errors = [worst(case, n) for n in MESHES]
        coarse.append(errors[0])
        fine.append(errors[1])
        rows.append(f"| {name} | {case.law} | {errors[0] * 100:+.2f} % | {errors[1] * 100:+.2f} % |")
    spread = [math.sqrt(float(np.mean(np.square(e)))) for e in (coarse, fine)]
    order = math.log(spread[0] / spread[1]) / math.log(math.sqrt(MESHES[1] / MESHES[0]))
    rows.append(
        f"| root mean square | order of convergence {order:.1f} | {spread[0] * 100:.2f} % | {spread[1] * 100:.2f} % |"
    )
    print("\n".join(rows))
    if not quick:
        text = PAGE.read_text(encoding="utf-8")
        head, rest = text.split(BEGIN)
        PAGE.write_text(
            head + BEGIN + "\n\n" + "\n".join(rows) + "\n\n" + END + rest.split(END)[1], encoding="utf-8"
        )
