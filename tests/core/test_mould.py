"""Closed moulds: plates and forces against closed forms, fibres that push, channels against a solution made apart."""

from __future__ import annotations

import math

import numpy as np
import pytest
from scipy.integrate import solve_ivp
from scipy.optimize import brentq
from shapely.geometry import LineString, Point, Polygon, box
from tests.validation.channel import fill_times
from tests.validation.layouts import box as ring
from tests.validation.layouts import resin, round_

from bibulon.core.flow.forecast import COARSE, FINE, Resolution, forecast
from bibulon.core.library.catalogue import library
from bibulon.core.library.demo import demo_job
from bibulon.core.library.mould_demo import mould_demo_job
from bibulon.core.model.job import Conditions, FlowLine, Job, Layer, Part, Surface
from bibulon.core.model.materials import ConstantViscosity, PorousLayer
from bibulon.core.model.mould import ClosedMould, Machine, Rib, Seal, UpperMould
from bibulon.core.mould.bow import bow_holding, bow_of
from bibulon.core.mould.channel import bore_for, conductance, evenness
from bibulon.core.mould.closing import closing_of, forces, held_at
from bibulon.core.mould.fibres import spring_of
from bibulon.core.mould.flange import compression, flange_of
from bibulon.core.mould.flexible import flexed
from bibulon.core.mould.mould import hold_time, mould_of
from bibulon.core.mould.plate import bending_stiffness, plate_over
from bibulon.core.mould.recipe import course_of, cycle_of, recipe_of
from bibulon.core.plans.bores import BoreRow, best_bore, bore_rows, with_bore
from bibulon.core.plans.reckon.row import ReckonError, reckon
from bibulon.core.plans.reckon.rows import ROWS
from bibulon.core.plans.variants import switch_process
from bibulon.core.stack.laminate import thickness_under

SQUARE = box(0, 0, 1, 1)
AMPLE = Machine(rate=0.01, ramp=0.0)  # gives whatever a pressure takes

# -- plates; table values of Timoshenko and Woinowsky-Krieger, w D/(q a⁴)


@pytest.mark.parametrize(
    ("region", "clamped", "table"),
    [
        (SQUARE, True, 0.00126), (SQUARE, False, 0.00406), (box(0, 0, 2, 1), True, 0.00254), (box(0, 0, 2, 1), False, 0.01013),
        (box(0, 0, 1, 1.5), True, 0.00220), (box(0, 0, 1, 1.5), False, 0.00772),
        (Point(0, 0).buffer(1, 128), True, 1 / 64), (Point(0, 0).buffer(1, 128), False, 5.3 / 1.3 / 64),
    ],
    ids=lambda v: "" if isinstance(v, Polygon) else str(v),
)  # fmt: skip
def test_plates_bow_as_the_tables_say(region, clamped, table):
    plate = plate_over(region, 1.0, 0.3, clamped)
    assert plate.bow(np.ones(len(plate.mesh.points))).max() == pytest.approx(table, rel=0.01)


def test_a_stiff_rib_parts_a_plate_in_two():
    """A rib that does not bend holds the line below it: half a 2 by 1 plate is a square, held along that side by symmetry."""
    wide = box(0, 0, 2, 1)
    line = LineString([(1, 0), (1, 1)])
    ribbed = plate_over(wide, 1.0, 0.3, True, [(line, 1e6)], points=1200)
    w = ribbed.bow(np.ones(len(ribbed.mesh.points)))
    assert w.max() == pytest.approx(0.00126, rel=0.015)
    near = np.abs(ribbed.mesh.points[:, 0] - 1) < 1e-9
    assert np.abs(w[near]).max() < 1e-3 * w.max()


