import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from bibulon.core.units import QUANTITIES, UnitError, clock, parse, show


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


@given(
    st.floats(0.01, 1e4),
    st.sampled_from(["length", "distance", "mass", "pressure", "volume"]),
    st.sampled_from(["metric", "us"]),
)
def test_shown_values_read_back(value, quantity, system):
    kind = QUANTITIES[quantity]
    unit, places = kind.shown_in(system)
    back = parse(show(value, quantity, system), quantity, system)
    assert math.isclose(back, value, abs_tol=0.51 * 10**-places * kind.units[unit] + 1e-12)


def test_clock_words():
    assert clock(2334) == "38:54"
    assert clock(59.6) == "1:00"
    assert clock(7320) == "2 h 02"
    assert clock(math.inf) == "—"
    assert show(math.nan, "mass") == "—"
