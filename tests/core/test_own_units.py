"""Units of one system for some things and of the other for the rest: shown, read, drawn and told alike."""

from __future__ import annotations

import re
from pathlib import Path

import numpy as np
import pytest

from bibulon.core.drawing.kit.chart import degrees
from bibulon.core.findings.base import mm
from bibulon.core.geometry.snap import nice_grid
from bibulon.core.units.figures import worded
from bibulon.core.units.units import KINDS, QUANTITIES, heading_of, own_units, parse, show, system_of, unit_of
from bibulon.core.units.vacuum import read_vacuum, show_vacuum, vacuum_words

CORE = Path(__file__).resolve().parents[2] / "src" / "bibulon"


@pytest.fixture
def mixed():
    """A shop that works in metric, but for inches and inches of mercury."""
    own_units({"lengths": "us", "pressures": "us"})
    yield
    own_units({})


def test_each_kind_goes_by_its_own_system_and_the_rest_by_what_is_asked(mixed):
    assert show(0.0254, "length") == "1.00 in"
    assert show(2.5, "mass") == "2.50 kg"
    assert show(293.15, "temperature") == "20.0 °C"
    assert unit_of("pressure") == "inHg"
    assert heading_of("width", "length") == "width in"
    assert parse("2", "length") == pytest.approx(0.0508)
    assert parse("2 mm", "length") == pytest.approx(0.002)
    assert worded(f"break {mm(0.0508)}", "metric") == "break 2.00 in"
    assert show(2.5, "mass", "us") == "5.51 lb"
    own_units({"masses": "metric"})
    assert show(2.5, "mass", "us") == "2.50 kg"
    assert show(0.0254, "length", "us") == "1.00 in"
    own_units({})
    assert show(0.0254, "length") == "25 mm"


def test_a_vacuum_is_typed_and_told_as_its_gauge_has_it(mixed):
    air = 101_325.0
    told = show_vacuum(5000.0, air, "metric")
    assert told == "28.44 inHg below"
    assert read_vacuum(told, air, "metric") == pytest.approx(5000.0, abs=20)
    assert read_vacuum("28.44", air, "metric") == pytest.approx(5000.0, abs=20)  # a bare figure is the dial's
    assert vacuum_words(5000.0, air) == "50 mbar absolute, 28.4 inHg below today's air"


def test_drawings_follow_their_own_kind(mixed):
    assert nice_grid(1000.0, "metric") == pytest.approx(2 * 0.0254)
    assert degrees(np.array([293.15]), "metric")[0] == pytest.approx(20.0)
    own_units({"temperatures": "us"})
    assert degrees(np.array([293.15]), "metric")[0] == pytest.approx(68.0)
    assert nice_grid(1000.0, "metric") == pytest.approx(0.05)


@pytest.mark.parametrize("kind", KINDS)
def test_kinds_name_quantities_that_there_are_each_once(kind):
    assert set(KINDS[kind]) <= set(QUANTITIES)
    for other in set(KINDS) - {kind}:
        assert not set(KINDS[kind]) & set(KINDS[other])


def test_nothing_but_the_door_asks_which_system_it_is():
    """Whoever compares a system himself shows metres on one page and feet on the next."""
    asks = re.compile(r"""(?<!\w)(?:[\w.]*system|s)\s*[!=]=\s*["'](?:us|metric)["']""")
    allowed = {"app/shell/topbar.py", "app/shell/window.py", "app/shell/mishaps.py"}
    found = {
        f"{path.relative_to(CORE)}: {line.strip()}"
        for path in CORE.rglob("*.py")
        if str(path.relative_to(CORE)) not in allowed
        for line in path.read_text().splitlines()
        if asks.search(line)
    }
    assert not found


def test_a_quantity_without_a_kind_goes_by_what_is_asked(mixed):
    for name in set(QUANTITIES) - {q for kind in KINDS.values() for q in kind}:
        assert system_of(name, "metric") == "metric"
        assert system_of(name, "us") == "us"
