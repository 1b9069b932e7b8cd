"""Stack and part: where plies lie, what the stack comes to, totals, steps, ways to make it, findings."""

from __future__ import annotations

import math

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from bibulon.core.edit.edit import change
from bibulon.core.edit.shape import (
    combine_zones,
    mirrored,
    offset_zone,
    round_corners,
    start_from,
    zone_from_ply,
)
from bibulon.core.findings.base import Evidence
from bibulon.core.findings.judge import find
from bibulon.core.geometry import outline as geometry
from bibulon.core.geometry.outline import OutlineError
from bibulon.core.geometry.starters import STARTERS, rounded
from bibulon.core.geometry.zones import regions
from bibulon.core.library.catalogue import library
from bibulon.core.library.demo import demo_job
from bibulon.core.model.job import (
    Corner,
    Drawn,
    FlowLine,
    Job,
    Layer,
    MouldCorner,
    Part,
    Rates,
    Seam,
    Variant,
    Zone,
)
from bibulon.core.model.materials import Core, Direction, Fabric, FlowMesh, Scores, TackSpray
from bibulon.core.plans.routes import break_evens, compare
from bibulon.core.plans.variants import compared, drop_variant, keep_variant, rename_variant, swap_variant
from bibulon.core.resin.charge import charge
from bibulon.core.stack.derived import flow_of, imbalance, loose_thickness, rosette, unmatched
from bibulon.core.stack.laid import layer_area, layer_region, places
from bibulon.core.stack.laminate import core_uptake, layer_state, zone_stack
from bibulon.core.stack.steps import steps
from bibulon.core.stack.totals import needs, part_totals, stack_figures

UNI = Fabric(
    name="uni", form="stitched", directions=(Direction(angle_deg=0, share=1.0),), areal_mass=0.5,
    fibre_density=2500, vf_ref=0.5, p_ref=101325.0 - 2000.0, compaction_exponent=0.0, k1=2e-10, k2=1e-10, k3=1e-12,
    price_per_m2=10.0,
)  # fmt: skip
FOAM = Core(name="foam", thickness=0.01, density=100.0, price_per_m2=20.0)


def box(x0, y0, x1, y1):
    return tuple(Corner(x=x, y=y) for x, y in ((x0, y0), (x1, y0), (x1, y1), (x0, y1)))


def panel(*layers, zones=(), materials=None, **part):
    """A panel of 1 by 0.5 m with a stack of (material, angle, fields)."""
    shelf = {"uni": UNI, "foam": FOAM, **library(), **(materials or {})}
    stack = tuple(
        Layer(id=f"L{k + 1}", material=m, angle_deg=a, **more) for k, (m, a, more) in enumerate(layers)
    )
    used = {x.material: shelf[x.material] for x in stack}
    return Job(part=Part(outline=box(0, 0, 1, 0.5), zones=zones, **part), materials=used, stack=stack)


def left(kind="single skin", **more):
    return Zone(id="left", name="Left", area=Drawn(outline=box(0, 0, 0.4, 0.5)), kind=kind, **more)


def titles(job):
    return [f.title for f in find(Evidence(job))]


# -- where plies lie


def test_zones_with_holes_cut_outs_and_zones_that_lie_over():
    hole = box(0.1, 0.1, 0.2, 0.2)
    zones = (
        Zone(id="a", name="A", area=Drawn(outline=box(0, 0, 0.4, 0.5), holes=(hole,))),
        Zone(id="cut", name="Hatch", area=Drawn(outline=box(0.7, 0.2, 0.8, 0.3)), kind="cut-out"),
        Zone(id="keep", name="Rail", area=Drawn(outline=box(0.5, 0, 0.6, 0.5)), kind="keep-out"),
    )
    plan = regions(Part(outline=box(0, 0, 1, 0.5), zones=zones))
    assert plan.whole.area == pytest.approx(0.5 - 0.01)
    assert plan.zones["a"].area == pytest.approx(0.2 - 0.01)
    assert sum(z.area for z in plan.zones.values()) == pytest.approx(plan.whole.area)
    assert set(plan.over) == {"cut", "keep"}
    with pytest.raises(ValueError, match="lies in Rail, a keep-out zone"):
        panel(("uni", 0, {"zones": ("keep",)}), zones=zones)


