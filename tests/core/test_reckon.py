"""The reckoner against figures worked out by hand, and what it says to wrong input."""

from __future__ import annotations

import json
import math

import pytest

from bibulon.cli.main import main
from bibulon.core.plans.reckon.row import ReckonError, reckon
from bibulon.core.plans.reckon.rows import ROWS
from bibulon.core.units.air import air_at


def told(name, **typed):
    return reckon(ROWS[name], {k: str(v) for k, v in typed.items()})


def near(found, **wanted):
    for key, value in wanted.items():
        assert found[key] == pytest.approx(value, rel=2e-3), key


def test_mixing_by_weight_and_by_volume():
    made = told("mix", total="12.7kg", ratio="100:27", density_a=1150, density_b=960)
    near(
        made, mass_a_kg=10.0, mass_b_kg=2.7, volume_a_l=10 / 1.15, volume_b_l=2.7 / 0.96, ratio_by_weight=0.27
    )
    near(made, ratio_by_volume=0.27 * 1150 / 960, worst_ratio_error=0.0005 / 10 + 0.0005 / 2.7)
    again = told(
        "mix", total="12.7kg", ratio=made["ratio_by_volume"], by="volume", density_a=1150, density_b=960
    )
    near(again, mass_b_kg=2.7)


def test_a_dose_is_rounded_to_the_mark_and_refused_outside_its_band():
    near(
        told("dose", resin_mass="2kg", dose="1.5%", density=1200, step="1ml"),
        volume_ml=25.0,
        mark_ml=25.0,
        dose_of_mark_percent=1.5,
    )
    with pytest.raises(ReckonError, match="outside 1 to 2.5 %"):
        told("dose", resin_mass="2kg", dose="0.9%", density=1200)
    with pytest.raises(ReckonError, match="finer syringe"):
        told("dose", resin_mass="50g", dose="1%", density=1200, step="1ml")


def test_filler_share_by_density():
    """A third by weight of 2700 in 1100: 1/ρ = 0.7/1100 + 0.3/2700."""
    mixed = 1 / (0.7 / 1100 + 0.3 / 2700)
    near(
        told("filler", resin_density=1100, filler_density=2700, measured=mixed, plan=0.25),
        share=0.3,
        difference=0.05,
    )


def test_the_warm_side_and_its_limit():
    near(told("warm", mass_a="4kg", c_a=2000, mass_b="1kg", c_b=2000, t_b="20C", wanted="30C"), t_a_c=32.5)
    # And a cold bucket of half a kilogram at 900 J/(kg K): 10 K × 450 J/K more, out of 8 kJ/K.
    cold = told(
        "warm", mass_a="4kg", c_a=2000, mass_b="1kg", c_b=2000, t_b="20C", wanted="30C", vessel_mass="0.5kg",
        vessel_c=900, vessel_t="20C",
    )  # fmt: skip
    near(cold, t_a_c=32.5 + 4500 / 8000)
    with pytest.raises(ReckonError, match="over the limit of 40 °C"):
        told("warm", mass_a="1kg", mass_b="1kg", t_b="10C", wanted="35C")


def test_gauge_words_at_a_height():
    """26 inHg below the air of sea level are 133 mbar absolute; at 1,400 m as much is not to be had."""
    near(
        told("gauge", reading="26inHg below"), absolute_mbar=1013.25 - 26 * 33.86389, below_kpa=26 * 3.386389
    )
    assert air_at(1400) == pytest.approx(85600, rel=2e-3)  # the standard atmosphere's table
    with pytest.raises(ReckonError, match="deeper than today"):
        told("gauge", reading="26inHg below", altitude=1400)


def test_leaks_holes_and_hours():
    hole = told("pinhole", diameter=1e-4)
    near(
        hole,
        leak_mbar_l_per_s=0.8 * math.pi * 1e-8 / 4 * 101325 * 0.5787 * math.sqrt(1.4 * 287.05 * 293.15) / 0.1,
    )
    assert told("pinhole", leak=hole["leak_mbar_l_per_s"] * 0.1)["diameter_um"] == pytest.approx(100)
    # While choked the pressure rises in a straight line.
    near(
        {"p": told("leak-after", volume="10L", leak=0.01, start="1mbar", hours=1)["hole_mbar"][3]},
        p=1 + 0.01 * 3600 / 0.01 / 100,
    )
    late = told("leak-after", volume="10L", leak=1.0, start="1mbar", hours=100)
    assert late["hole_mbar"][-1] == pytest.approx(1013.25, rel=1e-3)
    assert late["capillary_mbar"][-1] == pytest.approx(1013.25, rel=1e-3)


