"""Mould surfaces out of STL, OBJ and PLY, and what is reckoned on them."""

from __future__ import annotations

import math
import random

import msgspec
import numpy as np
import pytest
import trimesh

from bibulon.core.edit.edit import change
from bibulon.core.flow.build.builder import build
from bibulon.core.flow.forecast import Resolution, forecast
from bibulon.core.geometry.surface import areas_in_space, lift_of
from bibulon.core.geometry.zones import regions
from bibulon.core.model.job import Conditions, FlowLine, Job, Layer, Part, Surface
from bibulon.core.model.materials import ConstantViscosity, PorousLayer, Resin
from bibulon.core.stack.laid import developed_area, layer_area
from bibulon.store.imports.mesh_in import MOST_TRIANGLES, MeshError, likely_up, read_mesh, take_mesh

RADIUS, LENGTH = 0.4, 0.6


def sheet(height, nx=24, ny=16, wide=1.0, deep=0.6):
    """A grid over a rectangle [m] with a height of (x, y); points and triangles."""
    x, y = np.meshgrid(np.linspace(0, wide, nx), np.linspace(0, deep, ny), indexing="ij")
    points = np.column_stack([x.ravel(), y.ravel(), np.vectorize(height)(x, y).ravel()])
    i = np.arange(nx * ny).reshape(nx, ny)
    a, b, c, d = i[:-1, :-1].ravel(), i[1:, :-1].ravel(), i[1:, 1:].ravel(), i[:-1, 1:].ravel()
    return points, np.vstack([np.column_stack([a, b, c]), np.column_stack([a, c, d])])


def half_pipe(n=40, m=16):
    """Half a cylinder of radius 0.4 m and length 0.6 m, lying along y, open below: its sides stand upright."""
    angle = np.linspace(0, math.pi, n)
    y = np.linspace(0, LENGTH, m)
    points = np.array([(-RADIUS * math.cos(a), v, RADIUS * math.sin(a)) for a in angle for v in y])
    i = np.arange(n * m).reshape(n, m)
    a, b, c, d = i[:-1, :-1].ravel(), i[1:, :-1].ravel(), i[1:, 1:].ravel(), i[:-1, 1:].ravel()
    return points, np.vstack([np.column_stack([a, b, c]), np.column_stack([a, c, d])])


def saved(tmp_path, points, triangles, name="mould.stl", scale=1e3):
    path = tmp_path / name
    trimesh.Trimesh(points * scale, triangles, process=False).export(path)
    return path


@pytest.mark.parametrize("name", ["mould.stl", "mould.obj", "mould.ply"])
def test_all_three_formats_give_the_same_surface(tmp_path, name):
    points, triangles = sheet(lambda x, y: 0.1 * x)
    surface, outline, holes = take_mesh(
        read_mesh(saved(tmp_path, points, triangles, name)), "mm", "z up", False
    )
    assert len(outline) == 4
    assert holes == ()
    area = areas_in_space(np.array(surface.space), np.array(surface.triangles)).sum()
    assert area == pytest.approx(0.6 * math.hypot(1, 0.1), rel=1e-5)


@pytest.mark.parametrize(
    ("up", "turn"), [("y up", (0, 2, 1)), ("x up", (2, 1, 0)), ("z down", (0, 1, 2)), ("z up", (0, 1, 2))]
)
def test_up_is_turned_to_the_top(tmp_path, up, turn):
    points, triangles = sheet(lambda x, y: 0.2 * x)
    seen = points[:, turn]
    surface, outline, _ = take_mesh(read_mesh(saved(tmp_path, seen, triangles)), "mm", up, False)
    z = np.array(surface.space)[:, 2]
    assert z.max() == pytest.approx(0.2, abs=1e-6)
    assert max(c.x for c in outline) == pytest.approx(1.0, abs=1e-6)


def test_a_mould_of_kilometres_is_in_another_unit(tmp_path):
    raw = read_mesh(saved(tmp_path, *sheet(lambda x, y: 0.1 * x)))
    with pytest.raises(MeshError, match="It is 1,000 m long in m: choose another unit"):
        take_mesh(raw, "m", "z up")