def test_a_ply_laps_on_and_drops_off():
    job = panel(
        ("uni", 0, {}), ("foam", 0, {"zones": ("left",)}), ("uni", 0, {"zones": ("left",), "runs_on": 0.02}),
        ("uni", 90, {"zones": ("left",), "runs_on": -0.03}), zones=(left("cored"),),
    )  # fmt: skip
    assert layer_region(job, job.stack[2]).area == pytest.approx(0.42 * 0.5)
    # The drop-off draws in on all sides of the zone that lie inside its buffer.
    assert layer_region(job, job.stack[3]).area == pytest.approx(0.34 * 0.44)
    plan = places(job)
    assert sum(r.area for r in plan.zones.values()) == pytest.approx(0.5)
    by_layers = {len(zone_stack(job, p).layers): r.area for p, r in plan.zones.items()}
    assert by_layers == pytest.approx({1: 0.58 * 0.5, 2: 0.02 * 0.5, 3: 0.2 - 0.34 * 0.44, 4: 0.34 * 0.44})


def test_a_ply_with_its_own_outline_counts_where_it_lies():
    job = panel(("uni", 0, {}), ("uni", 0, {"outline": box(0.2, 0.1, 0.5, 0.4)}))
    assert layer_area(job, job.stack[1]) == pytest.approx(0.09)
    assert part_totals(job).fibre == pytest.approx(0.5 * (0.5 + 0.09))


@settings(max_examples=25, deadline=None)
@given(
    on=st.lists(st.floats(-0.05, 0.05), min_size=1, max_size=6),
    mine=st.lists(st.booleans(), min_size=6, max_size=6),
)
def test_however_plies_end_nothing_is_counted_twice(on, mine):
    layers = [
        ("uni", 0, {"zones": ("left",) if m else (), "runs_on": r}) for r, m in zip(on, mine, strict=False)
    ]
    job = panel(("uni", 0, {}), *layers, zones=(left(),))
    plan = places(job)
    assert sum(r.area for r in plan.zones.values()) == pytest.approx(0.5, abs=1e-5)
    summed = sum(layer_area(job, x) for x in job.stack) * 0.5
    assert part_totals(job).fibre == pytest.approx(summed, rel=1e-4)


def test_draw_factors_of_zones_count():
    job = panel(("uni", 0, {}), zones=(left(draw_factor=1.5),), draw_factor=1.1)
    totals = part_totals(job)
    assert totals.area == pytest.approx(0.2 * 1.5 + 0.3 * 1.1)
    assert totals.fibre == pytest.approx(0.5 * totals.area)


# -- area and mass against closed forms, to 0.1 %


@pytest.mark.parametrize(
    ("kind", "sizes", "area"),
    [
        ("panel", {"length": 1.2, "width": 0.8, "corner_radius": 0.1}, 0.96 - (4 - math.pi) * 0.01),
        ("ring", {"outer_diameter": 1.2, "inner_diameter": 0.7}, math.pi * (0.36 - 0.1225)),
        ("tray", {"length": 0.8, "width": 0.5, "depth": 0.15, "flange": 0.05}, 0.4 + 2 * 0.2 * 1.3),
        # ∫ 2πR cos φ / n R dφ from 10° to 84°, by the trapezia that 12 sides make of it.
        ("gore", {"dome_radius": 1.5, "gores": 8.0, "bottom_angle": 10.0}, None),
    ],
)
def test_area_and_mass_of_starters(kind, sizes, area):
    outline, holes = STARTERS[kind].make(**sizes)
    if area is None:
        area = 2 * math.pi * 1.5**2 / 8 * (math.sin(math.radians(84)) - math.sin(math.radians(10)))
        area *= 1 - math.radians(74 / 12) ** 2 / 12  # trapezium rule
    job = Job(
        part=Part(outline=outline, holes=holes),
        materials={"uni": UNI, "foam": FOAM},
        stack=(Layer(id="a", material="uni"), Layer(id="b", material="foam"), Layer(id="c", material="uni")),
    )
    totals = part_totals(job)
    assert totals.area == pytest.approx(area, rel=1e-3)
    assert totals.fibre == pytest.approx(2 * 0.5 * area, rel=1e-3)
    assert totals.core == pytest.approx(1.0 * area, rel=1e-3)
    # V_f 0.5: as much resin volume as fibre volume, at 1100 kg/m³.
    assert totals.resin == pytest.approx(area * 2 * 0.5 / 2500 * 1100, rel=1e-3)
    assert totals.mass == pytest.approx(totals.fibre + totals.core + totals.resin)