def test_many_ribs_are_an_orthotropic_plate():
    """Ribs a distance s apart add E I/s to the plate's stiffness along them; Navier's series of the supported square."""
    apart, bending = 0.1, 0.5
    at = np.arange(1, 10) * apart
    ribs = [(LineString([(x, 0), (x, 1)]), bending) for x in at] + [
        (LineString([(0, y), (1, y)]), bending) for y in at
    ]
    plate = plate_over(SQUARE, 1.0, 0.0, False, ribs, points=1500)
    stiff = 1.0 + bending / apart
    odd = np.arange(1, 40, 2)
    m, n = np.meshgrid(odd, odd)
    sign = np.sin(m * np.pi / 2) * np.sin(n * np.pi / 2)
    series = 16 / np.pi**6 * (sign / (m * n * (stiff * m**4 + 2 * m**2 * n**2 + stiff * n**4))).sum()
    assert plate.bow(np.ones(len(plate.mesh.points))).max() == pytest.approx(series, rel=0.03)


def test_where_ribs_lie_between_points_hardly_matters():
    """The same plate on six meshes, its ribs crossing: within a few per cent of the finest."""
    ribs = [(LineString([(x, 0), (x, 0.9)]), 6e4) for x in (0.2, 0.5, 0.8)] + [
        (LineString([(0, 0.45), (1, 0.45)]), 6e4)
    ]
    found = []
    for points in (300, 480, 700, 1000, 2500):
        plate = plate_over(box(0, 0, 1, 0.9), 1000.0, 0.3, False, ribs, points=points)
        found.append(plate.bow(np.full(len(plate.mesh.points), 1e4)).max())
    assert found[:-1] == pytest.approx([found[-1]] * 4, rel=0.05)


def test_a_sandwich_is_stiffer_by_its_distance_squared():
    assert bending_stiffness(10e9, 0.3, 0.0, 0.002, 0.02) == pytest.approx(
        10e9 * 0.002 * 0.02**2 / (2 * 0.91)
    )
    assert bending_stiffness(10e9, 0.0, 0.01) == pytest.approx(10e9 * 1e-6 / 12)


def test_on_a_bed_of_springs_a_wide_plate_sinks_by_load_over_spring():
    """Far from its edge, 2 π decay lengths in, a plate on springs k sinks q/k (Hetényi)."""
    k, q, stiff = 1e6, 1e3, 1.0
    decay = (4 * stiff / k) ** 0.25
    plate = plate_over(box(0, 0, 24 * decay, 24 * decay), stiff, 0.3, True, points=2500)
    n = len(plate.mesh.points)
    w = plate.bow_on(np.full(n, -q), lambda w: (-k * w, np.full(n, k)), np.zeros(n))
    middle = int(np.argmin(np.hypot(*(plate.mesh.points - 12 * decay).T)))
    assert w[middle] == pytest.approx(-q / k, rel=0.01)


# -- closing and opening


def disc(radius=0.5, bore=0.0, vent=0.0, injected=1.6e5, vacuum=2e4, k=5e-10, resolution=FINE):
    """A round cavity fed from its rim, or from its middle when ``vent`` is negative, of a pad that nothing changes."""
    pad = PorousLayer(name="pad", thickness=0.004, porosity=0.6, k1=k, k2=k, k3=k)
    rim = tuple((radius * math.cos(t), radius * math.sin(t)) for t in np.linspace(0, 2 * np.pi, 97))
    around = FlowLine(id="A", label="A", role="feed", path=rim, bore=bore, hose_bore=0.0, hose_length=0.0)
    middle = FlowLine(
        id="B", label="B", role="vacuum", path=((0.0, 0.0),), bore=0.0, hose_bore=0.0, hose_length=0.0
    )
    if vent < 0:
        around, middle = around.replaced(role="vacuum", bore=0.0), middle.replaced(role="feed")
    job = Job(
        process="RTM", part=Part(outline=round_(0, 0, radius, 96)), materials={"pad": pad}, stack=(Layer(id="L1", material="pad"),),
        resin=resin().replaced(viscosity=ConstantViscosity(value=0.2), gel_time=None), lines=(around, middle),
        conditions=Conditions(atmosphere=1e5, vacuum=vacuum, bucket_below=0.0, mixed_before_start=0),
        closed=ClosedMould(injection=injected, land=0.0, inner=Seal(width=1e-6), machine=AMPLE),
    )  # fmt: skip
    return job, forecast(job, resolution)


