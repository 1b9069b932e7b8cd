"""Tables that come and go as text: what a spreadsheet gives, what it gets back, and stacks of plies among them."""

from __future__ import annotations

import math
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from bibulon.core.drawing.sheets.plybook import core_rows, cut_pieces, ply_rows
from bibulon.core.edit.edit import replace_layer
from bibulon.core.edit.plies import PLY_COLUMNS, layer_choices, paste_plies, read_zones, zone_words
from bibulon.core.geometry.zones import regions
from bibulon.core.library.catalogue import library
from bibulon.core.library.demo import demo_job
from bibulon.core.lines.linelist import cuts, line_rows
from bibulon.core.stack.totals import part_totals
from bibulon.core.units.pasted import PasteError, cells_of, columns_of, table_text

TWO = (("x", "length"), ("y", "length"))
cell = st.text(
    st.characters(codec="utf-8", exclude_categories=("Cc", "Cs", "Zl", "Zp", "Zs")), min_size=1, max_size=8
)


# -- any table


@settings(max_examples=20)
@given(st.lists(st.lists(cell, min_size=2, max_size=4), min_size=1, max_size=6))
def test_what_is_copied_pastes_as_it_was(rows):
    wide = max(map(len, rows))
    rows = [row + ["."] * (wide - len(row)) for row in rows]
    assert cells_of(table_text(rows[0], rows[1:])) == rows


@pytest.mark.parametrize(
    ("text", "expected"),
    [
        ("1\t2\n3\t4\n", [(0.001, 0.002), (0.003, 0.004)]),
        ("x;y\r\n1;2\r\n", [(0.001, 0.002)]),
        ("1.5, 2.5", [(0.0015, 0.0025)]),
        ("1,5 2,5", [(0.0015, 0.0025)]),
        ("x [m]\ty [m]\n1\t2", [(1.0, 2.0)]),
        ("x (in)\ty\n1\t25.4", [(0.0254, 0.0254)]),
        ("1 m\t3 ft\n\n\n2 in\t4", [(1.0, 0.9144), (0.0508, 0.004)]),
        ('"1"\t"2"', [(0.001, 0.002)]),
        ("−5\t+5", [(-0.005, 0.005)]),
        ("1e3\t1.5e-1", [(1.0, 0.00015)]),
    ],
)
def test_figures_are_read_however_a_spreadsheet_writes_them(text, expected):
    assert columns_of(text, TWO, "metric", 2) == [pytest.approx(row) for row in expected]


def test_bare_figures_are_in_the_system_that_is_shown():
    assert columns_of("10\t20", TWO, "us", 2) == [pytest.approx((0.254, 0.508))]
    assert columns_of("10\t20", TWO, "us", 2, {"x": "m"}) == [pytest.approx((10.0, 0.508))]


@pytest.mark.parametrize(
    ("text", "told"),
    [
        ("", "nothing to paste"),
        ("x\ty", "no rows below it"),
        ("1\t2\n3", "Row 2 has 1 columns, 2 are needed: x, y"),
        ("1\t2\n3\tfour", "Row 2, column y"),
        ("1 kg\t2", "Row 1, column x"),
        ("1\t2\n" * 50_001, "table of 50001 rows"),
        ("1" * 5_000_001, "5 million characters"),
    ],
)
def test_what_is_no_table_says_where(text, told):
    with pytest.raises(PasteError, match=told):
        columns_of(text, TWO, "metric", 2)


# -- plies


def test_a_stack_goes_out_and_comes_back_in_any_order():
    job = demo_job()
    rows = [
        [
            job.materials[x.material].name,
            f"{x.angle_deg:g}",
            zone_words(job, x),
            f"{x.runs_on * 1000:g} mm",
            "",
        ]
        for x in job.stack
    ]
    text = table_text(PLY_COLUMNS, rows)
    again, count = paste_plies(job, text, 0, library())
    assert count == len(job.stack)
    kept = ("material", "angle_deg", "zones", "runs_on", "outline")
    assert [[getattr(x, k) for k in kept] for x in again.stack] == [
        [getattr(x, k) for k in kept] for x in job.stack
    ]
    turned, _ = paste_plies(job, table_text(PLY_COLUMNS, rows[::-1]), 0, library())
    assert [x.material for x in turned.stack] == [x.material for x in job.stack][::-1]
    assert part_totals(turned).mass == pytest.approx(part_totals(job).mass, rel=0.02)


