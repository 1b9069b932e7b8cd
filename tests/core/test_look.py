"""The look as a system: contrast, pens from the tokens, one drawing for screen, SVG and paper."""

from __future__ import annotations

import itertools
import re
from pathlib import Path
from xml.etree import ElementTree

import numpy as np
import pytest
import scipy
import shapely
from msgspec.structs import replace

from bibulon.core.drawing.kit.field import Sampler
from bibulon.core.drawing.kit.look import LAYERS, Mark, PlanLook
from bibulon.core.drawing.kit.scene import TILES, Area, Clip, Item, Label, Line, Texture, View, hatch
from bibulon.core.drawing.kit.svg import svg
from bibulon.core.drawing.kit.tokens import DAY, NIGHT, PAPER, STARK, contrast
from bibulon.core.drawing.plan.fieldmap import FIELDS, draw_field, field_map, legend
from bibulon.core.drawing.plan.plan import _inside, draw_base, draw_lines, draw_resin
from bibulon.core.drawing.plan.signs import draw_grid
from bibulon.core.drawing.plan.zonefield import prepare_zones, zone_bands
from bibulon.core.drawing.section.section import cut_through, draw_cut
from bibulon.core.flow.forecast import Resolution, forecast
from bibulon.core.flow.moment import moment_of
from bibulon.core.geometry.zones import regions
from bibulon.core.run.journal import Entry, valve_spans
from bibulon.store.exports.pdf import write_pages

SOURCE = Path(__file__).resolve().parents[2] / "src/bibulon"
VIEW = View.fit((0, 0, 2.3, 1.5), 700, 400)


@pytest.fixture(scope="module")
def result(demo):
    return forecast(demo, Resolution(500, 1, 12))


@pytest.fixture(scope="module")
def drawing(demo, result):
    look = PlanLook(VIEW, DAY, time=result.end / 2, shown=frozenset(LAYERS))
    contours = Sampler(result.model.mesh, 100).contours(result.wet_through)
    marks = [
        Mark((1.0, 0.7), "front", "4:10"), Mark((1.5, 0.7), "last", "last 26:00"),
        Mark((1.8, 0.8), "pocket", "shut 20:00", 0.004), Mark((2.0, 0.7), "lit", "1"),
    ]  # fmt: skip
    return [
        *draw_grid(look, 700, 400), *draw_base(demo, look), *draw_resin(demo, look, contours),
        *draw_lines(demo, look, marks),
    ]  # fmt: skip


TEXT_ON = [
    ("ink", "ground"), ("ink", "panel"), ("ink", "raised"), ("soft", "ground"), ("soft", "panel"), ("soft", "raised"),
    ("on_accent", "accent"), ("on_feed", "feed"), ("on_vacuum", "vacuum"), ("on_resin", "resin_new"),
    ("alarm", "ground"), ("alarm", "panel"), ("alarm", "raised"), ("alarm", "alarm_ground"), ("ink", "cloth"),
    ("accent", "ground"), ("feed", "ground"), ("vacuum", "ground"), ("ink", "alarm_ground"), ("front", "ground"),
]  # fmt: skip


@pytest.mark.parametrize(("text", "ground"), TEXT_ON)
@pytest.mark.parametrize("theme", [DAY, NIGHT, PAPER, STARK], ids=lambda t: t.name)
def test_text_can_be_read(theme, text, ground):
    assert contrast(getattr(theme, text), getattr(theme, ground)) >= 4.5


@pytest.mark.parametrize("theme", [DAY, NIGHT], ids=lambda t: t.name)
def test_feed_and_vacuum_differ_in_more_than_hue(theme):
    """Told apart by shape first; by colour they are no pair of red and green."""
    red, green, blue = (
        [int(getattr(theme, c)[i : i + 2], 16) for c in ("feed", "vacuum")] for i in (1, 3, 5)
    )
    assert red[0] < red[1]
    assert green[0] > green[1]
    assert min(blue) > 60


def test_colours_stand_in_the_tokens_alone():
    found = {
        str(p.relative_to(SOURCE)): re.findall(r"#[0-9a-fA-F]{6}\b", p.read_text(encoding="utf-8"))
        for p in SOURCE.rglob("*.py")
        if p.name != "tokens.py"
    }
    assert {k: v for k, v in found.items() if v} == {}


