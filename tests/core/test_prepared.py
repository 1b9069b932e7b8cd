"""Shapes that threads share are never prepared: what asks one asks its own copy of it."""

from __future__ import annotations

import itertools
import re
import sys
import threading
from pathlib import Path

import numpy as np
import shapely
from shapely.geometry import Point, Polygon, box

from bibulon.core.bag.bag import bag_of
from bibulon.core.flow.forecast import Resolution
from bibulon.core.geometry.prepared import KEPT, prepared, within
from bibulon.core.geometry.zones import regions
from bibulon.core.outlook.outlook import look_ahead
from bibulon.core.stack.laid import places

SOURCE = Path(__file__).resolve().parents[2] / "src/bibulon"
TURN = np.linspace(0, 2 * np.pi, 300, endpoint=False)


def star(k: int) -> Polygon:
    r = 1 + 0.3 * np.sin((3 + k % 5) * TURN)
    return Polygon(np.c_[r * np.cos(TURN), r * np.sin(TURN)], [box(-0.2, -0.2, 0.2, 0.2).exterior.coords])


def test_inside_is_what_a_ray_says():
    """Crossings of a ray to the right with every edge, odd inside."""
    shape = star(1)
    points = np.random.default_rng(4).uniform(-1.4, 1.4, (400, 2))
    inside = np.zeros(len(points), dtype=bool)
    for ring in (shape.exterior, *shape.interiors):
        a = np.array(ring.coords)
        for (x0, y0), (x1, y1) in itertools.pairwise(a):
            crosses = (y0 > points[:, 1]) != (y1 > points[:, 1])
            with np.errstate(divide="ignore", invalid="ignore"):
                at = x0 + (points[:, 1] - y0) / (y1 - y0) * (x1 - x0)
            inside ^= crosses & (points[:, 0] < at)
    assert within(shape, points).tolist() == inside.tolist()
    assert within(shape, points.reshape(20, 20, 2)).shape == (20, 20)
    assert bool(within(shape, (0.5, 0.1)))


def test_a_thread_has_one_copy_and_another_thread_another():
    shape, found = star(0), []
    threads = [threading.Thread(target=lambda: found.append(prepared(shape))) for _ in range(3)]
    for t in threads:
        t.start()
        t.join()
    mine = prepared(shape)
    assert prepared(shape) is mine
    assert len({id(x) for x in (*found, mine)}) == 4
    assert all(x.equals_exact(shape, 0.0) for x in (*found, mine))
    assert not shapely.is_prepared(shape)


def test_copies_of_many_shapes_are_let_go_and_never_taken_for_another():
    for k in range(3 * KEPT):
        shape = Point(k, 0).buffer(0.4)  # gone at once: its number comes again
        assert bool(within(shape, (k, 0)))
        assert not bool(within(shape, (k + 1, 0)))


def test_what_is_shared_stays_as_it_is_through_a_whole_look_ahead(demo):
    job = demo.replaced(part=demo.part.replaced(depth=0.0123))  # whose shapes no other test has asked
    look_ahead(job, Resolution(300, 1, 8), fine=True)
    bag_of(job)
    plan, laid = regions(job.part), places(job)
    for shape in (plan.whole, *plan.zones.values(), *plan.over.values(), laid.whole, *laid.zones.values()):
        assert not shapely.is_prepared(shape)


def test_threads_that_ask_the_same_regions_at_once_all_come_back():
    shapes = [star(k) for k in range(40)]
    points = np.random.default_rng(1).uniform(-1.3, 1.3, (800, 2))
    told = [within(s, points).sum() for s in shapes]
    start, found, turn = threading.Barrier(4), [], sys.getswitchinterval()

    def ask() -> None:
        mine = []
        for s in shapes:
            start.wait()
            mine.append(within(s, points).sum())
        found.append(mine)

    sys.setswitchinterval(1e-4)
    try:
        threads = [threading.Thread(target=ask) for _ in range(4)]
        for t in threads:
            t.start()
        for t in threads:
            t.join()
    finally:
        sys.setswitchinterval(turn)
    assert found == [told] * 4


def test_nothing_else_prepares_a_shape():
    """Shapely prepares what it is asked by contains_xy, too."""
    asks = re.compile(
        r"shapely\.(prepare|contains_xy|intersects_xy)\(|from shapely.prepared|import.*\b(prep|contains_xy)\b"
    )
    found = {p.name for p in SOURCE.rglob("*.py") if asks.search(p.read_text(encoding="utf-8"))}
    assert found == {"prepared.py"}
