"""Files from elsewhere that once hung the program for minutes, swell, or hold one bad thing among good ones."""

from __future__ import annotations

import math
import os

import ezdxf
import numpy as np
import pytest

from bibulon.core.geometry import outline as geometry
from bibulon.core.units.figures import worded
from bibulon.store.imports import apart
from bibulon.store.imports.apart import Ended, ReadError, read_apart
from bibulon.store.imports.drawing_in import DrawingError, assemble, read_drawing
from bibulon.store.imports.gaugelog import LogError, parse_log
from bibulon.store.imports.mesh_in import read_mesh, take_mesh


def drawn(tmp_path, act, name="a.dxf"):
    document = ezdxf.new("R2010")
    act(document.modelspace(), document)
    document.saveas(tmp_path / name)
    return tmp_path / name


def test_a_spline_of_fit_points_alone_is_a_curve(tmp_path):
    ring = [(100 * math.cos(a), 60 * math.sin(a)) for a in np.linspace(0, 2 * math.pi, 25)]
    drawing = read_drawing(drawn(tmp_path, lambda s, _: s.add_spline(ring)))
    assert 50 < len(drawing.chains[0].corners) < 20_000
    taken = assemble(drawing, ["0"], "mm", 1e-3)
    assert geometry.area(taken.outline) == pytest.approx(math.pi * 0.1 * 0.06, rel=5e-3)


def test_a_spline_without_size_is_passed_over(tmp_path):
    def act(space, _):
        space.add_spline([(5, 5), (5, 5), (5, 5), (5, 5)])
        space.add_lwpolyline([(0, 0), (100, 0), (100, 50)], close=True)

    drawing = read_drawing(drawn(tmp_path, act))
    assert drawing.passed == {"SPLINE without size": 1}
    assert len(drawing.chains) == 1


def test_thousands_of_loose_lines_are_joined_at_once(tmp_path):
    def act(space, _):
        n = 4000
        corners = [
            (1000 * math.cos(2 * math.pi * k / n), 1000 * math.sin(2 * math.pi * k / n)) for k in range(n)
        ]
        order = np.random.default_rng(3).permutation(n)
        for k in order:
            a, b = corners[k], corners[(k + 1) % n]
            space.add_line(*((a, b) if k % 2 else (b, a)))
        for k in range(2000):
            space.add_line((3000 + 7 * k, 0), (3000 + 7 * k, 5))

    drawing = read_drawing(drawn(tmp_path, act))
    taken = assemble(drawing, ["0"], "mm", 1e-3)
    assert geometry.area(taken.outline) == pytest.approx(math.pi, rel=1e-4)
    assert "2000 open lines left out." in taken.notes


def test_blocks_within_blocks_come_to_an_end(tmp_path):
    def act(space, document):
        inner = document.blocks.new("B0")
        inner.add_line((0, 0), (1, 1))
        for k in range(1, 5):
            block = document.blocks.new(f"B{k}")
            for j in range(30):
                block.add_blockref(f"B{k - 1}", (j, k))
        space.add_blockref("B4", (0, 0))

    with pytest.raises(DrawingError, match="holds more than"):
        read_drawing(drawn(tmp_path, act))


def test_one_bad_ring_is_passed_over_with_its_place_and_the_rest_is_taken(tmp_path):
    def act(space, _):
        space.add_lwpolyline([(0, 0), (1000, 0), (1000, 500), (0, 500)], close=True)
        space.add_lwpolyline([(100, 100), (200, 200)], close=True)
        space.add_lwpolyline([(300, 100), (400, 200), (400, 100), (300, 200)], close=True)
        space.add_circle((600, 250), 50)

    taken = assemble(read_drawing(drawn(tmp_path, act)), ["0"], "mm", 1e-4)
    assert geometry.area(taken.outline) == pytest.approx(0.5)
    assert len(taken.holes) == 1
    assert taken.notes[0].startswith("2 rings passed over: A ring has fewer than three corners.")
    assert "x 100 mm, y 100 mm" in worded(taken.notes[0])


def test_a_survey_far_from_its_origin_is_brought_home_and_one_too_wide_is_refused(tmp_path):
    def far(space, _):
        x, y = 3_456_789_000.0, 5_678_901_000.0
        space.add_lwpolyline([(x, y), (x + 2000, y), (x + 2000, y + 1000), (x, y + 1000)], close=True)

    taken = assemble(read_drawing(drawn(tmp_path, far)), ["0"], "mm", 1e-3)
    assert geometry.area(taken.outline) == pytest.approx(2.0, rel=1e-6)
    assert min(c.x for c in taken.outline) == pytest.approx(0, abs=1e-9)
    wide = drawn(tmp_path, lambda s, _: s.add_lwpolyline([(0, 0), (5e7, 0), (5e7, 9)], close=True), "w.dxf")
    with pytest.raises(DrawingError, match="50 km apart"):
        assemble(read_drawing(wide), ["0"], "mm", 1e-3)


