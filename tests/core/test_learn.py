"""What runs teach: closed form, ranges that hold, errors that halve, rows that are told and passed over."""

from __future__ import annotations

import math

import numpy as np
import pytest

from bibulon.core.library.demo import demo_job
from bibulon.core.run.journal import Entry
from bibulon.core.series.learn import BETWEEN, LIBRARY, learned_entry, learned_of, proposals

JOB = demo_job()
NAMES = [
    ("permeability of Cored field", 0.7, 0.9, 1.15),
    ("permeability of the mesh", 1.1, 1.3, 1.5),
    ("drive", 0.9, 1.0, 1.1),
]


def test_one_run_is_shrunk_by_the_closed_form():
    (p,) = proposals([[("net", 0.4, 0.2, 2e-9)]], {"net": 2e-9})
    precision = 1 / (0.2**2 + BETWEEN**2)
    mean = precision * 0.4 / (precision + 1 / LIBRARY**2)
    assert p.middle == pytest.approx(math.exp(mean))
    assert math.log(p.high / p.low) == pytest.approx(2 * 1.645 / math.sqrt(precision + 1 / LIBRARY**2))
    assert p.runs == 1


def test_ranges_hold_and_after_five_runs_the_next_forecast_is_off_by_less_than_half():
    rng = np.random.default_rng(6)
    held, ours, library = 0, [], []
    for _ in range(2000):
        shop = LIBRARY * rng.normal()
        runs = []
        for _ in range(5):
            sd = rng.uniform(0.1, 0.25)
            runs.append([("net", shop + BETWEEN * rng.normal() + sd * rng.normal(), sd, 1e-9)])
        (p,) = proposals(runs, {"net": 1e-9})
        held += p.low <= math.exp(shop) <= p.high
        following = shop + BETWEEN * rng.normal()
        ours.append(abs(following - math.log(p.middle)))
        library.append(abs(following))
    assert 1760 <= held <= 1840
    assert np.mean(ours) < 0.5 * np.mean(library)


def test_a_runs_row_names_the_materials_and_comes_back():
    row = learned_entry(JOB, NAMES, 5, 9.0)
    assert row is not None
    told = {m: (y, s) for m, y, s, _ in learned_of([row])}
    mesh = JOB.materials[JOB.mesh.material].name
    assert told[mesh][0] == pytest.approx(math.log(1.3), abs=1e-3)
    assert told[mesh][1] == pytest.approx(math.log(1.5 / 1.1) / (2 * 1.645), abs=1e-3)
    assert len(told) >= 2  # the mesh, and the cloth of the field
    assert all(abs(y - math.log(0.9)) < 1e-3 for m, (y, _) in told.items() if m != mesh)
    assert learned_entry(JOB, NAMES, 2, 9.0) is None
    assert learned_entry(JOB, [("drive", 0.9, 1.0, 1.1)], 9, 9.0) is None


def test_rows_that_are_spoilt_are_passed_over():
    rows = [
        Entry("record", 0.0, "learned", {"factors": {"net": [0.1, 0.2, 1e-9], "cloth": ["x", 1, 1], "mat": [0.1, 0.0, 1.0], "tape": [float("nan"), 1.0, 1.0], "mesh": [0.1, 0.2]}}),
        Entry("record", 0.0, "learned", {"factors": "none"}), Entry("record", 0.0, "note", {}),
    ]  # fmt: skip
    assert learned_of(rows) == (("net", 0.1, 0.2, 1e-9),)
    assert proposals([], {}) == ()


def test_what_was_taken_is_asked_for_no_second_time():
    runs = [[("net", 0.5, 0.1, 1e-9)]] * 4
    (first,) = proposals(runs, {"net": 1e-9})
    (again,) = proposals(runs, {"net": 1e-9 * first.middle})
    assert first.middle > 1.5
    assert again.middle == pytest.approx(1.0, abs=0.03)
    assert proposals(runs, {"another": 1.0}) == ()
