"""Judgements on hoses, clamps, pots and the way that lines are laid out."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Iterator

import numpy as np
import shapely
from shapely.geometry import LineString

from bibulon.core.edit.edit import change, change_line, open_on_front
from bibulon.core.findings.base import Evidence, Finding, Remedy, Rule
from bibulon.core.findings.lines import front_passes
from bibulon.core.flow.lead import lead_at_mesh_end
from bibulon.core.geometry.outline import check
from bibulon.core.geometry.paths import middle_of, shape_of
from bibulon.core.geometry.zones import regions
from bibulon.core.lines.reach import Reach, reach_of, window_of
from bibulon.core.model.job import Hose, Job
from bibulon.core.stack.laminate import zone_stack
from bibulon.core.stack.mesh_cover import mesh_cover
from bibulon.core.units.figures import figure
from bibulon.core.units.units import clock

LATE = 0.25  # share of the fill that a feed may open after the front has passed it
NEAR = 0.03  # m from a line at which loose mesh outside the part reads as lying on it
THICK = 1.6  # times the part's mean resin a m² from which a zone counts as thick
FAR = 0.30  # m from a vacuum line at which a thick zone counts as without one
HARD_NEEDS = frozenset({"ball valve", "screw clamp"})
KINKS = 6.0  # bend radius over bore below which a soft tube kinks
WIDENS = 1.25


def _mm(value: float) -> str:
    return figure(value, "length", 0)


def _hoses(job: Job) -> list[tuple[str, str, Hose, float, tuple[float, float] | None]]:
    """Return (id, label, hose, bore [m], place) of all hoses that lead to a bucket or are clamped."""
    out: list[tuple[str, str, Hose, float, tuple[float, float] | None]] = [
        (x.id, x.label, x.hose, x.hose_bore, x.path[0]) for x in job.lines
    ]
    return out + [(m.id, m.label, m.hose, m.hose_bore, None) for m in job.manifolds]


def _at(place: tuple[float, float] | None) -> tuple[tuple[float, float], ...]:
    return (place,) if place else ()


def tee_does_not_fit(evidence: Evidence) -> Iterator[Finding]:
    """The bore of a tee fits the tube that is pushed on it."""
    for key, label, hose, bore, place in _hoses(evidence.job):
        if hose.tee_bore is not None and abs(hose.tee_bore - bore) > 0.05 * bore:
            yield Finding(
                f"tee:{key}", "warning", f"Tee and hose of {label} do not fit", f"tee {figure(hose.tee_bore, 'length', 1)}, hose {figure(bore, 'length', 1)}",
                "within 5 %", "Nominally equal sizes of different families leak at the joint, or squeeze the flow.",
                "Take a tee of the hose's own family.", "Lines", _at(place),
            )  # fmt: skip


def tube_cannot_be_pinched(evidence: Evidence) -> Iterator[Finding]:
    """A hard tube takes more than a light clamp to shut."""
    for key, label, hose, _, place in _hoses(evidence.job):
        if (hose.tube == "hard" and hose.clamp not in HARD_NEEDS) or hose.clamp == "none":
            yield Finding(
                f"pinch:{key}", "warning", f"{label} cannot be shut: {hose.tube} tube, {hose.clamp if hose.clamp != 'none' else 'no clamp'}",
                hose.clamp, "a ball valve or screw clamp", "A tube that is not pinched right shut leaks all day.",
                "Take a soft tube, or a ball valve.", "Lines", _at(place),
                remedy=Remedy("Take a ball valve", lambda j, k=key: _with_hose(j, k, clamp="ball valve")),  # type: ignore[misc]
            )  # fmt: skip


def _with_hose(job: Job, key: str, **fields: object) -> Job:
    """Return the job with something of one hose changed."""
    manifolds = tuple(m.replaced(hose=m.hose.replaced(**fields)) if m.id == key else m for m in job.manifolds)
    line = next((x for x in job.lines if x.id == key), None)
    if line is not None:
        return change_line(job, key, hose=line.hose.replaced(**fields))
    return change(job, manifolds=manifolds)


def feed_joint_unsealed(evidence: Evidence) -> Iterator[Finding]:
    """Feed-side joints are sealed best: air there goes into the part."""
    feeds = {x.id for x in evidence.job.lines if x.role == "feed"} | {m.id for m in evidence.job.manifolds}
    for key, label, hose, _, place in _hoses(evidence.job):
        if key in feeds and not hose.sealed:
            yield Finding(
                f"seal:{key}", "warning", f"The feed joint of {label} is not sealed", "open", "taped and wrapped",
                "Air that gets in on the feed side goes straight into the part.", "Seal it before the second leak test.", "Lines", _at(place),
                remedy=Remedy("It is sealed now", lambda j, k=key: _with_hose(j, k, sealed=True)),  # type: ignore[misc]
            )  # fmt: skip


def hose_kinks(evidence: Evidence) -> Iterator[Finding]:
    """A tight bend kinks a soft tube, which matters on the feed."""
    feeds = {x.id for x in evidence.job.lines if x.role == "feed"} | {m.id for m in evidence.job.manifolds}
    for key, label, hose, bore, place in _hoses(evidence.job):
        if (
            key in feeds
            and hose.tube == "soft"
            and hose.bend_radius is not None
            and hose.bend_radius < KINKS * bore
        ):
            yield Finding(
                f"kink:{key}", "warning", f"The hose of {label} kinks", f"bent to {_mm(hose.bend_radius)}", f"{_mm(KINKS * bore)} or more",
                "A kinked feed starves the part.", "Lead it in a wider bow, or take an elbow.", "Lines", _at(place),
            )  # fmt: skip


def notch_leaves_heel(evidence: Evidence) -> Iterator[Finding]:
    """The notch at the hose's end leaves no more in the bucket than is reckoned with."""
    job = evidence.job
    density = job.resin.density if job.resin else 1100.0
    lines = {x.id for x in job.lines if x.role == "feed" and x.manifold is None} | {
        m.id for m in job.manifolds
    }
    for key, label, hose, _, place in _hoses(job):
        if key not in lines:
            continue
        bucket = next((b for b in job.buckets if not b.feeds or key in b.feeds), None)
        width, heel = (bucket.width, bucket.heel) if bucket else (0.25, job.charge.heel)
        left = math.pi / 4 * width**2 * hose.notch * density
        if left > heel * (1 + 1e-9):
            yield Finding(
                f"notch:{key}", "warning", f"The notch of {label} leaves more than the heel", f"{figure(left, 'mass', 2)} under a notch of {_mm(hose.notch)}",
                figure(heel, "mass", 2), "The hose draws air while the plan still counts on resin.",
                "Cut a lower notch, take a narrower bucket, or raise the heel.", "Lines", _at(place),
            )  # fmt: skip


