"""``bibulon bag``, ``cut`` and ``list JOB kit``: the same figures as the window, in the keys that were agreed."""

from __future__ import annotations

import csv
import json

import pypdf
import pytest
from tests.test_cli import run

from bibulon.core.bag.bag import bag_of
from bibulon.core.library.demo import demo_job
from bibulon.store.jobfile import save


@pytest.fixture
def job(tmp_path):
    save(demo_job(), tmp_path / "petal.bibulon")
    return tmp_path / "petal.bibulon"


def test_bag_json(job, capsys):
    code, out, err = run(capsys, "bag", job, "--json")
    told, bag = json.loads(out), bag_of(demo_job())
    assert (code, err) == (0, "")
    assert told["tape_m"] == pytest.approx(bag.tape.total)
    assert told["tape_rolls"] == 2
    assert told["film_sheets"] == 2
    assert told["film_area_m2"] == pytest.approx(bag.film.lies)
    assert (
        set(told["slack_needed_mm"])
        == set(told["slack_there_mm"])
        == {"far side", "near side", "left end", "right end"}
    )
    assert all(told["slack_there_mm"][k] >= v for k, v in told["slack_needed_mm"].items())
    assert set(told["pleats"][0]) == {"at_mm", "size_mm", "lean", "closing"}
    assert [p["closing"] for p in told["pleats"]].count(True) == 1


def test_bag_in_words_in_both_systems_and_at_full_size(job, tmp_path, capsys):
    _, out, _ = run(capsys, "bag", job)
    assert "closing pleat" in out
    assert " m" in out
    _, us, _ = run(capsys, "bag", job, "--units", "us")
    assert " mm" not in us
    assert " m " not in us
    code, _, _ = run(capsys, "bag", job, "-o", tmp_path / "walk.pdf")
    assert code == 0
    assert len(pypdf.PdfReader(tmp_path / "walk.pdf").pages) == 10


def test_a_closed_mould_has_no_bag(tmp_path, capsys):
    save(demo_job().replaced(process="light RTM"), tmp_path / "mould.bibulon")
    code, _, err = run(capsys, "bag", tmp_path / "mould.bibulon")
    assert code == 2
    assert "closed mould" in err


def test_cut_json_and_templates(job, tmp_path, capsys):
    code, out, _ = run(capsys, "cut", job, "--shelves", "--json")
    told = json.loads(out)
    assert code == 0
    assert told["biax-600"]["roll_width_mm"] == 1270
    assert told["biax-600"]["length_mm"] > 4000
    assert 0 < told["biax-600"]["waste_share"] < 1
    assert [p["label"] for p in told["quad-1200"]["pieces"]]
    assert told["foam-15-grooved"]["sheets"] == 4
    code, _, _ = run(capsys, "cut", job, "-o", tmp_path / "t.dxf")
    assert code == 0
    assert (tmp_path / "t.dxf").stat().st_size > 1000
    with pytest.raises(SystemExit):
        run(capsys, "cut", job, "-o", tmp_path / "t.doc")
    assert ".pdf or .dxf or .svg" in capsys.readouterr().err


def test_the_kit_is_a_list(job, tmp_path, capsys):
    code, _, _ = run(capsys, "list", job, "kit", "-o", tmp_path / "kit.csv", "--units", "us")
    rows = list(csv.reader((tmp_path / "kit.csv").read_text().splitlines()))
    assert code == 0
    assert any(r[1].startswith("Sealing tape") and r[3].endswith("ft") for r in rows)
    code, _, _ = run(capsys, "list", job, "kit", "-o", tmp_path / "kit.pdf")
    assert "Sealing tape" in pypdf.PdfReader(tmp_path / "kit.pdf").pages[0].extract_text()
