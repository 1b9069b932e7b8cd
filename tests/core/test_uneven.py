"""What uneven cloth shuts in: a rough front against a solver of its own, and plans whose fronts meet head-on against those that don't."""

from __future__ import annotations

import numpy as np
import pytest
from scipy import ndimage
from tests.validation.grid import Grid
from tests.validation.layouts import SHELF, WIDE, MeshExtent, Part, box, feed, job, stack, stepped, vacuum

from bibulon.core.findings.judge import evidence_of, find
from bibulon.core.flow.forecast import COARSE, FINE, forecast
from bibulon.core.flow.uneven import PATCH, ROUGHNESS, scattered, uneven
from bibulon.core.lines.starters import LinePlan
from bibulon.core.model.job import AtTime, OnFront
from bibulon.core.model.materials import ConstantViscosity
from bibulon.core.plans import suggest


def facing(**changes):
    """Fed along both long sides, drawn from one end: fronts close along the middle all at once."""
    lines = (
        feed("F1", ((0.02, 0.02), (0.98, 0.02)), bore=0.014),
        feed("F2", ((0.02, WIDE - 0.02), (0.98, WIDE - 0.02)), bore=0.014),
        vacuum(),
    )
    return job(lines=lines, **changes)


def told(made, resolution=COARSE):
    return {f.kind for f in find(evidence_of(made, forecast(made, resolution)))}


def test_the_field_is_normal_and_as_smooth_as_it_says():
    """Over many fields: mean 0, variance 1, correlation exp(−r²/2 patch²) at any two places."""
    rng = np.random.default_rng(1)
    points = np.array([(0.3, 0.2), (0.35, 0.2), (0.3, 0.32), (0.5, 0.4)])
    fields = np.array([scattered(points, 0.1, rng) for _ in range(4000)])
    away = np.hypot(*(points[:, None] - points[None]).transpose(2, 0, 1))
    np.testing.assert_allclose(fields.T @ fields / len(fields), np.exp(-(away**2) / 0.02), atol=0.06)
    np.testing.assert_allclose(fields.mean(axis=0), 0, atol=0.05)
    assert np.mean(np.abs(fields) < 1.96) == pytest.approx(0.95, abs=0.01)


@pytest.mark.parametrize("share", [0.1, 0.2])
def test_a_front_in_uneven_cloth_is_as_rough_as_is_taken(share):
    """A grid with cells of log-normal permeability, solved apart: how far the front lies about, near its feed and far from it."""
    rng, cell, rows, columns = np.random.default_rng(3), 0.02, 40, 50
    y, x = (np.indices((rows, columns)) + 0.5) * cell
    spread = np.sqrt(np.log(1 + share**2))
    found = {0.25: [], 0.6: []}
    for _ in range(4):
        field = scattered(np.column_stack([x.ravel(), y.ravel()]), PATCH, rng).reshape(rows, columns)
        k = 1e-10 * np.exp(spread * field - spread**2 / 2)
        grid, u = Grid(k, k, 0.5, cell, np.full(rows, cell)), None
        for way, seen in found.items():
            fronts, u = grid.fronts(0.5 * way**2 / 2e-10, u, settled=1e-5)
            seen.append(np.var(fronts))
    for way, seen in found.items():
        assert np.sqrt(np.mean(seen)) == pytest.approx(ROUGHNESS * share * PATCH, rel=0.4), way


@pytest.mark.parametrize("resolution", [COARSE, FINE], ids=["coarse", "fine"])
def test_fronts_that_meet_head_on_shut_air_in_and_those_that_run_on_do_not(resolution):
    head_on, runs_on = forecast(facing(), resolution), forecast(job(), resolution)
    assert not head_on.pockets  # as even cloth has it
    assert uneven(head_on, 0.1).share >= 0.7
    assert uneven(head_on, 0.1).area > 100e-4
    x, y = uneven(head_on, 0.1).place
    assert 0.05 < x < 0.95
    assert abs(y - WIDE / 2) < 0.08  # on the line where they meet
    assert uneven(runs_on, 0.1).area < 5e-4  # a corner of the mesh here and there


