"""Charge by hand, leak fits on records of known truth, and each rule with a job that sets it off."""

import json

import numpy as np
import pytest
from msgspec.structs import replace
from shapely.geometry import LineString, Point
from tests.written import written

from bibulon.core.bag.cutplan import pieces_of
from bibulon.core.edit.anew import anew
from bibulon.core.edit.edit import accept, change, change_line, cut_mesh_back, inset_mesh
from bibulon.core.edit.shape import mirrored, reshape, trimmed
from bibulon.core.findings.base import Evidence
from bibulon.core.findings.judge import evidence_of, find, is_accepted
from bibulon.core.flow.forecast import Resolution, forecast
from bibulon.core.geometry.outline import OutlineError
from bibulon.core.leak.droptest import LeakError, fit_drop, judge
from bibulon.core.library.catalogue import library
from bibulon.core.library.demo import blank_job, demo_job
from bibulon.core.model.drop_test import Reading
from bibulon.core.model.job import (
    Accepted,
    AtTime,
    Corner,
    DropTest,
    FlowLine,
    Layer,
    MeshExtent,
    OnFront,
    Part,
)
from bibulon.core.model.materials import ConstantViscosity, Core, PorousLayer
from bibulon.core.model.rules import SCHOOLS, RuleSet
from bibulon.core.resin.charge import charge
from bibulon.core.stack.mesh_cover import mesh_cover
from bibulon.store.raw import job_from

QUICK = Resolution(350, 1, 10)
SCHOOL = {s.id: s for s in SCHOOLS}


def strip(length=1.2, mesh_to=1.0, gel=None, mu=0.2, **lines):
    """A strip with mesh, a feed at one end and a vacuum line at the other."""
    shelf = library()
    resin = shelf["epoxy-slow"].replaced(viscosity=ConstantViscosity(value=mu), gel_time=gel)
    outline = tuple(Corner(x=x, y=y) for x, y in ((0, 0), (length, 0), (length, 0.3), (0, 0.3)))
    cover = tuple(Corner(x=x, y=y) for x, y in ((0, 0), (mesh_to, 0), (mesh_to, 0.3), (0, 0.3)))
    return change(
        blank_job(),
        part=Part(outline=outline),
        materials={"biax-600": shelf["biax-600"], "net-green": shelf["net-green"]},
        stack=tuple(Layer(id=f"L{k}", material="biax-600") for k in range(3)),
        resin=resin,
        mesh=MeshExtent(material="net-green", outline=cover),
        lines=(
            FlowLine(id="F1", label="F1", role="feed", path=((0.0, 0.02), (0.0, 0.28))),
            FlowLine(id="V1", label="V1", role="vacuum", path=((length, 0.01), (length, 0.29))),
        ),
        **lines,
    )


def keys(job, forecast_=True):
    return {f.key: f for f in find(evidence_of(job, forecast(job, QUICK) if forecast_ else None))}


# -- charge


def test_charge_by_hand():
    job = strip()
    plan = {s.name: s.mass for s in charge(job).sinks}
    pressure, ply = 101325 - 2000, library()["biax-600"]
    vf = 0.5 * (pressure / 1e5) ** 0.08
    pores = 3 * 0.6 / (2550 * vf) * (1 - vf)
    assert plan["Plies"] == pytest.approx(1.2 * 0.3 * pores * 1110)
    assert plan["Mesh"] == pytest.approx(1.0 * 0.3 * 0.0012 * 0.82 * 1110)
    tubes = np.pi / 4 * 0.01**2 * (0.26 + 0.28 + 1.5)
    assert plan["Lines"] == pytest.approx(tubes * 1110)
    assert plan["Margin"] == pytest.approx(0.08 * (sum(plan.values()) - plan["Margin"]))
    assert ply.areal_mass == 0.6


def test_parts_by_weight_and_batches():
    job = strip()
    plan = charge(change(job, resin=job.resin.replaced(largest_batch=0.9, parts_b_per_100=25.0)))
    assert plan.part_b / plan.part_a == pytest.approx(0.25)
    assert sum(b.mass for b in plan.batches) == pytest.approx(plan.total)
    assert max(b.mass for b in plan.batches) <= 0.9
    assert len(plan.batches) == int(np.ceil(plan.total / 0.9))


def test_charge_and_forecast_agree_on_what_the_part_holds():
    job = strip()
    plan, result = charge(job), forecast(job, QUICK)
    held = sum(s.mass for s in plan.sinks if s.name in {"Plies", "Core", "Mesh", "Peel ply and film"})
    assert result.resin_in_part == pytest.approx(held, rel=2e-3)


# -- leak