def test_a_disc_filled_from_its_rim_opens_as_its_closed_form_says():
    """Between rim R and front r the pressure is p = p_f + Δp ln(s/r)/ln(R/r), the front where its own closed form has it."""
    job, result = disc()
    found = closing_of(job, result)
    air, vacuum, injected, rim = 1e5, 2e4, 1.6e5, 0.5
    pace = 0.6 * 0.2 / (5e-10 * (injected - vacuum))
    for k in range(3, len(found.time) - 2):

        def late(r, k=k):
            return pace * (rim**2 / 4 - r**2 / 4 - r**2 / 2 * math.log(rim / r)) - found.time[k]

        front = brentq(late, 1e-4, 0.4999)
        s = np.linspace(front, rim, 20001)
        p = vacuum + (injected - vacuum) * np.log(s / front) / math.log(rim / front)
        exact = np.trapezoid(np.maximum(p - air, 0.0) * 2 * np.pi * s, s)
        assert found.opened[k] - found.pushed == pytest.approx(exact, rel=0.01)


def test_forces_of_a_full_disc_with_an_open_vent():
    """With the vent open a full disc keeps the logarithm; with it shut the inlet's pressure is everywhere."""
    job, result = disc()
    found = closing_of(job, result)
    area = math.pi * 0.25
    assert found.shut[1] - found.pushed == pytest.approx(6e4 * area, rel=0.005)
    assert found.pushed == 0.0


def test_what_lies_on_a_slope_opens_a_mould_by_what_is_seen_from_above():
    """A disc on a plane of 60°, its plan the size of the plane: half of its area pushes up."""
    job, _ = disc()
    x, y = (
        v.ravel() for v in np.meshgrid(np.linspace(-0.6, 0.6, 9), np.linspace(-0.6, 0.6, 9), indexing="ij")
    )
    k = np.arange(81).reshape(9, 9)
    a, b, c, d = k[:-1, :-1].ravel(), k[1:, :-1].ravel(), k[1:, 1:].ravel(), k[:-1, 1:].ravel()
    face = Surface(
        space=tuple(zip((x / 2).tolist(), y.tolist(), (x * math.sqrt(0.75)).tolist(), strict=True)),
        plan=tuple(zip(x.tolist(), y.tolist(), strict=True)),
        triangles=tuple(map(tuple, np.vstack([np.c_[a, b, c], np.c_[a, c, d]]).tolist())), laid="unrolled",
    )  # fmt: skip
    tilted = job.replaced(part=job.part.replaced(surface=face))
    found = closing_of(tilted, forecast(tilted, Resolution(900, 1, 12)))
    assert found.shut[1] - found.pushed == pytest.approx(6e4 * math.pi * 0.25 / 2, rel=0.005)


def test_a_disc_filled_from_its_rim_takes_as_long_as_its_closed_form_says():
    """t = φ μ/(K Δp) [R²/4 − r²/4 − (r²/2) ln(R/r)] down to r."""
    _, result = disc(resolution=Resolution(5200, 1, 32))
    for radius in (0.35, 0.25, 0.1):
        exact = (
            0.6 * 0.2 / (5e-10 * 1.4e5) * (0.25 / 4 - radius**2 / 4 - radius**2 / 2 * math.log(0.5 / radius))
        )
        told = np.mean(
            [
                result.probe(radius * math.cos(t), radius * math.sin(t))["plies"]
                for t in np.arange(0.1, 6.2, 0.7)
            ]
        )
        assert told == pytest.approx(exact, rel=0.01)


def test_air_pulls_shut_and_resin_pushes_open():
    held, opened = forces(np.array([2e4, 1.5e5, 1e5]), np.array([1.0, 2.0, 3.0]), 1e5)
    assert (held, opened) == (pytest.approx(8e4), pytest.approx(1e5))


def test_the_flange_pulls_on_its_chamber_and_the_upper_half_weighs():
    job, _ = disc(resolution=COARSE)
    flange = flange_of(job)
    clamped = job.replaced(closed=job.closed.replaced(clamps=5e3))
    upper = job.closed.upper
    weight = upper.density * upper.thickness * flange.whole.area * 9.80665
    assert held_at(clamped, flange, 2e4) == pytest.approx(8e4 * flange.chamber_area + weight + 5e3, rel=1e-9)
    chamber = math.pi * ((0.5 + job.closed.chamber) ** 2 - 0.25)
    assert flange.chamber.area == pytest.approx(chamber, rel=0.005)