def flat(items) -> list[Item]:
    return list(
        itertools.chain.from_iterable([i, *flat(i.items)] if isinstance(i, Clip) else [i] for i in items)
    )


@pytest.mark.parametrize("layer", sorted(set(LAYERS) - {"grid"}))
def test_a_layer_switched_off_is_gone(demo, result, layer):
    contours = Sampler(result.model.mesh, 100).contours(result.wet_through)
    marks = [Mark((2.0, 0.7), "finding", "1")]

    def count(shown):
        look = PlanLook(VIEW, DAY, time=result.end / 2, shown=frozenset(shown))
        items = [*draw_base(demo, look), *draw_resin(demo, look, contours), *draw_lines(demo, look, marks)]
        return len(flat(items))

    assert count(set(LAYERS) - {layer}) < count(LAYERS)


def test_the_svg_holds_what_the_drawing_holds(drawing):
    text = svg(drawing, 700, 400, DAY.ground, "Petal & tip")
    root = ElementTree.fromstring(text)
    space = "{http://www.w3.org/2000/svg}"
    told = [t.text for t in root.iter(f"{space}text")]
    assert told == [i.text for i in flat(drawing) if isinstance(i, Label)]
    clips = sum(isinstance(i, Clip | Texture) for i in flat(drawing))
    assert len(list(root.iter(f"{space}clipPath"))) == clips
    assert root.find(f"{space}title").text == "Petal & tip"


def test_paper_takes_the_same_shapes(drawing, tmp_path):
    from pypdf import PdfReader

    path = tmp_path / "plan.pdf"
    write_pages([drawing], (700, 400), path, "Plan")
    page = PdfReader(path).pages[0]
    assert float(page.mediabox.width) == pytest.approx(525)
    assert "F1" in page.extract_text()


@pytest.mark.parametrize("kind", list(TILES))
def test_a_texture_comes_again_after_its_tile(kind):
    """What tiles are cut from: the strokes of a field shifted by one tile are the same strokes."""
    pitch = 10.0
    across, down = (n * pitch for n in TILES[kind])

    def strokes(dx, dy):
        lines = hatch(kind, (-120.0, -120.0, 260.0, 260.0), pitch)
        on = set()
        for line in lines:
            for a, b in itertools.pairwise(line):
                for s in np.linspace(0, 1, max(int(np.hypot(*(b - a)) / 0.7), 2)):
                    x, y = a + (b - a) * s + (dx, dy)
                    if 100 <= x < 140 and 100 <= y < 140:
                        on.add((round(x), round(y)))
        return on

    plain, shifted = strokes(0, 0), strokes(across, down)
    assert plain
    near = {(x + i, y + j) for x, y in plain for i in (-1, 0, 1) for j in (-1, 0, 1)}
    assert len(shifted - near) <= 0.03 * len(shifted)


@pytest.mark.parametrize("name", list(FIELDS))
def test_fields_have_levels_around_their_values(demo, result, name):
    moment = moment_of(result, result.end * 0.7)
    sampler = Sampler(result.model.mesh, 80)
    field = field_map(name, moment, result, None, sampler)
    values = FIELDS[name].read(moment, result, None)
    middle = float(np.nanmedian(values))
    assert field.levels[0] <= middle <= field.levels[-1]
    look = PlanLook(VIEW, DAY, time=moment.time)
    assert any(isinstance(i, Clip) for i in draw_field(demo, look, field))
    words = [i.text for i in legend(demo, look, field, 700, 400) if isinstance(i, Label)]
    assert words[0] == FIELDS[name].title
    assert len(words) == 5


def test_a_moment_has_pressure_only_where_it_is_wet(result):
    moment = moment_of(result, result.end * 0.5)
    wet = result.history.filled_at[result.model.node_at] <= moment.time
    there = (result.model.node_at >= 0) & wet
    assert np.isfinite(moment.pressure[there]).all()
    assert np.isnan(moment.pressure[~there]).all()
    assert np.nanmax(moment.pressure) <= 101325


def test_a_layer_that_the_forecast_does_not_have_shows_nothing(result):
    """As in the second between a new layer and its forecast."""
    moment = moment_of(result, result.end * 0.5)
    values = moment.of_slot(moment.pressure, result, "newly added")
    assert values.shape == (len(moment.pressure),)
    assert np.isnan(values).all()
    assert np.isfinite(moment.of_slot(moment.pressure, result, None)).any()