@pytest.mark.parametrize(
    ("turn", "up"), [((0, 1, 2), "z up"), ((0, 2, 1), "y up"), ((2, 1, 0), "x up"), ((1, 2, 0), "y up")]
)
def test_the_way_up_is_guessed_from_where_a_mould_is_low(tmp_path, turn, up):
    points, triangles = sheet(lambda x, y: 0.2 * x)
    assert likely_up(read_mesh(saved(tmp_path, points[:, turn], triangles))) == up


def test_of_a_mould_as_high_as_wide_z_is_up(tmp_path):
    points, triangles = sheet(lambda x, y: 0.65 * x)  # 0.6 m wide
    assert likely_up(read_mesh(saved(tmp_path, points, triangles))) == "z up"


def test_a_surface_that_is_too_fine_is_made_coarser_and_keeps_its_rim(tmp_path):
    """A dish of 300,000 triangles, as a drawing office exports it."""
    points, triangles = sheet(lambda x, y: 0.15 * np.sin(np.pi * x) * np.sin(np.pi * y / 0.6), 500, 300)
    assert len(triangles) > 290_000
    raw = read_mesh(saved(tmp_path, points, triangles))
    assert raw.finer == len(triangles)
    assert len(raw.triangles) <= MOST_TRIANGLES
    surface, outline, _ = take_mesh(raw, "mm", "z up", False)
    rim = sorted((round(c.x, 6), round(c.y, 6)) for c in outline)
    assert rim == [(0.0, 0.0), (0.0, 0.6), (1.0, 0.0), (1.0, 0.6)]
    fine = areas_in_space(points, triangles).sum()
    assert areas_in_space(np.array(surface.space), np.array(surface.triangles)).sum() == pytest.approx(
        fine, rel=1e-3
    )
    lift = lift_of(Part(outline=outline, surface=surface))
    assert lift is not None
    z = lift(points[::97, :2])[:, 2]
    assert np.abs(z - points[::97, 2]).max() < 0.3e-3


def test_a_rim_that_alone_is_too_fine_is_refused(tmp_path):
    turn = np.linspace(0, 2 * np.pi, 62_001)[:-1]
    points = np.vstack([[[0, 0, 0.1]], np.column_stack([np.cos(turn), np.sin(turn), np.zeros(62_000)])])
    at = np.arange(62_000)
    triangles = np.column_stack([np.zeros(62_000, dtype=int), 1 + at, 1 + (at + 1) % 62_000])
    with pytest.raises(MeshError, match="62000 triangles, and no more than 60000 can be kept"):
        read_mesh(saved(tmp_path, points, triangles, "rim.ply"))


@pytest.mark.parametrize(
    ("mould", "laid"),
    [
        (lambda: sheet(lambda x, y: 0.1 * x), "above"),  # half a hundredth longer than it is seen
        (lambda: sheet(lambda x, y: 0.02 * np.sin(np.pi * x)), "above"),  # 4° at its steepest
        (lambda: sheet(lambda x, y: 0.3 * np.sin(np.pi * x)), "unrolled"),  # 43°
        (lambda: half_pipe(), "unrolled"),
        (lambda: box_side(), "unrolled"),
        (lambda: sheet(lambda x, y: 0.3 * np.clip(20 * (x - 0.5), 0, 1)), "unrolled"),  # a wall of 300 mm
    ],
)
def test_a_mould_that_is_not_nearly_level_is_unrolled_unless_somebody_chooses(tmp_path, mould, laid):
    surface, outline, _ = take_mesh(read_mesh(saved(tmp_path, *mould())), "mm", "z up")
    assert surface.laid == laid
    real = areas_in_space(np.array(surface.space), np.array(surface.triangles)).sum()
    if laid == "unrolled":  # each of these bends one way alone
        assert regions(Part(outline=outline)).whole.area == pytest.approx(real, rel=2e-3)


def test_a_half_pipe_stands_upright_from_above_and_unrolls_to_its_own_size(tmp_path):
    raw = read_mesh(saved(tmp_path, *half_pipe()))
    with pytest.raises(MeshError, match="take it unrolled"):
        take_mesh(read_mesh(saved(tmp_path, *box_side())), "mm", "z up", False)
    surface, outline, _ = take_mesh(raw, "mm", "z up", True)
    plan = regions(Part(outline=outline)).whole
    # A developable surface unrolls to a rectangle of π R by L.
    assert plan.area == pytest.approx(math.pi * RADIUS * LENGTH, rel=2e-3)
    rectangle = plan.minimum_rotated_rectangle
    assert plan.area == pytest.approx(rectangle.area, rel=2e-3)
    lift = lift_of(Part(outline=outline, surface=surface))
    assert lift.growth.min() == pytest.approx(1, abs=5e-3)
    assert lift.growth.max() == pytest.approx(1, abs=5e-3)


