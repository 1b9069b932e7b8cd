"""``bibulon refit`` and ``bibulon run``: their keys, their words, and what is refused."""

from __future__ import annotations

import json

import pytest
from tests.validation.layouts import job as panel
from tests.written import written

from bibulon.cli.commands import refit
from bibulon.cli.main import main
from bibulon.core.plans.refit.prior import prior_of
from bibulon.core.run.journal import Entry
from bibulon.store.jobfile import save

_made: dict[object, object] = {}


@pytest.fixture(scope="module")
def file(tmp_path_factory):
    path = tmp_path_factory.mktemp("refit") / "panel.bibulon"
    rows = [
        Entry("r", 0.0, "start", {"began": 5.0}, 5.0), Entry("r", 0.0, "open", {"line": "F1"}, 5.0),
        Entry("r", 60.0, "front", {"x": 0.2, "y": 0.25}, 65.0), Entry("test-a", 0.0, "readings", {"t": [0], "p": [2000]}, 1.0),
        Entry("r", 700.0, "wet", {}, 705.0),
    ]  # fmt: skip
    save(panel(), path, rows)
    return path


@pytest.fixture(autouse=True)
def one_ensemble(monkeypatch):
    """The forecasts of one job are made once for all of these tests."""

    def made(job, **how):
        key = (written(job), tuple(sorted(how.items())))
        if key not in _made:
            _made[key] = prior_of(job, **how)
        return _made[key]

    monkeypatch.setattr(refit, "prior_of", made)


@pytest.fixture
def marks(tmp_path):
    path = tmp_path / "marks.csv"
    path.write_text(
        "x_mm,y_mm,time_s,kind\n100,250,0:12,front\n250,200,55,front\n700,250,60,dry\n", encoding="utf-8"
    )
    return path


def told(capsys, *words):
    code = main([str(w) for w in words])
    out = capsys.readouterr()
    return code, out.out, out.err


def test_refit_tells_ranges_under_the_keys_that_are_promised(file, marks, capsys):
    code, out, _ = told(
        capsys, "refit", file, "--marks", marks, "--now", "1:00", "--runs", "10", "--at", "500,250", "--json"
    )
    assert code == 0
    answer = json.loads(out)
    assert answer["fill_time_s"]["low"] < answer["fill_time_s"]["mid"] < answer["fill_time_s"]["high"]
    assert set(answer["last_wet"]) == {"x_mm", "y_mm"}
    assert {"name", "prior", "low", "mid", "high"} == set(answer["parameters"][0])
    (at,) = answer["arrivals"]
    assert at["wet_at_s"]["low"] <= at["wet_at_s"]["mid"] <= at["wet_at_s"]["high"]
    assert isinstance(answer["contradictions"], list)
    assert 0 <= answer["chance_full_before_gel"] <= 1
    assert answer["assumes_planned_vacuum"] is True


def test_refit_in_words(file, marks, capsys):
    code, out, _ = told(capsys, "refit", file, "--marks", marks, "--now", "1:00", "--runs", "10")
    assert code == 0
    assert "nine times in ten" in out
    assert "assume that the vacuum holds" in out


def test_refit_tells_places_in_the_units_asked_for(file, marks, capsys):
    words = ("refit", file, "--marks", marks, "--now", "1:00", "--runs", "10", "--at", "508,254")
    assert "at x 508 mm, y 254 mm" in told(capsys, *words)[1]
    inches = told(capsys, *words, "--units", "us")[1]
    assert "at x 20.00 in, y 10.00 in" in inches
    assert " mm" not in inches


@pytest.mark.parametrize(
    ("rows", "now", "words"),
    [
        ("x_mm,y_mm\n1,2\n", "1:00", "no column time_s"),
        ("x_mm,y_mm,time_s\n1,two,3\n", "1:00", "line 2"),
        ("x_mm,y_mm,time_s,kind\n1,2,3,maybe\n", "1:00", "no kind of mark"),
        ("x_mm,y_mm,time_s\n", "1:00", "holds no marks"),
        ("x_mm,y_mm,time_s\n100,250,90\n", "1:00", "lies after now"),
        ("x_mm,y_mm,time_s\n9000,250,30\n", "1:00", "lies off the part"),
        ("x_mm,y_mm,time_s\n100,250,30\n", "soon", "soon"),
    ],
)
def test_refit_says_what_is_wrong_in_one_sentence(file, tmp_path, capsys, rows, now, words):
    path = tmp_path / "m.csv"
    path.write_text(rows, encoding="utf-8")
    code, _, err = told(capsys, "refit", file, "--marks", path, "--now", now, "--runs", "10")
    assert code == 2
    assert words in err
    assert "Traceback" not in err
    assert err.count("\n") == 1


def test_refit_takes_known_explanations_alone(file, marks, capsys):
    code, _, err = told(
        capsys, "refit", file, "--marks", marks, "--now", "1:00", "--runs", "10", "--take", "gremlins"
    )
    assert code == 2
    assert "gremlins" in err


def test_run_tells_the_record_in_order_without_readings(file, capsys):
    code, out, _ = told(capsys, "run", file, "--json")
    assert code == 0
    answer = json.loads(out)
    assert [r["kind"] for r in answer["rows"]] == ["start", "open", "front", "wet"]
    assert answer["rows"][2]["clock_s"] == 60.0
    assert answer["wet_s"] == 700.0
    assert answer["running"] is True
    _, words, _ = told(capsys, "run", file)
    assert "front seen" in words


def test_run_of_a_job_that_was_never_shot(tmp_path, capsys):
    path = tmp_path / "new.bibulon"
    save(panel(), path)
    assert "Nothing has happened yet" in told(capsys, "run", path)[1]
