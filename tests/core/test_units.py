import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from bibulon.core.units.figures import figure, figures_in, worded
from bibulon.core.units.units import (
    QUANTITIES,
    UnitError,
    cell_of,
    clock,
    heading_of,
    parse,
    settled_commas,
    show,
)


@pytest.mark.parametrize(
    ("text", "quantity", "system", "si"),
    [
        ("36 in", "length", "metric", 0.9144),
        ("1.2 m", "length", "metric", 1.2),
        ("1,2 m", "length", "metric", 1.2),
        ("150", "length", "metric", 0.150),
        ("6", "length", "us", 0.1524),
        ('5"', "length", "metric", 0.127),
        ("20 oz/yd2", "areal mass", "metric", 0.67811),
        ("20 oz/yd²", "areal mass", "metric", 0.67811),
        ("600 g/m²", "areal mass", "metric", 0.6),
        ("26 inHg", "pressure", "metric", 88046.1),
        ("20 mbar", "pressure", "metric", 2000),
        ("71.6 °F", "temperature", "metric", 295.15),
        ("22", "temperature", "metric", 295.15),
        ("4:30", "time", "metric", 270),
        ("1:02:03", "time", "metric", 3723),
        ("250 mPa·s", "viscosity", "metric", 0.25),
        ("8 %", "share", "metric", 0.08),
        ("−5 °C", "temperature", "metric", 268.15),
        ("−12 mm", "length", "metric", -0.012),
        ("1,200.5 mm", "length", "metric", 1.2005),
        ("1,200,000 mm", "length", "metric", 1200),
        ("1.200,5 mm", "length", "metric", 1.2005),
        ("0,125 m", "length", "metric", 0.125),
        ("1,2000 m", "length", "metric", 1.2),
        ("2 h 02", "time", "metric", 7320),
        ("−1:30", "time", "metric", -90),
        ("2 fl oz", "dose", "metric", 59.14706e-6),  # of 231 cubic inches a gallon
        ("1 tbsp", "dose", "us", 14.78676e-6),
        ("3 tsp", "volume", "metric", 14.78676e-6),
        ("40 mm/s", "speed", "metric", 0.04),
    ],
)
def test_what_is_typed_becomes_si(text, quantity, system, si):
    assert parse(text, quantity, system) == pytest.approx(si, rel=1e-5)


@pytest.mark.parametrize("text", ["", "abc", "12 kg", "1.2.3 m", "--3 mm", "1e999 m", "4 furlongs"])
def test_nonsense_is_refused_in_words(text):
    with pytest.raises(UnitError) as error:
        parse(text, "length")
    assert "Traceback" not in str(error.value)
    assert len(str(error.value)) > 10


def test_a_wrong_unit_names_those_that_fit():
    with pytest.raises(UnitError, match="use one of m, mm, cm, in"):
        parse("12 kg", "length")


@pytest.mark.parametrize("text", ["1,200 mm", "12,500 mm", "−1,200", "1,200e3 mm"])
def test_a_comma_that_can_mean_two_things_is_asked_about(text):
    with pytest.raises(UnitError, match="two ways: type"):
        parse(text, "length")


@pytest.mark.parametrize(
    ("cells", "given", "plain"),
    [
        (["1,200", "12,5"], "1,200", "1.200"),
        (["1,200", "1,200.5"], "1,200", "1200"),
        (["1,200", "7"], "1,200", "1,200"),
        (["x", ""], "1,200", "1,200"),
    ],
)
def test_a_table_settles_what_its_commas_mean(cells, given, plain):
    assert settled_commas(cells)(given) == plain


@pytest.mark.parametrize(
    "text", ["9" * 400 + ":00", "1:" + "9" * 400, "9" * 5000, "x" * 10_000, "5\nmm" * 20]
)
def test_what_is_far_too_long_is_refused_in_one_line(text):
    with pytest.raises(UnitError) as error:
        parse(text, "time")
    assert "\n" not in str(error.value)
    assert len(str(error.value)) < 200


SHOWN = [q for q in QUANTITIES if q not in {"permeability"}]


@given(st.floats(-1e4, 1e4), st.sampled_from(SHOWN), st.sampled_from(["metric", "us"]))
def test_shown_values_read_back(value, quantity, system):
    kind = QUANTITIES[quantity]
    unit, places = kind.shown_in(system)
    back = parse(show(value, quantity, system), quantity, system)
    assert math.isclose(back, value, abs_tol=0.51 * 10**-places * kind.units[unit] + 1e-12)


