"""Judgements on what the forecast shows: gel, pockets, what closes last, what stays dry."""

from __future__ import annotations

import math
from collections.abc import Iterator

import numpy as np
import shapely
from shapely.geometry import Point

from bibulon.core.findings.base import Evidence, Finding, Rule
from bibulon.core.findings.feeds import feed_before_front
from bibulon.core.flow.build.builder import feed_pressure
from bibulon.core.flow.fields import line_flows
from bibulon.core.flow.fill.history import Reason
from bibulon.core.flow.hold import bleeding_of
from bibulon.core.flow.uneven import OFTEN, uneven
from bibulon.core.geometry.paths import shape_of
from bibulon.core.lines.reach import Reach, reach_of, window_of
from bibulon.core.model.job import Job
from bibulon.core.units.figures import figure
from bibulon.core.units.units import clock
from bibulon.core.units.words import tr

LEAVES = 0.7  # of what the plies hold over, that must be able to leave by gel
SWOLLEN = 0.03  # of the resin, from which on what they hold over counts
# Of the resin in the part, what may run to the pot before a note, before a warning; in a closed mould next to nothing does.
RUNS = {"bag": (0.25, 0.5), "mould": (0.05, 0.15)}
ROUGH = 0.02  # share of conductance left out from which times are told to be rough (6 % made them 16 % off)


def _area(area: float) -> str:
    """Return an area in small units while it is small."""
    return figure(area, "small area", 0) if area < 0.05 else figure(area, "area", 2)


def gels_before_full(evidence: Evidence) -> Iterator[Finding]:
    """The part must be wet through before the oldest resin gels, with a margin."""
    job, forecast = evidence.job, evidence.forecast
    if forecast is None or forecast.clock.gel > 1e8:
        return
    gel, fill = forecast.clock.gel, forecast.fill_time
    x, y, _ = forecast.last_wet
    left = 1 - fill / gel if math.isfinite(fill) and gel > 0 else -1.0
    if left >= job.rules.gel_margin:
        return
    short = not math.isfinite(fill)
    if short and forecast.history.reason != "gelled":
        return
    yield Finding(
        "gel",
        "blocking" if short else "warning",
        tr("Gels before it is full") if short else tr("Little time left before gel"),
        tr("gel at {}, ", clock(gel))
        + (tr("{} dry", _area(forecast.never_wet_area)) if short else tr("wet through at {}", clock(fill))),
        tr("{:.0f} % of the gel time left", job.rules.gel_margin * 100),
        "Resin that gels stops where it is; what is dry then stays dry.",
        "Shorten the pull with another feed, add mesh, or take a slower resin.",
        "Lines",
        ((x, y),),
        gel,
    )


def shut_pockets(evidence: Evidence) -> Iterator[Finding]:
    """No dry place may lose its last way to a vacuum line."""
    forecast = evidence.forecast
    if forecast is None or not any(line.role == "vacuum" for line in evidence.job.lines):
        return
    for number, pocket in enumerate(forecast.pockets[:5], start=1):
        near = _nearest_vacuum(evidence.job, pocket.place)
        yield Finding(
            f"pocket:{number}",
            "warning",
            tr("Dry pocket shuts {}", _away(near))
            if pocket.closed > 0
            else tr("Dry place with no way out, {}", _away(near)),
            tr("{0} of {1}", figure(pocket.area, "small area", 0), ", ".join(map(tr, pocket.layers)))
            + (tr(" at {}", clock(pocket.closed)) if pocket.closed > 0 else "")
            + tr(
                "; its air shrinks to {0}, {1} once vents are clamped",
                _area(pocket.gas_area),
                _area(pocket.area * pocket.gas_clamped / pocket.volume),
            ),
            figure(evidence.job.rules.smallest_pocket, "small area", 0),
            (
                tr("A wet ring closed around it: its")
                if pocket.closed > 0
                else tr("It never had a way to a vacuum line: its")
            )
            + tr(" air has no way out and stays as a dry or porous patch."),
            "Move a vacuum line there, or turn the fronts so that they close towards one.",
            "Lines",
            (pocket.place,),
            pocket.closed,
            size=pocket.area,
        )


def _nearest_vacuum(job: Job, place: tuple[float, float]) -> tuple[str, float] | None:
    there = Point(place)
    lines = [
        (line.label, float(shape_of(line.path).distance(there)))
        for line in job.lines
        if line.role == "vacuum"
    ]
    return min(lines, key=lambda pair: pair[1], default=None)


def _away(near: tuple[str, float] | None) -> str:
    return (
        tr("{0} from {1}", figure(near[1], "length", 0), near[0])
        if near
        else tr("with no vacuum line at all")
    )


