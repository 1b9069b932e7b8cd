"""What comes after a shot: a job made anew from an old one, jobs that are alike, causes of defects, series and their table."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from bibulon.core.drawing.graphs.controlchart import HEIGHT, draw_control, part_at
from bibulon.core.drawing.graphs.runclock import draw_against, events_of
from bibulon.core.drawing.kit.scene import Label, View
from bibulon.core.drawing.kit.tokens import DAY
from bibulon.core.drawing.plan.pinplan import pin_near
from bibulon.core.drawing.sheets.card import card_pages
from bibulon.core.edit.anew import anew
from bibulon.core.findings.judge import evidence_of
from bibulon.core.flow.forecast import Resolution, forecast
from bibulon.core.geometry.surface import lift_onto
from bibulon.core.geometry.zones import regions
from bibulon.core.library.demo import blank_job, demo_job
from bibulon.core.library.mould_demo import mould_demo_job
from bibulon.core.model.bag import Bridge
from bibulon.core.model.part import Corner, Part, Surface
from bibulon.core.run.journal import Entry
from bibulon.core.series.causes import KINDS, likely_causes, place_words, repair_of
from bibulon.core.series.charts import chart
from bibulon.core.series.demo import COUNT, WEARS_FROM, series_demo
from bibulon.core.series.like import likeness
from bibulon.core.series.record import Defect, defects_of, outcome_of, pin_entry
from bibulon.core.series.run import series_of
from bibulon.core.series.table import HEADINGS, read_series, series_table

JOB = demo_job()


@pytest.fixture(scope="module")
def flow():
    return forecast(JOB, Resolution(600, 1, 12))


# -- a job anew


def test_anew_keeps_the_plan_and_nothing_that_was_recorded():
    new = anew(JOB, "Petal 4", lessons=("Open F2 later.",))
    assert new.part == JOB.part
    assert new.lines == JOB.lines
    assert new.stack == JOB.stack
    assert new.test.readings == ()
    assert new.test.volume == JOB.test.volume
    assert "Lesson: Open F2 later." in new.notes
    assert JOB.name in new.notes


def test_mirrored_twice_is_as_it_was_and_once_keeps_area_and_times(flow):
    once = anew(JOB, "left hand", mirrored=True)
    twice = anew(once, JOB.name, mirrored=True)
    for a, b in zip(twice.lines, JOB.lines, strict=True):
        assert np.allclose(a.path, b.path, atol=1e-6)
    assert regions(once.part).whole.area == pytest.approx(regions(JOB.part).whole.area, rel=1e-9)
    assert regions(once.part).whole.symmetric_difference(regions(JOB.part).whole).area > 0.1
    assert [p.angle_deg for p in once.stack] == [-p.angle_deg for p in JOB.stack]
    assert [p.angle_deg for p in twice.stack] == [p.angle_deg for p in JOB.stack]
    other = forecast(once, Resolution(600, 1, 12))
    assert other.fill_time == pytest.approx(flow.fill_time, rel=0.03)


@pytest.mark.parametrize("make", [demo_job, mould_demo_job])
def test_scaled_twice_as_large_has_four_times_the_area(make):
    job = make()
    big = anew(job, "big", scale=2.0)
    assert regions(big.part).whole.area == pytest.approx(4 * regions(job.part).whole.area, rel=5e-4)
    for zone, region in regions(big.part).zones.items():
        assert region.area == pytest.approx(4 * regions(job.part).zones[zone].area, rel=1e-3)
    assert np.allclose(big.lines[0].path, 2 * np.array(job.lines[0].path), atol=1e-5)
    assert big.lines[0].bore == job.lines[0].bore


def test_a_surface_goes_with_its_part_to_the_other_hand_and_to_scale():
    """A twisted strip: the other hand has its mirror image, as large; twice the size has four times the area, eight the volume below."""
    x, y = np.meshgrid(np.linspace(0, 1.2, 13), np.linspace(0, 0.5, 6), indexing="ij")
    plan = np.c_[x.ravel(), y.ravel()]
    space = np.c_[plan, 0.1 * x.ravel() + 0.3 * x.ravel() * y.ravel()]
    k = np.arange(78).reshape(13, 6)
    a, b, c, d = k[:-1, :-1].ravel(), k[1:, :-1].ravel(), k[1:, 1:].ravel(), k[:-1, 1:].ravel()
    face = Surface(
        space=tuple(map(tuple, space.tolist())), plan=tuple(map(tuple, plan.tolist())),
        triangles=tuple(map(tuple, np.vstack([np.c_[a, b, c], np.c_[a, c, d]]).tolist())),
    )  # fmt: skip
    corners = tuple(Corner(x=px, y=py) for px, py in ((0, 0), (1.2, 0), (1.2, 0.5), (0, 0.5)))
    job = blank_job().replaced(part=Part(outline=corners, surface=face))
    assert anew(job, "again").part.surface is face
    port = anew(job, "other hand", mirrored=True).part
    large = anew(job, "large", scale=2.0).part
    mine, other, twice = (lift_onto(p.surface or face) for p in (job.part, port, large))
    assert other.area == pytest.approx(mine.area, rel=1e-9)
    assert twice.area == pytest.approx(4 * mine.area, rel=1e-9)
    assert (other.flat.areas > 0).all()
    places = np.array([[0.3, 0.1], [0.7, 0.42], [1.1, 0.05]])
    mirrored = np.c_[1.2 - places[:, 0], places[:, 1]]
    assert other(mirrored)[:, 2] == pytest.approx(mine(places)[:, 2], abs=1e-9)
    assert twice(2 * places)[:, 2] == pytest.approx(2 * mine(places)[:, 2], abs=1e-9)
    assert (
        regions(port).whole.symmetric_difference(regions(job.part).whole).area < 1e-9
    )  # a rectangle's mirror image
    with pytest.raises(ValueError, match=r"scaled by 0\.1 to 10"):
        anew(JOB, "huge", scale=11.0)


# -- alike


def test_a_job_is_most_like_itself_then_its_mirror_then_another_shape():
    def of(job):
        return [(c.x, c.y) for c in job.part.outline], [m.name for m in job.materials.values()], job.process

    me = of(JOB)
    assert likeness(me, me) == pytest.approx(1.0)
    assert likeness(me, of(anew(JOB, "m", mirrored=True))) == pytest.approx(1.0, abs=0.02)
    assert likeness(me, of(anew(JOB, "m", scale=1.2))) > likeness(me, of(anew(JOB, "m", scale=3.0)))
    assert likeness(me, of(mould_demo_job())) < 0.5
    assert likeness(me, ([], [], "infusion")) == 0.0


# -- causes


@pytest.mark.parametrize("kind", KINDS)
def test_every_kind_has_a_cause_everywhere_and_says_why(flow, kind):
    for x, y in ((0.5, 0.3), (1.1, 0.75), (2.2, 0.75)):
        found = likely_causes(JOB, flow, kind, x, y)
        assert found
        assert all(c.why and len(c.words) <= 44 for c in found)  # they stand on buttons that do not wrap
        assert [c.weight for c in found] == sorted((c.weight for c in found), reverse=True)
    assert likely_causes(JOB, None, kind, 0.5, 0.3)


def test_the_first_cause_is_what_the_trade_looks_for_there(flow):
    x, y, _ = flow.last_wet
    assert "wet last" in likely_causes(JOB, flow, "dry", x, y)[0].words
    bridged = JOB.replaced(bag=JOB.bag.replaced(bridges=(Bridge(id="B1", x=0.6, y=0.4),)))
    assert "found and left" in likely_causes(bridged, flow, "bridged", 0.61, 0.41)[0].words
    assert "in the corner" in likely_causes(JOB, flow, "bridged", 0.13, 0.75)[0].words
    assert "leak" in likely_causes(JOB, flow, "porous", 1.5, 0.75, leak=True)[0].words
    assert "under the feed" in likely_causes(JOB, flow, "rich", 1.1, 0.6)[0].words
    border = regions(JOB.part).zones["field"].exterior.interpolate(0.3)
    assert "core edge" in likely_causes(JOB, flow, "print-through", border.x, border.y)[0].words
    with pytest.raises(ValueError, match="no kind of defect"):
        likely_causes(JOB, flow, "haunted", 1.0, 1.0)


def test_words_of_a_place_are_those_of_the_forecast(flow):
    told = dict(place_words(JOB, flow, 1.0, 0.75))
    assert told["all wet at"] == flow.fill_time
    assert {f"{k} wet at": v for k, v in flow.probe(1.0, 0.75).items()}.items() <= told.items()
    assert place_words(JOB, flow, 9.0, 9.0) == []
    assert place_words(JOB, None, 1.0, 0.7) == []


def test_resin_of_a_repair_is_area_times_pores():
    small, large = repair_of(JOB, 1.0, 0.75, 0.05), repair_of(JOB, 1.0, 0.75, 0.10)
    assert large.resin == pytest.approx(4 * small.resin)
    assert 0.001 < small.resin < 0.05


# -- pins and the run


def test_pins_change_and_go_by_later_rows():
    rows = [
        pin_entry("a", "dry", 1.0, 0.5, 0.05, "", "", 1.0), pin_entry("b", "rich", 0.2, 0.5, 0.02, "fold", "", 2.0),
        pin_entry("a", "porous", 1.0, 0.5, 0.08, "leak", "", 3.0), Entry("record", 0.0, "undefect", {"id": "b"}, 4.0),
        Entry("record", 0.0, "defect", {"id": "c", "defect": "dry", "x": "no figure", "y": 1}, 5.0),
    ]  # fmt: skip
    assert defects_of(rows) == (Defect("a", "porous", 1.0, 0.5, 0.08, "leak"),)
    assert outcome_of(JOB, rows).defects == defects_of(rows)
    view = View(300.0, 0.0, 400.0)
    assert pin_near(defects_of(rows), 1.01, 0.51, view).uid == "a"
    assert pin_near(defects_of(rows), 1.0, 0.55, view).uid == "a"  # by its head
    assert pin_near(defects_of(rows), 1.3, 0.5, view) is None
    assert pin_near((), 1.0, 0.5, view) is None


def test_a_run_is_held_against_its_plan(flow):
    rows = [
        Entry("r", 0.0, "start", {"began": 10.0}, 10.0), Entry("r", 0.0, "open", {"line": "F1"}, 10.0),
        Entry("r", 520.0, "open", {"line": "F2"}, 530.0), Entry("r", 1700.0, "wet", {}, 1710.0),
    ]  # fmt: skip
    events = {what: (a, b) for what, a, b in events_of(JOB, flow, rows)}
    assert events["F1 opens"] == (0.0, 0.0)
    assert events["F2 opens"][0] == pytest.approx(420.0, abs=1.0)
    assert events["F2 opens"][1] == 520.0
    assert events["all wet"] == (flow.fill_time, 1700.0)
    words = [i.text for i in draw_against(JOB, flow, rows, 700.0, 130.0, DAY) if isinstance(i, Label)]
    assert "F2 opens 1:40 late" in words
    assert "F1 opens on time" in words
    assert any(
        "No run" in i.text for i in draw_against(JOB, flow, (), 700.0, 130.0, DAY) if isinstance(i, Label)
    )


# -- series


def test_the_demo_series_shows_its_worn_seal_and_no_part_that_drifts_in_weight():
    figures = [outcome_of(job, rows).figures for job, rows in series_demo()]
    assert len(figures) == COUNT
    series = series_of(figures)
    first = min(s.point for s in series.charts["leak"].signals)
    assert WEARS_FROM - 1 <= first <= WEARS_FROM + 4
    assert series.moved["leak"] == 1
    assert "mass" not in series.moved
    assert "seals" in series.words[0]
    assert series.baseline == COUNT // 2


@given(
    st.lists(
        st.tuples(
            st.text(st.characters(exclude_categories=("C", "Z"), include_characters=" "), min_size=1, max_size=20).map(str.strip).filter(bool),
            st.dictionaries(st.sampled_from(list(HEADINGS)), st.floats(0, 1e6).filter(lambda v: v == 0 or v > 1e-6), max_size=6),
        ),
        max_size=6,
    )
)  # fmt: skip
def test_a_table_of_a_series_comes_back(parts):
    back = read_series(series_table(parts))
    kept = [(n, f) for n, f in parts]
    assert [n for n, _ in back] == [n for n, _ in kept]
    for (_, a), (_, b) in zip(back, kept, strict=True):
        assert a.keys() == b.keys()
        assert all(a[k] == pytest.approx(b[k], rel=1e-8) for k in a)


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("", "empty"), ("part,colour\nA,red\n", "none of the headings"), ("part,mass_kg\nA,heavy\n", "row 2, mass_kg: “heavy”"),
        ("part,mass_kg\nA,4.9\nB,-1\n", "row 3"), ("part,mass_kg\nA,nan\n", "is no figure"),
    ],
)  # fmt: skip
def test_a_table_that_cannot_be_read_says_where(text, words):
    with pytest.raises(ValueError, match=words):
        read_series(text)


def test_a_part_is_pointed_at_where_it_stands():
    made = chart([4.9, 4.91, 4.89, 4.92, 4.9, 4.88, 4.9, 4.91, 5.4])
    items = list(draw_control(made, range(9), 9, "Part", lambda v: f"{v:.2f} kg", 700.0, 0.0, DAY, 8))
    assert "5.40 kg" in [i.text for i in items if isinstance(i, Label)]
    for k in range(9):
        dots = [i for i in items if getattr(i, "stroke", None) == DAY.ground and hasattr(i, "rings")]
        assert part_at(float(dots[k].rings[0][:, 0].mean()), 700.0, 9) == k
    assert part_at(-50.0, 700.0, 9) == 0
    assert part_at(5000.0, 700.0, 9) == 8
    assert max(float(r[:, 1].max()) for i in items if hasattr(i, "rings") for r in i.rings) <= HEIGHT
    few = chart([4.9, 4.91])
    assert math.isnan(few.lower)
    assert list(draw_control(few, range(2), 2, "Part", str, 700.0, 0.0, DAY))


def test_the_card_tells_what_came_of_it():
    job, rows = series_demo()[22]
    words = [
        i.text for p in card_pages(job, evidence_of(job), (), rows) for i in p.items if isinstance(i, Label)
    ]
    assert "What came of it" in words
    assert "The run against its plan" in words
    assert any("pinholes" in w for w in words)
    assert "air past the outer seal" in words
    assert any(w.startswith("Lesson: Pinholes come beside latch 3") for w in words)
    assert any("Fibre by volume" in w for w in words)
    bare = [
        i.text for p in card_pages(job, evidence_of(job), (), ()) for i in p.items if isinstance(i, Label)
    ]
    assert "What came of it" not in bare
