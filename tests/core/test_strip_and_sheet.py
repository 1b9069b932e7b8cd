"""Permeability from a bench strip, a resin from its data sheet, and tables off the clipboard."""

from __future__ import annotations

import math

import numpy as np
import pytest

from bibulon.core.library.demo import demo_job
from bibulon.core.model.materials import Resin
from bibulon.core.resin.clock import flow_clock, viscosity_at
from bibulon.core.resin.datasheet import DataSheet, SheetError, fit_sheet, lump
from bibulon.core.run.journal import Entry
from bibulon.core.run.marks import strip_of_run
from bibulon.core.stack.striptest import Strip, StripError, fit_strip
from bibulon.core.units.pasted import PasteError, cells_of, columns_of

PULL, MU, PHI = 9.9e4, 0.12, 0.48


def readings(k, times, scatter=0.0, start=0.0, seed=0):
    rng = np.random.default_rng(seed)
    x = np.sqrt(2 * k * PULL / (PHI * MU) * np.maximum(times - start, 0.0))
    return tuple(
        zip(times.tolist(), np.maximum(x + rng.normal(0, scatter, len(times)), 1e-6).tolist(), strict=True)
    )


def test_a_clean_strip_gives_its_permeability():
    times = np.array([30.0, 60, 120, 240, 480])
    result = fit_strip(Strip(PULL, MU, PHI, readings(3e-11, times)))
    assert result.permeability == pytest.approx(3e-11, rel=1e-9)
    assert result.exponent == pytest.approx(0.5)
    assert result.even
    assert result.front(np.array([120.0]))[0] == pytest.approx(dict(result.strip.readings)[120.0])


@pytest.mark.parametrize("late", [False, True])
def test_the_interval_holds_the_truth_nine_times_in_ten(late):
    """300 strips with 4 mm of scatter; binomial: 90 % ± 1.7 % is one standard deviation."""
    times = np.linspace(40, 900, 12)
    start = 15.0 if late else 0.0
    held = 0
    for seed in range(300):
        strip = Strip(PULL, MU, PHI, readings(5e-11, times, 0.004, start, seed))
        low, high = fit_strip(strip, late_start=late).interval
        held += low <= 5e-11 <= high
    assert 0.85 <= held / 300 <= 0.95


def test_a_late_start_is_found():
    times = np.linspace(60, 900, 10)
    result = fit_strip(Strip(PULL, MU, PHI, readings(5e-11, times, start=25.0)), late_start=True)
    assert result.start == pytest.approx(25.0, abs=0.1)
    assert result.permeability == pytest.approx(5e-11, rel=1e-3)


def test_a_front_that_does_not_follow_the_root_of_time_is_told():
    times = np.linspace(60, 600, 8)
    steady = tuple((t, 1e-4 * t) for t in times.tolist())
    assert not fit_strip(Strip(PULL, MU, PHI, steady)).even


@pytest.mark.parametrize(
    ("strip", "told"),
    [
        (Strip(PULL, MU, PHI, ((10, 0.01), (20, 0.02))), "2 readings are too few"),
        (Strip(PULL, MU, PHI, ((10, 0.01), (5, 0.02), (20, 0.03), (30, 0.04))), "Reading 2 is not later"),
        (Strip(PULL, MU, PHI, ((1, 0.04), (2, 0.03), (3, 0.03), (4, 0.02))), "did not advance"),
        (Strip(0.0, MU, PHI, ((1, 0.1),) * 5), "pull must be more"),
        (Strip(PULL, MU, 1.2, ((1, 0.1),) * 5), "porosity"),
        (Strip(PULL, MU, PHI, ((1, -0.1), (2, 0.1), (3, 0.2), (4, 0.3))), "negative"),
    ],
)
def test_what_is_no_strip_test_is_told(strip, told):
    with pytest.raises(StripError, match=told):
        fit_strip(strip)


def test_the_marks_of_a_run_are_a_strip():
    job, run = demo_job(), "r"
    rows = [Entry(run, 0.0, "start", {"began": 0.0}), Entry(run, 10.0, "open", {"line": "F1"})]
    assert strip_of_run(job, rows) == []
    for clock, x, y in ((70.0, 0.37, 0.7), (70.5, 0.39, 0.9), (190.0, 0.57, 0.75)):
        rows.append(Entry(run, clock, "front", {"x": x, "y": y}))
    # F1 lies at x = 0.07 m; the first two marks are one reading.
    assert strip_of_run(job, rows) == [
        (pytest.approx(60.25), pytest.approx(0.31)),
        (180.0, pytest.approx(0.5)),
    ]


# -- a resin from its data sheet


