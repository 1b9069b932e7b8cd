"""Stacks of whatever a shop has on its shelf: sums, turns and pressures, by the balances that any laminate keeps."""

from __future__ import annotations

import itertools
import math
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from bibulon.core.edit.anew import anew
from bibulon.core.flow.build.tubes import bore_conductance
from bibulon.core.geometry import outline as geometry
from bibulon.core.leak.volume import bag_volume
from bibulon.core.library.catalogue import library, resins
from bibulon.core.library.demo import demo_job
from bibulon.core.lines.linelist import line_length
from bibulon.core.model.job import Conditions, Corner, FlowLine, Job, Layer, Part
from bibulon.core.model.materials import Fabric
from bibulon.core.resin.charge import charge
from bibulon.core.stack.laminate import compaction_pressure, layer_state, zone_stack
from bibulon.core.stack.totals import part_totals, stack_figures

SHELF: dict[str, Any] = dict(library())
CLOTHS = sorted(k for k, m in SHELF.items() if m.kind == "fabric")
LAID = sorted(k for k, m in SHELF.items() if m.kind in {"fabric", "core", "porous", "peel"})
RESIN = next(iter(resins().values()))
PANEL = tuple(Corner(x=x, y=y) for x, y in ((0, 0), (1.2, 0), (1.2, 0.7), (0, 0.7)))

plies = st.tuples(st.sampled_from(CLOTHS), st.sampled_from((0.0, 30.0, 45.0, -45.0, 90.0)))
stacks = st.lists(plies, min_size=1, max_size=7)


def job_of(layers, vacuum=2000.0, **fields):
    return Job(
        part=Part(outline=PANEL), resin=RESIN, materials={k: SHELF[k] for k, _ in layers},
        stack=tuple(Layer(id=f"L{n}", material=k, angle_deg=a) for n, (k, a) in enumerate(layers)),
        conditions=Conditions(vacuum=vacuum), **fields,
    )  # fmt: skip


def rim(job):
    return zone_stack(job, "rim")


@given(stacks)
@settings(max_examples=40)
def test_a_stack_is_the_sum_of_its_plies(layers):
    job = job_of(layers)
    whole = rim(job)
    single = [rim(job_of([layer])) for layer in layers]
    for name in ("thickness", "dry_mass", "pores", "price"):
        assert getattr(whole, name) == pytest.approx(sum(getattr(s, name) for s in single), rel=1e-12), name
    areal = sum(SHELF[k].areal_mass for k, _ in layers)
    assert whole.dry_mass == pytest.approx(areal, rel=1e-12)
    # A ply's room is fibre and resin: h = m/ρ + pores.
    fibre = sum(SHELF[k].areal_mass / SHELF[k].fibre_density for k, _ in layers)
    assert whole.thickness == pytest.approx(fibre + whole.pores, rel=1e-9)
    assert whole.fibre_fraction == pytest.approx(fibre / whole.thickness, rel=1e-9)


@given(stacks, st.randoms(use_true_random=False))
@settings(max_examples=30)
def test_the_order_of_plies_changes_no_sum(layers, shuffled):
    mixed = list(layers)
    shuffled.shuffle(mixed)
    a, b = (
        stack_figures(job_of(layers), rim(job_of(layers))),
        stack_figures(job_of(mixed), rim(job_of(mixed))),
    )
    for name in ("thickness", "fibre_volume", "fibre_mass", "mass", "resin", "cost"):
        assert getattr(a, name) == pytest.approx(getattr(b, name), rel=1e-9), name


@given(st.sampled_from(CLOTHS), st.floats(-90, 90), st.floats(-90, 90))
@settings(max_examples=40)
def test_a_turned_ply_keeps_its_two_permeabilities_and_turns_their_directions(key, angle, more):
    first, turned = (
        layer_state(job_of([(key, a)]).stack[0], job_of([(key, a)])) for a in (angle, angle + more / 2)
    )
    assert np.linalg.eigvalsh(first.k_plane) == pytest.approx(np.linalg.eigvalsh(turned.k_plane), rel=1e-9)
    c, s = math.cos(math.radians(more / 2)), math.sin(math.radians(more / 2))
    turn = np.array([[c, -s], [s, c]])
    assert turned.k_plane == pytest.approx(turn @ first.k_plane @ turn.T, rel=1e-9, abs=1e-20)
    assert turned.k_through == pytest.approx(first.k_through)
    half = layer_state(job_of([(key, angle - 90)]).stack[0], job_of([(key, angle - 90)]))
    back = layer_state(job_of([(key, angle + 90)]).stack[0], job_of([(key, angle + 90)]))
    assert half.k_plane == pytest.approx(back.k_plane, rel=1e-9, abs=1e-20)  # fibres run both ways


