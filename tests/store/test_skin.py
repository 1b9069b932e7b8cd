"""One open skin out of closed bodies, cracked seams and several pieces."""

from __future__ import annotations

import numpy as np
import pytest
import trimesh
from scipy.spatial import cKDTree
from tests.store.test_meshes import saved, sheet

from bibulon.core.geometry.surface import Lift, areas_in_space, border_rings
from bibulon.core.geometry.trimesh import TriMesh
from bibulon.core.geometry.unroll import plan_of
from bibulon.store.imports.mesh_in import MeshError, RawMesh, read_mesh, take_mesh
from bibulon.store.imports.skin import one_skin


def tray(x, y):
    """A tray 100 mm deep with leaning walls and a flange round it."""
    return -min(max(min(x - 0.1, 0.9 - x, y - 0.1, 0.5 - y) * 4, 0.0), 0.1)


def block(nx=41, ny=25):
    """A block of 1 by 0.6 m and 0.3 m deep with the tray in its top: closed all round."""
    points, triangles = sheet(tray, nx, ny)
    below = points.copy()
    below[:, 2] = -0.3
    ring = border_rings(triangles)[0]
    after, n = np.roll(ring, -1), len(points)
    sides = np.vstack([np.c_[ring, ring + n, after], np.c_[after, ring + n, after + n]])
    return np.vstack([points, below]), np.vstack([triangles, triangles[:, ::-1] + n, sides])


@pytest.mark.parametrize("inside_out", [False, True])
@pytest.mark.parametrize(("up", "turn"), [("z up", (0, 1, 2)), ("y up", (0, 2, 1))])
def test_of_a_closed_body_what_is_seen_from_above_is_taken(tmp_path, inside_out, up, turn):
    points, triangles = block()
    assert trimesh.Trimesh(points, triangles).is_watertight
    if inside_out:
        triangles = triangles[:, ::-1]
    skin, told = one_skin(read_mesh(saved(tmp_path, points[:, turn], triangles, "block.ply")), up)
    assert told == ["The file is a closed body: its faces seen from above are taken."]
    surface, outline, holes = take_mesh(skin, "mm", up, unrolled=False)
    top, faces = sheet(tray, 41, 25)
    real = areas_in_space(np.array(surface.space), np.array(surface.triangles)).sum()
    assert real == pytest.approx(areas_in_space(top, faces).sum(), rel=1e-6)
    assert len(outline) == 4
    assert holes == ()


def test_a_tray_unrolls_as_a_sheet_would_be_laid_into_it():
    """Floor, walls and flange keep their lengths but at the corners, where cloth is darted; both its ends are alike."""
    points, triangles = sheet(tray, 61, 37)
    plan = plan_of(points, triangles, True)
    lift = Lift(points, TriMesh(plan, triangles, 1.0))
    short, long = lift.off_length
    assert -0.3 < short < long < 0.3
    # Through the middle each way: flange, wall (1:4 over 25 mm), floor, wall, flange.
    wall = 2 * (np.hypot(0.025, 0.1) - 0.025)
    low, high = plan.min(axis=0), plan.max(axis=0)
    assert high - low == pytest.approx([1.0 + wall, 0.6 + wall], rel=0.05)
    rim = plan[border_rings(triangles)[0]] - (low + high) / 2
    for mirror in ((-1, 1), (1, -1)):
        away, _ = cKDTree(rim * mirror).query(rim)
        assert away.max() < 0.01


def test_a_ball_is_taken_as_its_upper_half(tmp_path):
    ball = trimesh.creation.icosphere(4, 0.3)
    skin, _ = one_skin(read_mesh(saved(tmp_path, ball.vertices, ball.faces)), "z up")
    assert skin.points[:, 2].min() > -0.02e3
    assert areas_in_space(skin.points, skin.triangles).sum() == pytest.approx(2 * np.pi * 300**2, rel=0.05)


def test_a_sheet_is_left_as_it_is(tmp_path):
    raw = read_mesh(saved(tmp_path, *sheet(tray)))
    skin, told = one_skin(raw, "z up")
    assert not told
    assert np.array_equal(skin.points[skin.triangles], raw.points[raw.triangles])


