"""The command line as a user runs it: codes, JSON on standard output only, no Qt."""

import json
import subprocess
import sys
from pathlib import Path

import jsonschema
import pypdf
import pytest

from bibulon.cli.main import main
from bibulon.core.edit.edit import inset_mesh, open_on_front
from bibulon.store.jobfile import save


@pytest.fixture
def job(demo, tmp_path: Path) -> Path:
    path = tmp_path / "petal.bibulon"
    save(demo, path)
    return path


def run(capsys, *words):
    code = main([str(w) for w in words])
    out, err = capsys.readouterr()
    return code, out, err


def test_forecast_json(job, capsys):
    code, out, err = run(capsys, "forecast", job, "--coarse", "--at", "1000,750", "--at", "50,750", "--json")
    told = json.loads(out)
    assert (code, err) == (0, "")
    assert told["filled"] is True
    assert 600 < told["fill_time_s"] < 3600
    assert set(told["last_wet"]) == {"x_mm", "y_mm", "time_s"}
    assert set(told["probes"][0]["wet_at_s"]) == {"lower skin", "core", "upper skin", "mesh"}
    assert set(told["probes"][1]["wet_at_s"]) == {"lower skin", "upper skin", "mesh"}
    assert told["resin_in_part_kg"] > 5
    assert sum(told["resin_by_layer_kg"].values()) == pytest.approx(told["resin_in_part_kg"])
    assert told["mass_balance"] < 1e-8


def test_forecast_in_words(job, capsys):
    code, out, _ = run(capsys, "forecast", job, "--coarse")
    assert code == 0
    assert "wet through at" in out
    assert "closes last at" in out


def test_charge_json_adds_up(job, capsys):
    _, out, _ = run(capsys, "charge", job, "--json")
    told = json.loads(out)
    assert told["total_kg"] == pytest.approx(sum(s["mass_kg"] for s in told["sinks"]))
    assert told["part_a_kg"] + told["part_b_kg"] == pytest.approx(told["total_kg"])


def test_findings_end_with_1_only_when_one_blocks(demo, job, tmp_path, capsys):
    assert run(capsys, "findings", job, "--coarse", "--json")[0] == 0
    touching = inset_mesh(open_on_front(demo, "F2"), "net-green", 0.0)
    touching = touching.model_copy(
        update={"mesh": touching.mesh.model_copy(update={"outline": demo.part.outline})}
    )
    save(touching, tmp_path / "t.json")
    code, out, _ = run(capsys, "findings", tmp_path / "t.json", "--coarse", "--json")
    assert code == 1
    assert any(
        f["key"] == "mesh-vacuum:V1" and f["weight"] == "blocking" and f["places_mm"] for f in json.loads(out)
    )


@pytest.mark.parametrize(("rise", "length", "code"), [(0.2, 600, 0), (12.0, 600, 1), (0.2, 120, 3)])
def test_leak_ends_with_its_verdict(tmp_path, capsys, rise, length, code):
    log = tmp_path / "g.csv"
    log.write_text(
        "time_s,mbar absolute\n" + "".join(f"{t},{20 + rise * t / 100}\n" for t in range(0, length + 1, 5))
    )
    done, out, _ = run(capsys, "leak", log, "--volume-l", "10")
    assert done == code
    assert {0: "pass", 1: "fail", 3: "cannot tell"}[code] in out


def test_a_log_below_air_is_no_fall(tmp_path, capsys):
    log = tmp_path / "g.csv"
    log.write_text("".join(f"{t},{940 - 0.2 * t}\n" for t in range(0, 601, 5)))
    code, _, told = run(capsys, "leak", log, "--volume-l", "10")
    assert code == 2
    assert "--gauge absolute, or --gauge below" in told
    code, out, _ = run(capsys, "leak", log, "--volume-l", "10", "--gauge", "below", "--air", "1000")
    assert code == 1
    assert "fail" in out


def test_leak(tmp_path, capsys):
    log = tmp_path / "g.csv"
    log.write_text(
        "time_s,pressure_mbar_absolute\n" + "\n".join(f"{t},{20 + t * 0.01}" for t in range(0, 601, 30))
    )
    code, out, _ = run(capsys, "leak", log, "--volume-l", "10", "--json")
    told = json.loads(out)
    assert code == 0
    assert told["leak_mbar_l_s"] == pytest.approx(0.1, rel=1e-6)
    assert told["interval_mbar_l_s"][0] <= 0.1 <= told["interval_mbar_l_s"][1] + 1e-9
    assert told["verdict"] == "pass"


def test_card_is_a_pdf_with_its_figures(job, tmp_path, capsys):
    code, _, _ = run(capsys, "card", job, "-o", tmp_path / "card.pdf")
    assert code == 0
    text = "".join(page.extract_text() for page in pypdf.PdfReader(tmp_path / "card.pdf").pages)
    for words in (
        "Observatory dome petal 3",
        "Stitched triaxial 850",
        "Charge",
        "Leak test",
        "Wet through at",
        "Findings",
    ):
        assert words in text


def test_schema_is_a_schema(capsys):
    code, out, _ = run(capsys, "schema")
    assert code == 0
    jsonschema.Draft202012Validator.check_schema(json.loads(out))


@pytest.mark.parametrize(
    ("words", "told"),
    [
        (["forecast", "none.bibulon"], "cannot be read"),
        (["forecast", "{job}", "--coarse", "--at", "9999,1"], "outside the part"),
        (["forecast", "{job}", "--coarse", "--at", "9;1"], "X,Y in mm"),
        (["leak", "none.csv", "--volume-l", "4"], "cannot be read"),
        (["leak", "{log}", "--volume-l", "0", "--gauge", "absolute"], "must lie between 0.1 L and 10000 L"),
        (["leak", "{log}", "--volume-l", "4", "--school", "x"], "there is no school"),
        (["card", "{job}", "-o", "/no/such/place/card.pdf"], "No such file"),
    ],
)
def test_faults_are_one_plain_sentence_and_2(words, told, job, tmp_path, capsys):
    log = tmp_path / "g.csv"
    log.write_text("0,20\n60,21\n120,22\n")
    code, out, err = run(capsys, *[w.replace("{job}", str(job)).replace("{log}", str(log)) for w in words])
    assert code == 2
    assert out == ""
    assert told in err
    assert len(err.strip().splitlines()) == 1
    assert "Traceback" not in err


def test_an_unfinished_job_says_what_it_lacks(tmp_path, capsys):
    from bibulon.core.library.demo import blank_job

    save(blank_job(), tmp_path / "b.json")
    code, _, err = run(capsys, "forecast", tmp_path / "b.json")
    assert code == 2
    assert "resin" in err


NO_QT = """
import sys
from bibulon.cli.main import main
codes = [main(a.split()) for a in ("forecast {0} --coarse --json", "charge {0} --json", "findings {0} --coarse", "card {0} -o {1}", "schema")]
loaded = [m for m in sys.modules if m.startswith(("PySide6", "shiboken6"))]
print(codes, loaded, file=sys.stderr)
"""


def test_the_command_line_never_loads_qt(job, tmp_path):
    code = NO_QT.replace("{0}", str(job)).replace("{1}", str(tmp_path / "c.pdf"))
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert done.stderr.strip().endswith("[0, 0, 0, 0, 0] []")