def record(leak, fading=0.0, tau=60.0, noise=0.0, length=600, step=20, seed=0, start=2000.0):
    t = np.arange(0, length + 1, step, dtype=float)
    p = start + leak * t + fading * (1 - np.exp(-t / tau)) + np.random.default_rng(seed).normal(0, noise, len(t)) if noise else \
        start + leak * t + fading * (1 - np.exp(-t / tau))  # fmt: skip
    return tuple(Reading(time=a, pressure=b) for a, b in zip(t, np.maximum(p, 0), strict=True))


@pytest.mark.parametrize(
    ("readings", "school", "outcome"),
    [
        (record(5.0), "small-drop", "pass"),  # 15 mbar in 5 min
        (record(11.0), "small-drop", "fail"),  # 33 mbar
        (record(5.0, length=120), "small-drop", "cannot tell"),
        (record(60.0, length=120), "small-drop", "fail"),  # lost more already
        (record(0.2), "no-drop", "pass"),
        (record(1.0), "no-drop", "fail"),
        (record(0.5, start=6000.0), "deep-start", "fail"),
        (record(0.5, start=4000.0), "deep-start", "pass"),
    ],
)
def test_schools(readings, school, outcome):
    test = DropTest(readings=readings, volume=0.01)
    assert judge(test, fit_drop(readings, 0.01), SCHOOL[school]).outcome == outcome


def test_by_volume_a_big_pot_does_not_hide_a_leak():
    readings = record(0.5)
    small, large = (
        judge(DropTest(readings=readings, volume=v), fit_drop(readings, v), SCHOOL["by-volume"])
        for v in (0.002, 0.05)
    )
    assert (small.outcome, large.outcome) == ("pass", "fail")


@pytest.mark.parametrize(
    ("readings", "words"),
    [
        ((), "three readings"),
        (record(1.0)[:2], "three readings"),
        ((*record(1.0)[:4], record(1.0)[1]), "Reading 5 at 0:20"),
    ],
)
def test_unusable_records_say_why(readings, words):
    with pytest.raises(LeakError, match=words):
        fit_drop(readings, 0.01)


# -- findings: each set off, and each just not


def test_mesh_into_vacuum_blocks_and_its_remedy_mends_it():
    found = keys(strip(mesh_to=1.2), False)["mesh-vacuum:V1"]
    assert found.weight == "blocking"
    mended = found.remedy.apply(strip(mesh_to=1.2))
    assert "mesh-vacuum:V1" not in keys(mended, False)


@pytest.mark.parametrize(("gap", "expected"), [(0.045, True), (0.055, False)])
def test_mesh_too_near_by_the_shop_rule(gap, expected):
    assert ("mesh-vacuum:V1" in keys(strip(mesh_to=1.2 - gap), False)) is expected


def second_feed(job, at):
    line = FlowLine(id="F2", label="F2", role="feed", path=((0.6, 0.02), (0.6, 0.28)), opens=at)
    return change(job, lines=(*job.lines, line))


def test_second_feed_before_the_front_and_its_remedy():
    job = second_feed(strip(), AtTime(time=5))
    found = keys(job)["early-feed:F2"]
    assert found.time == 5
    mended = found.remedy.apply(job)
    assert isinstance(mended.lines[-1].opens, OnFront)
    assert "early-feed:F2" not in keys(mended)


def test_second_feed_after_the_front_is_right():
    job = second_feed(strip(), OnFront(line="F2"))
    passes = forecast(job, QUICK).history.opened["F2"]
    assert "early-feed:F2" not in keys(change_line(job, "F2", opens=AtTime(time=passes * 1.05)))


@pytest.mark.parametrize(("share", "weight"), [(0.7, "blocking"), (1.1, "warning"), (1.5, None)])
def test_gel_against_fill(share, weight):
    fill = forecast(strip(), QUICK).fill_time
    job = strip(gel=fill * share + 180)  # mixed 180 s before the feed opens
    found = keys(job).get("gel")
    assert (found.weight if found else None) == weight


def test_pocket_between_feeds_is_found_where_it_is():
    """Fed from both ends and drawn at one side's middle, the other side... closes in on itself."""
    job = strip(mesh_to=1.2)
    around = FlowLine(id="F1", label="F1", role="feed", bore=0,
                      path=((0.0, 0.0), (1.2, 0.0), (1.2, 0.3), (0.0, 0.3), (0.0, 0.0)))  # fmt: skip
    vacuum = FlowLine(id="V1", label="V1", role="vacuum", path=((0.2, 0.15),))
    job = change(job, lines=(around, vacuum), mesh=None)
    result = forecast(job, Resolution(900, 1, 20))
    assert result.pockets
    x, y = result.pockets[0].place
    assert x > 0.4
    assert y == pytest.approx(0.15, abs=0.05)
    # Shut-in air shrinks by p0 / p.
    pocket = result.pockets[0]
    assert 0 < pocket.gas_volume < pocket.volume
    assert any(k.startswith("pocket") for k in keys(job))