def shut_in_by_a_grid(wide, variation, seed, cell=0.02):
    """Area [m²] of a metre of cloth that loses its way to its end, where fronts from both sides close: a grid solved apart."""
    rows, columns = round(1.0 / cell), round(wide / cell)
    y, x = (np.indices((rows, columns)) + 0.5) * cell
    field = scattered(np.column_stack([x.ravel(), y.ravel()]), PATCH, np.random.default_rng(seed))
    k = np.exp(variation * field.reshape(rows, columns))
    grid, u, gone, area = (
        Grid(k, k, 1.0, cell, np.full(rows, cell), facing=True),
        None,
        np.zeros(k.shape, bool),
        0.0,
    )
    for fed in (wide / 2) ** 2 / 2 * np.linspace(0.6, 1.6, 50):
        _, u = grid.fronts(fed, u, settled=1e-5)
        wet = grid.filled(u, fed)
        dry = (wet < 0.999) & ~gone
        region, count = ndimage.label(dry)
        with_way_out = set(region[-1].tolist())
        for k in set(range(1, count + 1)) - with_way_out:
            area += float((1 - wet)[region == k].sum()) * cell**2
            gone |= region == k
        if not dry.any():
            break
    return area


@pytest.mark.parametrize(
    ("wide", "variation", "resolution"),
    [
        (0.24, 0.1, COARSE), *(
            pytest.param(wide, variation, fineness, marks=pytest.mark.slow)
            for wide, variation in ((0.4, 0.1), (0.24, 0.2))
            for fineness in (COARSE, FINE)
        ),
    ],
)  # fmt: skip
def test_as_much_is_shut_in_as_in_a_grid_solved_apart(wide, variation, resolution):
    """Bare plies of constant resin, fed along both sides without loss, a vent at one end: by the mean of ten fields."""
    big = {"bore": 0.02, "hose_bore": 0.02, "hose_length": 0.05}
    made = job(
        part=Part(outline=box(0, 0, 1.0, wide)), stack=stack(*("biax-600",) * 4), mesh=None,
        resin=SHELF["epoxy-slow"].replaced(viscosity=ConstantViscosity(value=0.2)),
        lines=(
            feed("F1", ((0.0, 0.0), (1.0, 0.0)), **big), feed("F2", ((0.0, wide), (1.0, wide)), **big),
            vacuum("V1", ((1.0, wide / 2),)),
        ),
    )  # fmt: skip
    found = uneven(forecast(made, resolution), variation)
    wanted = np.mean([shut_in_by_a_grid(wide, variation, seed) for seed in range(10)])
    assert found.share == 1.0
    assert found.area == pytest.approx(wanted, rel=0.35)
    assert found.matters


def test_even_cloth_shuts_nothing_in_and_rougher_cloth_more():
    flow = forecast(facing(), COARSE)
    assert uneven(flow, 0.0).share == 0
    assert uneven(flow, 0.05).area < uneven(flow, 0.1).area < uneven(flow, 0.2).area


def test_the_same_plan_on_its_side_is_judged_alike():
    """The field is no mirror image of itself: what is told must not hang on one draw."""
    turned = facing().replaced(
        part=job().part.replaced(outline=box(0, 0, WIDE, 1.0)),
        mesh=MeshExtent(material="net-green", outline=box(0, 0, WIDE, 0.94)),
        lines=(
            feed("F1", ((0.02, 0.02), (0.02, 0.98)), bore=0.014),
            feed("F2", ((WIDE - 0.02, 0.02), (WIDE - 0.02, 0.98)), bore=0.014),
            vacuum(path=((0.0, 1.0), (WIDE, 1.0))),
        ),
    )
    assert {"meets"} <= told(turned) & told(facing())


def test_it_is_told_once_and_not_beside_what_tells_of_the_same_air():
    assert "meets" in told(facing())
    early = stepped(AtTime(time=30.0))
    assert "meets" not in told(early)
    assert {"early-feed"} <= told(early)
    assert "meets" not in told(stepped(OnFront(line="F2")))
    dead_end = job(lines=(feed(path=((0.5, 0.02), (0.5, WIDE - 0.02))), vacuum()))
    assert "pocket" in told(dead_end)
    assert "meets" not in told(dead_end)


def test_a_shop_may_take_its_cloth_as_even():
    rules = facing().rules.replaced(uneven=0.0)
    assert "meets" not in told(facing(rules=rules))


def test_a_search_weighs_what_uneven_cloth_shuts_in(monkeypatch):
    """A plan whose fronts meet head-on is told with the area that its own finding tells, once it is laid."""
    monkeypatch.setattr(suggest, "lay_lines", lambda *_: facing())
    answer = suggest._scored(suggest._Try(job(), LinePlan(), "net-green", fine=True))
    assert answer is not None
    flow = forecast(facing(), FINE)
    assert not flow.pockets
    assert uneven(flow, 0.1).matters
    assert answer[0].locked == pytest.approx(uneven(flow, 0.1).area)
    monkeypatch.setattr(suggest, "lay_lines", lambda *_: job())
    answer = suggest._scored(suggest._Try(job(), LinePlan(), "net-green", fine=True))
    assert answer is not None
    assert answer[0].locked == 0.0