def test_the_masses_of_a_part_are_those_of_plies_core_coat_and_resin():
    """By hand: two plies of 0.5 kg/m² at V_f 0.5, foam of 1 kg/m², a coat of 0.6 kg/m²; peel ply comes off again."""
    job = panel(("skin-coat-05", 0, {}), ("uni", 0, {}), ("foam", 0, {}), ("uni", 0, {}), ("peel-85", 0, {}))
    totals = part_totals(job)
    resin = 2 * 0.5 / 2500 * 1100
    assert (totals.fibre, totals.core, totals.other) == pytest.approx((0.5, 0.5, 0.3))
    assert totals.resin == pytest.approx(0.5 * resin)
    assert totals.mass == pytest.approx(0.5 * (1.0 + 1.0 + 0.6 + resin))
    told = stack_figures(job, zone_stack(job, ""))
    assert told.fibre_mass == pytest.approx(1.0 / (1.0 + resin))
    assert told.mass == pytest.approx(1.0 + 1.0 + 0.6 + resin)
    assert told.thickness == pytest.approx(2 * 0.5 / 2500 / 0.5 + 0.01 + 0.0005)


def test_rounded_corners_turn_inward_too_and_refuse_what_does_not_fit():
    tray, _ = STARTERS["tray"].make(length=0.8, width=0.5, depth=0.15, flange=0.05)
    soft = rounded(tray, 0.05)
    # Eight outside corners lose (1 − π/4) r², four inside ones gain it.
    assert geometry.area(soft) == pytest.approx(geometry.area(tray) - (8 - 4) * (1 - math.pi / 4) * 0.05**2)
    with pytest.raises(OutlineError, match="does not fit the corner"):
        rounded(tray, 0.3)
    with pytest.raises(OutlineError, match="Length must be more than nothing"):
        STARTERS["panel"].make(length=0, width=1, corner_radius=0)


# -- what a stack comes to


def test_fibre_by_angle_symmetry_and_balance():
    cross = (Direction(angle_deg=45, share=0.5), Direction(angle_deg=-45, share=0.5))
    biax = UNI.replaced(directions=cross)
    job = panel(("uni", 0, {}), ("bi", 0, {}), ("mat-450", 0, {}), ("uni", 30, {}), materials={"bi": biax})
    stack = zone_stack(job, "rim")
    fibre = rosette(stack, job)
    whole = 0.5 * 3 + 0.45
    expected = {0.0: 0.5, 45.0: 0.25, -45.0: 0.25, 30.0: 0.5}
    assert dict(fibre.shares) == pytest.approx({a: m / whole for a, m in expected.items()})
    assert fibre.every_way == pytest.approx(0.45 / whole)
    assert imbalance(fibre) == pytest.approx(0.5 / whole)
    assert unmatched(stack, job) == (0, 3)
    even = panel(("uni", 30, {}), ("uni", -30, {}), ("uni", 150, {}), ("uni", -150, {}))
    even_stack = zone_stack(even, "rim")
    assert imbalance(rosette(even_stack, even)) == pytest.approx(0.0)
    assert unmatched(even_stack, even) is None  # −30 and 150 are one direction, as are 30 and −150


def test_main_direction_and_permeance():
    job = panel(("uni", 30, {}), ("uni", 30, {}))
    flow = flow_of(zone_stack(job, "rim"))
    assert flow.angle_deg == pytest.approx(30)
    assert flow.k_main == pytest.approx(2e-10)
    assert flow.k_across == pytest.approx(1e-10)
    thickness = 0.5 / (2500 * 0.5)
    assert flow.permeance == pytest.approx(1e-12 / (2 * thickness))
    assert flow_of(zone_stack(panel(("foam", 0, {})), "rim")).permeance == 0.0


def test_loose_thickness_is_that_of_the_compaction_law():
    soft = UNI.replaced(compaction_exponent=0.1)
    job = panel(("s", 0, {}), ("foam", 0, {}), materials={"s": soft})
    stack = zone_stack(job, "rim")
    vf = 0.5 * (1000 / UNI.p_ref) ** 0.1
    assert loose_thickness(stack, job) == pytest.approx(0.5 / (2500 * vf) + 0.01)
    assert stack_figures(job, stack).loose > stack.thickness


def test_a_closed_mould_holds_the_plies_to_its_cavity():
    job = panel(("uni", 0, {}), ("uni", 0, {}), cavity=0.001)
    job = change(job, process="light RTM")
    stack = zone_stack(job, "rim")
    assert stack.thickness == pytest.approx(0.001)
    assert stack.fibre_fraction == pytest.approx(2 * 0.5 / (2500 * 0.001))  # Σ m / (ρ_f H)