def test_no_pocket_when_the_front_runs_to_the_vacuum():
    assert not forecast(strip(), QUICK).pockets


def test_a_leaking_bag_blocks():
    job = change(strip(), test=DropTest(readings=record(11.0)))
    assert keys(job, False)["leak"].weight == "blocking"
    assert "leak" not in keys(change(strip(), test=DropTest(readings=record(1.0))), False)


def test_no_vacuum_line_blocks():
    job = strip()
    assert keys(change(job, lines=job.lines[:1]), False)["no-vacuum"].weight == "blocking"


def test_long_thin_hose_is_noted():
    job = change_line(strip(), "F1", hose_bore=0.005, hose_length=4.0)
    assert keys(job)["hose:F1"].weight == "note"
    assert "hose:F1" not in keys(change_line(job, "F1", hose_bore=0.02))


@pytest.mark.parametrize(("across", "told"), [(90, True), (0, False)])
def test_skins_that_run_two_ways_are_told(across, told):
    """One mesh cannot follow two skins over each other that run different ways."""
    way = PorousLayer(name="One way", thickness=0.003, porosity=0.5, k1=8e-10, k2=1e-10, k3=1e-11)
    core = Core(name="Holed", thickness=0.01, density=80, hole_diameter=0.003)
    job = change(
        strip(), mesh=None, materials={"way": way, "core": core},
        stack=(Layer(id="A", material="way"), Layer(id="C", material="core"), Layer(id="B", material="way", angle_deg=across)),
    )  # fmt: skip
    assert ("rough" in keys(job)) is told


def test_an_accepted_warning_stays_but_no_longer_asks():
    job = strip(mesh_to=1.16)
    job = accept(job, Accepted(key="mesh-vacuum:V1", by="Ola", reason="trial panel", when="2026-01-01"))
    found = next(f for f in find(Evidence(job)) if f.key == "mesh-vacuum:V1")
    assert is_accepted(job, found)


def test_laid_mesh_keeps_the_break():
    job = inset_mesh(strip(), "net-green", 0.02)
    assert "mesh-vacuum:V1" not in keys(job, False)
    assert cut_mesh_back(job, "V1").mesh.outline


def test_mesh_is_cut_out_round_a_vacuum_port_in_its_midst():
    """Mesh of 1 m by 0.3 m with a port in its middle: a disc of the rule's break is taken out, and the finding with it."""
    port = FlowLine(id="V1", label="V1", role="vacuum", path=((0.5, 0.15),))
    job = change(strip(), lines=(strip().lines[0], port))
    found = keys(job, False)["mesh-vacuum:V1"]
    mended = found.remedy.apply(job)
    assert "mesh-vacuum:V1" not in keys(mended, False)
    gone = np.pi * job.rules.break_longest**2
    assert mesh_cover(mended).area == pytest.approx(0.3 - gone, rel=0.01)
    assert len(mended.mesh.holes) == 1
    assert cut_mesh_back(mended, "V1").mesh.holes[0]  # once more changes nothing to speak of
    assert mesh_cover(cut_mesh_back(mended, "V1")).area == pytest.approx(mesh_cover(mended).area, rel=1e-3)
    flipped, halved = mirrored(mended), anew(mended, "Half", scale=0.5)
    assert mesh_cover(flipped).area == pytest.approx(mesh_cover(mended).area)
    assert mesh_cover(halved).area == pytest.approx(mesh_cover(mended).area / 4)
    short = reshape(mended, strip(length=0.52).part.outline)
    assert mesh_cover(trimmed(short)).area < mesh_cover(mended).area / 1.9
    assert job_from(json.loads(written(mended))) == mended