@given(stacks, st.floats(500.0, 60_000.0), st.floats(500.0, 60_000.0))
@settings(max_examples=40)
def test_a_deeper_vacuum_packs_tighter_and_lets_less_through(layers, a, b):
    deep, shallow = (job_of(layers, vacuum=v) for v in sorted((a, b)))
    assert compaction_pressure(deep) >= compaction_pressure(shallow)
    tight, loose = rim(deep), rim(shallow)
    assert tight.thickness <= loose.thickness * (1 + 1e-12)
    assert tight.fibre_fraction >= loose.fibre_fraction * (1 - 1e-12)
    assert tight.dry_mass == pytest.approx(loose.dry_mass)
    assert charge(deep).total <= charge(shallow).total * (1 + 1e-9)
    for x, y in zip(tight.layers, loose.layers, strict=True):
        assert np.trace(x.k_plane) <= np.trace(y.k_plane) * (1 + 1e-9)
        assert x.k_through <= y.k_through * (1 + 1e-9)


@given(st.sampled_from(CLOTHS), st.floats(0.3, 3.0))
@settings(max_examples=30)
def test_compaction_is_the_power_of_the_pressure(key, factor):
    """V_f = V_ref (p / p_ref)^B, until the closest packing."""
    cloth = SHELF[key]
    assert isinstance(cloth, Fabric)
    pressure = min(factor * cloth.p_ref, 101_000.0)
    job = job_of([(key, 0.0)], vacuum=101_325.0 - pressure)
    wanted = cloth.vf_ref * (compaction_pressure(job) / cloth.p_ref) ** cloth.compaction_exponent
    state = layer_state(job.stack[0], job)
    assert 1 - state.porosity == pytest.approx(min(wanted, 0.95), rel=1e-6)


@given(st.lists(st.tuples(st.sampled_from(LAID), st.just(0.0)), min_size=1, max_size=5), st.floats(0.5, 3.0))
@settings(max_examples=25)
def test_a_larger_part_takes_more_by_its_area(layers, scale):
    job = job_of(layers)
    large = anew(job, "Large", scale=scale)
    assert geometry.area(large.part.outline) == pytest.approx(scale**2 * geometry.area(PANEL), rel=1e-6)
    small, big = part_totals(job), part_totals(large)
    for name in ("area", "fibre", "core", "resin"):
        assert getattr(big, name) == pytest.approx(scale**2 * getattr(small, name), rel=1e-6, abs=1e-9), name


@given(st.floats(0.002, 0.03), st.floats(0.1, 9.0))
def test_a_tube_passes_by_the_fourth_power_of_its_bore(bore, length):
    one = float(bore_conductance(bore, length))
    assert float(bore_conductance(2 * bore, length)) == pytest.approx(16 * one)
    assert float(bore_conductance(bore, 2 * length)) == pytest.approx(one / 2)
    # Mean speed r² Δp / (8 μ L), over the bore's own area.
    r = bore / 2
    assert one == pytest.approx(r**2 / (8 * length) * math.pi * r**2)


@given(
    st.lists(st.tuples(st.floats(0.05, 1.15), st.floats(0.05, 0.65)), min_size=2, max_size=6),
    st.floats(0.004, 0.02),
)
@settings(max_examples=30)
def test_lines_hold_what_their_bores_hold(points, bore):
    path = tuple((round(x, 3), round(y, 3)) for x, y in points)
    bare = job_of([(CLOTHS[0], 0.0)])
    line = FlowLine(id="F1", label="F1", role="feed", path=path, bore=bore, hose_bore=0.008, hose_length=1.5)
    laid = bare.replaced(lines=(line,))
    length = sum(math.dist(a, b) for a, b in itertools.pairwise(path))
    assert line_length(laid, line) == pytest.approx(length, rel=1e-9)
    held = bag_volume(laid)
    assert held.get("lines", 0.0) == pytest.approx(math.pi / 4 * bore**2 * length, rel=1e-9)
    assert held["hoses"] == pytest.approx(math.pi / 4 * 0.008**2 * 1.5, rel=1e-9)
    assert held["plies, core and mesh"] == pytest.approx(bag_volume(bare)["plies, core and mesh"], rel=1e-9)


def test_the_demo_s_resin_is_what_its_layers_and_lines_have_room_for():
    """Each sink by hand: room in the plies by area and zone, room in bores; the margin is on all of them."""
    job = demo_job()
    plan = charge(job)
    named = {s.name: s.mass for s in plan.sinks}
    rest = sum(mass for name, mass in named.items() if name != "Margin")
    assert named["Margin"] == pytest.approx(job.charge.margin * rest, rel=1e-9)
    bores = sum(math.pi / 4 * x.bore**2 * line_length(job, x) for x in job.lines)
    hoses = sum(math.pi / 4 * x.hose_bore**2 * x.hose_length for x in job.lines if x.role == "feed")
    assert named["Lines"] == pytest.approx(
        (bores + hoses) * job.resin.density, rel=0.35
    )  # spiral tube is part open
    assert plan.total == pytest.approx(sum(named.values()), rel=1e-12)
