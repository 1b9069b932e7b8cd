"""Every finding on lines has a job that sets it off and one just short of it that does not."""

from __future__ import annotations

import math
from functools import lru_cache

import numpy as np
import pytest

from bibulon.core.edit.edit import change, change_line
from bibulon.core.edit.plumb import add_pot, change_pot
from bibulon.core.findings.base import Evidence
from bibulon.core.findings.feeds import front_passes
from bibulon.core.findings.judge import evidence_of, find
from bibulon.core.findings.mesh import too_fast_to_soak
from bibulon.core.flow.build.builder import feed_pressure
from bibulon.core.flow.forecast import COARSE, Resolution, forecast
from bibulon.core.flow.lead import lead_at_mesh_end
from bibulon.core.library.demo import demo_job
from bibulon.core.lines.reach import reach_of, window_of
from bibulon.core.model.job import (
    AtTime,
    Bypass,
    Corner,
    Drawn,
    FlowLine,
    Hose,
    Layer,
    MeshExtent,
    OnFront,
    Part,
    Zone,
)
from bibulon.core.model.materials import ConstantViscosity
from bibulon.core.units.figures import worded

QUICK = Resolution(300, 1, 8, air=False)
NEAR = 0.03  # how near the limit both jobs lie


def box(x0, y0, x1, y1):
    return tuple(Corner(x=x, y=y) for x, y in ((x0, y0), (x1, y0), (x1, y1), (x0, y1)))


def panel(gap=0.06, *, meshed=True, feed=(0.02, 0.48), width=0.5, vacuum=(0.0, 0.5), **more):
    """A panel 1.5 m long, skins alone, fed at one end and drawn at the other."""
    job = demo_job()
    lines = (
        FlowLine(id="F1", label="F1", role="feed", path=((0.03, feed[0]), (0.03, feed[1]))),
        FlowLine(id="V1", label="V1", role="vacuum", path=((1.5, vacuum[0]), (1.5, vacuum[1]))),
    )
    stack = tuple(x.replaced(zones=(), seams=()) for x in job.stack if not x.material.startswith("foam"))
    mesh = (
        MeshExtent(material="net-green", outline=box(0.02, 0.01, 1.5 - gap, width - 0.01)) if meshed else None
    )
    part = Part(outline=box(0, 0, 1.5, width))
    return change(job, part=part, stack=stack, mesh=mesh, lines=lines, pots=(), **more)


def rules(job, **fields):
    return change(job, rules=job.rules.replaced(**fields))


def hose(**fields):
    return change_line(panel(), "F1", hose=Hose(**fields))


def gelling(job, seconds):
    law = ConstantViscosity(value=0.2)
    return change(job, resin=job.resin.replaced(viscosity=law, gel_time=seconds))


def window_for(job, metres, bare):
    """Return the gel time at which the reach is so many metres: it goes with the root of the window."""
    trial = gelling(job, 2000.0)
    reach = reach_of(trial, window_of(trial))
    now = reach.bare * math.sqrt(1 / 3) if bare else reach.meshed
    window = window_of(trial) * (metres / now) ** 2
    return window / (1 - job.rules.gel_margin) + job.conditions.mixed_before_start


def reaches(share):
    job = panel()
    return gelling(job, window_for(job, share * math.hypot(1.47, 0.02), bare=False))


def crosses(share):
    job = panel(0.2)
    return gelling(job, window_for(job, share * 0.2, bare=True))


def with_pot(share):
    job = add_pot(panel())
    density = job.resin.density
    bled = sum(forecast(job, QUICK).history.frames[-1].bled)
    can = max(bled, job.charge.catch_pot / density) + math.pi / 4 * 0.01**2 * job.lines[1].hose_length
    return change_pot(job, "P1", volume=can / 0.6 * share)


def loose(reach):
    """Breather below the edge; the feed's end stands so far above the edge."""
    return change(panel(feed=(reach, 0.48)), breather=box(-0.05, -0.06, 1.55, 0.005))


def thick(right):
    zone = Zone(id="t", name="Boss", area=Drawn(outline=box(0.9, 0.2, right, 0.35)), kind="thick")
    job = panel()
    extra = tuple(Layer(id=f"T{k}", material="quad-1200", zones=("t",)) for k in range(6))
    return change(job, part=job.part.replaced(zones=(zone,)), stack=(*job.stack, *extra))