def test_a_vacuum_line_across_the_part_leaves_two_pieces_of_mesh():
    """Mesh of 1 m by 0.3 m and a line across at 0.3 m: the rule's break is bare on either side, the rest lies."""
    across = FlowLine(id="V1", label="V1", role="vacuum", path=((0.3, -0.0), (0.3, 0.3)))
    job = cut_mesh_back(change(strip(), lines=(strip().lines[0], across)), "V1")
    assert mesh_cover(job).area == pytest.approx(0.3 * (1.0 - 2 * job.rules.break_longest), rel=1e-3)
    assert len(job.mesh.pieces) == 1
    assert "mesh-vacuum:V1" not in keys(job, False)
    assert sorted(p.shape.area for p in pieces_of(job, None) if p.key.startswith("mesh")) == pytest.approx(
        [0.3 * (0.3 - job.rules.break_longest), 0.3 * (0.7 - job.rules.break_longest)], rel=1e-3
    )
    labels = [p.label for p in pieces_of(job, None)]
    assert len(set(labels)) == len(labels)  # layers of a drawing and marks on cloth are told apart by them
    for made, share in ((mirrored(job), 1.0), (anew(job, "Half", scale=0.5), 0.25)):
        assert mesh_cover(made).area == pytest.approx(share * mesh_cover(job).area)
        assert len(made.mesh.pieces) == 1
    left = trimmed(reshape(job, strip(length=0.25).part.outline))
    assert left.mesh.pieces == ()
    assert mesh_cover(left).area == pytest.approx(0.3 * (0.3 - job.rules.break_longest), rel=1e-3)


def test_mesh_within_a_ring_of_vacuum_stays_as_an_island():
    """A square ring of 0.2 m in 1 m by 0.3 m: nothing within the rule's break of it, all else inside and outside."""
    wide = strip()
    wide = change(
        wide, part=Part(outline=tuple(Corner(x=x, y=y) for x, y in ((0, 0), (1, 0), (1, 1), (0, 1))))
    )
    wide = inset_mesh(wide, "net-green", 0.0)
    full = mesh_cover(change(wide, lines=())).area
    path = ((0.3, 0.3), (0.7, 0.3), (0.7, 0.7), (0.3, 0.7), (0.3, 0.3))
    job = cut_mesh_back(change(wide, lines=(FlowLine(id="V1", label="V1", role="vacuum", path=path),)), "V1")
    gone = LineString(path).buffer(job.rules.break_longest, quad_segs=4).area
    assert mesh_cover(job).area == pytest.approx(full - gone, rel=0.01)
    assert mesh_cover(job).contains(Point(0.5, 0.5))


def test_mesh_does_not_lie_over_a_hole_of_the_part():
    hole = tuple(Corner(x=x, y=y) for x, y in ((0.4, 0.1), (0.6, 0.1), (0.6, 0.2), (0.4, 0.2)))
    job = inset_mesh(change(strip(), part=strip().part.replaced(holes=(hole,)), lines=()), "net-green", 0.02)
    assert mesh_cover(job).area == pytest.approx((1.2 - 0.04) * (0.3 - 0.04) - 0.24 * 0.14, rel=1e-6)


def test_holes_that_leave_none_of_the_mesh_are_told():
    far = tuple(Corner(x=x, y=y) for x, y in ((-1, -1), (5, -1), (5, 5), (-1, 5)))
    job = change(strip(), mesh=strip().mesh.replaced(holes=(far,)))
    with pytest.raises(OutlineError, match="holes of the mesh"):
        mesh_cover(job)


def test_rules_are_figures_not_constants():
    job = change(strip(mesh_to=1.16), rules=RuleSet(name="Small parts", break_shortest=0.03))
    assert "mesh-vacuum:V1" not in keys(job, False)


def test_a_charge_that_runs_short_is_mended_by_an_allowance_for_the_pot():
    job = demo_job()
    job = job.replaced(charge=job.charge.replaced(margin=0.0, catch_pot=0.0, heel=0.0))
    flow = forecast(job, Resolution(400, 1, 10, air=False))
    bled = replace(flow.history.frames[-1], bled=(5e-4,))  # half a litre more than is allowed for
    flow = replace(flow, history=replace(flow.history, frames=(*flow.history.frames[:-1], bled)))
    (short,) = (f for f in find(evidence_of(job, flow)) if f.kind == "short")
    mended = short.remedy.apply(job)
    assert "short" not in {f.kind for f in find(evidence_of(mended, flow))}
    less = mended.replaced(charge=mended.charge.replaced(catch_pot=mended.charge.catch_pot - 0.05))
    assert "short" in {f.kind for f in find(evidence_of(less, flow))}  # and by no more than is told in steps


@pytest.mark.parametrize(("share", "weight"), [(0.2, None), (0.3, "note"), (0.45, "note"), (0.55, "warning")])
def test_resin_that_runs_to_the_pot_is_told_by_how_much_it_is(share, weight):
    job = demo_job()
    flow = forecast(job, Resolution(400, 1, 10, air=False))
    lost = share * flow.resin_in_part / flow.density
    frames = tuple(replace(f, bled=(lost,)) for f in flow.history.frames)
    flow = replace(flow, history=replace(flow.history, frames=frames))
    found = {f.kind: f.weight for f in find(evidence_of(job, flow))}
    assert found.get("runs") == weight