def test_two_viscosities_a_gel_time_and_a_peak_are_met():
    sheet = DataSheet(((298.15, 0.32), (313.15, 0.14)), 1800.0, 0.1, 298.15, peak=390.0)
    fit = fit_sheet(sheet)
    assert max(abs(m) for m in fit.misses) < 1e-9
    # Solved again from the law alone, in a pot of that mass.
    course = lump(fit.law, fit.heat, 0.1, 298.15, 8000.0)
    assert course.temperature.max() == pytest.approx(390.0, abs=1.0)
    assert np.interp(fit.law.alpha_gel, course.alpha, course.time) == pytest.approx(1800.0, rel=0.01)
    resin = Resin(name="fit", viscosity=fit.law)
    assert viscosity_at(resin, 298.15) == pytest.approx(0.32, rel=1e-3)
    assert viscosity_at(resin, 313.15) == pytest.approx(0.14, rel=1e-3)
    # A thin part does not heat itself: it gels later than the pot.
    assert flow_clock(resin, 298.15).gel > 1.5 * 1800


def test_a_thin_film_gels_when_the_sheet_says_and_what_is_assumed_is_told():
    fit = fit_sheet(DataSheet(((296.15, 0.25),), 3600.0, 0.0, 296.15))
    resin = Resin(name="film", viscosity=fit.law)
    assert flow_clock(resin, 296.15).gel == pytest.approx(3600.0, rel=0.01)
    assert len(fit.assumed) == 2
    assert "activation energy" in fit.assumed[0]


def test_many_measured_points_are_fitted_and_the_misses_told():
    points = tuple(
        (t, 3e-7 * math.exp(34000 / 8.314462618 / t) * f) for t, f in ((290, 1.05), (300, 0.95), (310, 1.02))
    )
    fit = fit_sheet(DataSheet(points, 1200.0, 0.05, 298.15))
    assert fit.law.energy == pytest.approx(34000, rel=0.05)
    assert 0.02 < max(abs(m) for m in fit.misses) < 0.08


@pytest.mark.parametrize(
    ("sheet", "told"),
    [
        (DataSheet((), 100, 0.1, 298), "viscosity with its temperature"),
        (DataSheet(((298, 0.1), (310, 0.4)), 100, 0.1, 298), "must fall as the resin warms"),
        (DataSheet(((298, 0.1),), 0, 0.1, 298), "gel time must be more"),
        (DataSheet(((298, 0.1),), 100, 0.1, 298, peak=290), "above the room"),
        (DataSheet(((298, 0.1),), 1800, 0.1, 298, peak=900), "No resin of this kind peaks"),
    ],
)
def test_a_sheet_that_cannot_be_is_told(sheet, told):
    with pytest.raises(SheetError, match=told):
        fit_sheet(sheet)


# -- tables off the clipboard


def test_pasted_tables():
    want = [("time", "time"), ("front", "length")]
    assert columns_of("time [s]\tfront [mm]\n60\t120\n120\t170", want) == [(60.0, 0.12), (120.0, 0.17)]
    assert columns_of("1\t2,5\n2\t3,5", [("x", "length"), ("y", "length")]) == [
        (1e-3, 2.5e-3),
        (2e-3, 3.5e-3),
    ]
    assert columns_of("0:30;10 cm\n1:00;0.5 ft", want) == [(30.0, 0.1), (60.0, pytest.approx(0.1524))]
    assert columns_of("1 2\n3 4", [("x", "length"), ("y", "length"), ("bow", "length")], least=2)[1] == (
        3e-3,
        4e-3,
        0.0,
    )
    assert cells_of("\n\n") == []

    with pytest.raises(PasteError, match="Row 2, column front: “wet”"):
        columns_of("1\t2\n2\twet", want)
    with pytest.raises(PasteError, match="Row 2 has 1 columns"):
        columns_of("1\t2\n2", want, least=2)
    with pytest.raises(PasteError, match="nothing to paste"):
        columns_of("  ", want)
    with pytest.raises(PasteError, match="heading but no rows"):
        columns_of("x\ty", want)


TWO = (("time", "time"), ("front", "length"))


@pytest.mark.parametrize(
    ("text", "first"),
    [
        ("time, position\n60, 100\n90, 120", (60.0, 0.1)),
        ("time\tposition\n60\t100", (60.0, 0.1)),
        ("time (min)\tposition (cm)\n1.5\t10", (90.0, 0.1)),
        ("time min\tfront mm\n1.5\t100", (90.0, 0.1)),
        ("60\t100\n90\t120", (60.0, 0.1)),
        ("1:30\t100 mm", (90.0, 0.1)),
        ("60\t1,200\n90\t12,5", (60.0, 0.0012)),
        ("60;100\r90;120\r", (60.0, 0.1)),
    ],
)
def test_times_of_a_strip_are_seconds_unless_it_says_otherwise(text, first):
    assert columns_of(text, TWO, "metric", 2, {"time": "s"})[0] == pytest.approx(first)


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("60\t1,200\n90\t2,500", "Row 1, column front: “1,200” can be read in two ways"),
        ('60\t"' + "9" * 140_000 + '"', "a cell is too long"),
        ("1\t2\n" * 50_001, "50000 at most"),
        ("x" * 5_000_001, "million characters"),
        ("60\t" + "[" * 3000, "Row 1, column front"),
    ],
)
def test_pastes_that_are_no_tables_are_refused_in_one_sentence(text, words):
    with pytest.raises(PasteError) as error:
        columns_of(text, TWO, "metric", 2)
    assert words in str(error.value)
    assert len(str(error.value)) < 200