def tight(factor):
    job = panel()
    return change(
        job,
        materials={
            k: m.replaced(k3=m.k3 / factor) if m.kind == "fabric" else m for k, m in job.materials.items()
        },
    )


@lru_cache(maxsize=1)
def soaking():
    """Two cloths with the lead just below and just above the break, found by halving."""
    low, high = 0.2, 4.0
    assert lead_at_mesh_end(forecast(tight(low), COARSE))[0] < 0.06
    for _ in range(7):
        middle = math.sqrt(low * high)
        if lead_at_mesh_end(forecast(tight(middle), COARSE))[0] > 0.06:
            high = middle
        else:
            low = middle
    return low, high


def two_feeds(**second):
    job = panel()
    return change(
        job,
        lines=(
            *job.lines,
            FlowLine(id="F2", label="F2", role="feed", path=((0.7, 0.05), (0.7, 0.45)), **second),
        ),
    )


@lru_cache(maxsize=1)
def passing():
    """When the front of F1 alone passes F2's place."""
    job = two_feeds(opens=AtTime(time=1e7))
    return front_passes(forecast(job, QUICK), job.lines[2])


def late(share):
    """F2 opens after so many quarters of a fill; the fill itself waits for it, so the delay is found by trial."""
    delay = 300.0
    for _ in range(12):
        job = two_feeds(opens=OnFront(line="F2", delay=delay))
        result = forecast(job, QUICK)
        behind = result.history.opened["F2"] - front_passes(result, job.lines[2])
        off = share * 0.25 * result.fill_time / behind
        delay *= off
        if abs(off - 1) < NEAR / 30:
            break
    return two_feeds(opens=OnFront(line="F2", delay=delay))


@lru_cache(maxsize=1)
def meeting():
    """Feeds at both ends and the vacuum at one side, off the middle: fronts meet away from it.  The job, and how far."""
    job = panel(meshed=False)
    far = FlowLine(id="F2", label="F2", role="feed", path=((1.47, 0.05), (1.47, 0.45)))
    line = job.lines[1].replaced(path=((0.4, 0.0), (0.4, 0.1)))
    thin = job.resin.replaced(viscosity=ConstantViscosity(value=0.02), gel_time=None)
    job = rules(
        change(job, lines=(job.lines[0], line, far), resin=thin), smallest_pocket=0.5, smallest_dry=0.2
    )
    x, y, _ = forecast(job, QUICK).last_wet
    return job, math.hypot(x - 0.4, max(y - 0.1, 0.0))


def ends_away(share):
    job, away = meeting()
    return rules(job, break_longest=away * share - 0.05)


@lru_cache(maxsize=1)
def hose_loss():
    """128 μ L Q / π d⁴ over the pull, with the flow read from what had been fed just before and after the midst of its work."""
    job = change_line(panel(), "F1", hose_bore=0.005, hose_length=4.0)
    result = forecast(job, QUICK)
    frames = result.history.frames
    fed = [f.fed[0] for f in frames]
    half = float(np.interp(0.95 * fed[-1], fed, [f.time for f in frames])) / 2
    after = next(k for k, f in enumerate(frames) if f.time > half)
    flow = (frames[after].fed[0] - frames[after - 1].fed[0]) / (frames[after].time - frames[after - 1].time)
    return 128 * result.clock.at(half) * 4.0 * flow / (math.pi * 0.005**4) / feed_pressure(job)


def hosed(share):
    return rules(change_line(panel(), "F1", hose_bore=0.005, hose_length=4.0), line_loss=hose_loss() * share)


@lru_cache(maxsize=1)
def gel_left():
    job = gelling(panel(), 9000.0)
    result = forecast(job, QUICK)
    return 1 - result.fill_time / result.clock.gel


@lru_cache(maxsize=1)
def locking():
    """A second feed that opens early locks air off; the job, and from what area that is told."""
    job = two_feeds(opens=AtTime(time=passing() * 0.1))
    result = forecast(job, COARSE)
    depth = result.model.cloth_volume.sum() / result.model.vertex_areas().sum()
    return job, max(p.volume for p in result.pockets) / depth


def locked(share):
    job, area = locking()
    return rules(job, smallest_pocket=area * share)


