"""Heat with reaction through the thickness: closed forms, an independent solution, and what a part's places come to."""

from __future__ import annotations

import json
import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.integrate import solve_ivp

from bibulon.cli.main import main
from bibulon.core.cure.heat import air_beside, cure, glass_transition, oven_air
from bibulon.core.cure.places import course_at, cure_of
from bibulon.core.cure.section import AROUND, Slab, cells_of, section_of
from bibulon.core.flow.forecast import COARSE, forecast
from bibulon.core.library.demo import demo_job
from bibulon.core.library.mould_demo import mould_demo_job
from bibulon.core.model.cure import CurePlan, CureStep
from bibulon.core.model.materials import CastroMacosko, ConstantViscosity
from bibulon.core.resin.clock import cure_course
from bibulon.store.jobfile import save

GAS = 8.314462618
RESIN = demo_job().resin
LAW = RESIN.viscosity.cure
OPEN = CurePlan(h_tool=8.0, h_bag=8.0)


def still(value):
    return lambda _t: value


def laminate(thickness, resin=600.0, k=0.35, rho_c=2.0e6):
    return (Slab("plies", thickness, k, rho_c, resin),)


def one(
    slabs,
    plan=OPEN,
    *,
    room=293.15,
    start=293.15,
    alpha=0.0,
    until=86_400.0,
    resin=RESIN,
    finer=1,
    most=0.006,
):
    return cure(
        cells_of(slabs, plan, finer),
        resin,
        still(room),
        np.array([alpha]),
        np.array([start]),
        until,
        most=most,
    )


# -- closed forms


