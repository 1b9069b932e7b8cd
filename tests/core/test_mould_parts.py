"""Seals, laps, parting lines, bladders, vents and the rise of pressure in a closed mould: closed forms, and both sides of each limit."""

from __future__ import annotations

import math

import numpy as np
import pytest
from scipy.integrate import quad
from shapely.geometry import LineString
from tests.core.test_mould_findings import both_sides, closed, kinds, ruled

from bibulon.core.edit.anew import anew
from bibulon.core.flow.forecast import COARSE, Resolution, forecast
from bibulon.core.library.mould_demo import LONG, WIDE, mould_demo_job
from bibulon.core.library.seals import PROFILES
from bibulon.core.lines.outlets import WAIT
from bibulon.core.model.lines import OnFront
from bibulon.core.model.mould import PartingLine
from bibulon.core.model.part import Seam
from bibulon.core.mould.bow import bow_of
from bibulon.core.mould.closing import closing_of, seal_push
from bibulon.core.mould.cloth import cloth_of, push_at
from bibulon.core.mould.fibres import PRESSES
from bibulon.core.mould.flange import flange_of
from bibulon.core.mould.parting import loss_a_metre, parted_of, run_time, shorts_of
from bibulon.core.mould.recipe import course_of
from bibulon.core.plans.vents import VentRow, best_way, pot_needed, vent_rows, vents_in_order, with_way
from bibulon.core.stack.laminate import thickness_under

ROUGH = Resolution(400, 1, 8)


@pytest.fixture(scope="module")
def lid():
    job = mould_demo_job()
    return job, forecast(job, COARSE)


def spliced(job, ply, path=((0.05, 0.45), (0.93, 0.45)), **fields):
    layers = tuple(
        x.replaced(seams=(Seam(path=path),), **fields) if k == ply else x for k, x in enumerate(job.stack)
    )
    return job.replaced(stack=layers)


# -- seals


def test_profiles_seal_between_their_gaps_and_have_names_of_their_own():
    assert len({s.name for s in PROFILES}) == len(PROFILES)
    assert {s.kind for s in PROFILES} == {"wing", "hollow", "inflatable"}


def test_a_gap_that_varies_is_judged_at_both_its_ends(lid):
    job, result = lid
    seal, gap = job.closed.inner, job.closed.seal_gap
    room = min(gap - seal.gap_least, seal.gap_most - gap)
    both_sides("seal-gap", result, closed(job, gap_spread=room - 1e-6), closed(job, gap_spread=room + 1e-6))
    wide = next(s for s in PROFILES if s.name == "inflatable 15")
    assert "seal-gap" not in kinds(closed(job, gap_spread=room + 1e-3, inner=wide), result)


def test_an_inflated_seal_pushes_on_its_ring_and_must_exceed_the_resin(lid):
    job, result = lid
    blown = next(s for s in PROFILES if s.name == "inflatable 15").replaced(inflation=2.0e5)
    soft = closed(job, inner=blown)
    flange = flange_of(soft)
    around = LineString(flange.pressed.exterior.coords).length
    push = seal_push(soft, flange)
    # A strip of its width round the cavity; the outer corners are rounded, which adds little.
    assert push == pytest.approx((2.0e5 - 101325) * around * blown.width, rel=0.03)
    assert seal_push(job, flange_of(job)) == 0.0
    before, after = (
        closing_of(closed(job, inner=blown.replaced(inflation=1.01325e5)), result),
        closing_of(soft, result),
    )
    assert after.opened - before.opened == pytest.approx(np.full(len(after.time), push))
    least = job.closed.injection + job.rules.inflated_over
    both_sides(
        "inflated", result, closed(job, inner=blown.replaced(inflation=least + 1)), closed(job, inner=blown.replaced(inflation=least - 1))
    )  # fmt: skip