def closes_away_from_vacuum(evidence: Evidence) -> Iterator[Finding]:
    """The last place to be wet should lie at a vacuum line."""
    job, forecast = evidence.job, evidence.forecast
    if forecast is None or not forecast.filled or forecast.pockets:
        return
    x, y, when = forecast.last_wet
    near = _nearest_vacuum(job, (x, y))
    if near and near[1] > job.rules.break_longest + 0.05:
        yield Finding(
            "closes-away", "note", tr("Closes last {}", _away(near)), figure(near[1], "length", 0),
            figure(job.rules.break_longest + 0.05, "length", 0),
            "Air that is late to leave gathers where the fronts close.",
            tr("Move {} towards the last place, or slow the side that runs ahead.", near[0]),
            "Lines", ((x, y),), when,
        )  # fmt: skip


def fronts_meet(evidence: Evidence) -> Iterator[Finding]:
    """Fronts close on a vacuum line, not on each other along a line: cloth is never so even that they do it everywhere at once."""
    job, forecast = evidence.job, evidence.forecast
    if forecast is None or not forecast.filled or forecast.pockets or job.rules.uneven == 0:
        return
    if any(feed_before_front(evidence)):  # the same air, told with what mends it
        return
    found = uneven(forecast, job.rules.uneven)
    if not found.matters:
        return
    yield Finding(
        "meets", "warning", "Fronts meet with no vacuum between them",
        tr("uneven cloth shuts in {0} by the mean, in {1:.0f} % of tries", figure(found.area, "small area", 0), found.share * 100),
        tr("{:.0f} % of tries", OFTEN * 100),
        "Where two fronts close on each other along a line, one spot is wet before its neighbours and shuts them off from the vacuum.",
        "Lay a vacuum line where they meet, or open one feed after the other, so that one front runs on to the vacuum.",
        "Lines", (found.place,),
    )  # fmt: skip


def stays_dry(evidence: Evidence) -> Iterator[Finding]:
    """A place that no resin reaches is dry whatever the clock says."""
    forecast = evidence.forecast
    if forecast is None or forecast.filled or forecast.history.reason == "gelled":
        return
    x, y, _ = forecast.last_wet
    yield Finding(
        "dry", "blocking", "Part of the cloth is never reached", _area(forecast.never_wet_area), "none",
        "Dry cloth is scrap, or a repair.", _why_dry(evidence),
        "Lines", ((x, y),), forecast.end,
    )  # fmt: skip


def _why_dry(evidence: Evidence) -> str:
    """Return what to look at first, by how the filling ended."""
    job, forecast = evidence.job, evidence.forecast
    assert forecast is not None
    match forecast.history.reason:
        case Reason.NO_FEED:
            return tr("Open a feed: none is open when the others have been shut.")
        case Reason.GAS:
            return tr("Lead a vacuum line there: shut-in air holds the resin off.")
    if feed_pressure(job) <= 0 or forecast.model.network.lifts:
        return tr("Raise the bucket, or draw a deeper vacuum: the pull does not lift resin that high.")
    return tr("See that plies, grooves or holes of the core lead there from a feed that is open.")


def corner_left(evidence: Evidence) -> Iterator[Finding]:
    """Cloth behind a vacuum line has no pull: told even when it is too small to count as dry."""
    forecast = evidence.forecast
    if forecast is None or not forecast.filled or forecast.never_wet_area + forecast.late_area == 0:
        return
    dry = ~np.isfinite(forecast.wet_through) & (forecast.model.node_at >= 0).any(axis=1)
    dry |= forecast.late_corners
    for line in (x for x in evidence.job.lines if x.role == "vacuum"):
        dry[forecast.model.lines[line.id]] = False  # the tube itself takes that long to fill
    if not dry.any():
        return
    area = max(forecast.never_wet_area, forecast.late_area)
    x, y = forecast.model.mesh.points[np.flatnonzero(dry)[0]]
    near = _nearest_vacuum(evidence.job, (x, y))
    yield Finding(
        "corner", "note", "A corner stays dry or wets very late",
        f"{figure(area, 'small area', 1)}, {_away(near)}", tr("{} counts as dry", figure(evidence.job.rules.smallest_dry, "small area", 0)),
        "Behind a vacuum line nothing pulls the resin on. When the part is wet through is told without it.",
        "Move the line to the edge of the cloth, or trim there.",
        "Lines", ((float(x), float(y)),), forecast.end,
    )  # fmt: skip


