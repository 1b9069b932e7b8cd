"""What measured parts teach: packing of cloth and uptake of cores come back as they were put in, with ranges that hold."""

from __future__ import annotations

import math

import numpy as np
import pytest

from bibulon.core.geometry.zones import regions
from bibulon.core.library.demo import demo_job
from bibulon.core.model.materials import Core, Fabric
from bibulon.core.series.learn import proposals
from bibulon.core.series.record import weighed_entry
from bibulon.core.series.settled import KINDS, figure_of, settled_of, taken
from bibulon.core.series.thickness import thickness_entry
from bibulon.core.stack.laid import developed_area
from bibulon.core.stack.laminate import STAYS, core_uptake, zone_stack
from bibulon.core.stack.totals import part_totals

JOB = demo_job()
ZONES = regions(JOB.part).zones


def points(factor, count=4, rng=None):
    """Rows of all zones, each with plies so many times as thick as planned."""
    rows = []
    for zone, region in ZONES.items():
        at = region.representative_point()
        stack = zone_stack(JOB, zone)
        rest = sum(s.thickness for s in stack.layers if s.kind in STAYS and s.kind != "fabric")
        plies = stack.thickness - rest
        for k in range(count):
            off = 1.0 if rng is None else 1 + 0.03 * rng.standard_normal()
            rows.append(thickness_entry(f"{zone}{k}", at.x, at.y, rest + plies * factor * off, "", 1.0))
    return rows


def test_plies_that_come_out_thicker_pack_less():
    told = settled_of(JOB, points(1.05))
    packing = [row for row in told if row[0] == "packing"]
    assert packing
    cored = {z for z in ZONES if any(s.kind == "core" for s in zone_stack(JOB, z).layers)}
    names = {
        JOB.materials[s.layer.material].name
        for z in ZONES
        if z not in cored
        for s in zone_stack(JOB, z).layers
        if s.kind == "fabric"
    }
    assert sorted(row[1] for row in packing) == sorted(
        names
    )  # one run a cloth, in however many zones it lies
    for _, _, y, spread, ref in packing:
        assert y == pytest.approx(-math.log(1.05), abs=2e-4)
        assert 0.005 < spread < 0.06
        assert ref > 0.3
    assert settled_of(JOB, []) == ()


def test_what_the_core_took_up_comes_out_of_the_weighed_part():
    """A part as planned but for cores that took 1.4 times what their sheet says."""
    totals, density = part_totals(JOB), JOB.resin.density
    in_plies = uptake = 0.0
    for zone, region in ZONES.items():
        area, stack = developed_area(JOB.part, zone, region), zone_stack(JOB, zone)
        in_plies += (
            area * density * sum(s.thickness - s.fibre_volume for s in stack.layers if s.kind == "fabric")
        )
        uptake += area * density * sum(s.pores for s in stack.layers if s.kind == "core")
    part = totals.fibre + totals.core + totals.other + in_plies + 1.4 * uptake
    rows = [*points(1.0), weighed_entry(2.0, "", part=part)]
    found = [row for row in settled_of(JOB, rows) if row[0] == "uptake"]
    assert len(found) == 1
    assert found[0][2] == pytest.approx(math.log(1.4), abs=0.01)
    assert [row for row in settled_of(JOB, rows[4:]) if row[0] == "uptake"] == []  # a zone is not measured


def test_packing_over_many_shops_lies_within_its_range_nine_times_in_ten():
    _, wide, between = KINDS["packing"]
    rng = np.random.default_rng(4)
    held = 0
    for _ in range(1500):
        shop = wide * rng.normal()
        runs = []
        for _ in range(3):
            sd = rng.uniform(0.01, 0.03)
            runs.append([("cloth", shop + between * rng.normal() + sd * rng.normal(), sd, 0.5)])
        (p,) = proposals(runs, {"cloth": 0.5}, "packing", wide, between)
        held += p.low < math.exp(shop) < p.high
    assert 0.88 < held / 1500 < 0.92


def test_a_taken_figure_asks_for_no_more():
    cloth = next(m for m in JOB.materials.values() if isinstance(m, Fabric))
    new = taken(cloth, "packing", 0.95)
    assert figure_of(new, "packing") == pytest.approx(0.95 * cloth.vf_ref)
    rows = [[("c", math.log(0.95), 0.001, cloth.vf_ref)]] * 8
    (p,) = proposals(rows, {"c": figure_of(new, "packing") or 0.0}, "packing", 0.08, 0.02)
    assert p.middle == pytest.approx(1.0, abs=0.002)
    core = next(m for m in JOB.materials.values() if isinstance(m, Core))
    more = taken(core, "uptake", 1.4)
    assert core_uptake(more).total == pytest.approx(1.4 * core_uptake(core).total)
    assert taken(cloth, "uptake", 1.4) is cloth
    assert figure_of(cloth, "uptake") is None