@pytest.mark.parametrize("kind", ["faces", "polyface", "grid", "mesh"])
def test_a_dxf_of_faces_is_a_mould_surface(tmp_path, kind):
    def act(space, document):
        document.units = 4
        corners = [[(500 * i, 250 * j, 40 * i * (2 - i)) for j in range(3)] for i in range(3)]
        quads = [
            [corners[i][j], corners[i + 1][j], corners[i + 1][j + 1], corners[i][j + 1]]
            for i in range(2)
            for j in range(2)
        ]
        match kind:
            case "faces":
                for quad in quads:
                    space.add_3dface(quad)
            case "polyface":
                space.add_polyface().append_faces(quads)
            case "grid":
                grid = space.add_polymesh((3, 3))
                for i in range(3):
                    for j in range(3):
                        grid.set_mesh_vertex((i, j), corners[i][j])
            case "mesh":
                with space.add_mesh().edit_data() as data:
                    data.vertices = [c for r in corners for c in r]
                    data.faces = [
                        [3 * i + j, 3 * i + 3 + j, 3 * i + 4 + j, 3 * i + 1 + j]
                        for i in range(2)
                        for j in range(2)
                    ]

    path = drawn(tmp_path, act)
    drawing = read_drawing(path)
    assert not drawing.chains
    assert drawing.faces == 4
    raw = read_mesh(path)
    assert raw.unit == "mm"
    assert (len(raw.points), len(raw.triangles)) == (9, 8)
    surface, outline, holes = take_mesh(raw, "mm", "z up", unrolled=False)
    assert geometry.area(outline) == pytest.approx(0.5, rel=1e-6)
    assert holes == ()
    assert len(surface.triangles) == 8


# -- apart


def test_what_is_read_apart_is_what_is_read_here(tmp_path):
    path = drawn(tmp_path, lambda s, _: s.add_circle((0, 0), 50))
    assert read_apart("drawing", path) == read_drawing(path)


@pytest.mark.parametrize(
    ("reader", "name", "content", "words"),
    [
        ("drawing", "a.svg", b"<svg", "damaged"),
        ("mesh", "a.stl", b"solid nothing", "damaged|no triangles"),
        ("drawing", "none.dxf", None, "cannot be read"),
    ],
)
def test_a_refusal_comes_back_as_one_sentence(tmp_path, reader, name, content, words):
    if content is not None:
        (tmp_path / name).write_bytes(content)
    with pytest.raises(ReadError, match=words) as told:
        read_apart(reader, tmp_path / name)
    assert "\n" not in str(told.value)


def test_a_reader_that_hangs_is_ended_by_time_and_by_hand(tmp_path):
    pipe = tmp_path / "a.dxf"
    os.mkfifo(pipe)  # nobody ever writes to it: reading it waits for good
    with pytest.raises(ReadError, match="takes longer than 1 s"):
        read_apart("drawing", pipe, longest=1.0)
    with pytest.raises(Ended):
        read_apart("drawing", pipe, ended=lambda: True)


def test_a_reader_that_takes_all_memory_or_dies_takes_nothing_with_it(tmp_path, monkeypatch):
    path = drawn(tmp_path, lambda s, _: s.add_circle((0, 0), 50))
    monkeypatch.setattr(apart.sys, "executable", "/bin/false")
    with pytest.raises(ReadError, match="needs more memory"):
        read_apart("drawing", path)


# -- gauge logs


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("time,pressure\n0," + "9" * 140_000 + "\n", "line 2: a cell is too long"),
        ("9" * 400 + ":00,20\n1:00,21\n", "two columns|line 1|line 2"),
        ("0,20\n" + "1" * 400 + ":00,21\n", "line 2"),
        ("0,20\n" * 1_000_200, "lines: 1000000 at most"),
        ("0;1,200\n60;1,300\n", "line 1: “1,200” can be read in two ways"),
    ],
)
def test_logs_that_are_none_are_refused_by_line(text, words):
    with pytest.raises(LogError, match=words) as told:
        parse_log(text, "gauge.csv", "absolute")
    assert len(str(told.value)) < 250


def test_line_ends_of_every_kind_and_decimal_commas():
    assert [r.pressure for r in parse_log("0;20,5\r60;21,5\r", gauge="absolute")] == pytest.approx(
        [2050, 2150]
    )
    assert [r.pressure for r in parse_log("0;1,200\r\n60;21,5\r\n", gauge="absolute")] == pytest.approx(
        [120, 2150]
    )
