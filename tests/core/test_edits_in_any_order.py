"""Edits one after another in whatever order: each is refused in words or leaves a job that all else can work with."""

from __future__ import annotations

import json
import math
from collections.abc import Callable
from random import Random
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from tests.written import written

from bibulon.core.bag.bag import bag_of
from bibulon.core.drawing.graphs.diagram import diagram_nodes
from bibulon.core.edit import arrange, cuts, edit, plumb, shape, valves
from bibulon.core.geometry.outline import OutlineError
from bibulon.core.geometry.starters import STARTERS
from bibulon.core.geometry.zones import regions
from bibulon.core.library.catalogue import library
from bibulon.core.library.demo import demo_job
from bibulon.core.library.mould_demo import mould_demo_job
from bibulon.core.lines.kit import kit_of
from bibulon.core.lines.linelist import line_rows
from bibulon.core.model.job import Corner, Drawn, FlowLine, Inset, Job, Layer, Zone
from bibulon.core.plans.variants import drop_variant, keep_variant, swap_variant
from bibulon.core.resin.charge import ChargeError, charge
from bibulon.core.stack.totals import part_totals
from bibulon.store.raw import job_from

Edit = Callable[[Job, Random], Job]


def pick(rng: Random, things):
    """Return one of some things; a job without any refuses the edit, as a button that is off does."""
    things = list(things)
    if not things:
        raise ValueError("there is none")
    return rng.choice(things)


def a_line(job: Job, rng: Random) -> str:
    return pick(rng, [x.id for x in job.lines])


def a_zone(job: Job, rng: Random) -> str:
    return pick(rng, [z.id for z in job.part.zones])


def a_layer(job: Job, rng: Random) -> int:
    return pick(rng, range(len(job.stack)))


def somewhere(job: Job, rng: Random) -> tuple[float, float]:
    x0, y0, x1, y1 = regions(job.part).whole.bounds
    return rng.uniform(x0, x1), rng.uniform(y0, y1)


def square(job: Job, rng: Random) -> tuple[Corner, ...]:
    (x, y), a = somewhere(job, rng), rng.uniform(0.02, 0.4)
    return tuple(Corner(x=x + a * i, y=y + a * j) for i, j in ((0, 0), (1, 0), (1, 1), (0, 1)))


def lay(job: Job, rng: Random) -> Job:
    key = pick(rng, [k for k, m in library().items() if m.kind in {"fabric", "core", "porous", "mesh"}])
    layer = Layer(
        id=edit.new_id("L", [x.id for x in job.stack]), material=key, angle_deg=rng.choice((0.0, 45.0, 90.0))
    )
    return edit.add_layer(edit.use_material(job, key, library()[key]), layer, rng.randint(0, len(job.stack)))


def add_zone(job: Job, rng: Random) -> Job:
    area = Inset(distance=rng.uniform(0.0, 0.3)) if rng.random() < 0.5 else Drawn(outline=square(job, rng))
    zone = Zone(
        id=edit.new_id("zone", [z.id for z in job.part.zones]), name=f"Field {rng.randint(1, 9)}", area=area
    )
    new = edit.set_zone(job, zone)
    regions(new.part)  # as the panel does: a zone that leaves nothing is refused
    return new


def draw_line(job: Job, rng: Random) -> Job:
    path = tuple(somewhere(job, rng) for _ in range(rng.randint(1, 3)))
    key = edit.new_id("F", [x.id for x in job.lines])
    role = rng.choice(("feed", "vacuum"))
    return edit.add_line(job, FlowLine(id=key, label=key, role=role, path=path))


def start_anew(job: Job, kind: str, scale: float) -> Job:
    sizes = {name: usual * (scale if usual < 10 else 1.0) for name, usual in STARTERS[kind].sizes.items()}
    return shape.start_from(job, kind, sizes)


def variant(job: Job, rng: Random) -> Job:
    match rng.randint(0, 2):
        case 0:
            return keep_variant(job, f"Plan {len(job.variants) + 1}")
        case 1:
            return swap_variant(job, pick(rng, [v.id for v in job.variants]))
        case _:
            return drop_variant(job, pick(rng, [v.id for v in job.variants]))


def node(job: Job, rng: Random) -> Job:
    kinds: dict[str, Any] = {
        "bucket": job.buckets,
        "manifold": job.manifolds,
        "pot": job.pots,
        "bypass": job.bypasses,
    }
    kind = pick(rng, [k for k, there in kinds.items() if there])
    return plumb.drop_node(job, kind, pick(rng, [x.id for x in kinds[kind]]))


def things(job: Job, rng: Random) -> tuple[str, ...]:
    there = [x.id for x in job.lines] + [f"zone:{z.id}" for z in job.part.zones]
    return tuple(rng.sample(there, rng.randint(1, min(3, len(there))))) if there else pick(rng, ())