def box_side():
    """A floor with one wall that stands upright."""
    points = np.array([(0, 0, 0), (1, 0, 0), (1, 1, 0), (0, 1, 0), (1, 0, 0.3), (1, 1, 0.3)], dtype=float)
    return points, np.array([(0, 1, 2), (0, 2, 3), (1, 4, 5), (1, 5, 2)])


def test_a_hole_in_the_surface_is_a_hole_of_the_part(tmp_path):
    points, triangles = sheet(lambda x, y: 0.0)
    middle = points[triangles].mean(axis=1)
    away = np.hypot(middle[:, 0] - 0.5, middle[:, 1] - 0.3) > 0.12
    _, outline, holes = take_mesh(read_mesh(saved(tmp_path, points, triangles[away])), "mm", "z up", False)
    assert len(holes) == 1
    area = areas_in_space(points, triangles[away]).sum()
    assert regions(Part(outline=outline, holes=holes)).whole.area == pytest.approx(area, rel=2e-3)


def test_triangles_that_face_both_ways_are_turned(tmp_path):
    points, triangles = sheet(lambda x, y: 0.1 * y)
    mixed = triangles.copy()
    mixed[::3] = mixed[::3][:, ::-1]
    surface, _, _ = take_mesh(read_mesh(saved(tmp_path, points, mixed, "m.ply")), "mm", "z up", False)
    assert len(surface.triangles) == len(triangles)


def test_pieces_bands_and_closed_bodies_are_refused(tmp_path):
    points, triangles = sheet(lambda x, y: 0.0, 4, 4)
    two = np.vstack([points, points + (3, 0, 0)]), np.vstack([triangles, triangles + len(points)])
    with pytest.raises(MeshError, match="in 2 pieces"):
        take_mesh(read_mesh(saved(tmp_path, *two)), "mm", "z up", False)
    ball = trimesh.creation.icosphere(1, 0.3)
    with pytest.raises(MeshError, match="closed"):
        take_mesh(read_mesh(saved(tmp_path, ball.vertices, ball.faces)), "mm", "z up", True)
    n = 24
    a = np.linspace(0, 2 * math.pi, n, endpoint=False)
    edge = [
        ((1 + s * 0.2 * math.cos(t / 2)) * math.cos(t), (1 + s * 0.2 * math.cos(t / 2)) * math.sin(t), s * 0.2 * math.sin(t / 2))
        for t in a for s in (-1, 1)
    ]  # fmt: skip
    faces = [
        f for k in range(n - 1) for f in ((2 * k, 2 * k + 2, 2 * k + 1), (2 * k + 1, 2 * k + 2, 2 * k + 3))
    ]
    last = 2 * (n - 1)
    faces += [(last, 1, last + 1), (last + 1, 1, 0)]
    with pytest.raises(MeshError, match="one side only"):
        take_mesh(read_mesh(saved(tmp_path, np.array(edge), np.array(faces))), "m", "z up", True)


def slope_job(surface, outline, tilt_along, viscosity=0.1, vacuum=0.0):
    """A porous sheet on a surface, fed along x = 0, drawn along the far side; no losses in lines."""
    cloth = PorousLayer(name="cloth", thickness=0.004, porosity=0.5, k1=2e-10, k2=2e-10, k3=2e-10)
    resin = Resin(name="oil", viscosity=ConstantViscosity(value=viscosity), density=1000.0)
    end = max(c.x for c in outline)
    deep = max(c.y for c in outline)
    lines = (
        FlowLine(id="F", label="F", role="feed", path=((0, 0), (0, deep)), bore=0),
        FlowLine(id="V", label="V", role="vacuum", path=((end, 0), (end, deep)), bore=0),
    )
    return Job(
        part=Part(outline=outline, surface=surface),
        materials={"cloth": cloth},
        stack=(Layer(id="L1", material="cloth"),),
        resin=resin,
        lines=lines,
        conditions=Conditions(vacuum=vacuum, bucket_below=0.0, mixed_before_start=0.0),
    )


