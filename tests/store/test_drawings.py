"""Outlines out of and into DXF and SVG: arcs kept, gaps healed, damage told."""

from __future__ import annotations

import math
import random

import ezdxf
import numpy as np
import pytest

from bibulon.core.edit.edit import change
from bibulon.core.geometry import outline as geometry
from bibulon.core.geometry.starters import STARTERS
from bibulon.core.library.demo import demo_job
from bibulon.core.model.job import Corner
from bibulon.core.units.figures import worded
from bibulon.store.exports.drawing_out import write_dxf, write_svg
from bibulon.store.imports.drawing_in import DrawingError, assemble, read_drawing


def same_outline(a, b, within=2e-6):
    """Whether two outlines are the same ring of corners and bows, wherever they begin and lie."""
    if len(a) != len(b):
        return False
    p, q = (np.array([(c.x, c.y, c.bow) for c in o]) for o in (a, b))
    p[:, :2] -= p[:, :2].min(axis=0)
    q[:, :2] -= q[:, :2].min(axis=0)
    return any(np.abs(p - np.roll(q, k, axis=0)).max() < within for k in range(len(q)))


@pytest.mark.parametrize("write", [write_dxf, write_svg])
@pytest.mark.parametrize("kind", ["panel", "ring", "gore", "tray"])
def test_a_round_trip_keeps_arcs(tmp_path, write, kind):
    sizes = dict(STARTERS[kind].sizes)
    if kind == "panel":
        sizes["corner_radius"] = 0.12
    outline, holes = STARTERS[kind].make(**sizes)
    job = demo_job()
    part = job.part.replaced(outline=outline, holes=holes, zones=())
    stack = tuple(x.replaced(zones=(), runs_on=0.0, seams=()) for x in job.stack)
    job = change(job, part=part, stack=stack, mesh=None, lines=())
    path = tmp_path / ("out.dxf" if write is write_dxf else "out.svg")
    write(job, path)
    drawing = read_drawing(path)
    assert drawing.unit == "mm"
    taken = assemble(drawing, [x for x in drawing.layers if x in {"OUTLINE", "HOLES"}], "mm", 1e-4)
    assert same_outline(taken.outline, outline)
    assert len(taken.holes) == len(holes)
    assert geometry.area(taken.outline) == pytest.approx(geometry.area(outline), rel=1e-6)
    assert taken.gaps == ()


def drawing_of(tmp_path, add, units=4):
    document = ezdxf.new()
    document.header["$INSUNITS"] = units
    add(document.modelspace())
    path = tmp_path / "part.dxf"
    document.saveas(path)
    return read_drawing(path)


def test_lines_and_arcs_in_any_order_join_into_a_ring(tmp_path):
    def add(space):
        space.add_line((100, 0), (0, 0))
        space.add_arc((100, 50), 50, -90, 90)
        space.add_line((0, 0.05), (0, 100))
        space.add_line((100, 100), (0, 100.08))

    taken = assemble(drawing_of(tmp_path, add), ["0"], "mm", 1e-3)
    # A square of 100 mm and half a disc of radius 50 mm.
    assert geometry.area(taken.outline) == pytest.approx(0.01 + math.pi * 0.05**2 / 2, rel=1e-3)
    assert len(taken.gaps) == 2
    assert "2 gaps closed, the widest 0.08 mm" in worded(" ".join(taken.notes))
    assert "the widest 0.0031 in" in worded(" ".join(taken.notes), "us")


def test_a_gap_wider_than_the_tolerance_is_told_with_its_place(tmp_path):
    def add(space):
        space.add_line((0, 0), (100, 0))
        space.add_line((100, 0), (100, 100))
        space.add_line((100, 100), (3, 0))

    with pytest.raises(DrawingError, match=r"No ring closes.*3\.0 mm from where it began"):
        assemble(drawing_of(tmp_path, add), ["0"], "mm", 1e-3)


def test_units_are_asked_for_when_the_file_states_none(tmp_path):
    drawing = drawing_of(tmp_path, lambda s: s.add_circle((0, 0), 10), units=0)
    assert drawing.unit is None
    taken = assemble(drawing, ["0"], "in", 1e-4)
    assert geometry.area(taken.outline) == pytest.approx(math.pi * 0.254**2, rel=1e-9)


def test_large_arcs_ellipses_and_blocks_are_read(tmp_path):
    document = ezdxf.new()
    document.header["$INSUNITS"] = 4
    block = document.blocks.new("HOLE")
    block.add_circle((0, 0), 20)
    space = document.modelspace()
    space.add_arc((0, 0), 100, 30, 330)
    a = math.radians(30)
    space.add_line((100 * math.cos(a), -100 * math.sin(a)), (100 * math.cos(a), 100 * math.sin(a)))
    space.add_blockref("HOLE", (-30, 0))
    space.add_text("not a line")
    path = tmp_path / "c.dxf"
    document.saveas(path)
    drawing = read_drawing(path)
    taken = assemble(drawing, drawing.layers, "mm", 1e-4)
    theta = math.radians(300)
    assert geometry.area(taken.outline) == pytest.approx(0.1**2 / 2 * (theta - math.sin(theta)), rel=1e-6)
    assert geometry.area(taken.holes[0]) == pytest.approx(math.pi * 0.02**2, rel=1e-6)
    assert drawing.passed == {"TEXT": 1}