def test_a_bladder_opens_the_halves_from_the_start_whatever_the_resin_does(lid):
    job, result = lid
    blown = closed(job, bladder=1.6e5)
    found = closing_of(blown, result)
    area = flange_of(job).cavity.area
    assert found.opened == pytest.approx(np.full(len(found.time), (1.6e5 - 101325) * area), rel=0.01)
    assert found.most_injection == pytest.approx(1.6e5 - job.rules.inflated_over)
    least = job.closed.injection + job.rules.inflated_over
    both_sides("inflated", result, closed(job, bladder=least + 1), closed(job, bladder=least - 1))


def test_a_bladder_lifts_the_upper_half_as_an_even_pressure_does(lid):
    """By twice the pressure over the air twice as far: a thin plate is linear, and the plies push no more."""
    job, result = lid
    stiff = closed(job, upper=job.closed.upper.replaced(thickness=0.03))
    air = job.conditions.atmosphere
    once, twice = (bow_of(closed(stiff, bladder=air + p), result, 100.0).most for p in (2e4, 4e4))
    assert once > 0
    # What lies between cavity and seal feels the resin still, a narrow ring.
    assert twice == pytest.approx(2 * once, rel=0.05)


# -- cloth


def test_a_lap_holds_its_ply_twice(lid):
    job = spliced(lid[0], 2, overlap=0.02)
    place, lap = cloth_of(job).places[0], cloth_of(job).laps[0]
    fabrics = [job.materials[x.material] for x in job.stack]
    solid = sum(f.areal_mass / f.fibre_density for f in fabrics)
    again = fabrics[2].areal_mass / fabrics[2].fibre_density
    assert place.share == pytest.approx(solid / job.part.cavity)
    assert lap.share == pytest.approx((solid + again) / job.part.cavity)
    assert lap.region.area == pytest.approx(0.88 * 0.02, rel=1e-6)
    assert lap.push > place.push


def test_the_push_is_the_compaction_curve_read_backwards(lid):
    job, _ = lid
    table = thickness_under(job, "rim", PRESSES)
    for press in (1e3, 3e4, 4e5):
        gap = float(np.interp(math.log(press), np.log(PRESSES), table))
        assert push_at(gap, table) == pytest.approx(press, rel=1e-6)
    assert push_at(table[0] * 1.01, table) == 0.0


def test_laps_are_judged_by_what_closes(lid):
    job, result = lid
    lapped = spliced(job, 2, overlap=0.02)
    share = cloth_of(lapped).laps[0].share
    both_sides(
        "lap-full",
        result,
        ruled(lapped, cavity_vf_most=share + 1e-4),
        ruled(lapped, cavity_vf_most=share - 1e-4),
    )
    assert "lap-full" not in kinds(ruled(job, cavity_vf_most=share - 1e-4), result)  # no splice, no lap
    # A dart, and a splice that butts, double nothing.
    assert not cloth_of(spliced(job, 2, overlap=0.0)).laps


def test_cloth_that_stands_off_a_face_is_told(lid):
    job, result = lid
    low = ruled(job, cavity_vf_least=0.01)
    free = thickness_under(job, "rim", PRESSES)[0]

    def gapped(gap):
        return low.replaced(part=low.part.replaced(cavity=gap))

    both_sides("loose", result, gapped(free * 0.9), gapped(free * 1.01))


# -- parting lines


def parted(job, path, **fields):
    return closed(job, partings=(PartingLine(id="PL1", path=path, **fields),))


def test_what_a_gap_lets_out_is_poiseuilles():
    h, over, mu, land = 1e-4, 5e4, 0.3, 0.02
    flow = quad(lambda y: over / (2 * mu * land) * y * (h - y), 0.0, h)[0]
    assert loss_a_metre(h, np.array([over, -over]), mu, land) == pytest.approx([flow, 0.0])


def test_resin_runs_along_a_gap_as_a_front_behind_a_constant_pressure():
    """Integrated step by step: dx/dt = h² Δp/(12 μ x)."""
    h, drive, mu, length = 2e-4, 6e4, 0.3, 0.5
    assert run_time(h, length, drive, mu) == pytest.approx(
        quad(lambda x: 12 * mu * x / (h**2 * drive), 0.0, length)[0]
    )
    assert run_time(0.0, length, drive, mu) == math.inf