EDITS: dict[str, Edit] = {
    "lay": lay,
    "take a layer": lambda j, r: edit.drop_unused(edit.remove_layer(j, a_layer(j, r))),
    "move a layer": lambda j, r: edit.move_layer(j, a_layer(j, r), a_layer(j, r)),
    "layer to a zone": lambda j, r: edit.replace_layer(j, a_layer(j, r), zones=(a_zone(j, r),), outline=None),
    "layer of its own": lambda j, r: edit.replace_layer(j, a_layer(j, r), zones=(), outline=square(j, r)),
    "layer runs on": lambda j, r: edit.replace_layer(j, a_layer(j, r), runs_on=r.uniform(0, 0.1)),
    "add a zone": add_zone,
    "take a zone": lambda j, r: edit.remove_zone(j, a_zone(j, r)),
    "combine zones": lambda j, r: shape.combine_zones(
        j, a_zone(j, r), a_zone(j, r), r.choice(("join", "take away", "keep common"))
    ),
    "zone around": lambda j, r: shape.offset_zone(j, a_zone(j, r), r.uniform(-0.2, 0.2)),
    "zone from a ply": lambda j, r: shape.zone_from_ply(j, a_layer(j, r)),
    "round corners": lambda j, r: shape.round_corners(j, r.uniform(0.0, 0.2)),
    "mirror the part": lambda j, r: shape.mirrored(j),
    "start from": lambda j, r: start_anew(j, r.choice(sorted(STARTERS)), r.uniform(0.3, 3.0)),
    "draw a line": draw_line,
    "take a line": lambda j, r: edit.remove_line(j, a_line(j, r)),
    "open on the front": lambda j, r: edit.open_on_front(j, a_line(j, r), r.uniform(0, 60)),
    "open later": lambda j, r: valves.open_later(j, a_line(j, r), r.uniform(0, 900), r.uniform(0, 900)),
    "shut later": lambda j, r: valves.shut_later(j, a_line(j, r), r.uniform(0, 900), r.uniform(0, 900), 1800.0),
    "make it a": lambda j, r: plumb.set_kind(j, a_line(j, r), r.choice(sorted(plumb.KINDS))),
    "mesh": lambda j, r: edit.inset_mesh(j, "net-green", r.uniform(0.0, 0.4)),
    "mesh back": lambda j, r: edit.cut_mesh_back(j, a_line(j, r)),
    "manifold": lambda j, r: plumb.add_manifold(j),
    "bucket": lambda j, r: plumb.add_bucket(j),
    "pot": lambda j, r: plumb.add_pot(j),
    "bypass": lambda j, r: plumb.add_bypass(j),
    "take a node": node,
    "move": lambda j, r: arrange.moved(j, things(j, r), r.uniform(-0.3, 0.3), r.uniform(-0.3, 0.3)),
    "turn": lambda j, r: arrange.turned(j, things(j, r), r.choice((90.0, -90.0, 17.0))),
    "mirror": lambda j, r: arrange.mirrored(j, things(j, r), r.choice(("x", "y"))),
    "align": lambda j, r: arrange.aligned(j, things(j, r), r.choice(sorted(arrange.ALIGNMENTS))),
    "duplicate": lambda j, r: arrange.duplicated(j, things(j, r), 0.05, 0.05)[0],
    "delete": lambda j, r: arrange.deleted(j, things(j, r)),
    "cut along": lambda j, r: cuts.cut_along(j),
    "cut through": lambda j, r: cuts.cut_through(j, somewhere(j, r)),
    "variant": variant,
}  # fmt: skip


def check(job: Job) -> None:
    """All that must hold of a job whatever was done to it."""
    for named in (job.lines, job.part.zones, job.stack, job.buckets, job.manifolds, job.pots, job.variants):
        ids = [x.id for x in named]
        assert len(set(ids)) == len(ids), ids
    there = {z.id for z in job.part.zones} | {"rim"}
    for layer in job.stack:
        assert layer.material in job.materials
        assert {z for z in layer.zones if z in {x.id for x in job.part.zones}} <= there
    lines = {x.id for x in job.lines}
    for line in job.lines:
        for when in (line.opens, line.shuts):
            assert getattr(when, "line", None) in lines | {None, ""}
    assert job_from(json.loads(written(job))) == job


def used(job: Job) -> None:
    """What every edit sets going: each tells in words what it lacks, or its figures are figures."""
    words = "A"
    try:
        totals = part_totals(job)
        assert totals.mass > 0 or not job.stack
        plan = charge(job)
        assert 0 < plan.total < math.inf
        assert plan.part_a + plan.part_b == pytest.approx(
            plan.total, rel=0.2
        )  # an accelerator is in the rest
        if job.process == "infusion":
            kit_of(job, bag_of(job))
    except (ChargeError, OutlineError, ValueError) as told:
        words = str(told)
    assert words[:1].isupper() or words[:1] in "“'0123456789", words
    list(line_rows(job))
    keys = [n.key for n in diagram_nodes(job, 900.0, 500.0)]
    assert len(set(keys)) == len(keys)


@pytest.mark.parametrize("start", [demo_job, mould_demo_job], ids=["bag", "mould"])
@given(
    seeds=st.lists(st.tuples(st.sampled_from(sorted(EDITS)), st.integers(0, 10**6)), min_size=1, max_size=14)
)
@settings(max_examples=12)
def test_a_job_stays_sound_through_any_edits(start, seeds):
    job = start()
    done, refusals = [], []
    for name, seed in seeds:
        try:
            new = EDITS[name](job, Random(seed))
        except ValueError as refused:
            refusals.append(str(refused))
            continue
        if new != job:
            check(new)
            done.append((job, new))
        job = new
    assert all(refusals)
    used(job)
    for before, after in done:  # what undo goes back to was not touched by what came later
        assert before != after
        check(before)
