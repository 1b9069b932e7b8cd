"""Judgements on how lines are laid out, before anything flows."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Iterator

from shapely.geometry import LineString
from shapely.geometry.base import BaseGeometry

from bibulon.core.findings.base import Evidence, Finding, Rule
from bibulon.core.geometry.paths import BESIDE, middle_of, shape_of
from bibulon.core.geometry.zones import regions
from bibulon.core.model.job import AtTime, FlowLine
from bibulon.core.stack.laminate import zone_stack
from bibulon.core.units.figures import figure
from bibulon.core.units.words import tr

THICK = 1.6  # times the part's mean resin a m² from which a zone counts as thick
FAR = 0.30  # m from a vacuum line at which a thick zone counts as without one
WIDENS = 1.25


def no_vacuum(evidence: Evidence) -> Iterator[Finding]:
    """An infusion without a vacuum line has nothing to draw its air."""
    job = evidence.job
    if job.lines and not any(line.role == "vacuum" for line in job.lines):
        yield Finding(
            "no-vacuum", "blocking", "No vacuum line", "0", "1 or more",
            "Air has no way out, and nothing pulls the resin in.",
            "Draw a vacuum line where the resin should arrive last.", "Lines",
        )  # fmt: skip


def no_feed(evidence: Evidence) -> Iterator[Finding]:
    """Without a feed nothing comes in."""
    job = evidence.job
    if job.lines and not any(line.role == "feed" for line in job.lines):
        yield Finding(
            "no-feed", "blocking", "No feed line", "0", "1 or more", "No resin comes into the part.",
            "Draw a feed line where the resin should begin.", "Lines",
        )  # fmt: skip


def line_leaves_part(evidence: Evidence) -> Iterator[Finding]:
    """Lines lie on the part, or along its edge."""
    job = evidence.job
    whole = regions(job.part).whole
    for line in job.lines:
        shape = shape_of(line.path)
        beyond = shape.difference(whole.buffer(BESIDE))
        if beyond.is_empty:
            continue
        point = beyond.representative_point()
        none_on_it = shape.distance(whole) > BESIDE
        yield Finding(
            f"outside:{line.id}", "blocking" if none_on_it else "warning",
            tr("{} lies outside the part", line.label) if none_on_it else tr("{} leaves the part", line.label),
            figure(shape.distance(whole), "length", 0) + " away" if none_on_it else tr("{} of it outside", figure(beyond.length, "length", 0)),
            "on the part or its edge", "What lies beyond the cloth neither feeds nor draws, and leads resin round it.",
            tr("Draw {} on the part.", line.label), "Lines", ((float(point.x), float(point.y)),),
        )  # fmt: skip


def runs_into_widening(evidence: Evidence) -> Iterator[Finding]:
    """Resin runs from the big end into a shrinking width, so that fronts close towards the vacuum line."""
    job = evidence.job
    feeds = [x for x in job.lines if x.role == "feed" and isinstance(x.opens, AtTime) and x.opens.time == 0]
    if len(feeds) != 1 or len(feeds[0].path) < 2 or _rings(feeds[0]):
        return
    whole, start = regions(job.part).whole, middle_of(feeds[0].path)
    for line in (x for x in job.lines if x.role == "vacuum" and not _rings(x)):
        near, far = (_width(whole, start, middle_of(line.path), share) for share in (0.12, 0.88))
        if near > 0 and far > WIDENS * near:
            yield Finding(
                f"widens:{line.id}", "note", tr("Resin runs into a widening shape towards {}", line.label),
                tr("{0} wide at the feed, {1} at {2}", figure(near, "distance", 2), figure(far, "distance", 2), line.label), "from the wide end to the narrow",
                "The front slows and thins as it widens, and the corners at its end close last.", "Feed from the wide end.", "Lines", (start,),
            )  # fmt: skip


def _rings(line: FlowLine) -> bool:
    """Whether a line runs round on itself."""
    return (
        math.dist(line.path[0], line.path[-1]) < 0.25 * max(LineString(line.path).length, 1e-9)
        if len(line.path) > 2
        else False
    )


def _width(whole: BaseGeometry, a: tuple[float, float], b: tuple[float, float], share: float) -> float:
    """Return how wide a region is across the way from a to b, at a share of it [m]."""
    length = math.dist(a, b)
    if length == 0:
        return 0.0
    ux, uy = (b[0] - a[0]) / length, (b[1] - a[1]) / length
    x, y = a[0] + share * length * ux, a[1] + share * length * uy
    reach = math.hypot(whole.bounds[2] - whole.bounds[0], whole.bounds[3] - whole.bounds[1])
    across = LineString([(x - uy * reach, y + ux * reach), (x + uy * reach, y - ux * reach)])
    return float(across.intersection(whole).length)


def thick_zone_without_vacuum(evidence: Evidence) -> Iterator[Finding]:
    """A thick zone has a vacuum outlet of its own near it."""
    job = evidence.job
    vacuum = [x for x in job.lines if x.role == "vacuum"]
    plan = regions(job.part)
    pores = {z: zone_stack(job, z).pores for z in plan.zones}
    area = sum(r.area for r in plan.zones.values())
    mean = sum(pores[z] * r.area for z, r in plan.zones.items()) / max(area, 1e-12)
    kinds = {z.id: z.kind for z in job.part.zones}
    for zone, region in plan.zones.items():
        if region.is_empty or kinds.get(zone) != "thick" or pores[zone] < THICK * mean or not vacuum:
            continue
        far = min(float(shape_of(x.path).distance(region)) for x in vacuum)
        if far > FAR:
            name = next(z.name for z in job.part.zones if z.id == zone)
            point = region.representative_point()
            yield Finding(
                f"thick:{zone}", "note", tr("{} is thick and has no vacuum outlet near it", name), tr("{} to the nearest", figure(far, "length", 0)), figure(FAR, "length", 0),
                "A thick place fills last and holds its air.", "Put an outlet and a patch of mesh on it.", "Lines", ((float(point.x), float(point.y)),),
            )  # fmt: skip


def names_cannot_be_called(evidence: Evidence) -> Iterator[Finding]:
    """Every valve has a short name of its own, so that it can be called across the shop."""
    job = evidence.job
    labels = [x.label for x in job.lines] + [m.label for m in job.manifolds] + [w.label for w in job.bypasses]
    names = Counter(label.casefold() for label in labels)
    for line in job.lines:
        twice = names[line.label.casefold()] > 1
        if twice or len(line.label) > 6:
            yield Finding(
                f"name:{line.id}", "note", tr("“{}” cannot be called across the shop", line.label), tr("used twice") if twice else tr("{} letters", len(line.label)),
                "a short name of its own", "A valve that is called wrong is turned wrong.", "Give it a name like F2.", "Lines", (middle_of(line.path),),
            )  # fmt: skip


RULES: tuple[Rule, ...] = (
    no_feed,
    no_vacuum,
    line_leaves_part,
    runs_into_widening,
    thick_zone_without_vacuum,
    names_cannot_be_called,
)