def bypass_without_clamp(evidence: Evidence) -> Iterator[Finding]:
    """A bypass from feed to vacuum has a clamp that holds."""
    for way in evidence.job.bypasses:
        if way.clamp not in HARD_NEEDS or (way.tube == "hard" and way.clamp == "screw clamp"):
            yield Finding(
                f"bypass:{way.id}", "warning", f"Bypass {way.label} has no good clamp", f"{way.clamp}, {way.tube} tube", "a ball valve",
                "A bypass that seeps draws resin past the part for the whole shot.", "Fit a ball valve.", "Lines",
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
                f"name:{line.id}", "note", f"“{line.label}” cannot be called across the shop", "used twice" if twice else f"{len(line.label)} letters",
                "a short name of its own", "A valve that is called wrong is turned wrong.", "Give it a name like F2.", "Lines", (middle_of(line.path),),
            )  # fmt: skip


def pot_too_small(evidence: Evidence) -> Iterator[Finding]:
    """A catch pot holds whatever resin can reach it."""
    job, forecast = evidence.job, evidence.forecast
    if forecast is None or job.resin is None:
        return
    vents = {v.id: k for k, v in enumerate(forecast.model.network.vents)}
    last = forecast.history.frames[-1]
    for pot in job.pots:
        mine = [vents[x.id] for x in job.lines if x.pot == pot.id and x.id in vents]
        lines = sum(math.pi / 4 * x.hose_bore**2 * x.hose_length for x in job.lines if x.pot == pot.id)
        # What flows on until the feed is shut: the plan's own allowance, or what the forecast shows.
        can = max(sum(last.bled[k] for k in mine), job.charge.catch_pot / job.resin.density) + lines
        if can > 0.6 * pot.volume:
            yield Finding(
                f"pot:{pot.id}", "warning", f"{pot.label} is small for what can reach it", f"{figure(can, 'volume', 1)} may come", f"{figure(0.6 * pot.volume, 'volume', 1)}, six tenths of it",
                "Resin that leaves the pot goes into the pump.", "Take a larger pot, or shut the feed sooner.", "Lines",
            )  # fmt: skip