def test_a_parting_line_is_judged_by_what_it_lets_out(lid):
    """Its loss grows as the cube of how far it gapes; nothing goes out where the cavity is under the air's pressure."""
    job, _ = lid
    hard = closed(job, injection=1.6e5)
    result = forecast(hard, ROUGH)
    across = ((LONG / 2, 0.01), (LONG / 2, WIDE - 0.01))
    thin, wide = (parted_of(parted(hard, across, gape=g), result)[0] for g in (1e-4, 2e-4))
    assert wide.mass == pytest.approx(8 * thin.mass)
    assert thin.mass > 0
    # Most is lost where it is wet soonest and pressed hardest: by the channel at one of its ends.
    assert min(abs(thin.where[1] - 0.01), abs(thin.where[1] - WIDE + 0.01)) < 0.06
    assert (
        parted_of(
            parted(closed(job, injection=9.5e4), across, gape=1e-4),
            forecast(closed(job, injection=9.5e4), ROUGH),
        )[0].mass
        == 0.0
    )
    shot = result.resin_in_part + result.resin_in_lines
    limit = 1e-4 * (job.rules.parting_loss * shot / thin.mass) ** (1 / 3)
    both_sides(
        "parting", result, parted(hard, across, gape=limit * 0.99), parted(hard, across, gape=limit * 1.01)
    )


def test_a_parting_line_from_inlet_to_vent_is_a_way_round_the_cloth(lid):
    job, result = lid
    to_vent = ((LONG / 2, 0.0), (LONG / 2, WIDE / 2))
    short = ((LONG / 2, 0.0), (LONG / 2, WIDE / 2 - 0.15))
    assert shorts_of(parted(job, to_vent, gape=3e-4), result)[0].vent == "V1"
    both_sides("short", result, parted(job, short, gape=3e-4), parted(job, to_vent, gape=3e-4))
    both_sides("short", result, parted(job, to_vent, gape=2e-5), parted(job, to_vent, gape=3e-4))


def test_a_parting_line_is_told_from_where_it_is_three_times_as_soon_as_the_cloth(lid):
    """By hand: 6 μ L²/(h² Δp) from the inlet to the vent, against when the cloth at the vent is wet."""
    job, result = lid
    to_vent = ((LONG / 2, 0.0), (LONG / 2, WIDE / 2))
    (told,) = shorts_of(parted(job, to_vent, gape=3e-4), result)
    feed, vent = job.lines
    along = abs(vent.path[0][1] - feed.path[0][1])
    driving = float(result.model.network.ports[0].pressure)
    viscosity = result.clock.at(0.0)
    assert told.seconds == pytest.approx(6 * viscosity * along**2 / (3e-4**2 * driving), rel=0.02)
    three = 3e-4 * math.sqrt(told.seconds * 3 / told.front)  # the gap at which it is just three times as soon
    assert shorts_of(parted(job, to_vent, gape=0.99 * three), result) == ()
    assert len(shorts_of(parted(job, to_vent, gape=1.01 * three), result)) == 1


# -- vents and pot


def three_vents(job):
    vent = job.lines[1]
    beside = (
        vent.replaced(id=f"V{k}", label=f"V{k}", path=(p,)) for k, p in ((2, (0.85, 0.45)), (3, (0.3, 0.72)))
    )
    return job.replaced(lines=(*job.lines, *beside))


def test_vents_by_the_rim_are_wet_first_and_take_resin_until_they_are_shut():
    job = three_vents(mould_demo_job())
    rows = {row.way: row for row in vent_rows(job, ROUGH)}
    assert vents_in_order(rows["planned"])[-1] == "V1"  # the one in the middle
    assert rows["planned"].wet["V2"] < rows["planned"].wet["V3"] < rows["planned"].wet["V1"]
    assert rows["in order"].caught < 0.5 * rows["planned"].caught
    assert "open" not in rows  # it is planned so
    assert best_way(list(rows.values()), job.rules.smallest_dry).way in ("in order", "all")
    for row in rows.values():
        assert row.taken[-1] == pytest.approx(sum(row.took.values()))
        assert (np.diff(row.taken) >= -1e-12).all()


