import pytest

from bibulon.store.imports.gaugelog import GaugeUnclear, LogError, parse_log, read_log


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
    readings = parse_log(text, gauge="absolute")
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
        parse_log(text, "gauge.csv", "absolute")


def test_files(tmp_path):
    with pytest.raises(LogError, match="cannot be read"):
        read_log(tmp_path / "none.csv")
    (tmp_path / "b.csv").write_bytes(b"\xff\xfe\x00\x01")
    with pytest.raises(LogError, match="not a text file"):
        read_log(tmp_path / "b.csv")


LOG = "0,940\n60,930\n120,920\n"


@pytest.mark.parametrize(
    ("heading", "first"),
    [
        ("time,mbar below atmosphere\n", 7325.0), ("time_s,vacuum_mbar\n", 7325.0), ("t,gauge mbar\n", 7325.0),
        ("time,pressure mbar abs\n", 94000.0), ("time_s,pressure_mbar_absolute\n", 94000.0), ("t,rel. mbar\n", 7325.0),
    ],
)  # fmt: skip
def test_the_words_of_a_heading_say_how_the_gauge_reads(heading, first):
    assert parse_log(heading + LOG)[0].pressure == pytest.approx(first)


def test_what_is_said_outright_and_a_minus_decide_too():
    assert parse_log(LOG, gauge="below", air=100_000.0)[0].pressure == pytest.approx(6000)
    assert parse_log("0,-0.94 bar\n60,-0.93 bar\n")[0].pressure == pytest.approx(7325)
    assert parse_log("t,kPa below\n0,98\n60,97\n")[1].pressure == pytest.approx(4325)


def test_a_log_that_does_not_say_is_asked_about():
    with pytest.raises(GaugeUnclear, match="absolute, or below"):
        parse_log("time,pressure mbar\n" + LOG)


def test_a_reading_deeper_than_the_air_is_told_by_its_line():
    with pytest.raises(LogError, match="line 2: a reading below what air there is"):
        parse_log("0,940\n60,1100\n", gauge="below")