def test_core_uptake_is_parted_and_opens_on_a_curve():
    core = Core(
        name="scored", thickness=0.02, density=80, hole_diameter=0.002, hole_pitch=0.02, surface_uptake=1e-4,
        scores=Scores(ways=1, width=0.001, depth=0.018, pitch=0.03),
    )  # fmt: skip
    flat, bent = core_uptake(core), core_uptake(core, 0.5)
    assert flat.scores == pytest.approx(0.018 * 0.001 / 0.03)
    assert flat.holes == pytest.approx(math.pi / 4 * 0.002**2 / 0.02**2 * 0.02)
    assert flat.faces == 1e-4
    # A wedge of mouth d·pitch/R = 1.08 mm more: half of it times the depth, every pitch.
    assert bent.scores - flat.scores == pytest.approx(0.018 * 0.018 * 0.03 / 0.5 / 2 / 0.03)
    layer = Layer(id="c", material="c", curve=0.5)
    state = layer_state(layer, panel(("c", 0, {}), materials={"c": core}))
    assert state.pores == pytest.approx(bent.total)
    along = layer_state(layer, Job(part=Part(outline=box(0, 0, 1, 1)), materials={"c": core})).k_plane
    assert along[0, 0] > 0
    assert along[1, 1] == 0  # scored one way only


def test_steps_and_bevels():
    job = panel(("uni", 0, {}), ("foam", 0, {"zones": ("left",), "bevel": 0.02}), zones=(left("cored"),))
    (step,) = steps(job)
    assert step.height == pytest.approx(0.01)
    assert step.line.length == pytest.approx(0.5, abs=1e-5)
    assert step.middle == pytest.approx((0.4, 0.25))
    assert step.bevel == 0.02


def test_needs_count_copies_waste_seams_and_sheets():
    job = panel(
        ("uni", 0, {"seams": (Seam(path=((0.5, 0), (0.5, 0.5))),), "overlap": 0.02}),
        ("foam", 0, {"zones": ("left",)}), zones=(left("cored"),), copies=3, mirror_copies=2,
    )  # fmt: skip
    uni, foam = needs(job)
    assert uni.laid == pytest.approx(5 * 0.5)
    assert uni.bought == pytest.approx(5 * (0.5 + 0.5 * 0.02) * 1.12)
    assert uni.length == pytest.approx(uni.bought / 1.27)
    assert uni.cost == pytest.approx(uni.bought * 10)
    assert foam.sheets == math.ceil(5 * 0.2 * 1.12 / 0.72)
    with_mesh = change(demo_job(), lines=())
    assert isinstance(with_mesh.materials[needs(with_mesh)[-1].material], FlowMesh)


def test_the_charge_follows_laps_and_cut_outs():
    bare = panel(("uni", 0, {}))
    resin = library()["epoxy-slow"]
    cut = Zone(id="cut", name="Hatch", area=Drawn(outline=box(0.7, 0.2, 0.8, 0.3)), kind="cut-out")
    whole = charge(change(bare, resin=resin)).sinks[0].mass
    less = charge(change(bare, resin=resin, part=bare.part.replaced(zones=(cut,)))).sinks[0].mass
    assert less / whole == pytest.approx(0.49 / 0.5)


# -- ways to make it


def test_ways_to_make_it_and_where_they_break_even():
    job = change(demo_job(), rates=Rates(quantity=10, labour=50))
    costs = {c.route.name: c for c in compare(job)}
    infusion = costs["infusion"]
    area = part_totals(job).area
    assert infusion.hours == pytest.approx(2.0 + 1.6 * area)
    assert infusion.labour == pytest.approx(50 * infusion.hours)
    assert infusion.each == pytest.approx(infusion.running + infusion.tooling / 10)
    for low, high, quantity in break_evens(tuple(costs.values())):
        a, b = costs[low], costs[high]
        first = {c.route.name: c.tooling for c in (a, b)}
        assert a.running + first[low] / quantity >= b.running + first[high] / quantity - 1e-6
        if quantity > 1:
            less = quantity - 1
            assert a.running + first[low] / less < b.running + first[high] / less
    two_faces = compare(change(job, rates=Rates(faces=2)))
    assert not two_faces[-1].fits
    assert two_faces[0].route.faces == 2