@pytest.fixture(scope="module")
def lid():
    job = mould_demo_job()
    return job, forecast(job, COARSE)


def test_at_the_least_flange_vacuum_the_rule_is_just_kept(lid):
    job, result = lid
    hard = job.replaced(rules=job.rules.replaced(closing_factor=1.5))
    least = closing_of(hard, result).least_flange
    at = closing_of(hard.replaced(closed=job.closed.replaced(flange=least)), result)
    assert float(at.factor.min()) == pytest.approx(1.5, rel=1e-6)


def test_at_the_highest_injection_pressure_the_rule_is_just_kept(lid):
    """A job forecast anew with that pressure, not the one that it was worked out from."""
    job, result = lid
    most = closing_of(job, result).most_injection
    again = job.replaced(closed=job.closed.replaced(injection=most))
    factor = closing_of(again, forecast(again, COARSE)).factor
    assert float(factor.min()) == pytest.approx(job.rules.closing_factor, rel=0.03)


# -- fibres


def test_plies_push_back_what_presses_them_as_thin(lid):
    job, _ = lid
    spring = spring_of(job, np.array([[0.4, 0.4], [0.5, 0.5]]))
    for press in (5e3, 3e4, 2e5):
        gap = thickness_under(job, "rim", np.array([press, press]))
        assert spring.push(gap) == pytest.approx(press, rel=0.02)
        _, slope = spring.bed(gap)
        assert slope == pytest.approx((spring.push(gap - 1e-6) - spring.push(gap + 1e-6)) / 2e-6, rel=0.05)
    assert np.all(spring.push(np.array([0.05, 0.05])) == 0)


@pytest.mark.parametrize("times", [0.9, 0.5])
def test_plies_pressed_beyond_their_law_push_by_the_twelfth_power_of_what_they_lose(lid, times):
    job, _ = lid
    at = np.array([[0.4, 0.4]])
    hardest = 10**7.3
    thinnest = thickness_under(job, "rim", np.array([hardest]))
    push = spring_of(job, at).push(times * thinnest)
    assert push[0] == pytest.approx(hardest * times**-12, rel=1e-3)


def test_the_upper_half_comes_to_balance_with_its_plies(lid):
    """Where a soft upper half lies on its plies they carry what the air has over the cavity."""
    job, _ = lid
    soft = job.replaced(
        closed=job.closed.replaced(upper=UpperMould(thickness=0.0003, modulus=1e9, edge="supported"))
    )
    held = bow_holding(soft)
    middle = int(np.argmin(np.hypot(*(held.mesh.points - np.array([0.49, 0.45])).T)))
    carried = job.conditions.atmosphere - job.closed.holding
    alone = float(thickness_under(job, "rim", np.array([carried]))[0])
    assert held.thickness[middle] == pytest.approx(alone, rel=0.01)
    assert not held.linear


@pytest.mark.parametrize("cored", [False, True])
def test_the_share_of_fibre_is_that_of_the_plies_in_what_the_core_leaves_them(lid, cored):
    """By hand: areal mass over density of each ply, in the cavity less the core, where the half has bowed to."""
    job, _ = lid
    if cored:
        foam = library()["foam-10-plain"]
        stack = (*job.stack, Layer(id="K", material="foam-10-plain"))
        job = job.replaced(
            part=job.part.replaced(cavity=job.part.cavity + foam.thickness),
            materials={**job.materials, "foam-10-plain": foam},
            stack=stack,
        )
    fabrics = [job.materials[x.material] for x in job.stack if job.materials[x.material].kind == "fabric"]
    fibre = sum(f.areal_mass / f.fibre_density for f in fabrics)
    held = bow_holding(job)
    inside = np.isfinite(held.thickness)
    left = held.thickness[inside] - (0.010 if cored else 0.0)
    assert held.fibre[inside] == pytest.approx(fibre / left, rel=1e-9)
    assert np.isnan(held.fibre[~inside]).all()


