"""Libraries as JSON and CSV, and materials edited figure by figure."""

from __future__ import annotations

import pytest

from bibulon.core.library.catalogue import library
from bibulon.core.library.properties import PROPERTIES, about, set_about, set_text, text_of
from bibulon.core.model.materials import About
from bibulon.store.library import LibraryError, read_library, read_materials, write_materials


@pytest.mark.parametrize("name", ["shelf.json", "shelf.csv"])
def test_the_whole_library_comes_back_as_it_went(tmp_path, name):
    shelf = library()
    write_materials(shelf, tmp_path / name)
    assert read_materials(tmp_path / name) == shelf


def test_a_csv_typed_by_hand_is_read(tmp_path):
    path = tmp_path / "own.csv"
    path.write_text(
        "name,kind,areal_mass kg/m2,k1 m2,k2 m2,k3 m2,form\nHemp weave,fabric,0.35,1e-10,9e-11,3e-12,weave\n"
    )
    (key, hemp), *_ = read_materials(path).items()
    assert key == "Hemp-weave"
    assert hemp.areal_mass == 0.35
    assert hemp.form == "weave"
    assert hemp.vf_ref == 0.5


@pytest.mark.parametrize(
    ("name", "text", "told"),
    [
        ("a.json", "{", "line 1, column 2"),
        ("a.json", "[]", "holds no materials"),
        ("a.json", '{"x": {"kind": "fabric", "name": "x"}}', "Material “x”: areal_mass"),
        ("a.json", '{"x": {"kind": "felt", "name": "x"}}', "Material “x”"),
        ("a.csv", "name,kind\n", "holds no rows"),
        ("a.csv", "name,kind\nfoo,\n", "Row 2 of a.csv lacks a name or a kind"),
        ("a.csv", "name,kind\nfoo,felt\n", "Row 2: “felt” is no kind"),
        ("a.csv", "name,kind,k1\nfoo,fabric,wet\n", "Row 2, column k1: “wet” cannot be read"),
        ("a.csv", "name,kind,thickness,density\nfoo,core,0.01,-3\n", "Material “foo”: density"),
        ("a.csv", "name,kind,directions\nfoo,fabric,north\n", "Row 2, column directions"),
    ],
)
def test_a_library_that_cannot_be_read_is_told(tmp_path, name, text, told):
    (tmp_path / name).write_text(text)
    with pytest.raises(LibraryError, match=told):
        read_materials(tmp_path / name)


def test_a_missing_file_and_a_wrong_ending_are_told(tmp_path):
    with pytest.raises(LibraryError, match="cannot be read"):
        read_library(tmp_path / "gone.json")
    with pytest.raises(ValueError, match=r"\.json or \.csv"):
        write_materials(library(), tmp_path / "shelf.xls")


@pytest.mark.parametrize("system", ["metric", "us"])
def test_every_figure_reads_back_as_it_is_shown(system):
    for material in library().values():
        for prop in PROPERTIES[material.kind]:
            text = text_of(material, prop, system)
            again = set_text(material, prop, text, system)
            assert text_of(again, prop, system) == text


def of(kind, path):
    return next(p for p in PROPERTIES[kind] if p.path == path)


def test_a_figure_is_typed_in_any_unit_and_wrong_ones_are_told():
    biax = library()["biax-600"]
    assert set_text(biax, of("fabric", "areal_mass"), "18 oz/yd2").areal_mass == pytest.approx(
        0.6103, rel=1e-3
    )
    turned = set_text(biax, of("fabric", "directions"), "0: 60 %, 90: 40 %")
    assert [(d.angle_deg, d.share) for d in turned.directions] == [(0, 0.6), (90, 0.4)]
    for path, text, told in (
        ("areal_mass", "heavy", "is not a areal mass|is not a"),
        ("areal_mass", "-1 g/m2", "Areal mass: must be more than 0 g/m², not −1 g/m²"),
        ("directions", "0: 60 %, 90: 60 %", "add up to 120 %"),
        ("directions", "up", "reads like"),
        ("form", "felt", "Form is one of"),
    ):
        with pytest.raises(ValueError, match=told):
            set_text(biax, of("fabric", path), text)


def test_grooves_come_and_go_with_their_figures():
    plain = library()["foam-10-plain"]
    grooved = set_text(plain, of("core", "grooves.width"), "2 mm")
    assert grooved.grooves.width == 0.002
    assert set_text(grooved, of("core", "grooves.depth"), "").grooves is None
    with pytest.raises(ValueError, match="the grooves are deeper than the core"):
        set_text(grooved, of("core", "grooves.depth"), "30 mm")


def test_a_figure_tells_where_it_comes_from():
    biax = library()["biax-600"]
    prop = of("fabric", "k1")
    told = set_about(
        biax, prop, About(source="strip of 24.11.", confidence="measured", low=8e-11, high=1e-10)
    )
    assert about(told, prop).confidence == "measured"
    assert about(told, of("fabric", "roll_width")).source == biax.source