# -- findings


def corner(kind, radius):
    return MouldCorner(id="C", kind=kind, radius=radius, path=((0.5, 0.1), (0.8, 0.1)))


CASES = [
    ("bridge an inside corner", lambda: panel(("biax-600", 0, {}), ("biax-600", 0, {}), corners=(corner("inside", 0.001),))),
    ("wrinkle over an outside corner", lambda: panel(*[("biax-600", 0, {})] * 8, corners=(corner("outside", 0.003),))),
    ("lie in the same place", lambda: panel(
        ("uni", 0, {"seams": (Seam(path=((0.5, 0), (0.5, 0.5))),)}), ("uni", 0, {"seams": (Seam(path=((0.52, 0), (0.52, 0.5))),)}))),
    ("overlap too little", lambda: panel(("uni", 0, {"seams": (Seam(path=((0.5, 0), (0.5, 0.5))),), "overlap": 0.004}))),
    ("overlap too much", lambda: panel(("uni", 0, {"seams": (Seam(path=((0.5, 0), (0.5, 0.5))),), "overlap": 0.08}))),
    ("Layer 3 stops at the core's edge", lambda: panel(
        ("uni", 0, {}), ("foam", 0, {"zones": ("left",), "bevel": 0.02}), ("uni", 0, {"zones": ("left",)}), zones=(left("cored"),))),
    ("core's edge has no bevel", lambda: panel(("foam", 0, {"zones": ("left",)}), zones=(left("cored"),))),
    ("core's edge is too steep", lambda: panel(("foam", 0, {"zones": ("left",), "bevel": 0.005}), zones=(left("cored"),))),
    ("not balanced", lambda: panel(("uni", 30, {}), ("uni", 30, {}))),
    ("not the same from both sides", lambda: panel(("uni", 0, {}), ("uni", 90, {}))),
    ("Chopped mat 450 slows", lambda: panel(("uni", 0, {}), ("mat-450", 0, {}))),
    ("Tight weave slows", lambda: panel(("uni", 0, {}), ("t", 0, {}), materials={
        "t": UNI.replaced(name="Tight weave", k3=1e-13)})),
    ("no way to the skin below", lambda: panel(("uni", 0, {}), ("foam", 0, {}), ("uni", 0, {}))),
    ("too full", lambda: change(panel(*[("uni", 0, {})] * 4, cavity=0.001), process="light RTM")),
    ("too empty", lambda: change(panel(("uni", 0, {}), cavity=0.004), process="light RTM")),
    ("More tack spray", lambda: panel(("uni", 0, {}), *[("tack-spray", 0, {})] * 3, ("uni", 0, {}))),
    ("thickness steps", lambda: panel(("uni", 0, {}), ("foam", 0, {"zones": ("left",)}), zones=(left("cored"),))),
    ("heavier than its target", lambda: panel(("uni", 0, {}), target_mass=0.1)),
    ("runs through Rail", lambda: change(
        panel(("uni", 0, {}), zones=(left("keep-out").replaced(name="Rail"),)),
        lines=(FlowLine(id="F", label="F", role="feed", path=((0.1, 0.1), (0.9, 0.1))),))),
]  # fmt: skip


@pytest.mark.parametrize(("told", "job"), CASES, ids=[c[0] for c in CASES])
def test_each_fault_is_found_with_number_and_place(told, job):
    found = [f for f in find(Evidence(job())) if told in f.title]
    assert len(found) == 1, titles(job())
    assert found[0].number
    assert found[0].limit
    x, y = found[0].places[0]
    assert -0.01 <= x <= 1.01
    assert -0.01 <= y <= 0.51


def test_a_sound_part_has_no_such_finding():
    job = panel(
        ("biax-600", 0, {"seams": (Seam(path=((0.7, 0), (0.7, 0.5))),), "overlap": 0.02}),
        ("foam-15-grooved", 0, {"zones": ("left",), "bevel": 0.02}),
        ("biax-600", 0, {"seams": (Seam(path=((0.8, 0), (0.8, 0.5))),), "overlap": 0.02}),
        zones=(left("cored"),), corners=(corner("inside", 0.02), corner("outside", 0.03).replaced(id="D")),
        target_mass=20.0,
    )  # fmt: skip
    assert titles(job) == []
    spray = TackSpray(name="spray", areal_mass=0.006, most=0.015)
    two = panel(("uni", 0, {}), ("s", 0, {}), ("s", 0, {}), ("uni", 0, {}), materials={"s": spray})
    assert titles(two) == []


