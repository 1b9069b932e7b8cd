import pytest

from bibulon.store.imports.gaugelog import LogError, parse_log, read_log


@pytest.mark.parametrize(
    "text",
    [
        "time_s,pressure_mbar\n0,20\n60,21\n120,22\n",
        "0,20\n60,21\n120,22\n",
        "t (min);p (kPa)\n0;2.0\n1;2.1\n2;2.2\n",
        "time\tmbar\n0:00\t20\n1:00\t21\n2:00\t22\n",
        "\ufefftime,pressure\n0,20 mbar\n60,2.1 kPa\n\n120,22\n".replace("\ufeff", ""),
    ],
)
def test_ways_to_write_a_log(text):
    readings = parse_log(text)
    assert [r.time for r in readings] == [0, 60, 120]
    assert [round(r.pressure) for r in readings] == [2000, 2100, 2200]


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("", "empty"), ("time,pressure\n0,20\n60,\n", "line 3: there is a time but no pressure"),
        ("0,20\n60,abc\n", "line 2"), ("0,20\n60,21\n30,22\n", "line 3: its time does not come after"),
        ("0,20\n60,-4\n", "line 2: a reading below zero"), ("hello\n", "two columns"), ("0,20\n60,nan\n", "line 2"),
        ("0,20\n60,21 kg\n", "not a unit of pressure"),
    ],
)  # fmt: skip
def test_faults_name_their_line(text, words):
    with pytest.raises(LogError, match=words):
        parse_log(text, "gauge.csv")


def test_files(tmp_path):
    with pytest.raises(LogError, match="cannot be read"):
        read_log(tmp_path / "none.csv")
    (tmp_path / "b.csv").write_bytes(b"\xff\xfe\x00\x01")
    with pytest.raises(LogError, match="not a text file"):
        read_log(tmp_path / "b.csv")