def test_pumps_volumes_and_bubbles():
    near(told("pump-down", volume="20L", speed=0.002, start=101325, level=1013.25), time_s=10 * math.log(100))
    with pytest.raises(ReckonError, match="50\\.0 mbar at the deepest"):
        told("pump-down", volume="20L", speed=0.002, leak=10.0, level="40mbar")
    near(told("volume", before="1000mbar", after="800mbar", reference_volume="5L"), volume_l=20.0)
    near(told("bubbles", leak=0.002, time=3600, pressure="20mbar", pores="6L"), gas_l=3.6, share=0.6)
    assert (
        told("difference", leak_1=0.01, half_1=0.003, leak_2=0.02, half_2=0.004)["verdict"]
        == "what was added leaks"
    )
    assert (
        told("difference", leak_1=0.01, half_1=0.006, leak_2=0.02, half_2=0.009)["verdict"]
        == "not told apart"
    )


def test_reach_and_injection():
    near(
        told("reach", permeability=1e-10, pressure=1e5, time=2000, porosity=0.5, viscosity=0.1),
        reach_mm=1000 * math.sqrt(0.8),
    )
    near(
        told("reach", permeability=1e-10, pressure=1e5, distance=1, porosity=0.5, viscosity=0.1), time_s=2500
    )
    # Half way at a rate, then at the pressure reached: t = φA x/q + φμ(L² − x²)/2Kp.
    q = 1e-10 * 0.3 * 0.005 * 1e5 / (0.1 * 0.5)
    found = told(
        "inject",
        width=0.3,
        gap=0.005,
        length=1,
        permeability=1e-10,
        porosity=0.5,
        viscosity=0.1,
        rate=q,
        limit=1e5,
    )
    near(
        found,
        switch_mm=500,
        switch_s=0.5 * 0.0015 * 0.5 / q,
        fill_s=0.5 * 0.0015 * 0.5 / q + 0.5 * 0.1 * 0.75 / (2 * 1e-10 * 1e5),
    )


def test_closing_and_heating_up():
    found = told(
        "closing", air=101325, flange=10000, cavity=151325, flange_area=0.4, cavity_area=1.0, weight="100kg"
    )
    near(found, closing_kn=0.4 * 91.325 + 0.980665, opening_kn=50.0, factor=(0.4 * 91.325 + 0.980665) / 50)
    near(told("heat-up", mass=100, c=2000, power=2000, wanted="32C", start="22C"), time_s=1000)
    near(
        told("heat-up", mass=100, c=2000, power=2000, loss=100, room="22C", start="22C", wanted="32C"),
        time_s=2000 * math.log(2),
        highest_c=42,
    )
    with pytest.raises(ReckonError, match="42.0 °C at most"):
        told("heat-up", mass=100, power=2000, loss=100, room="22C", wanted="50C")


def test_buckets_by_the_library():
    found = told("bucket", resin="epoxy-slow", mass="3kg")
    assert found["core_45c_s"] <= found["lumped_45c_s"]
    assert found["fill_mm"] == pytest.approx(3 / 1110 / (math.pi * 0.25**2 / 4) * 1e3)
    assert told("gel", resin="Tarn 40 slow epoxy", temperature="22C")["gel_s"] > 3000
    with pytest.raises(ReckonError, match="not even 50 g"):
        told("safe-batch", resin="epoxy-slow", hold="5h")


@pytest.mark.parametrize(
    ("name", "typed", "words"),
    [
        ("mix", {"total": "3kg"}, "mix needs ratio, such as 100:27"),
        ("mix", {"ratio": "100:30"}, "total, or volume"),
        ("mix", {"total": "3kg", "ratio": "much"}, "is no ratio"),
        ("mix", {"total": "3 miles", "ratio": "0.3"}, "not a unit of mass"),
        ("mix", {"total": "9000kg", "ratio": "0.3"}, "total is from"),
        ("mix", {"total": "3kg", "ratio": "0.3", "by": "taste"}, "weight or volume"),
        ("mix", {"total": "3kg", "ratio": "0.3", "colour": "red"}, "knows no “colour”"),
        ("gel", {"resin": "honey", "temperature": "22C"}, "not in the library"),
        ("reach", {"permeability": "1e-10", "pressure": "1bar", "viscosity": "0.1"}, "time, or distance"),
        (
            "reach",
            {"permeability": "nan", "pressure": "1bar", "viscosity": "0.1", "time": "1"},
            "permeability",
        ),
    ],
)
def test_wrong_input_is_one_sentence_that_names_the_key(name, typed, words):
    with pytest.raises(ReckonError, match=words):
        reckon(ROWS[name], typed)


def test_the_command_tells_json_or_sentences(capsys):
    assert main(["reckon", "mix", "total=12.7kg", "ratio=100:27", "--json"]) == 0
    assert json.loads(capsys.readouterr().out)["mass_b_kg"] == pytest.approx(2.7)
    assert main(["reckon", "mix", "total=12.7kg", "ratio"]) == 2
    assert "KEY=VALUE" in capsys.readouterr().err
    assert main(["reckon", "nothing"]) == 2
    assert "mix, dose" in capsys.readouterr().err


def test_every_row_has_words_and_keys_that_end_in_a_unit():
    for row in ROWS.values():
        assert row.words
        assert all(k == k.lower() for k in row.inputs)