def cloth_too_directional(evidence: Evidence) -> Iterator[Finding]:
    """Where zones pull in different main directions, one mesh cannot follow them all: say so."""
    forecast = evidence.forecast
    if forecast is None or forecast.model.clipped < ROUGH:
        return
    yield Finding(
        "rough", "note", "The forecast is rough here: cloth very directional",
        tr("{:.1f} % of the ways through the cloth are left out", forecast.model.clipped * 100), f"{ROUGH * 100:.0f} %",
        "Zones or layers whose cloth runs in different directions share one mesh; times may be tens of per cent off.",
        "Take fill times with a wide margin, or try the plan with each direction by itself.", "Lines",
    )  # fmt: skip


def air_not_followed(evidence: Evidence) -> Iterator[Finding]:
    """Where shut-in air could not be followed to the end, say so."""
    forecast = evidence.forecast
    if forecast is None or forecast.history.air_let_go is None:
        return
    when = forecast.history.air_let_go
    yield Finding(
        "air-let-go", "note", "Shut-in air is followed only in part", tr("until {}", clock(when)), "to the end",
        "After that the forecast lets resin fill places whose air would hold it off; pockets are still told.",
        "Settle the pockets first: a plan without them needs no such reckoning.", "Lines", (), when,
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
            "reach", "warning", "The pull is longer than resin reaches before gel", tr("{} from the nearest feed", figure(far[k], "distance", 2)),
            f"{figure(reach.meshed, 'distance', 2)} in {clock(window)}", "Beyond its reach the front all but stands, and gels where it is.",
            "Lay another feed between, or take mesh that leads better.", "Lines", ((float(points[k, 0]), float(points[k, 1])),),
        )  # fmt: skip


def packs_before_gel(evidence: Evidence) -> Iterator[Finding]:
    """What the swollen plies hold over must have left by gel, or the part stays thick and rich."""
    job, forecast = evidence.job, evidence.forecast
    if forecast is None or job.process != "infusion" or not forecast.filled:
        return
    feeds = [x for x in job.lines if x.role == "feed"]
    if not feeds or all(x.membrane for x in job.lines if x.role == "vacuum"):
        return
    over, leaves = bleeding_of(forecast)
    if over < SWOLLEN * forecast.resin_in_part or leaves >= LEAVES * over:
        return
    yield Finding(
        "rich-at-gel", "note", "It gels before the bag has pressed it", tr("about {} can leave by gel", figure(leaves, "mass", 2)),
        tr("{} that the plies hold over behind the front", figure(over, "mass", 2)),
        "Behind the front resin carries the bag; what cannot leave to the vacuum stays, and the part is thick and rich near its feeds.",
        "Vacuum on the feeds' side too once it is full, a longer vacuum line, a slower resin; Lines, After full, shows it by place.",
        "Lines", (feeds[0].path[len(feeds[0].path) // 2],),
    )  # fmt: skip


def resin_runs_to_pot(evidence: Evidence) -> Iterator[Finding]:
    """Vacuum lines draw air until the part is wet, not resin."""
    job, forecast = evidence.job, evidence.forecast
    if forecast is None or forecast.resin_in_part <= 0:
        return
    share = forecast.resin_to_catch_pot / forecast.resin_in_part
    much, too_much = RUNS["bag" if job.process == "infusion" else "mould"]
    if share <= much:
        return
    vents = {x.line: x for x in line_flows(forecast, min(forecast.fill_time, forecast.history.end))}
    line = max(
        (x for x in job.lines if x.role == "vacuum" and x.id in vents), key=lambda x: vents[x.id].total
    )
    vertices = forecast.model.lines[line.id]
    first = vertices[int(np.argmin(forecast.wet_through[vertices]))]
    x, y = forecast.model.mesh.points[first]
    yield Finding(
        f"runs:{line.id}", "warning" if share > too_much else "note", tr("Resin runs to the catch pot while cloth is dry"),
        tr("{0}, {1:.0f} % of what is in the part; {2} passes most", figure(forecast.resin_to_catch_pot, "mass", 2), share * 100, line.label),
        f"{much * 100:.0f} %", "Resin has a short way to that line: what runs out there fills nothing, and is mixed for the bin.",
        "Cut the mesh back further from it, lay it where the front comes last, throttle or shut it once resin shows, or take a membrane."
        if job.process == "infusion"
        else "Lay it where the front comes last, or shut it once resin shows.",
        "Lines", ((float(x), float(y)),), float(forecast.wet_through[first]),
    )  # fmt: skip


RULES: tuple[Rule, ...] = (
    gels_before_full,
    shut_pockets,
    closes_away_from_vacuum,
    fronts_meet,
    stays_dry,
    corner_left,
    cloth_too_directional,
    air_not_followed,
    pull_longer_than_reach,
    packs_before_gel,
    resin_runs_to_pot,
)