def test_pressure_lifts_and_ribs_hold(lid):
    job, result = lid
    end = result.fill_time
    ribs = job.closed.upper.ribs
    bare = job.replaced(closed=job.closed.replaced(upper=job.closed.upper.replaced(ribs=())))
    more = job.replaced(
        closed=job.closed.replaced(
            upper=job.closed.upper.replaced(
                ribs=(*ribs, Rib(id="X", path=((0, 0.45), (0.98, 0.45)), stiffness=6e4))
            )
        )
    )
    lifts = [bow_of(x, result, end).most for x in (bare, job, more)]
    assert lifts[0] > lifts[1] > lifts[2] > 0


def test_fibre_share_and_thickness_belong_together(lid):
    job, result = lid
    bow = bow_of(job, result, result.fill_time)
    solid = bow.fibre[bow.inside] * bow.thickness[bow.inside]
    assert solid == pytest.approx(solid[0], rel=1e-6)
    assert bow.extra == pytest.approx(
        float((bow.thickness[bow.inside] - job.part.cavity) @ bow.area[bow.inside])
    )


# -- channels


@pytest.mark.parametrize("bore", [0.006, 0.010])
def test_a_channel_of_finite_bore_against_a_solution_made_apart(bore):
    k, gap, porosity, viscosity, pull, deep = 5e-10, 0.004, 0.6, 0.2, 8e4, 0.25
    pad = PorousLayer(name="pad", thickness=gap, porosity=porosity, k1=k, k2=k, k3=k)
    feed = FlowLine(
        id="A", label="A", role="feed", path=((0, 0), (1, 0)), bore=bore, hose_bore=0.0, hose_length=0.0
    )
    vent = FlowLine(
        id="B",
        label="B",
        role="vacuum",
        path=((0, deep), (1, deep)),
        bore=0.0,
        hose_bore=0.0,
        hose_length=0.0,
    )
    job = Job(
        part=Part(outline=ring(0, 0, 1, deep)), materials={"pad": pad}, stack=(Layer(id="L1", material="pad"),), lines=(feed, vent),
        resin=resin().replaced(viscosity=ConstantViscosity(value=viscosity), gel_time=None),
        conditions=Conditions(atmosphere=1e5, vacuum=2e4, bucket_below=0.0, mixed_before_start=0),
    )  # fmt: skip
    result = forecast(job, Resolution(1600, 1, 24))
    full, _ = fill_times(
        conductance(bore), math.pi / 4 * bore**2, 1.0, deep, k, porosity, gap, viscosity, pull
    )
    for cell in (29, 44, 59):
        told = result.probe((cell + 0.5) / 60, deep - 1e-6)["plies"]
        assert told == pytest.approx(full[cell], rel=0.02)


def test_a_bore_for_a_share_gives_that_share():
    for shape in ("round", "square", "half round"):
        bore = bore_for(0.9, 5e-10, 0.004, 1.6, 0.04, shape)
        assert evenness(conductance(bore, shape), 5e-10, 0.004, 1.6, 0.04) == pytest.approx(0.9, rel=1e-9)
    assert conductance(0.01) == pytest.approx(math.pi * 0.01**4 / 128, rel=1e-12)
    assert conductance(0.01, "square") == pytest.approx(0.035144 * 0.01**4, rel=1e-3)  # Shah and London


def test_wider_channels_fill_sooner_and_waste_more(lid):
    job = lid[0].replaced(closed=lid[0].closed.replaced(machine=AMPLE))
    rows = list(bore_rows(job, (0.006, 0.012)))
    assert rows[0].fill_time > rows[1].fill_time
    assert rows[0].channel_full > rows[1].channel_full
    assert rows[0].waste < rows[1].waste
    assert with_bore(job, 0.012).lines[0].bore == 0.012
    assert with_bore(job, 0.012).lines[1] == job.lines[1]