def bucket_above_part(evidence: Evidence) -> Iterator[Finding]:
    """The bucket stands below the part, or it floods it."""
    job = evidence.job
    heights = {b.id: b.below if b.below is not None else job.conditions.bucket_below for b in job.buckets}
    if not heights:
        heights = {"": job.conditions.bucket_below}
    for key, below in heights.items():
        if below < 0:
            yield Finding(
                f"above:{key}", "warning", f"Bucket {key} stands above the part".replace("  ", " "), f"{figure(-below, 'distance', 2)} above", "below it",
                "Resin runs by itself: the part floods, fills too rich, and the bag lifts when the vacuum goes.", "Set it on the floor.", "Lines",
            )  # fmt: skip


def loose_mesh_shorts(evidence: Evidence) -> Iterator[Finding]:
    """Mesh or breather beyond the part must not lead from a feed to a vacuum line."""
    job = evidence.job
    loose = []
    if (cover := mesh_cover(job)) is not None:
        loose.append(cover)
    if job.breather is not None:
        loose.append(check(job.breather))
    if not loose:
        return
    outside = shapely.union_all(loose).difference(regions(job.part).whole.buffer(1e-4))
    for piece in shapely.get_parts(outside):
        if piece.area < 1e-5:
            continue
        on = {
            role: [x.label for x in job.lines if x.role == role and shape_of(x.path).distance(piece) < NEAR]
            for role in ("feed", "vacuum")
        }
        if on["feed"] and on["vacuum"]:
            point = piece.representative_point()
            yield Finding(
                f"short:{on['feed'][0]}:{on['vacuum'][0]}", "blocking", f"Loose mesh leads from {on['feed'][0]} to {on['vacuum'][0]} outside the part",
                figure(piece.area, "small area", 0), "none", "Resin takes the short way round, and the part stays dry.",
                "Cut it back to the part, or seal the inlet side off.", "Lines", ((float(point.x), float(point.y)),),
            )  # fmt: skip


def pull_longer_than_reach(evidence: Evidence) -> Iterator[Finding]:
    """No place is further from its feed than resin comes in its window."""
    job, forecast = evidence.job, evidence.forecast
    feeds = [x for x in job.lines if x.role == "feed"]
    if forecast is None or not feeds:
        return
    window = window_of(job)
    reach: Reach | None = reach_of(job, window)
    if reach is None or not math.isfinite(window):
        return
    points = forecast.model.mesh.points
    far = np.min([shapely.distance(shapely.points(points), shape_of(x.path)) for x in feeds], axis=0)
    k = int(np.argmax(far))
    if far[k] > reach.meshed:
        yield Finding(
            "reach", "warning", "The pull is longer than resin reaches before gel", f"{figure(far[k], 'distance', 2)} from the nearest feed",
            f"{figure(reach.meshed, 'distance', 2)} in {clock(window)}", "Beyond its reach the front all but stands, and gels where it is.",
            "Lay another feed between, or take mesh that leads better.", "Lines", ((float(points[k, 0]), float(points[k, 1])),),
        )  # fmt: skip


def break_too_long(evidence: Evidence) -> Iterator[Finding]:
    """Resin crosses the break through the plies alone before it gels."""
    job = evidence.job
    if job.mesh is None or job.resin is None:
        return
    window = window_of(job)
    reach = reach_of(job, window)
    cover = mesh_cover(job)
    if reach is None or cover is None or not math.isfinite(window):
        return
    for line in job.lines:
        if line.role != "vacuum":
            continue
        gap = float(cover.distance(shape_of(line.path)))
        # The break is crossed in what the rest of the fill leaves of the window: a third is taken.
        limit = reach.bare * math.sqrt(1 / 3)
        if gap > limit:
            yield Finding(
                f"break:{line.id}", "warning", f"The break before {line.label} is too long for the gel time", _mm(gap), _mm(limit),
                "Resin goes through the plies there, slowly: it gels before it is across.",
                "Bring the mesh nearer, or take a slower resin.", "Lines", (middle_of(line.path),),
            )  # fmt: skip