LIMITS = {
    "mesh-vacuum": (lambda: panel(0.051), lambda: panel(0.049)),
    "break": (lambda: crosses(1 + NEAR), lambda: crosses(1 - NEAR)),
    "early-feed": (
        lambda: two_feeds(opens=AtTime(time=passing() * 1.05)), lambda: two_feeds(opens=AtTime(time=passing() * 0.6)),
    ),
    "late-feed": (lambda: late(1 - NEAR), lambda: late(1 + NEAR)),
    "pocket": (lambda: locked(1 + NEAR), lambda: locked(1 - NEAR)),
    "closes-away": (lambda: ends_away(1 + NEAR), lambda: ends_away(1 - NEAR)),
    "reach": (lambda: reaches(1 + NEAR), lambda: reaches(1 - NEAR)),
    "soak": (lambda: tight(soaking()[0]), lambda: tight(soaking()[1])),
    "thick": (lambda: thick(1.21), lambda: thick(1.19)),
    "above": (
        lambda: panel(conditions=demo_job().conditions.replaced(bucket_below=0.0)),
        lambda: panel(conditions=demo_job().conditions.replaced(bucket_below=-0.01)),
    ),
    "hose": (lambda: hosed(1 + NEAR), lambda: hosed(1 - NEAR)),
    "tee": (lambda: hose(tee_bore=0.0104), lambda: hose(tee_bore=0.0106)),
    "pinch": (lambda: hose(tube="hard", clamp="screw clamp"), lambda: hose(tube="hard", clamp="lever clamp")),
    "seal": (lambda: hose(sealed=True), lambda: hose(sealed=False)),
    "notch": (lambda: hose(notch=0.0073), lambda: hose(notch=0.0074)),
    "kink": (lambda: hose(bend_radius=0.0601), lambda: hose(bend_radius=0.0599)),
    "bypass": (
        lambda: change(add_pot(panel()), bypasses=(Bypass(id="Y", label="Y1", feed="F1", pot="P1", clamp="ball valve"),)),
        lambda: change(add_pot(panel()), bypasses=(Bypass(id="Y", label="Y1", feed="F1", pot="P1", clamp="pliers"),)),
    ),
    "short": (lambda: loose(0.0305), lambda: loose(0.0295)),
    "name": (lambda: change_line(panel(), "F1", label="Feed 1"), lambda: change_line(panel(), "F1", label="Feed 12")),
    "pot": (lambda: with_pot(1 + NEAR), lambda: with_pot(1 - NEAR)),
    "gel": (
        lambda: rules(gelling(panel(), 9000.0), gel_margin=gel_left() - 0.01),
        lambda: rules(gelling(panel(), 9000.0), gel_margin=gel_left() + 0.01),
    ),
}  # fmt: skip


def keys(job):
    resolution = (
        COARSE if job.mesh is not None and len(job.lines) < 4 and job.rules.smallest_pocket != 2e-4 else QUICK
    )
    if job.part.zones and job.part.zones[0].id == "field":
        resolution = COARSE
    return {f.key.partition(":")[0] for f in find(evidence_of(job, forecast(job, resolution)))}


@pytest.mark.parametrize("key", [k for k in LIMITS if k != "soak"])
def test_a_finding_comes_at_its_limit_and_not_before(key):
    short, over = (make() for make in LIMITS[key])
    assert key not in keys(short)
    assert key in keys(over)


def test_the_lead_is_told_at_the_break_and_not_before():
    short, over = (make() for make in LIMITS["soak"])
    low, high = soaking()
    assert high / low < 1.05
    assert "soak" not in {f.key for f in find(evidence_of(short, forecast(short, COARSE)))}
    assert "soak" in {f.key for f in find(evidence_of(over, forecast(over, COARSE)))}


def test_the_lead_counts_against_the_vacuum_line_that_is_nearest_to_the_mesh():
    """Told of the line 35 mm beyond the mesh, however far off the other is."""
    job, _ = (make() for make in LIMITS["soak"])
    flow = forecast(job, COARSE)
    far, near = job.lines[1], job.lines[1].replaced(id="V2", label="V2", path=((1.475, 0.2), (1.475, 0.3)))
    assert not list(too_fast_to_soak(Evidence(job, flow)))
    short = job.rules.replaced(break_shortest=0.01)
    for lines in ((near, far), (far, near)):
        made = change(job, lines=(job.lines[0], *lines), rules=short)
        (found,) = too_fast_to_soak(Evidence(made, flow))
        assert worded(found.limit) == "break 35 mm"