@given(st.floats(-1e6, 1e6))
def test_clock_words_read_back(seconds):
    back = parse(clock(seconds), "time")
    assert math.isclose(back, seconds, abs_tol=60.1 if abs(seconds) >= 5999 else 0.51)


def test_a_range_is_told_in_one_form():
    assert f"{clock(5119, 11460)} to {clock(11460)}" == "1 h 25 to 3 h 11"
    assert f"{clock(1800, 5999)} to {clock(5999)}" == "30:00 to 99:59"
    assert clock(1800, float("inf")) == "30:00"  # what never comes gives no form


def test_clock_words():
    assert clock(2334) == "38:54"
    assert clock(59.6) == "1:00"
    assert clock(7320) == "2 h 02"
    assert clock(math.inf) == "—"
    assert show(math.nan, "mass") == "—"


@pytest.mark.parametrize(
    ("value", "quantity", "decimals", "metric", "us"),
    [
        (0.0254, "length", 0, "25 mm", "1.00 in"),
        (0.0254, "length", 1, "25.4 mm", "1.000 in"),
        (0.001, "small area", 0, "10 cm²", "1.6 in²"),  # 10 / 6.4516
        (0.45359237, "mass", 2, "0.45 kg", "1.00 lb"),
        (3386.389, "pressure", 0, "34 mbar", "1.0 inHg"),
        (-0.5, "distance", 2, "−0.50 m", "−1.64 ft"),
        (float("inf"), "length", 0, "—", "—"),
    ],
)
def test_a_figure_in_a_text_is_read_in_anybody_s_units(value, quantity, decimals, metric, us):
    text = f"a {figure(value, quantity, decimals)} b"
    assert worded(text) == f"a {metric} b"
    assert worded(text, "us") == f"a {us} b"
    assert figures_in(text) == ((value, quantity),)


def test_a_column_says_its_unit_and_its_cells_are_in_it():
    assert heading_of("area", "area") == "area m2"
    assert heading_of("area", "area", "us") == "area ft2"
    assert cell_of(1.0, "area", "metric", 4) == "1.0000"
    assert cell_of(1.0, "area", "us", 4) == "10.7639"  # 1 / 0.3048²
    assert cell_of(-0.0254, "length", "us") == "-1.00"  # a spreadsheet reads a plain minus


@pytest.mark.parametrize(
    ("pressure", "metric", "us"),
    [  # 1 inHg is 33.86389 mbar
        (0.0, "0.0 mbar", "0.00 inHg"), (0.9, "0.01 mbar", "0.00 inHg"), (-0.3, "0.0 mbar", "0.00 inHg"), (17.0, "0.17 mbar", "0.005 inHg"), (90.0, "0.9 mbar", "0.027 inHg"),
        (512.0, "5.1 mbar", "0.15 inHg"), (2730.0, "27.3 mbar", "0.81 inHg"), (-17.0, "−0.17 mbar", "−0.005 inHg"),
    ],
)  # fmt: skip
def test_what_a_gauge_gains_in_a_minute_is_not_rounded_to_nothing(pressure, metric, us):
    assert show(pressure, "small pressure") == metric
    assert show(pressure, "small pressure", "us") == us


def test_the_resin_of_a_film_is_not_rounded_to_nothing():
    assert (
        show(0.002, "areal mass", "us") == "0.059 oz/yd²"
    )  # 2 g/m² by 28.3495 g an ounce and 0.8361 m² a square yard
    assert show(0.002, "areal mass") == "2 g/m²"
    assert show(0.45, "areal mass", "us") == "13.3 oz/yd²"


@pytest.mark.parametrize(
    ("mass", "metric", "us"),
    [
        (0.0, "0 g", "0.00 oz"), (1e-5, "0.01 g", "0.00035 oz"), (1e-4, "0.1 g", "0.0035 oz"), (1e-3, "1 g", "0.035 oz"),
        (4.6e-3, "4.6 g", "0.16 oz"), (9.96e-3, "10 g", "0.35 oz"), (0.0461, "46 g", "1.63 oz"), (1.2345, "1234 g", "43.55 oz"),
    ],
)  # fmt: skip
def test_what_a_fine_scale_tells_is_not_rounded_to_nothing(mass, metric, us):
    assert show(mass, "weighed") == metric
    assert show(mass, "weighed", "us") == us
