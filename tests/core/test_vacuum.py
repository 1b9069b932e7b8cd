"""Pressure words: a vacuum is read absolute or below the air by what is typed, and told both ways."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from bibulon.core.units.air import read_air
from bibulon.core.units.units import UnitError
from bibulon.core.units.vacuum import read_vacuum, show_vacuum, vacuum_words

AIR = 101325.0
HG = 3386.389  # Pa an inch of mercury


@pytest.mark.parametrize(
    ("text", "system", "absolute"),
    [
        ("26 inHg", "metric", AIR - 26 * HG),
        ("26 inHg", "us", AIR - 26 * HG),
        ('26 in Hg', "metric", AIR - 26 * HG),
        ("26", "us", AIR - 26 * HG),
        ("20", "metric", 2000.0),
        ("20 mbar", "us", 2000.0),
        ("20 mbar abs", "metric", 2000.0),
        ("2 kPa absolute", "metric", 2000.0),
        ("0.6 inHg abs", "us", 0.6 * HG),
        ("-95 kPa", "metric", AIR - 95000),
        ("−950 mbar", "metric", AIR - 95000),
        ("95 kPa below", "metric", AIR - 95000),
        ("95 kPa below air", "metric", AIR - 95000),
        ("95 kPa vacuum", "metric", AIR - 95000),
        ("0 abs", "metric", 0.0),
    ],
)  # fmt: skip
def test_words_signs_and_dials_decide(text, system, absolute):
    assert read_vacuum(text, AIR, system) == pytest.approx(absolute, abs=1.0)


def test_the_same_dial_reads_otherwise_in_thin_air():
    assert read_vacuum("24 inHg", 85000.0) == pytest.approx(85000 - 24 * HG, abs=1)


@pytest.mark.parametrize(
    "text", ["31 inHg", "1100 mbar below", "-20 mbar abs", "20 mbar abs below", "deep", ""]
)
def test_what_cannot_be_is_refused_in_words(text):
    with pytest.raises(UnitError, match=r"."):
        read_vacuum(text, AIR)


@given(st.floats(0, 1e5), st.sampled_from(["metric", "us"]))
def test_what_is_shown_is_read_back(pressure, system):
    back = read_vacuum(show_vacuum(pressure, AIR, system), AIR, system)
    assert back == pytest.approx(pressure, abs=51 if system == "metric" else 18)


def test_it_is_told_both_ways():
    assert vacuum_words(AIR - 26 * HG, AIR) == "133 mbar absolute, 26.0 inHg below today's air"


@pytest.mark.parametrize(
    ("text", "system", "air"),
    [
        ("940 mbar", "metric", 94_000.0),
        ("940", "metric", 94_000.0),
        ("29.5", "us", 29.5 * HG),
        # The table of the standard atmosphere: 845.6 hPa at 1500 m, 898.7 at 1000 m.
        ("1500 m", "metric", 84_560.0),
        ("1000 m", "us", 89_870.0),
        ("3280.84 ft", "us", 89_870.0),
        # A low of 990 mbar over the same hill: by its share of the standard's figure.
        ("990 mbar at 1000 m", "metric", 89_870.0 * 990 / 1013.25),
        ("29.235 @ 3280.84 ft", "us", 89_870.0 * 990 / 1013.25),
    ],
)
def test_the_air_of_the_day_is_read_as_a_barometer_a_height_or_a_report(text, system, air):
    assert read_air(text, system) == pytest.approx(air, rel=3e-4)


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("200 mbar", "today's air lies between"),
        ("9000 m", "height lies between −400 m and 5000 m"),
        ("1200 mbar at 600 m", "air at sea level lies between"),
        ("1000 mbar at 600 m at 3 m", "more than one height"),
        ("12 kg", "not a unit of pressure"),
        ("", "pressure"),
    ],
)
def test_what_is_no_air_is_refused_in_words(text, says):
    with pytest.raises(UnitError, match=says):
        read_air(text, "metric")