# -- shapes, zones and variants


def two_zones():
    return (
        Zone(id="a", name="A", area=Drawn(outline=box(0.1, 0.1, 0.5, 0.4))),
        Zone(id="b", name="B", area=Drawn(outline=box(0.4, 0.2, 0.8, 0.3))),
    )


@pytest.mark.parametrize(
    ("act", "area"), [("join", 0.12 + 0.04 - 0.01), ("take away", 0.12 - 0.01), ("keep common", 0.01)]
)
def test_zones_are_joined_taken_and_kept(act, area):
    job = panel(("uni", 0, {"zones": ("a",)}), ("uni", 0, {"zones": ("b",)}), zones=two_zones())
    out = combine_zones(job, "a", "b", act)
    first = out.part.zones[0]
    assert isinstance(first.area, Drawn)
    bored = sum((geometry.area(h) for h in first.area.holes), 0.0)
    assert geometry.area(first.area.outline) - bored == pytest.approx(area)
    assert [z.id for z in out.part.zones] == (["a"] if act == "join" else ["a", "b"])
    if act == "join":
        assert all(x.zones == ("a",) for x in out.stack)


def test_zones_in_pieces_or_empty_are_refused():
    split = Zone(id="c", name="C", area=Drawn(outline=box(0.2, 0, 0.3, 0.5)))
    job = panel(("uni", 0, {}), zones=(*two_zones(), split))
    with pytest.raises(OutlineError, match="in 2 pieces, one at x"):
        combine_zones(job, "a", "c", "take away")
    with pytest.raises(OutlineError, match="Nothing is left of A"):
        combine_zones(combine_zones(job, "a", "b", "keep common"), "a", "c", "keep common")


def test_a_zone_round_another_and_one_from_a_ply():
    job = panel(("uni", 0, {"outline": box(0.2, 0.1, 0.5, 0.4)}), zones=two_zones()[:1])
    wider = offset_zone(job, "a", 0.05)
    assert [z.name for z in wider.part.zones] == ["A edge", "A"]
    assert regions(wider.part).zones["zone1"].area == pytest.approx(0.5 * 0.4 - 0.12)
    under = zone_from_ply(job, 0)
    assert under.part.zones[-1].name == "Under uni"
    assert geometry.area(under.part.zones[-1].area.outline) == pytest.approx(0.09)


def test_the_mirror_part_is_the_same_seen_in_a_mirror():
    job = demo_job()
    other = mirrored(job)
    assert part_totals(other).mass == pytest.approx(part_totals(job).mass)
    assert (other.part.copies, other.part.mirror_copies) == (0, 8)
    assert other.stack[1].angle_deg == -90
    x0, _, x1, _ = regions(job.part).whole.bounds
    assert other.lines[0].path[0][0] == pytest.approx(x0 + x1 - job.lines[0].path[0][0])
    again = mirrored(other)
    assert again.lines == job.lines
    assert regions(again.part).whole.symmetric_difference(regions(job.part).whole).area < 1e-9


def test_a_starter_drops_zones_that_find_no_room():
    job = panel(("uni", 0, {}), ("foam", 0, {"zones": ("b",)}), zones=two_zones())
    small = start_from(job, "strip", {"length": 0.3, "width": 0.35})
    assert [z.id for z in small.part.zones] == ["a"]
    assert [x.material for x in small.stack] == ["uni"]
    assert geometry.area(round_corners(small, 0.05).part.outline) < geometry.area(small.part.outline)


def test_variants_are_kept_swapped_and_compared():
    job = keep_variant(panel(("uni", 0, {})), "Single")
    job = change(job, stack=(*job.stack, Layer(id="L2", material="uni")))
    swapped = swap_variant(job, "plan1", "Double")
    assert len(swapped.stack) == 1
    assert swapped.variants[0].name == "Double"
    assert len(swapped.variants[0].job.stack) == 2
    rows = compared(swapped)
    assert [r.name for r in rows] == ["this plan", "Double"]
    assert rows[1].mass == pytest.approx(2 * rows[0].mass)
    assert rows[0].fill_time is None
    assert "resin" in rows[0].problem
    with pytest.raises(ValueError, match="no variants of its own"):
        Variant(id="x", name="x", job=job)
    assert drop_variant(rename_variant(swapped, "plan1", "X"), "plan1").variants == ()
