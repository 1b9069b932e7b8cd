"""What is printed at full size is full size: measured back from the files."""

from __future__ import annotations

import re

import ezdxf
import numpy as np
import pypdf
import pytest
from shapely.geometry import Polygon, box

from bibulon.core.bag.bag import bag_of
from bibulon.core.bag.cutplan import pieces_of
from bibulon.core.bag.nesting import Piece
from bibulon.core.library.demo import demo_job
from bibulon.store.exports.templates import write_templates
from bibulon.store.exports.walkstrip import write_walk

POINT = 25.4 / 72  # mm


def marks(page):
    """Upright and level strokes of a page: (x0, y0, x1, y1) [mm], through the page's own transformations."""
    text = page.get_contents().get_data().decode("latin-1")
    matrix, stack, last, found = np.eye(3), [], None, []
    numbers: list[float] = []
    for token in re.findall(r"[^\s]+", text):
        if re.fullmatch(r"-?\d*\.?\d+", token):
            numbers.append(float(token))
            continue
        if token == "q":
            stack.append(matrix.copy())
        elif token == "Q":
            matrix = stack.pop()
        elif token == "cm":
            a, b, c, d, e, f = numbers[-6:]
            matrix = np.array([[a, b, 0], [c, d, 0], [e, f, 1]]) @ matrix
        elif token in ("m", "l"):
            at = (np.array([*numbers[-2:], 1.0]) @ matrix)[:2] * POINT
            if token == "l" and last is not None:
                found.append((*last, *at))
            last = at
        numbers = []
    return np.array(found)


def test_the_walk_is_a_metre_to_a_metre(tmp_path):
    bag = bag_of(demo_job())
    sheets = write_walk("petal", bag, tmp_path / "walk.pdf")
    reader = pypdf.PdfReader(tmp_path / "walk.pdf")
    assert len(reader.pages) == sheets == -(-int(np.ceil(bag.walk.length / 0.25)) // 3)
    strokes = marks(reader.pages[0])
    level = strokes[np.abs(strokes[:, 1] - strokes[:, 3]) < 1e-3]
    lengths = np.abs(level[:, 2] - level[:, 0])
    assert np.abs(lengths - 100.0).min() < 0.2  # the bar to measure
    assert (np.abs(lengths - 250.0) < 0.2).sum() >= 3  # the tape of each strip
    # Register marks stand at both ends of a strip, 250 mm apart, and ticks every 10 mm between.
    upright = strokes[np.abs(strokes[:, 0] - strokes[:, 2]) < 1e-3]
    at = np.unique(np.round(upright[:, 0], 2))
    assert np.abs((at[:, None] - at[None, :]) - 250.0).min() < 0.2
    ticks = at[(at >= at.min()) & (at <= at.min() + 250.5)]
    gaps = np.diff(ticks)
    assert np.abs(gaps[gaps > 5] - 10.0).max() < 0.2


def test_words_of_the_walk_stand_on_the_sheets(tmp_path):
    job = demo_job()
    bag = bag_of(job)
    write_walk(job.name, bag, tmp_path / "walk.pdf")
    text = "".join(p.extract_text() for p in pypdf.PdfReader(tmp_path / "walk.pdf").pages)
    for words in ("F1 through", "closing pleat", "strip 1, from 0.00 m", "print without scaling"):
        assert words in text
    assert text.count("pleat 100 mm") == sum(abs(p.size - 0.1) < 1e-9 for p in bag.pleats if not p.closing)


def test_templates_keep_their_size_in_every_form(tmp_path):
    pieces = pieces_of(demo_job(), None)
    write_templates(pieces, tmp_path / "t.dxf", "petal")
    lines = ezdxf.readfile(tmp_path / "t.dxf").modelspace().query("LWPOLYLINE")
    drawn = [Polygon([p[:2] for p in line.get_points()]) for line in lines]
    assert [round(d.area / 1e6, 6) for d in drawn] == [round(p.shape.area, 6) for p in pieces]
    assert all(not a.intersects(b) for k, a in enumerate(drawn) for b in drawn[:k])
    write_templates(pieces, tmp_path / "t.svg", "petal")
    text = (tmp_path / "t.svg").read_text()
    rings = [
        Polygon([tuple(map(float, pair.split(","))) for pair in ring.split()])
        for ring in re.findall(r'd="M([^"]+)Z"', text)
    ]
    assert [round(r.area / 1e6, 5) for r in rings] == [round(p.shape.area, 5) for p in pieces]
    assert re.search(r'width="[\d.]+mm"', text)


def test_a_template_on_paper_measures_what_it_is(tmp_path):
    piece = Piece("p", "plate", "m", box(0, 0, 0.150, 0.240))
    write_templates([piece], tmp_path / "t.pdf", "plate")
    reader = pypdf.PdfReader(tmp_path / "t.pdf")
    assert len(reader.pages) == 1
    strokes = marks(reader.pages[0])
    lengths = np.hypot(strokes[:, 2] - strokes[:, 0], strokes[:, 3] - strokes[:, 1])
    assert np.abs(lengths - 150.0).min() < 0.2
    assert np.abs(lengths - 240.0).min() < 0.2
    large = Piece("q", "large", "m", box(0, 0, 0.5, 0.6))
    write_templates([large], tmp_path / "u.pdf", "large")
    assert len(pypdf.PdfReader(tmp_path / "u.pdf").pages) == 3 * 3 - 1  # the middle sheet cuts nothing


@pytest.mark.parametrize("name", ["t.txt", "t"])
def test_an_unknown_form_is_refused_in_words(tmp_path, name):
    with pytest.raises(ValueError, match=r"\.pdf, \.dxf or \.svg"):
        write_templates(pieces_of(demo_job(), None), tmp_path / name, "petal")
    with pytest.raises(ValueError, match="no piece"):
        write_templates([], tmp_path / "t.pdf", "petal")