def test_conduction_alone_is_the_series_of_a_slab():
    """No heat of reaction, faces held at once: T = Σ 4/(πn) sin(nπz/L) e^(−n²π²at/L²) (Carslaw and Jaeger)."""
    thick, k, rho_c = 0.02, 0.3, 2.0e6
    cold = RESIN.replaced(heat=1e-6)
    held = CurePlan(h_tool=1e9, h_bag=1e9)
    found = one(
        laminate(thick, k=k, rho_c=rho_c), held, room=293.15, start=353.15, until=1200.0, resin=cold, finer=3
    )
    middle = found.temperature[:, 0, found.temperature.shape[2] // 2]
    n = np.arange(1, 200, 2)
    z = (found.temperature.shape[2] // 2 + 0.5) / found.temperature.shape[2]
    for t in (200.0, 400.0, 800.0):
        series = (
            4 / (np.pi * n) * np.sin(n * np.pi * z) * np.exp(-(n**2) * np.pi**2 * k / rho_c * t / thick**2)
        ).sum()
        got = float(np.interp(t, found.time, middle))
        assert (got - 293.15) / 60 == pytest.approx(series, abs=0.005)


def test_a_wall_that_loses_nothing_warms_by_all_its_heat():
    """Adiabatic: ΔT = ρ_r H Δα / ρc, to the end."""
    shut = CurePlan(h_tool=1e-9, h_bag=1e-9)
    found = one(laminate(0.02), shut, until=5 * 86_400.0)
    rise = 600.0 * RESIN.heat / 2.0e6
    end = float(found.alpha[-1].mean())
    assert end > 0.97
    assert float(found.temperature[-1].mean()) - 293.15 == pytest.approx(rise * end, rel=2e-3)


def test_thin_and_well_cooled_it_cures_as_at_one_temperature():
    def rate(_t, a):
        k1, k2 = LAW.a1 * math.exp(-LAW.e1 / (GAS * 298.15)), LAW.a2 * math.exp(-LAW.e2 / (GAS * 298.15))
        return (k1 + k2 * max(a[0], 0.0) ** LAW.m) * (1 - a[0]) ** LAW.n

    course = solve_ivp(rate, (0, 40_000), [0.0], rtol=1e-9, atol=1e-11, dense_output=True)
    assert course.sol is not None
    cooled = CurePlan(h_tool=1e6, h_bag=1e6)
    found = one(laminate(0.0002), cooled, room=298.15, start=298.15, until=40_000.0)
    times = np.linspace(0, 40_000, 40_001)
    gel = times[int(np.argmax(course.sol(times)[0] >= RESIN.viscosity.alpha_gel))]
    assert found.gel[0] == pytest.approx(gel, rel=0.003)
    assert found.peak[0] < 298.15 + 0.1


def test_demould_is_read_between_the_moments_that_are_kept():
    """At one temperature the moment follows from the law alone; the steps in which it is followed hide nothing of it."""
    plain = RESIN.replaced(glass_uncured=None, glass_cured=None)
    k = LAW.a1 * math.exp(-LAW.e1 / (GAS * 298.15)), LAW.a2 * math.exp(-LAW.e2 / (GAS * 298.15))
    course = solve_ivp(
        lambda _t, a: (k[0] + k[1] * max(a[0], 0.0) ** LAW.m) * (1 - a[0]) ** LAW.n, (0, 200_000), [0.0],
        rtol=1e-9, atol=1e-11, dense_output=True,
    )  # fmt: skip
    assert course.sol is not None
    times = np.linspace(0, 200_000, 200_001)
    plan = CurePlan(h_tool=1e6, h_bag=1e6, demould_alpha=0.8)
    wanted = times[int(np.argmax(course.sol(times)[0] >= 0.8))]
    for most in (0.009, 0.02):
        found = one(
            laminate(0.0002), plan, room=298.15, start=298.15, until=200_000.0, resin=plain, most=most
        )
        assert found.demould(plan, plain)[0] == pytest.approx(wanted, rel=1e-3)


def test_a_turn_of_the_oven_is_not_stepped_over():
    """A cured wall goes with slow air as its own inertia has it, though nothing cures that would ask for short steps."""
    plan = CurePlan(
        h_tool=8.0, h_bag=8.0, oven_after=30 * 3600.0, steps=(CureStep(temperature=333.15, ramp=40 / 3600, hold=1200.0),)
    )  # fmt: skip
    cold = RESIN.replaced(heat=1e-6)
    cells = cells_of(laminate(0.004), plan)
    air = air_beside(plan, 293.15)
    found = cure(cells, cold, air, np.array([0.9]), np.array([293.15]), 40 * 3600.0)
    inertia = 0.004 * 2.0e6 / (2 * 8.0)  # s: thin, so that it is at one temperature
    run = solve_ivp(
        lambda t, y: (air(t).mean() - y) / inertia, (0, 40 * 3600.0), [293.15], rtol=1e-8, max_step=60.0,
        t_eval=np.minimum(found.time, 40 * 3600.0),
    )  # fmt: skip
    middle = found.temperature[:, 0].mean(axis=1)
    assert middle.max() > 325
    assert np.abs(middle - run.y[0]).max() < 0.8


# -- an independent solution


@pytest.mark.parametrize("thick", [0.004, 0.015, 0.03])
def test_against_a_fine_method_of_lines(thick):
    """Own cells (four times as many), LSODA at 1e-8: peak to 1 % of its rise, times to 1 %."""
    tool, k, rho_c, mass = 0.01, 0.35, 2.0e6, 600.0
    slabs = (Slab("tool", tool, 0.3, 1.9e6), *laminate(thick, mass, k, rho_c))
    n_tool, n = 24, 96
    h = np.r_[np.full(n_tool, tool / n_tool), np.full(n, thick / n)]
    kk, cc = np.r_[np.full(n_tool, 0.3), np.full(n, k)], np.r_[np.full(n_tool, 1.9e6), np.full(n, rho_c)]
    between = 2 / (h[1:] / kk[1:] + h[:-1] / kk[:-1])
    ends = (1 / (1 / 8 + h[0] / 2 / kk[0]), 1 / (1 / 8 + h[-1] / 2 / kk[-1]))

    def f(_t, y):
        temp, a = y[: n_tool + n], np.clip(y[n_tool + n :], 0, 1)
        warm = temp[n_tool:]
        r = (LAW.a1 * np.exp(-LAW.e1 / (GAS * warm)) + LAW.a2 * np.exp(-LAW.e2 / (GAS * warm)) * a**LAW.m) * (
            1 - a
        ) ** LAW.n
        q = between * np.diff(temp)
        net = np.zeros(n_tool + n)
        net[:-1] += q
        net[1:] -= q
        net[0] += ends[0] * (293.15 - temp[0])
        net[-1] += ends[1] * (293.15 - temp[-1])
        net[n_tool:] += mass * h[n_tool:] * RESIN.heat * r
        return np.r_[net / (cc * h), r]

    y0 = np.r_[np.full(n_tool + n, 293.15), np.zeros(n)]
    run = solve_ivp(f, (0, 30_000), y0, method="BDF", rtol=1e-7, atol=1e-8, dense_output=True)
    times = np.linspace(0, 30_000, 12_001)
    assert run.sol is not None
    warm = run.sol(times)[n_tool : n_tool + n].max(axis=0)
    found = one(slabs, until=30_000.0)
    assert found.peak[0] - 293.15 == pytest.approx(warm.max() - 293.15, rel=0.01)
    assert found.peak_at[0] == pytest.approx(times[warm.argmax()], rel=0.01)
    alphas = run.sol(times)[n_tool + n :].min(axis=0)
    gel = times[np.argmax(alphas >= RESIN.viscosity.alpha_gel)]
    assert found.gel[0] == pytest.approx(gel, rel=0.01)


@settings(max_examples=8, deadline=None)
@given(st.floats(0.002, 0.03), st.floats(283, 303), st.floats(0.0, 0.3))
def test_half_the_cells_and_steps_tell_the_same(thick, room, alpha):
    coarse = one(laminate(thick), room=room, start=room, alpha=alpha, until=40_000.0)
    fine = one(laminate(thick), room=room, start=room, alpha=alpha, until=40_000.0, finer=2, most=0.003)
    assert abs(coarse.peak[0] - fine.peak[0]) < 0.3
    assert coarse.gel[0] == pytest.approx(fine.gel[0], rel=0.005, abs=2.0)


def test_places_that_share_a_section_are_reckoned_as_alone():
    cells = cells_of(laminate(0.012), OPEN)
    together = cure(cells, RESIN, still(295.0), np.array([0.0, 0.2, 0.4]), np.full(3, 295.0), 20_000.0)
    for k, a in enumerate((0.0, 0.2, 0.4)):
        alone = cure(cells, RESIN, still(295.0), np.array([a]), np.full(1, 295.0), 20_000.0)
        assert together.peak[k] == pytest.approx(alone.peak[0], abs=0.1)
        assert together.gel[k] == pytest.approx(alone.gel[0], rel=0.005)


def test_older_resin_gels_sooner_and_thick_is_hotter_than_thin():
    cells = cells_of(laminate(0.01), OPEN)
    ages = cure(cells, RESIN, still(293.15), np.array([0.0, 0.1, 0.3]), np.full(3, 293.15), 30_000.0)
    assert ages.gel[0] > ages.gel[1] > ages.gel[2]
    assert one(laminate(0.03), until=30_000.0).peak[0] > one(laminate(0.004), until=30_000.0).peak[0] + 5


# -- glass, oven, demould


def test_the_glass_transition_runs_from_uncured_to_cured():
    made = RESIN.replaced(glass_uncured=233.15, glass_cured=358.15, glass_lambda=0.45)
    ends = glass_transition(made, np.array([0.0, 1.0]))
    assert ends == pytest.approx([233.15, 358.15])
    half = 233.15 + 125 * 0.45 * 0.5 / (1 - 0.55 * 0.5)
    assert glass_transition(made, np.array([0.5]))[0] == pytest.approx(half)
    assert glass_transition(RESIN.replaced(glass_uncured=None), np.array([0.5])) is None


def test_an_oven_ramps_holds_and_cools():
    plan = CurePlan(oven_after=3600.0, steps=(CureStep(temperature=333.15, ramp=20 / 3600, hold=7200.0),))
    air = oven_air(plan, 293.15)
    assert air(0.0) == air(3600.0) == 293.15
    assert air(3600.0 + 3600.0) == pytest.approx(313.15)
    assert air(3600.0 + 2 * 3600.0 + 100.0) == pytest.approx(333.15)
    assert air(1e6) == pytest.approx(293.15)
    night = oven_air(CurePlan(night=6.0), 293.15)
    assert night(43_200.0) == pytest.approx(287.15)
    with pytest.raises(ValueError, match="night: must be 60 or less"):
        CurePlan(night=400.0)  # colder than nothing can be


def test_demould_wants_cure_cool_and_glass():
    found = one(laminate(0.001), until=200_000.0, room=293.15, start=293.15)
    plain = found.demould(OPEN, RESIN.replaced(glass_uncured=None))[0]
    assert math.isfinite(plain)
    at = np.searchsorted(found.time, plain)
    assert found.alpha[at:, 0].min() >= OPEN.demould_alpha
    strict = found.demould(OPEN.replaced(demould_alpha=0.97), RESIN.replaced(glass_uncured=None))[0]
    assert strict > plain
    soft = RESIN.replaced(glass_uncured=203.15, glass_cured=300.15)
    assert found.demould(OPEN, soft)[0] >= plain


# -- a part


@pytest.fixture(scope="module")
def shot():
    job = demo_job()
    return job, forecast(job, COARSE)


def places_over(f, count):
    """Some points of the mesh that have cloth, evenly through its numbers."""
    cloth = np.flatnonzero((f.model.node_at >= 0).any(axis=1))
    return [
        tuple(map(float, f.model.mesh.points[k]))
        for k in cloth[np.linspace(0, len(cloth) - 1, count).astype(int)]
    ]


def test_every_zone_is_among_the_places_and_later_resin_gels_later(shot):
    job, f = shot
    places = places_over(f, 40)
    found = cure_of(job, f, places, ranges=False)
    assert {p.zone for p in found} == {"rim", "field", "foot"}
    rim = sorted((p for p in found if p.zone == "rim"), key=lambda p: p.arrived)
    assert rim[-1].gel >= rim[0].gel
    for p in found:
        assert p.arrived < p.first_gel <= p.gel
        assert 0 < p.alpha_end <= 1


def test_demould_has_a_range_that_holds_its_middle(shot):
    job, f = shot
    (p,) = cure_of(job, f, places_over(f, 6)[:1])
    low, middle, high = p.demould
    assert p.gel < low < middle < high


def test_layers_are_those_of_the_zone(shot):
    job, _ = shot
    names = [s.name for s in section_of(job, "field")]
    assert names[0] == "tool"
    assert len(names) > 3
    bare = section_of(job.replaced(cure=CurePlan(tool_thickness=0.0)), "field")
    assert [s.name for s in bare] == names[1:]


def test_what_cannot_be_reckoned_says_why(shot):
    job, f = shot
    plain = job.replaced(resin=job.resin.replaced(viscosity=ConstantViscosity(value=0.2)))
    with pytest.raises(ValueError, match="no cure law"):
        cure_of(plain, f, [(1.0, 0.75)])
    with pytest.raises(ValueError, match="Choose a resin"):
        cure_of(job.replaced(resin=None), f, [(1.0, 0.75)])
    with pytest.raises(ValueError, match="outside the part"):
        cure_of(job, f, [(9.0, 9.0)])
    with pytest.raises(ValueError, match="holds resin"):
        cells_of((Slab("tool", 0.01, 0.3, 1e6),), OPEN)
    assert isinstance(job.resin.viscosity, CastroMacosko)


def test_the_command_tells_the_keys_that_are_promised(tmp_path, capsys):
    path = tmp_path / "petal.bibulon"
    save(demo_job(), path)
    assert main(["cure", str(path), "--at", "1000,750", "--coarse", "--json"]) == 0
    told = json.loads(capsys.readouterr().out)
    assert {"gel_s", "peak_c", "peak_s", "demould_s", "alpha_end"} <= set(told)
    assert told["demould_range_s"]["low"] <= told["demould_s"] <= told["demould_range_s"]["high"]
    assert main(["cure", str(path), "--at", "9000,750", "--coarse"]) == 2
    assert "outside the part" in capsys.readouterr().err
    assert main(["cure", str(path), "--coarse"]) == 0
    assert "demould" in capsys.readouterr().out


def test_a_blanket_warms_from_the_bag_side_alone_and_comes_to_the_flux_between_two_airs():
    """Steady conduction: the temperature falls from bag to tool by the resistances in between."""
    plan = CurePlan(
        tool_thickness=0.01,
        heater="blanket",
        oven_after=0.0,
        steps=(CureStep(temperature=333.15, ramp=10.0, hold=1e6),),
    )
    slabs = (Slab("tool", 0.01, 0.3, 1.9e6), Slab("ply", 0.004, 0.4, 2e6, 1e-12))
    cells = cells_of(slabs, plan)
    room = 293.15
    found = cure(cells, RESIN, air_beside(plan, room), np.zeros(1), np.array([room]), 4e5)
    films = 1 / plan.h_tool + 0.01 / 0.3 + 0.004 / 0.4 + 1 / plan.h_bag
    flux = 40.0 / films
    top, foot = found.temperature[-1, 0, -1], found.temperature[-1, 0, 0]
    assert top == pytest.approx(333.15 - flux / plan.h_bag, abs=0.2)
    assert foot == pytest.approx(333.15 - flux * (1 / plan.h_bag + 0.004 / 0.4), abs=0.2)
    both = cure(
        cells, RESIN, air_beside(plan.replaced(heater="oven"), room), np.zeros(1), np.array([room]), 4e5
    )
    assert both.temperature[-1].min() == pytest.approx(333.15, abs=0.3)


def test_a_layers_heat_and_conduction_are_those_of_what_is_dry_and_of_its_resin(shot):
    """By hand from the data of the materials: mixtures by volume of heat, glass and resin in layers across."""
    job, _ = shot
    resin = job.resin
    ply, core = job.materials["biax-600"], job.materials["foam-15-grooved"]
    slabs = {s.name: s for s in section_of(job, "field")}
    laid = slabs[ply.name]
    glass = ply.areal_mass / ply.fibre_density / laid.thickness  # share of the ply's volume
    heat = ply.areal_mass / laid.thickness * 800.0 + (1 - glass) * resin.density * resin.specific_heat
    assert laid.rho_c == pytest.approx(heat, rel=1e-9)
    assert laid.resin == pytest.approx((1 - glass) * resin.density, rel=1e-9)
    assert math.log(laid.k) == pytest.approx((1 - glass) * math.log(resin.conductivity), abs=1e-9)
    foam = slabs[core.name]
    cut = core.grooves.width * core.grooves.depth / core.grooves.pitch * 2  # crossed, m3 a square metre
    cut -= core.grooves.width**2 * core.grooves.depth / core.grooves.pitch**2
    drilled = math.pi / 4 * core.hole_diameter**2 / core.hole_pitch**2 * core.thickness
    filled = foam.resin / resin.density
    assert filled == pytest.approx((cut + drilled + core.surface_uptake) / core.thickness, rel=1e-6)
    assert foam.rho_c == pytest.approx(
        core.density * 1400.0 + filled * resin.density * resin.specific_heat, rel=1e-9
    )
    assert foam.k == 0.04


def test_a_blanket_lies_last_and_a_bag_without_one_has_none(shot):
    job, _ = shot
    (*others, blanket) = section_of(job.replaced(cure=job.cure.replaced(blanket=0.02)), "field")
    assert (blanket.name, blanket.thickness, blanket.resin) == ("blanket", 0.02, 0.0)
    assert others == list(section_of(job, "field"))


def test_resin_that_stood_in_the_bucket_before_is_as_much_older_where_it_arrives(shot):
    job, f = shot
    place = places_over(f, 6)[0]
    stood = job.replaced(conditions=job.conditions.replaced(mixed_before_start=1200.0))
    fresh, when = course_at(
        job.replaced(conditions=job.conditions.replaced(mixed_before_start=0.0)), f, place, 1.0, 0.0
    )
    older, again = course_at(stood, f, place, 1.0, 0.0)
    assert when == again
    pot_time, pot = cure_course(job.resin.viscosity, job.conditions.resin_temperature, 86_400.0)
    assert fresh.alpha[0].min() == pytest.approx(np.interp(when, pot_time, pot), abs=1e-6)
    assert older.alpha[0].min() == pytest.approx(np.interp(when + 1200.0, pot_time, pot), abs=1e-6)
    assert older.gel[0] < fresh.gel[0]


def flow_between_airs(cells, below, above):
    """Return what heat passes once nothing changes any more [W/m²], out of the cells' own matrix."""
    inside = np.linalg.solve(cells.matrix(), -cells.to_air() @ np.array([below, above]))
    return cells.ends[0] * (below - inside[0])


@pytest.mark.parametrize("skin", [0.0, 0.002])
def test_an_upper_half_keeps_heat_in_as_its_laminate_does(skin):
    """Heat through both halves: 1/h + Σ d/k + 1/h, of a sandwich its foam too."""
    made = mould_demo_job()
    upper = made.closed.upper.replaced(thickness=0.012, skin=skin)
    made = made.replaced(
        closed=made.closed.replaced(upper=upper), cure=made.cure.replaced(tool_thickness=0.012, blanket=0.0)
    )
    zone = "rim"
    slabs = section_of(made, zone)
    part = [s for s in slabs if s.name not in AROUND]
    assert [s.name for s in slabs if s.name in AROUND] == ["tool", *["upper half"] * (3 if skin else 1)]
    assert sum(s.thickness for s in slabs if s.name == "upper half") == pytest.approx(0.012)
    k = made.cure.tool_k
    half = 0.012 / k if not skin else 2 * skin / k + (0.012 - 2 * skin) / 0.04
    resistance = (
        1 / made.cure.h_tool + 0.012 / k + sum(s.thickness / s.k for s in part) + half + 1 / made.cure.h_bag
    )
    assert flow_between_airs(cells_of(slabs, made.cure), 313.15, 293.15) == pytest.approx(
        20.0 / resistance, rel=1e-6
    )


def test_a_bag_has_no_upper_half():
    made = demo_job()
    assert "upper half" not in [s.name for s in section_of(made, "rim")]