def test_the_pick_is_the_smallest_bore_that_is_soon_round_and_as_even_as_any():
    def row(bore, full, uneven, fill=100.0):
        return BoreRow(bore, fill, full, uneven, bore)

    rows = [row(0.004, 30, 0.4), row(0.006, 14, 0.30), row(0.008, 9, 0.21), row(0.010, 8, 0.20)]
    assert best_bore(rows, 0.15).bore == 0.008
    assert best_bore(rows, 0.085).bore == 0.010
    assert best_bore(rows, 0.01) is None
    assert best_bore([], 0.15) is None


# -- recipe, cycle, holding


def test_the_recipe_keeps_its_order_and_its_limits(lid):
    job, result = lid
    stages = recipe_of(job, result)
    keys = [s.key for s in stages]
    assert (
        keys.index("flange")
        < keys.index("cavity")
        < keys.index("pressure")
        < keys.index("clamp")
        < keys.index("hold")
        < keys.index("demould")
    )
    most = closing_of(job, result).most_injection
    hot = job.replaced(closed=job.closed.replaced(injection=most * 2))
    assert next(s for s in recipe_of(hot, result) if s.key == "pressure").pressure <= most * 1.001
    assert "density" in [
        s.key
        for s in recipe_of(
            job.replaced(resin=job.resin.replaced(filler_share=0.2, filler_density=2700)), result
        )
    ]


@pytest.mark.parametrize("told", ["of the feed", "of the machine"])
def test_a_machine_that_gives_a_rate_goes_over_to_pressure_where_the_closed_form_says(told):
    """A strip injected at a rate: the switch at Q μ x/(K A) = Δp, as ``bibulon reckon inject`` has it."""
    k, gap, wide, long, mu, rate, limit = 5e-10, 0.004, 0.5, 0.8, 0.2, 4e-6, 8e4
    machine = AMPLE if told == "of the feed" else AMPLE.replaced(rate=rate)
    pad = PorousLayer(name="pad", thickness=gap, porosity=0.6, k1=k, k2=k, k3=k)
    feed = FlowLine(
        id="A",
        label="A",
        role="feed",
        path=((0, 0), (0, wide)),
        bore=0.0,
        hose_bore=0.0,
        hose_length=0.0,
        rate=rate if told == "of the feed" else None,
    )
    vent = FlowLine(
        id="B",
        label="B",
        role="vacuum",
        path=((long, 0), (long, wide)),
        bore=0.0,
        hose_bore=0.0,
        hose_length=0.0,
    )
    job = Job(
        process="RTM", part=Part(outline=ring(0, 0, long, wide)), materials={"pad": pad}, stack=(Layer(id="L1", material="pad"),), lines=(feed, vent),
        resin=resin().replaced(viscosity=ConstantViscosity(value=mu), gel_time=None), closed=ClosedMould(injection=1e5 + 2e4 - 4e4, machine=machine),
        conditions=Conditions(atmosphere=1e5, vacuum=0.0, bucket_below=0.0, mixed_before_start=0),
    )  # fmt: skip
    result = forecast(job, Resolution(1600, 1, 48))
    course = course_of(job, result)
    found = reckon(
        ROWS["inject"],
        {
            "width": "0.5",
            "gap": "0.004",
            "length": "0.8",
            "permeability": "5e-10",
            "porosity": "0.6",
            "viscosity": "0.2",
            "rate": "4e-6",
            "limit": str(limit),
        },
    )
    assert result.fill_time == pytest.approx(found["fill_s"], rel=0.01)
    assert course.switch == pytest.approx(found["switch_s"], rel=0.08)
    assert course.mass[-1] == pytest.approx(0.6 * gap * wide * long * result.density, rel=0.01)


