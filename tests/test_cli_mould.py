"""``bibulon mould`` and ``bibulon recipe``: their keys, words, files, and what they refuse."""

from __future__ import annotations

import csv
import json

import numpy as np
import pytest

from bibulon.cli.main import main
from bibulon.core.run.loading import load_steps, loaded_steps
from bibulon.core.run.shots import shots_of
from bibulon.core.series.record import outcome_of
from bibulon.store.jobfile import load

KEYS = {
    "flange_area_m2", "cavity_area_m2", "closing_kn", "opening_peak_kn", "opening_peak_at_s", "margin_least", "flange_vacuum_least_kpa",
    "injection_pressure_max_kpa", "bow_max_mm", "thickness_min_mm", "thickness_max_mm", "vf_min", "vf_max", "channel_fill_s",
    "fill_time_s", "vent_wet_s", "waste_kg",
}  # fmt: skip


@pytest.fixture(scope="module")
def lid(tmp_path_factory):
    path = tmp_path_factory.mktemp("lid") / "lid.bibulon"
    assert main(["demo", "--mould", "--write", str(path)]) == 0
    return path


def test_the_mould_is_told_under_its_keys(lid, capsys):
    assert main(["mould", str(lid), "--coarse", "--json"]) == 0
    told = json.loads(capsys.readouterr().out)
    assert set(told) >= KEYS
    assert 1 < told["margin_least"] < 3
    assert told["thickness_min_mm"] <= told["thickness_max_mm"] < 5
    assert told["channel_fill_s"] < told["vent_wet_s"] <= told["fill_time_s"]


def test_the_mould_is_told_in_words_and_in_us_units(lid, capsys):
    assert main(["mould", str(lid), "--coarse", "--units", "us"]) == 0
    words = capsys.readouterr().out
    assert "holds shut" in words
    assert " in," in words
    assert " lb " in words
    # Forces, pressures and times too: they were in kN, kPa and tenths of minutes whatever was asked for.
    assert " lbf, pushes open " in words
    assert "inHg below the air" in words
    assert "inHg absolute" in words
    assert not [unit for unit in ("kN", "kPa", " min") if unit in words]


def test_the_recipe_is_told_and_written(lid, tmp_path, capsys):
    assert main(["recipe", str(lid), "--coarse"]) == 0
    assert "caution: Hands out" in capsys.readouterr().out
    assert main(["recipe", str(lid), "--coarse", "--json"]) == 0
    told = json.loads(capsys.readouterr().out)
    assert [s["key"] for s in told["stages"]][-1] == "demould"
    mass = [row["mass_kg"] for row in told["course"]]
    assert mass == sorted(mass)
    for ending in ("pdf", "csv", "json"):
        assert main(["recipe", str(lid), "--coarse", "-o", str(tmp_path / f"r.{ending}")]) == 0
    assert (tmp_path / "r.pdf").read_bytes().startswith(b"%PDF")
    assert json.loads((tmp_path / "r.json").read_text(encoding="utf-8")) == told
    rows = list(csv.reader((tmp_path / "r.csv").read_text(encoding="utf-8").splitlines()))
    assert len(rows) == 1 + len(told["stages"])


def test_the_second_demo_comes_with_its_record(lid, capsys):
    """Loaded, shot, weighed and measured: its balance closes, and its fibre share is near that of its stack."""
    loaded = load(lid)
    steps = {s.key for s in load_steps(loaded.job)}
    assert set(loaded_steps(loaded.journal)) == steps
    (shot,) = shots_of(loaded.journal)
    assert shot.ended == "full"
    assert list(shot.shot) == sorted(shot.shot)
    assert float(np.trapezoid(shot.flow, shot.time)) * 1100 == pytest.approx(shot.shot[-1], rel=0.01)
    came = outcome_of(loaded.job, loaded.journal)
    assert came.share is not None
    assert came.planned_vf is not None
    assert came.share.vf.low < came.planned_vf < came.share.vf.high
    assert main(["run", str(lid)]) == 0
    words = capsys.readouterr().out
    assert "machine injects" in words
    assert "machine stopped: full" in words
    assert len(words.splitlines()) < 60  # readings are not told one by one


def test_a_bag_has_no_mould(tmp_path, capsys):
    path = tmp_path / "petal.bibulon"
    assert main(["demo", "--write", str(path)]) == 0
    for command in ("mould", "recipe"):
        assert main([command, str(path)]) == 2
        assert "under a bag" in capsys.readouterr().err


def test_the_lift_is_counted_when_asked(lid, capsys):
    assert main(["mould", str(lid), "--coarse", "--flexible", "--json"]) == 0
    told = json.loads(capsys.readouterr().out)
    assert told["fill_time_flexible_s"] == pytest.approx(told["fill_time_s"], rel=0.1)
    assert told["fill_time_flexible_s"] != told["fill_time_s"]