def test_layers_are_chosen(tmp_path):
    def add(space):
        space.add_lwpolyline([(0, 0), (50, 0), (50, 50)], close=True, dxfattribs={"layer": "SMALL"})
        space.add_lwpolyline([(0, 0), (500, 0), (500, 500)], close=True, dxfattribs={"layer": "LARGE"})

    drawing = drawing_of(tmp_path, add)
    assert drawing.layers == ("SMALL", "LARGE")
    assert geometry.area(assemble(drawing, ["SMALL"], "mm", 1e-4).outline) == pytest.approx(1.25e-3)
    with pytest.raises(DrawingError, match="No layer is chosen"):
        assemble(drawing, [], "mm", 1e-4)


def test_svg_curves_transforms_and_units(tmp_path):
    path = tmp_path / "p.svg"
    path.write_text(
        '<svg xmlns="http://www.w3.org/2000/svg" width="200mm" height="100mm" viewBox="0 0 400 200">'
        '<g id="skin" transform="translate(10,10)"><rect x="0" y="0" width="200" height="100"/>'
        '<circle cx="100" cy="50" r="20"/></g><text x="3" y="3">no line</text></svg>'
    )
    drawing = read_drawing(path)
    assert drawing.unit == "mm"
    assert drawing.layers == ("skin",)
    taken = assemble(drawing, ["skin"], "mm", 1e-4)
    assert geometry.area(taken.outline) == pytest.approx(0.1 * 0.05, rel=1e-6)
    assert geometry.area(taken.holes[0]) == pytest.approx(math.pi * 0.01**2, rel=1e-6)


def test_a_crossed_ring_is_refused_with_its_place(tmp_path):
    drawing = drawing_of(
        tmp_path, lambda s: s.add_lwpolyline([(0, 0), (100, 100), (100, 0), (0, 100)], close=True)
    )
    with pytest.raises(DrawingError, match="crosses itself near x 50 mm, y 50 mm"):
        assemble(drawing, ["0"], "mm", 1e-4)


@pytest.mark.parametrize(
    ("name", "content", "told"),
    [
        ("a.dxf", b"", "a.dxf"),
        ("a.dxf", b"this is a shopping list", "damaged"),
        ("a.svg", b"<html></html>", "no SVG"),
        ("a.svg", b"<svg xmlns='http://www.w3.org/2000/svg'></svg>", "no lines"),
        ("a.svg", b"<svg xmlns='http://www.w3.org/2000/svg'><path d='M 0 0 L", "damaged"),
        ("a.svg", b"\xff\xfe\x00", "damaged"),
        ("a.pdf", b"%PDF", "no drawing that is read here: DXF, SVG"),
    ],
)
def test_what_is_no_drawing_is_told(tmp_path, name, content, told):
    path = tmp_path / name
    path.write_bytes(content)
    with pytest.raises(DrawingError, match=told):
        read_drawing(path)
    with pytest.raises(DrawingError, match="cannot be read"):
        read_drawing(tmp_path / f"gone{path.suffix}" if path.suffix != ".pdf" else tmp_path / "gone.dxf")


def _damaged(data: bytes, rng: random.Random) -> bytes:
    """Return a file cut off, with bytes swapped, lines lost, doubled, or numbers made absurd."""
    kind = rng.randrange(5)
    if kind == 0:
        return data[: rng.randrange(len(data))]
    if kind == 1:
        out = bytearray(data)
        for _ in range(rng.randrange(1, 40)):
            out[rng.randrange(len(out))] = rng.randrange(256)
        return bytes(out)
    lines = data.split(b"\n")
    k = rng.randrange(len(lines))
    if kind == 2:
        del lines[k : k + rng.randrange(1, 9)]
    elif kind == 3:
        lines[k:k] = lines[max(k - 5, 0) : k]
    else:
        lines[k] = rng.choice([b"nan", b"1e999", b"-1", b"", b"\x00\x00", b"999999999999"])
    return b"\n".join(lines)


@pytest.mark.parametrize("write", [write_dxf, write_svg])
def test_a_hundred_damaged_drawings_give_an_outline_or_a_message(tmp_path, write):
    path = tmp_path / ("good.dxf" if write is write_dxf else "good.svg")
    write(demo_job(), path)
    data, rng = path.read_bytes(), random.Random(5)
    told = []
    for k in range(100):
        bad = tmp_path / f"bad{k}{path.suffix}"
        bad.write_bytes(_damaged(data, rng))
        try:
            drawing = read_drawing(bad)
            taken = assemble(drawing, drawing.layers, drawing.unit or "mm", 1e-3)
            assert all(isinstance(c, Corner) for c in taken.outline)
        except DrawingError as error:
            told.append(str(error))
    assert len(told) >= 10
    assert all(10 < len(t) < 400 and "Traceback" not in t for t in told)