def test_a_cycle_holds_as_many_parts_as_fit_in_a_shift(lid):
    job, result = lid
    cycle = cycle_of(job, result)
    c = job.closed.cycle
    assert cycle.seconds == pytest.approx(
        c.loading + c.closing + max(result.clock.gel, result.fill_time) + c.demould_after_gel + c.cleaning
    )
    assert cycle.per_shift == int(c.shift // cycle.seconds) * c.moulds


def test_the_flange_holds_by_its_reservoir():
    job = mould_demo_job()
    weakest = job.conditions.atmosphere - job.rules.flange_least
    assert hold_time(job) == pytest.approx(0.05 * (weakest - job.closed.flange) / 1e-3)
    assert hold_time(job.replaced(closed=job.closed.replaced(reservoir_leak=0.0))) == math.inf


def test_what_is_wasted_is_what_stays_in_channel_and_hose(lid):
    job, result = lid
    line = job.lines[0]
    volume = (
        math.pi / 4 * (line.bore**2 * LineString(line.path).length + line.hose_bore**2 * line.hose_length)
    )
    vent = job.lines[1]
    assert mould_of(job, result).channels == pytest.approx(volume * result.density, rel=1e-9)
    assert vent.role == "vacuum"


def test_seals_are_pressed_together_by_their_gap():
    job = mould_demo_job()
    assert compression(job) == pytest.approx(1 - 8 / 12)
    with pytest.raises(ValueError, match="two gaps"):
        Seal(height=0.01, gap_least=0.004, gap_most=0.02)
    with pytest.raises(ValueError, match="no core is left"):
        UpperMould(thickness=0.004, skin=0.002)


# -- the reckoner's rows


def test_bow_and_channel_are_reckoned_without_a_job():
    typed = {
        "modulus": "14e9",
        "thickness": "8 mm",
        "a": "0.5",
        "b": "0.5",
        "pressure": "15 kPa",
        "edge": "clamped",
    }
    d = 14e9 * 0.008**3 / (12 * 0.91)
    found = reckon(ROWS["bow"], typed)
    assert found["max_mm"] == pytest.approx(0.00126 * 15e3 * 0.5**4 / d * 1e3, rel=0.01)
    assert 0 < found["mean_mm"] < found["max_mm"]
    with pytest.raises(ReckonError, match="thickness, or skin"):
        reckon(ROWS["bow"], {**typed, "skin": "1 mm"})
    bore = reckon(ROWS["channel"], dict(ROWS["channel"].example))["bore_mm"]
    again = reckon(ROWS["channel"], {**ROWS["channel"].example, "bore": f"{bore} mm"})
    assert again["share"] == pytest.approx(0.9, rel=1e-6)


# -- a fill whose upper half gives way


def similar(job):
    """How long a strip takes whose gap follows its plies everywhere at once: x = c √t, by shooting for c.

    −(ξ/2) dh/dξ = d/dξ (K h/μ dp/dξ), from the front inwards.
    """
    ply = job.materials["quad-1200"]
    fibre = len(job.stack) * ply.areal_mass / ply.fibre_density
    mu = job.resin.viscosity.value
    air, vacuum, inlet = job.conditions.atmosphere, job.conditions.vacuum, job.closed.injection

    def gap(p):
        return fibre / (ply.vf_ref * (max(air - p, 1.0) / ply.p_ref) ** ply.compaction_exponent)

    def leads(h):
        vf = fibre / h
        return ply.k1 * ((1 - vf) ** 3 / vf**2) / ((1 - ply.vf_ref) ** 3 / ply.vf_ref**2)

    def at_inlet(c):
        h = gap(vacuum)

        def change(s, y):
            h = gap(y[0])
            slope = -y[1] * mu / (leads(h) * h)
            grows = (gap(y[0] + 10) - gap(y[0] - 10)) / 20
            return [-slope, -(c - s) / 2 * grows * slope]

        return solve_ivp(change, (0, c), [vacuum, h / 2 * c * (1 - fibre / h)], rtol=1e-8, atol=1e-10).y[
            0, -1
        ]

    c = brentq(lambda c: at_inlet(c) - inlet, 1e-4, 0.2)
    return (0.6 / c) ** 2


@pytest.mark.parametrize("injected", [7e4, 9e4])
def test_a_soft_upper_half_fills_as_a_similarity_solution_says(injected):
    shelf = library()
    wide = 0.2
    feed = FlowLine(
        id="A", label="A", role="feed", path=((0, 0), (0, wide)), bore=0.0, hose_bore=0.0, hose_length=0.0
    )
    vent = FlowLine(
        id="B",
        label="B",
        role="vacuum",
        path=((0.6, 0), (0.6, wide)),
        bore=0.0,
        hose_bore=0.0,
        hose_length=0.0,
    )
    job = Job(
        process="light RTM", part=Part(outline=ring(0, 0, 0.6, wide), cavity=0.003), materials={"quad-1200": shelf["quad-1200"]},
        stack=tuple(Layer(id=f"L{k}", material="quad-1200") for k in range(3)), lines=(feed, vent),
        resin=resin().replaced(viscosity=ConstantViscosity(value=0.2), gel_time=None),
        conditions=Conditions(atmosphere=1e5, vacuum=6e4, bucket_below=0.0, mixed_before_start=0),
        closed=ClosedMould(injection=injected, land=0.0, inner=Seal(width=1e-6), upper=UpperMould(thickness=3e-4, modulus=1e8, density=500)),
    )  # fmt: skip
    rigid = forecast(job, Resolution(900, 1, 24))
    exact = similar(job)
    soft = flexed(job, rigid).fill_time
    assert soft == pytest.approx(exact, rel=0.03)
    assert abs(soft - exact) < abs(rigid.fill_time - exact) / 2


def test_a_stiff_upper_half_fills_as_a_rigid_one(lid):
    job, result = lid
    upper = job.closed.upper.replaced(thickness=0.2, ribs=())
    stiff = job.replaced(closed=job.closed.replaced(upper=upper))
    assert flexed(stiff, result, 1).fill_time == pytest.approx(result.fill_time, rel=0.01)


@pytest.mark.parametrize(
    ("power", "loss", "wanted", "seconds"),
    [
        (300.0, 0.0, 313.15, lambda c: c * 20 / 300),
        (300.0, 5.0, 313.15, lambda c: c / 5 * math.log(60 / 40)),  # it would come to 60 K over the room
        (100.0, 5.0, 313.15, lambda c: math.inf),  # as warm as wanted at best
        (300.0, 5.0, 293.15, lambda c: 0.0),
    ],
)  # fmt: skip
def test_resin_warms_as_its_heater_and_what_it_loses_let_it(lid, power, loss, wanted, seconds):
    """m c dT/dt = P − UA (T − T_room), from 20 °C."""
    job, result = lid
    machine = job.closed.machine.replaced(power=power, loss=loss)
    warm = job.replaced(
        closed=job.closed.replaced(machine=machine),
        charge=job.charge.replaced(room=293.15),
        conditions=job.conditions.replaced(resin_temperature=wanted),
    )
    (stage,) = [s for s in recipe_of(warm, result) if s.key == "recirculate"]
    shot = float(course_of(warm, result).mass[-1])
    assert stage.seconds == pytest.approx(seconds(shot * job.resin.specific_heat))


def test_the_cavity_is_held_from_the_end_of_the_shot_to_gel(lid):
    job, result = lid
    (stage,) = [s for s in recipe_of(job, result) if s.key == "hold"]
    assert stage.seconds == pytest.approx(result.clock.gel - course_of(job, result).time[-1])
    assert stage.seconds > 0
    assert stage.pressure == job.closed.holding


# -- from one process to another


def test_both_processes_are_kept_and_come_back():
    bag = demo_job()
    closed = switch_process(bag, "light RTM")
    assert closed.process == "light RTM"
    assert closed.part.cavity == pytest.approx(thickness_under(bag, "rim", np.array([30e3]))[0], rel=1e-6)
    assert [v.name for v in closed.variants] == ["As infusion"]
    # As deep as a bag, the cavity would pull the halves apart as hard as the flange holds them.
    assert closed.conditions.vacuum == pytest.approx(bag.conditions.atmosphere - 55e3)
    gentle = bag.replaced(conditions=bag.conditions.replaced(vacuum=60e3))
    assert switch_process(gentle, "light RTM").conditions.vacuum == 60e3
    assert switch_process(bag, "RTM").conditions.vacuum == bag.conditions.vacuum  # a press holds it
    thicker = closed.replaced(part=closed.part.replaced(cavity=0.02))
    back = switch_process(thicker, "infusion")
    assert back.replaced(variants=()) == bag
    again = switch_process(back, "light RTM")
    assert again.part.cavity == 0.02
    assert len(again.variants) == 1
    assert switch_process(bag, "infusion") is bag
