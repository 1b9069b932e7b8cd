"""The same plan somewhere else on the drawing board is the same plan: moved, turned, mirrored, it is judged alike."""

from __future__ import annotations

import json
from collections.abc import Callable
from typing import Any

import numpy as np
import pytest
from tests.validation.layouts import LAYOUTS
from tests.written import written

from bibulon.core.bag.bag import bag_of
from bibulon.core.edit.anew import anew
from bibulon.core.flow.forecast import COARSE
from bibulon.core.geometry.outline import OutlineError
from bibulon.core.library.demo import demo_job
from bibulon.core.model.job import Job
from bibulon.core.outlook.outlook import look_ahead
from bibulon.core.resin.charge import charge
from bibulon.core.stack.totals import part_totals
from bibulon.store.raw import job_from

Place = tuple[float, float]


def placed(job: Job, to: Callable[[Place], Place], turn: float = 0.0) -> Job:
    """The job with every place of it put elsewhere, and every ply turned along [°]."""

    def walk(told: Any, key: str = "") -> Any:
        if isinstance(told, dict):
            told = {k: walk(v, k) for k, v in told.items()}
            if isinstance(told.get("x"), float | int) and isinstance(told.get("y"), float | int):
                told["x"], told["y"] = to((told["x"], told["y"]))
            if "angle_deg" in told and "material" in told:
                told["angle_deg"] = (told["angle_deg"] + turn + 90.0) % 180.0 - 90.0  # fibres run both ways
            return told
        if isinstance(told, list):
            pair = key == "path" and len(told) == 2 and all(isinstance(v, float | int) for v in told)
            return list(to((told[0], told[1]))) if pair else [walk(v, key) for v in told]
        return told

    return job_from(walk(json.loads(written(job))))


MOVES: dict[str, Callable[[Job], Job]] = {
    "moved": lambda j: placed(j, lambda p: (p[0] + 7.3, p[1] - 4.1)),
    "turned": lambda j: placed(j, lambda p: (-p[1], p[0]), 90.0),
    "upside down": lambda j: placed(j, lambda p: (-p[0], -p[1]), 180.0),
    "mirrored": lambda j: anew(j, j.name, mirrored=True),
}


def cases():
    """Every row once, each by one of the moves; a job made anew leaves its leak test and what was accepted behind."""
    for k, row in enumerate(LAYOUTS):
        job = row.make()
        names = [
            n for n in MOVES if n != "mirrored" or not (job.test.readings or job.accepted or job.bag.pleats)
        ]
        name = names[(k // 12 + k) % len(names)]
        yield pytest.param(row, name, id=f"{row.name}, {name}", marks=[pytest.mark.slow] if k % 24 else [])


@pytest.mark.parametrize(("row", "move"), list(cases()))
def test_it_is_judged_as_the_trade_judges_it(row, move):
    found = look_ahead(MOVES[move](row.make()), COARSE, fine=True, drawn=False).findings
    names = {name for f in found for name in (f.kind, f.key)}
    false = {f.key for f in found if f.weight != "note" and not {f.kind, f.key} & (row.must | row.may)}
    assert row.must - names == set(), row.why
    assert false | (names & row.never) == set(), row.why


@pytest.mark.parametrize("move", sorted(MOVES))
def test_what_is_measured_stays_as_large(move):
    job = demo_job()
    there = MOVES[move](job)
    assert part_totals(there).mass == pytest.approx(part_totals(job).mass, rel=1e-6)
    assert charge(there).total == pytest.approx(charge(job).total, rel=1e-6)
    if move == "mirrored":
        return  # pleats that a hand laid stay with the old job
    here, bag = bag_of(job), bag_of(there)
    assert bag.tape.total == pytest.approx(here.tape.total, rel=0.01)
    assert len(bag.pleats) == len(here.pleats)


@pytest.mark.parametrize(
    "move", [pytest.param(m, marks=[] if m == "mirrored" else pytest.mark.slow) for m in sorted(MOVES)]
)
def test_resin_takes_the_same_way(move):
    job = demo_job()
    here = look_ahead(job, COARSE, fine=True, drawn=False)
    there = look_ahead(MOVES[move](job), COARSE, fine=True, drawn=False)
    assert there.forecast.fill_time == pytest.approx(here.forecast.fill_time, rel=0.03)  # another mesh
    assert there.forecast.clock.gel == pytest.approx(here.forecast.clock.gel, rel=1e-9)
    assert {f.kind for f in there.findings if f.weight != "note"} == {
        f.kind for f in here.findings if f.weight != "note"
    }


def test_a_place_that_is_none_is_refused_wherever_it_lies():
    job = demo_job()
    crossed = job.replaced(
        part=job.part.replaced(
            outline=tuple(job.part.outline[k] for k in (0, 2, 1, 3)), zones=(), corners=()
        ),
        stack=tuple(x.replaced(zones=()) for x in job.stack),
    )
    for move in MOVES.values():
        with pytest.raises(OutlineError, match="crosses itself"):
            charge(move(crossed))


@pytest.mark.parametrize("name", ["as drawn", *MOVES])
def test_pleats_as_planned_serve_every_corner_wherever_the_part_is_drawn(name):
    """A low part with two climbing corners to a side: one pleat between them came to stand at the one or the other."""
    job = next(row for row in LAYOUTS if row.name == "grooves on top and no holes").make()
    bag = bag_of(MOVES[name](job) if name in MOVES else job)
    climbing = [c for c in bag.walk.corners.tolist() if bag.walk.height(c) >= 0.010]
    assert len(climbing) == 2
    for corner in climbing:
        gaps = np.abs(np.array([p.at for p in bag.pleats]) - corner)
        assert np.minimum(gaps, bag.walk.length - gaps).min() < 0.15