@pytest.mark.parametrize("rise", [0.75, -0.75])
def test_a_slope_fills_as_its_own_length_and_height_say(tmp_path, rise):
    """Up or down a plane of length L that rises by h: K(Δp − ρ g x sin β) drives the front.

    t = φμ/(K a) [−x − (Δp/a) ln(1 − a x/Δp)] with a = ρ g sin β (Darcy's law, integrated).
    """
    points, triangles = sheet(lambda x, y: rise * x if rise > 0 else -rise * (1 - x))
    surface, outline, _ = take_mesh(read_mesh(saved(tmp_path, points, triangles)), "mm", "z up", False)
    job = slope_job(surface, outline, rise)
    result = forecast(job, Resolution(900, 1, 24))
    length = math.hypot(1.0, rise)
    a = 1000 * 9.80665 * rise / length
    # Heights count from the lowest place, the bucket's too: going down it starts 0.75 m above it.
    pull = 101325.0 - (1000 * 9.80665 * 0.75 if rise < 0 else 0.0)
    t = 0.5 * 0.1 / (2e-10 * a) * (-length - pull / a * math.log(1 - a * length / pull))
    assert result.fill_time == pytest.approx(t, rel=0.015)


def test_resin_and_area_are_those_of_the_surface(tmp_path):
    points, triangles = sheet(lambda x, y: 0.25 * math.sin(math.pi * x) * math.sin(math.pi * y / 0.6), 40, 26)
    surface, outline, _ = take_mesh(read_mesh(saved(tmp_path, points, triangles)), "mm", "z up", False)
    true = areas_in_space(points, triangles).sum()
    job = slope_job(surface, outline, 0.0)
    plan = regions(job.part)
    assert developed_area(job.part, "rim", plan.whole) == pytest.approx(true, rel=1e-3)
    assert layer_area(job, job.stack[0]) == pytest.approx(true, rel=1e-3)
    model = build(job, 900)
    assert model.vertex_areas().sum() == pytest.approx(true, rel=0.01)
    assert model.cloth_volume.sum() == pytest.approx(true * 0.002, rel=0.01)


def test_the_unrolled_pipe_fills_along_its_girth(tmp_path):
    surface, outline, _ = take_mesh(read_mesh(saved(tmp_path, *half_pipe())), "mm", "z up", True)
    x = [c.x for c in outline]
    job = slope_job(surface, outline, 0.0)
    light = msgspec.structs.replace(job.resin, density=1e-3)  # no resin: only so weighs nothing
    result = forecast(change(job, resin=light), Resolution(900, 1, 20))
    girth = math.pi * RADIUS
    assert max(x) == pytest.approx(girth, rel=2e-3)
    t = 0.5 * 0.1 * girth**2 / (2 * 2e-10 * 101325.0)
    assert result.fill_time == pytest.approx(t, rel=0.015)


def test_a_job_with_a_surface_is_kept(tmp_path):
    from bibulon.store.jobfile import load, save

    points, triangles = sheet(lambda x, y: 0.1 * x, 6, 5)
    surface, outline, _ = take_mesh(read_mesh(saved(tmp_path, points, triangles)), "mm", "z up", False)
    job = slope_job(surface, outline, 0.1)
    path = tmp_path / "s.bibulon"
    save(job, path)
    assert load(path).job == job
    with pytest.raises(ValueError, match="names a point that is not there"):
        Surface(space=surface.space, plan=surface.plan, triangles=((0, 1, 999),))


@pytest.mark.parametrize("name", ["m.stl", "m.obj", "m.ply"])
def test_damaged_surfaces_give_a_surface_or_a_message(tmp_path, name):
    points, triangles = sheet(lambda x, y: 0.1 * x, 7, 6)
    data = saved(tmp_path, points, triangles, name).read_bytes()
    rng, told = random.Random(3), []
    for k in range(34):
        out = bytearray(data)
        if k % 3 == 0:
            out = out[: rng.randrange(len(out))]
        else:
            for _ in range(rng.randrange(1, 60)):
                out[rng.randrange(len(out))] = rng.randrange(256)
        bad = tmp_path / f"bad{k}-{name}"
        bad.write_bytes(bytes(out))
        try:
            take_mesh(read_mesh(bad), "mm", "z up", bool(k % 2))
        except MeshError as error:
            told.append(str(error))
    assert len(told) >= 5
    assert all(10 < len(t) < 300 for t in told)
