"""Four points of a photo lay it under the plan: any view of a plane comes back, what cannot be a view is refused."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from bibulon.core.geometry.projective import projective, through

PLAN = np.array([[0.0, 0.0], [2.0, 0.1], [1.9, 1.2], [0.1, 1.0]])


def camera(tilt, turn, far=4.0, focal=900.0):
    """Pixels of places on the floor, seen by a camera that is tilted and turned."""
    c, s = np.cos(turn), np.sin(turn)
    ct, st_ = np.cos(tilt), np.sin(tilt)

    def px(points):
        flat = (points - (1.0, 0.6)) @ np.array([[c, s], [-s, c]])
        depth = far + flat[:, 1] * st_
        return np.c_[focal * flat[:, 0] / depth + 640, focal * flat[:, 1] * ct / depth + 480]

    return px


@given(st.floats(-0.9, 0.9), st.floats(-3.1, 3.1))
def test_any_view_of_the_floor_comes_back(tilt, turn):
    px = camera(tilt, turn)
    matrix = projective(px(PLAN), PLAN)
    inside = np.random.default_rng(1).uniform((0.1, 0.1), (1.8, 1.0), (20, 2))
    assert np.abs(through(matrix, px(inside)) - inside).max() < 1e-6


def test_straight_from_above_is_a_scale():
    matrix = projective(PLAN * 500 + 20, PLAN)
    assert through(matrix, np.array([[520.0, 270.0]]))[0] == pytest.approx([1.0, 0.5])


def test_three_on_a_line_and_a_twisted_order_are_refused():
    seen = np.array([[0.0, 0.0], [100.0, 0.0], [200.0, 0.0], [50.0, 80.0]])
    with pytest.raises(ValueError, match="on a line on the photo"):
        projective(seen, PLAN)
    with pytest.raises(ValueError, match="on a line on the plan"):
        projective(PLAN * 100, seen)
    with pytest.raises(ValueError, match="another order"):
        projective((PLAN * 100)[[0, 2, 1, 3]], PLAN)