def test_a_vent_is_shut_once_resin_shows_in_it_not_when_its_hose_is_full():
    job = three_vents(mould_demo_job())
    shut = with_way(job, "in order", ["V2", "V3", "V1"])
    assert {x.id: x.shuts for x in shut.lines if x.role == "vacuum"} == {
        "V2": OnFront(line="V2", delay=WAIT), "V3": OnFront(line="V3", delay=WAIT), "V1": None,
    }  # fmt: skip
    flow = forecast(shut, COARSE)
    wet = flow.wet_through[int(np.argmin(np.hypot(*(flow.model.mesh.points - np.array([0.85, 0.45])).T)))]
    vent = [v.id for v in flow.model.network.vents].index("V2")
    open_at = [f.time for f in flow.history.frames if not math.isnan(f.at_vent[vent])]
    assert wet + WAIT - 1.0 <= max(open_at) <= wet + WAIT + 6.0  # steps of the fill; its hose takes minutes
    assert with_way(job, "open", ["V2", "V3", "V1"]) == job


def test_the_pot_is_no_more_than_six_tenths_full():
    row = VentRow("planned", 1.0, 0.0, {}, {}, np.array([0.0, 1.0]), np.array([0.0, 1.1]))
    assert pot_needed(row, 1100.0, 0.2e-3) * 0.6 == pytest.approx(1.2e-3)


# -- the rise of pressure


def test_a_raised_pressure_costs_what_its_area_lacks(lid):
    """∫ (p − p_vac) dt, summed step by step, is that of the forecast at full pressure; where it has risen, time is late by a constant."""
    job, _ = lid
    hard = closed(job, injection=2.5e5, machine=job.closed.machine.replaced(ramp=0.0, rate=0.01))
    result = forecast(hard, ROUGH)
    at_once = course_of(hard, result)
    slow = closed(hard, machine=hard.closed.machine.replaced(ramp=1000.0))
    raised = course_of(slow, result)
    assert raised.mass == pytest.approx(at_once.mass)
    rise, vacuum = (2.5e5 - 101325) / 1000.0, hard.conditions.vacuum

    def area(until):
        return quad(
            lambda t: min(101325 + 1000.0 * t, 2.5e5) - vacuum, 0.0, until, points=[min(rise, until)]
        )[0]

    for planned, real in zip(at_once.time[1:], raised.time[1:], strict=True):
        assert area(float(real)) == pytest.approx((2.5e5 - vacuum) * float(planned), rel=1e-6)
    assert raised.pressure[0] <= 101325 + 1
    assert (np.diff(raised.time) > 0).all()


def test_a_mirrored_mould_has_its_stiffeners_and_parting_lines_mirrored(lid):
    job = parted(lid[0], ((0.2, 0.1), (0.3, 0.8)), gape=1e-4)
    other = anew(job, "Lid", mirrored=True)
    x0, x1 = (min(c.x for c in j.part.outline) for j in (job, other))
    width = max(c.x for c in job.part.outline) - x0
    for path, mirrored in (
        (job.closed.partings[0].path, other.closed.partings[0].path),
        (job.closed.upper.ribs[0].path, other.closed.upper.ribs[0].path),
    ):
        assert sorted(p[0] - x0 for p in path) == pytest.approx(sorted(width - (p[0] - x1) for p in mirrored))


def test_two_parting_lines_of_one_name_are_refused(lid):
    line = PartingLine(id="PL1", path=((0.2, 0.1), (0.3, 0.8)))
    with pytest.raises(ValueError, match="same id"):
        closed(lid[0], partings=(line, line))