def test_the_cut_bevels_its_core_and_rides_over_it(demo, result):
    section = cut_through(result, np.array(demo.cut.path))
    items = list(draw_cut(demo, result, section, result.end / 2, (0, 0, 700, 200), DAY, "metric"))
    labels = [i.text for i in items if isinstance(i, Label)]
    assert {"F1", "F2", "V1"} <= set(labels)
    assert any(text.startswith("mould · thickness ×") for text in labels)
    film = next(i for i in items if isinstance(i, Line) and i.stroke == DAY.accent).paths[0]
    assert np.ptp(film[:, 1]) > 30  # the bag rides over the core
    slopes = [r for i in items if isinstance(i, Area) for r in i.rings if i.fill == DAY.core]
    assert any(len(ring) > 4 for ring in slopes)  # more than a rectangle: a bevel


def test_grids_name_their_lines(demo):
    look = replace(PlanLook(VIEW, DAY), grid=0.1)
    assert "1000 mm" in [i.text for i in draw_grid(look, 700, 400) if isinstance(i, Label)]


def test_spans_of_valves_in_a_run():
    rows = [Entry("a", 0, "start", {"began": 0.0}), Entry("a", 0, "open", {"line": "F1"}), Entry("a", 5, "open", {"line": "F2"}),
            Entry("a", 9, "shut", {"line": "F1"})]  # fmt: skip
    assert valve_spans(rows, 12.0) == [("F1", 0, 9), ("F2", 5, 12.0)]
    assert valve_spans([*rows, Entry("a", 11, "stop")], 12.0) == [("F1", 0, 9), ("F2", 5, 11)]


def test_strokes_end_at_the_border_of_the_part(demo):
    """Lines through and beside the part: as long as they are in it, one by one, and nowhere else."""
    whole = regions(demo.part).whole
    low, high = np.array(whole.bounds[:2]), np.array(whole.bounds[2:])
    turn = np.linspace(0, 2 * np.pi, 60)
    rings = [
        (low + high) / 2 + np.column_stack([np.cos(turn), np.sin(turn)]) * (high - low) * share
        for share in (0.2, 0.45, 0.52, 2.0)
    ]
    paths = [*rings, np.array([low - 1.0, high + 1.0]), rings[0][:1]]
    strokes = _inside(demo.part, paths, VIEW)
    long = sum(shapely.LineString(p).intersection(whole).length for p in paths if len(p) > 1)
    drawn = sum(float(np.hypot(*np.diff(s, axis=0).T).sum()) for s in strokes) / VIEW.scale
    assert drawn == pytest.approx(long, rel=1e-9)
    back = [shapely.LineString([VIEW.back(*px) for px in s]) for s in strokes]
    assert all(whole.buffer(1e-6).covers(b) for b in back)
    assert _inside(demo.part, paths[-1:], VIEW) == _inside(demo.part, [], VIEW) == []
    assert _inside(demo.part, [rings[3]], VIEW) == []


def test_each_zone_is_coloured_by_its_own_values_and_a_prepared_map_is_searched_no_more(
    demo, result, monkeypatch
):
    """Every zone one value of its own: its bands are of one tone, up to its border."""
    part, mesh = regions(demo.part), result.model.mesh
    zone = part.zone_at(mesh.points)
    values = zone.astype(float)
    values[::7] = np.nan  # places that no resin came to
    look = PlanLook(VIEW, DAY)
    prepare_zones(result, values)

    def searched(*_):
        raise AssertionError("the map is searched again")

    monkeypatch.setattr(scipy.spatial, "cKDTree", searched)
    clips = [x for x in zone_bands(result, values, 0.0, float(zone.max()), look) if isinstance(x, Clip)]
    assert len(clips) == len(set(zone)) > 1
    filled = [[a.fill for a in clip.items if isinstance(a, Area) and len(a.rings)] for clip in clips]
    assert all(len(tones) == 1 for tones in filled)
    assert len({tones[0] for tones in filled}) == len(clips)
    monkeypatch.undo()
    unlike = values.copy()
    unlike[1::7] = np.nan  # other places are dry: what was kept does not serve
    again = [x for x in zone_bands(result, unlike, 0.0, float(zone.max()), look) if isinstance(x, Clip)]
    assert len(again) == len(clips)
