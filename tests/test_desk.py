"""What a desktop is told of the program: files that agree with each other, and small pictures of jobs."""

from __future__ import annotations

import configparser
import tomllib
import xml.etree.ElementTree as ET
from pathlib import Path

import pytest
from PySide6.QtGui import QColor, QImage

from bibulon.cli.main import main
from bibulon.core.drawing.kit.tokens import DAY
from bibulon.core.library.demo import demo_job
from bibulon.store.jobfile import save

ROOT = Path(__file__).resolve().parents[1]
PACKAGING = ROOT / "packaging"


def entry(name, section):
    parser = configparser.ConfigParser(interpolation=None)
    parser.optionxform = str
    parser.read(PACKAGING / name)
    return parser[section]


def test_desktop_mime_metainfo_and_thumbnailer_agree():
    mime = ET.parse(PACKAGING / "bibulon-mime.xml").getroot()[0].attrib["type"]
    desktop = entry("bibulon.desktop", "Desktop Entry")
    thumb = entry("bibulon.thumbnailer", "Thumbnailer Entry")
    told = ET.parse(PACKAGING / "org.bibulon.Bibulon.metainfo.xml").getroot()
    assert (
        desktop["MimeType"].rstrip(";")
        == thumb["MimeType"].rstrip(";")
        == told.findtext("provides/mediatype")
        == mime
    )
    assert told.findtext("launchable") == "bibulon.desktop"
    assert set(desktop["Categories"].rstrip(";").split(";")) == {
        c.text for c in told.findall("categories/category")
    }
    project = tomllib.loads((ROOT / "pyproject.toml").read_text())
    assert told.find("releases/release").attrib["version"] == project["project"]["version"]
    assert told.findtext("project_license") == project["project"]["license"]
    shipped = {Path(p).name for p in project["tool"]["hatch"]["build"]["targets"]["wheel"]["shared-data"]}
    assert {
        p.name for p in PACKAGING.iterdir() if p.suffix in {".desktop", ".xml", ".thumbnailer"}
    } <= shipped


def test_a_thumbnail_is_the_plan(tmp_path, capsys):
    save(demo_job(), tmp_path / "petal.bibulon")
    assert (
        main(["thumbnail", str(tmp_path / "petal.bibulon"), "-o", str(tmp_path / "t.png"), "--size", "128"])
        == 0
    )
    image = QImage(str(tmp_path / "t.png"))
    assert (image.width(), image.height()) == (128, 128)
    assert image.pixelColor(64, 64) == QColor(DAY.cloth)
    assert image.pixelColor(64, 4) == QColor(DAY.ground)  # the petal is longer than wide


@pytest.mark.parametrize("words", [["--size", "9"], ["--size", "9999"]])
def test_a_thumbnail_of_no_size_is_refused(tmp_path, capsys, words):
    save(demo_job(), tmp_path / "petal.bibulon")
    assert main(["thumbnail", str(tmp_path / "petal.bibulon"), "-o", str(tmp_path / "t.png"), *words]) == 2
    assert "16 to 2048 px" in capsys.readouterr().err
    (tmp_path / "bad.bibulon").write_text("no job")
    assert main(["thumbnail", str(tmp_path / "bad.bibulon"), "-o", str(tmp_path / "t.png")]) != 0
    assert not (tmp_path / "t.png").exists()