def test_faces_that_do_not_share_their_seam_are_joined(tmp_path):
    left, faces = sheet(tray)
    right = left + (1.0 + 1e-7, 0, 0)
    raw = read_mesh(
        saved(tmp_path, np.vstack([left, right]), np.vstack([faces, faces + len(left)]), "two.ply")
    )
    with pytest.raises(MeshError, match="in 2 pieces"):
        take_mesh(raw, "mm", "z up", False)
    skin, told = one_skin(raw, "z up")
    assert not told
    _, outline, _ = take_mesh(skin, "mm", "z up", False)
    assert len(outline) == 4
    assert max(c.x for c in outline) == pytest.approx(2.0, abs=1e-4)


def test_small_pieces_are_left_out_and_told_and_equal_ones_are_refused(tmp_path):
    points, triangles = sheet(tray)
    pin, faces = sheet(lambda x, y: 0.0, 4, 4, 0.05, 0.05)
    pins = [pin + (2 + k, 0, 0) for k in range(3)]
    many = np.vstack([points, *pins])
    shifts = [len(points) + k * len(pin) for k in range(3)]
    raw = read_mesh(saved(tmp_path, many, np.vstack([triangles, *(faces + s for s in shifts)])))
    skin, told = one_skin(raw, "z up")
    share = 100 * 3 * 0.05**2 / (areas_in_space(points, triangles).sum() + 3 * 0.05**2)
    assert told == [f"3 smaller pieces are left out, {share:.1f} % of the area."]
    assert len(skin.triangles) == len(triangles)
    two = np.vstack([points, points + (3, 0, 0)]), np.vstack([triangles, triangles + len(points)])
    with pytest.raises(MeshError, match="in 2 pieces"):
        one_skin(read_mesh(saved(tmp_path, *two)), "z up")


def test_a_body_that_is_all_wall_says_so(tmp_path):
    spike = trimesh.creation.cone(radius=0.002, height=1.0)
    with pytest.raises(MeshError, match="No face of it is seen from above"):
        one_skin(read_mesh(saved(tmp_path, spike.vertices, spike.faces)), "z up")
    skin, _ = one_skin(read_mesh(saved(tmp_path, spike.vertices, spike.faces)), "z down")
    assert np.ptp(skin.points[:, 2]) == pytest.approx(0.0, abs=1e-3)


@pytest.mark.parametrize("seed", range(40))
def test_damaged_surfaces_are_taken_or_refused_in_words(seed):
    """Faces lost, doubled, turned, or joined to any points; points moved, or all in one plane."""
    rng = np.random.default_rng(seed)
    points, triangles = block(15, 11) if seed % 2 else sheet(tray, 15, 11)
    match seed // 2 % 5:
        case 0:
            triangles = triangles[rng.random(len(triangles)) > rng.choice([0.01, 0.1, 0.5])]
        case 1:
            triangles = np.vstack([triangles, triangles[rng.integers(0, len(triangles), 3)]])
        case 2:
            triangles = np.where(rng.random((len(triangles), 1)) < 0.3, triangles[:, ::-1], triangles)
        case 3:
            triangles = np.vstack([triangles, rng.integers(0, len(points), (5, 3))])
        case _:
            points = points + rng.normal(0, rng.choice([1e-4, 1e-2, 0.1]), points.shape)
            points[:, rng.integers(0, 3)] *= rng.choice([0.0, 1.0])
    raw = RawMesh("x.stl", points, triangles.astype(np.int64))
    try:
        skin, _ = one_skin(raw, "z up")
        surface, outline, _ = take_mesh(skin, "m", "z up")
    except MeshError:
        return  # in words: any other error fails here
    assert len(outline) >= 3
    lift = Lift(np.array(surface.space), TriMesh(np.array(surface.plan), np.array(surface.triangles), 1.0))
    assert lift.area == pytest.approx(areas_in_space(skin.points, skin.triangles).sum(), rel=1e-3)