def test_rows_beyond_the_stack_are_laid_on_top_with_ids_of_their_own():
    job = demo_job()
    last = len(job.stack)
    new, count = paste_plies(job, "Twill 400\t45\nTwill 400\t-45°\tCored field", last - 1, library())
    assert (count, len(new.stack)) == (2, last + 1)
    assert new.stack[last - 1].id == job.stack[last - 1].id
    assert len({x.id for x in new.stack}) == last + 1
    assert [x.angle_deg for x in new.stack[-2:]] == [45.0, -45.0]
    assert new.stack[-1].zones == ("field",)


@pytest.mark.parametrize(
    ("row", "told"),
    [
        ("Twil 400\t0", "Row 1: There is no material “Twil 400”: is it “Twill 400”?"),
        ("Twill 400\tsteep", "Row 1: "),
        ("Twill 400\t0\tattic", "Row 1: There is no zone “attic” to lay cloth in: everywhere"),
        ("Twill 400\t0\teverywhere\t5 kg", "Row 1: "),
    ],
)
def test_a_ply_that_cannot_be_read_changes_nothing(row, told):
    job = demo_job()
    with pytest.raises(PasteError, match="^" + told.replace("?", r"\?")):
        paste_plies(job, row, 0, library())


def test_zones_are_read_by_name_or_id_and_told_back():
    job = demo_job()
    for k, layer in enumerate(job.stack):
        words = zone_words(job, layer)
        if words != "own outline":
            assert read_zones(job, words) == layer.zones, k
    assert read_zones(job, " Everywhere ") == read_zones(job, "") == ()
    assert read_zones(job, "FIELD; foot + field") == ("field", "foot")


def test_the_job_s_own_figures_of_a_material_come_before_the_library_s():
    job = demo_job()
    key = next(k for k, m in job.materials.items() if m.kind == "fabric")
    own = job.materials[key].replaced(areal_mass=0.777)
    mine = job.replaced(materials={**job.materials, key: own})
    found, material = layer_choices(mine, library()).by_name(own.name)
    assert (found, material.areal_mass) == (key, 0.777)
    assert not {m.kind for m in layer_choices(mine, library()).materials.values()} & {"resin", "mesh"}


# -- lists for the floor


def test_the_ply_book_s_areas_are_those_that_are_weighed():
    job = demo_job()
    materials: dict[str, Any] = dict(job.materials)
    pieces = {p.number: p for p in cut_pieces(job)}
    whole = regions(job.part).whole.area
    fabric = [p for p in pieces.values() if p.kind == "fabric"]
    weighed = sum(p.area * materials[p.layer.material].areal_mass for p in fabric)
    assert weighed == pytest.approx(part_totals(job).fibre, rel=1e-6)
    for p in pieces.values():
        wide, high = p.size
        assert 0 < p.shape.area <= min(wide * high + 1e-9, whole * 1.2)
    heads, *rows = ply_rows(job)
    at = next(k for k, head in enumerate(heads) if head.startswith("area"))
    told = {int(row[0]): float(row[at]) for row in rows}
    assert told == {n: pytest.approx(p.area, abs=1e-4) for n, p in pieces.items()}


def test_the_ply_book_in_us_units_is_the_same_cloth():
    metric, us = ply_rows(demo_job()), ply_rows(demo_job(), "us")
    at = next(k for k, head in enumerate(metric[0]) if head.startswith("area"))
    assert us[0][at] != metric[0][at]
    for a, b in zip(metric[1:], us[1:], strict=True):
        assert float(b[at]) == pytest.approx(float(a[at]) / 0.3048**2, rel=2e-3)  # ft²


def test_a_ply_that_runs_on_is_cut_larger_by_its_rim():
    job = demo_job()
    k = next(k for k, x in enumerate(job.stack) if x.zones and x.outline is None)
    before = cut_pieces(job)[k]
    after = cut_pieces(replace_layer(job, k, runs_on=job.stack[k].runs_on + 0.01))[k]
    grown = after.shape.area - before.shape.area
    assert 0 < grown < 0.0101 * before.shape.length + math.pi * 0.01**2


def test_cores_and_lines_have_a_row_each():
    job = demo_job()
    cores = [x for x in job.stack if job.materials[x.material].kind == "core"]
    assert len(core_rows(job)) - 1 == len(cores)
    rows = line_rows(job)
    assert len(rows) == 1 + len(cuts(job)) + 1  # headings above, all together below
    text = " ".join(" ".join(row) for row in rows)
    assert all(line.label in text for line in job.lines)