def feed_long_after_front(evidence: Evidence) -> Iterator[Finding]:
    """A later feed opens soon after the front has passed it."""
    job, forecast = evidence.job, evidence.forecast
    if forecast is None or not forecast.filled:
        return
    first = min(forecast.history.opened.values(), default=0.0)
    for line in job.lines:
        opened = forecast.history.opened.get(line.id)
        if line.role != "feed" or opened is None or opened <= first + 1e-6:
            continue
        passed = front_passes(forecast, line)
        if math.isfinite(passed) and opened - passed > LATE * forecast.fill_time:
            yield Finding(
                f"late-feed:{line.id}", "note", f"{line.label} opens long after the front has passed it", f"{clock(opened - passed)} later",
                f"{clock(LATE * forecast.fill_time)}", "Until then the pull gets longer and the front slower.",
                f"Open {line.label} on the front.", "Lines", (middle_of(line.path),), opened,
                Remedy(f"Open {line.label} on the front", lambda j, i=line.id: open_on_front(j, i)),  # type: ignore[misc]
            )  # fmt: skip


def runs_into_widening(evidence: Evidence) -> Iterator[Finding]:
    """Resin runs from the big end into a shrinking width, so that fronts close towards the vacuum line."""
    job = evidence.job
    feeds = [x for x in job.lines if x.role == "feed" and len(x.path) > 1]
    vacuum = [x for x in job.lines if x.role == "vacuum" and len(x.path) > 1]
    if len(feeds) != 1 or len(vacuum) != 1:
        return
    start, stop = (LineString(x.path).length for x in (feeds[0], vacuum[0]))
    if stop > WIDENS * start:
        yield Finding(
            "widens", "note", "Resin runs into a widening shape", f"feed {figure(start, 'distance', 2)}, vacuum {figure(stop, 'distance', 2)}", "from the wide end to the narrow",
            "The front slows and thins as it widens, and the corners at its end close last.", "Feed from the wide end.", "Lines", (middle_of(feeds[0].path),),
        )  # fmt: skip


def too_fast_to_soak(evidence: Evidence) -> Iterator[Finding]:
    """The mesh side may run ahead of the tool side by no more than the break makes good."""
    job, forecast = evidence.job, evidence.forecast
    if forecast is None or job.mesh is None:
        return
    vacuum = [x for x in job.lines if x.role == "vacuum"]
    cover = mesh_cover(job)
    if not vacuum or cover is None:
        return
    breaks = min(float(cover.distance(shape_of(x.path))) for x in vacuum)
    lead, place = lead_at_mesh_end(forecast)
    if lead > max(breaks, job.rules.break_shortest):
        yield Finding(
            "soak", "warning", "Too fast to soak: the tool side is left behind", f"lead {_mm(lead)} where the mesh ends", f"break {_mm(breaks)}",
            "Resin reaches the vacuum line on top while it is dry below, and the pull on that place ends.",
            "Throttle the feed, take a mesh that leads less, or lengthen the break.", "Lines", (place,),
        )  # fmt: skip


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
                f"thick:{zone}", "note", f"{name} is thick and has no vacuum outlet near it", f"{figure(far, 'length', 0)} to the nearest", figure(FAR, "length", 0),
                "A thick place fills last and holds its air.", "Put an outlet and a patch of mesh on it.", "Lines", ((float(point.x), float(point.y)),),
            )  # fmt: skip


RULES: tuple[Rule, ...] = (
    tee_does_not_fit,
    tube_cannot_be_pinched,
    feed_joint_unsealed,
    hose_kinks,
    notch_leaves_heel,
    bypass_without_clamp,
    names_cannot_be_called,
    pot_too_small,
    bucket_above_part,
    loose_mesh_shorts,
    pull_longer_than_reach,
    break_too_long,
    feed_long_after_front,
    runs_into_widening,
    too_fast_to_soak,
    thick_zone_without_vacuum,
)
