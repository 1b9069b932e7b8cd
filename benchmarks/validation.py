"""Every textbook case on three meshes against its closed form: prints the table of docs/physics.md."""

from __future__ import annotations

import math
from pathlib import Path

import numpy as np
from examples.make import CASES, MU, PULL, WIDTH, Case
from tests.validation.test_against_a_grid import section, strips

from bibulon.core.flow.forecast import COARSE, FINE, Resolution, forecast

SIZES = (
    Resolution(COARSE.points, 1, COARSE.frames),
    Resolution(FINE.points, 1, FINE.frames),
    Resolution(10_000, 1, 32),
)
HEAD = "| case | law | preview | window | 10,000 points |"
PAGE = Path(__file__).resolve().parents[1] / "docs/physics.md"
BEGIN, END = "<!-- table: bin/bench validation -->", "<!-- end of table -->"


def worst(case: Case, size: Resolution) -> float:
    """Return the largest error of a case's checks."""
    result = forecast(case.job, size)
    layer = result.model.slots[0]
    told = [float(np.mean([result.probe(*p)[layer] for p in c.places])) / c.exact - 1 for c in case.checks]
    return max(told, key=abs)


def against_grids() -> list[str]:
    """Return rows for the jobs without a closed form: the largest error against a grid solved apart."""
    rows = []
    for name, split, ratio, places in (
        ("leaking", 0.15, 3.0, ((0.7, 0.065), (0.7, 0.255))),
        ("channel", 0.26, 12.0, ((0.5, 0.055), (0.7, 0.285))),
    ):
        grid = strips(split, ratio, 160, 60)
        near = [(dx, dy) for dx in (-0.01, 0, 0.01) for dy in (-0.004, 0, 0.004)]
        checks = []
        for x, y in places:
            exact = grid.arrival(int(y / WIDTH * 60), x, 5e7, 3e9) * MU / PULL
            checks.append(("plies", [(x + dx, y + dy) for dx, dy in near], exact))
        rows.append(_row(name, CASES[name](), checks, list(SIZES)))
    grid = section(160, 16)
    checks = []
    for x in (0.4, 0.7):
        for slot, row in (("mesh", 16), ("plies", 0)):
            exact = grid.arrival(row, x, 5e7, 8e9) * MU / PULL
            checks.append((slot, [(x, float(y)) for y in np.linspace(0.05, 0.25, 9)], exact))
    layered = [Resolution(650, 3, 48), Resolution(2600, 6, 48), Resolution(5200, 6, 48)]
    rows.append(_row("mesh-over-cloth", CASES["mesh-over-cloth"](), checks, layered))
    return rows


def _row(
    name: str, case: Case, checks: list[tuple[str, list[tuple[float, float]], float]], sizes: list[Resolution]
) -> str:
    found = []
    for size in sizes:
        told = forecast(case.job, size)
        errors = [
            float(np.mean([told.probe(*p)[slot] for p in places])) / exact - 1
            for slot, places, exact in checks
        ]
        found.append(max(errors, key=abs))
    return _told(name, case.law, found)


def _told(name: str, law: str, errors: list[float]) -> str:
    return f"| {name} | {law} | " + " | ".join(f"{e * 100:+.2f} %" for e in errors) + " |"


def main(*, quick: bool = False) -> None:
    """Print the table and put it into docs/physics.md."""
    rows, found = [HEAD, "|---|---|---|---|---|"], []
    for name, make in CASES.items():
        case = make()
        if not case.checks:
            continue
        found.append([worst(case, size) for size in ((Resolution(300, 1, 10),) if quick else SIZES)])
        rows.append(_told(name, case.law, found[-1]))
    spread = [math.sqrt(float(np.mean(np.square(e)))) for e in zip(*found, strict=True)]
    rows.append("| root mean square | | " + " | ".join(f"{e * 100:.2f} %" for e in spread) + " |")
    if not quick:
        rows += against_grids()
    print("\n".join(rows))
    if not quick:
        text = PAGE.read_text(encoding="utf-8")
        head, rest = text.split(BEGIN)
        PAGE.write_text(
            head + BEGIN + "\n\n" + "\n".join(rows) + "\n\n" + END + rest.split(END)[1], encoding="utf-8"
        )
