"""Judgements on feeds, vacuum lines and mesh."""

from __future__ import annotations

import math
from collections.abc import Iterator
from functools import partial

import numpy as np
from shapely.geometry import Point
from shapely.ops import nearest_points

from bibulon.core.edit.edit import cut_mesh_back, open_on_front
from bibulon.core.findings.base import Evidence, Finding, Remedy, Rule
from bibulon.core.flow.build.builder import feed_pressure
from bibulon.core.flow.fields import air_drawn
from bibulon.core.flow.forecast import Forecast
from bibulon.core.geometry.outline import check
from bibulon.core.geometry.paths import middle_of, shape_of
from bibulon.core.model.job import AtTime, FlowLine, Job
from bibulon.core.units.figures import figure
from bibulon.core.units.units import clock

ROUGH = 0.02  # share of conductance left out from which times are told to be rough (6 % made them 16 % off)
HALF = 0.5  # share of air from which a place counts as air
PASSED = 0.98  # share of a line that the front must have wetted to count as past it


def mesh_into_vacuum(evidence: Evidence) -> Iterator[Finding]:
    """Mesh must stop short of the vacuum line by the shop rule's break."""
    job = evidence.job
    if job.mesh is None:
        return
    cover = check(job.mesh.outline)
    shortest, longest = job.rules.break_shortest, job.rules.break_longest
    for line in job.lines:
        if line.role != "vacuum":
            continue
        gap = float(cover.distance(shape_of(line.path)))
        if gap >= shortest - 1e-6:
            continue
        place = nearest_points(shape_of(line.path), cover)[0]
        touching = gap == 0
        yield Finding(
            f"mesh-vacuum:{line.id}",
            "blocking" if touching else "warning",
            f"Mesh runs into {line.label}" if touching else f"Mesh ends too near {line.label}",
            f"break {figure(gap, 'length', 0)}",
            f"{figure(shortest, 'length', 0)} to {figure(longest, 'length', 0)}",
            "Resin escapes over the top to the vacuum and leaves dry cloth and bubbles below.",
            f"Cut the mesh back to {figure(longest, 'length', 0)} from {line.label}.",
            "Lines",
            ((float(place.x), float(place.y)),),
            remedy=Remedy(
                f"Cut mesh {figure(longest, 'length', 0)} short", partial(cut_mesh_back, line_id=line.id)
            ),
        )


def front_passes(forecast: Forecast, line: FlowLine) -> float:
    """Return when the front has wetted the top layer along a line [s], whether it is a feed or not."""
    vertices = forecast.model.lines[line.id]
    top = np.array([forecast.wet_at[v][forecast.model.node_at[v] >= 0][-1] for v in vertices])
    return float(np.quantile(top, PASSED, method="inverted_cdf"))


def feed_before_front(evidence: Evidence) -> Iterator[Finding]:
    """A later feed may open only after the front of the earlier ones has passed it."""
    job, forecast = evidence.job, evidence.forecast
    if forecast is None:
        return
    feeds = [line for line in job.lines if line.role == "feed"]
    first = min((forecast.history.opened.get(line.id, math.inf) for line in feeds), default=0.0)
    for line in feeds:
        if not isinstance(line.opens, AtTime) or line.opens.time <= first + 1e-6:
            continue
        passes = front_passes(forecast, line)
        early = passes - line.opens.time
        # Opened early, a line wets itself at once: then the front of the others was not there.
        dry_share = _dry_at_opening(forecast, line)
        if dry_share > 1 - PASSED and early > -job.rules.feed_gap:
            other = next(
                (
                    o
                    for o in feeds
                    if o.id != line.id and isinstance(o.opens, AtTime) and o.opens.time <= first
                ),
                None,
            )
            yield Finding(
                f"early-feed:{line.id}",
                "warning",
                f"{line.label} opens before the front has passed it",
                f"opens at {clock(line.opens.time)} with {dry_share * 100:.0f} % of it still dry",
                "all of it wet",
                f"Air is locked in between {other.label if other else 'the earlier feed'} and {line.label}, with no way to a vacuum line.",
                f"Open {line.label} when the front has passed it, or later.",
                "Lines",
                (middle_of(line.path),),
                line.opens.time,
                Remedy(f"Open {line.label} on the front", lambda j, i=line.id: open_on_front(j, i)),  # type: ignore[misc]
            )


def _dry_at_opening(forecast: Forecast, line: FlowLine) -> float:
    """Return the share of a line whose top layer is dry when it opens."""
    vertices = forecast.model.lines[line.id]
    top = np.array([forecast.wet_at[v][forecast.model.node_at[v] >= 0][-1] for v in vertices])
    opened = forecast.history.opened.get(line.id, math.inf)
    return float(np.mean(top >= opened - 1e-6)) if math.isfinite(opened) else 0.0


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
        "Gels before it is full" if short else "Little time left before gel",
        f"gel at {clock(gel)}, "
        + (f"{figure(forecast.never_wet_area, 'area', 2)} dry" if short else f"wet through at {clock(fill)}"),
        f"{job.rules.gel_margin * 100:.0f} % of the gel time left",
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
            f"Dry pocket shuts {_away(near)}",
            f"{figure(pocket.area, 'small area', 0)} of {', '.join(pocket.layers)} at {clock(pocket.closed)}",
            figure(evidence.job.rules.smallest_pocket, "small area", 0),
            "A wet ring closed around it: its air has no way out and stays as a dry or porous patch.",
            "Move a vacuum line there, or turn the fronts so that they close towards one.",
            "Lines",
            (pocket.place,),
            pocket.closed,
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
    return f"{figure(near[1], 'length', 0)} from {near[0]}" if near else "with no vacuum line at all"


def closes_away_from_vacuum(evidence: Evidence) -> Iterator[Finding]:
    """The last place to be wet should lie at a vacuum line."""
    job, forecast = evidence.job, evidence.forecast
    if forecast is None or not forecast.filled or forecast.pockets:
        return
    x, y, when = forecast.last_wet
    near = _nearest_vacuum(job, (x, y))
    if near and near[1] > job.rules.break_longest + 0.05:
        yield Finding(
            "closes-away", "note", f"Closes last {_away(near)}", figure(near[1], "length", 0),
            figure(job.rules.break_longest + 0.05, "length", 0),
            "Air that is late to leave gathers where the fronts close.",
            f"Move {near[0]} towards the last place, or slow the side that runs ahead.",
            "Lines", ((x, y),), when,
        )  # fmt: skip


def no_vacuum(evidence: Evidence) -> Iterator[Finding]:
    """An infusion without a vacuum line has nothing to draw its air."""
    job = evidence.job
    if job.lines and not any(line.role == "vacuum" for line in job.lines):
        yield Finding(
            "no-vacuum", "blocking", "No vacuum line", "0", "1 or more",
            "Air has no way out, and nothing pulls the resin in.",
            "Draw a vacuum line where the resin should arrive last.", "Lines",
        )  # fmt: skip


def stays_dry(evidence: Evidence) -> Iterator[Finding]:
    """A place that no resin reaches is dry whatever the clock says."""
    forecast = evidence.forecast
    if forecast is None or forecast.filled or forecast.history.reason == "gelled":
        return
    x, y, _ = forecast.last_wet
    yield Finding(
        "dry", "blocking", "Part of the cloth is never reached", figure(forecast.never_wet_area, "area", 3), "none",
        "Dry cloth is scrap, or a repair.", "Check that a feed opens and that plies or core holes lead there.",
        "Lines", ((x, y),), forecast.end,
    )  # fmt: skip


def corner_left(evidence: Evidence) -> Iterator[Finding]:
    """Cloth behind a vacuum line has no pull: told even when it is too small to count as dry."""
    forecast = evidence.forecast
    if forecast is None or not forecast.filled or forecast.never_wet_area == 0:
        return
    dry = ~np.isfinite(forecast.wet_through) & (forecast.model.node_at >= 0).any(axis=1)
    x, y = forecast.model.mesh.points[np.flatnonzero(dry)[0]]
    near = _nearest_vacuum(evidence.job, (x, y))
    yield Finding(
        "corner", "note", "A corner stays dry or wets very late",
        f"{figure(forecast.never_wet_area, 'small area', 1)}, {_away(near)}", f"{figure(evidence.job.rules.smallest_dry, 'small area', 0)} counts as dry",
        "Behind a vacuum line nothing pulls the resin on.", "Move the line to the edge of the cloth, or trim there.",
        "Lines", ((float(x), float(y)),), forecast.end,
    )  # fmt: skip


def cloth_too_directional(evidence: Evidence) -> Iterator[Finding]:
    """Where zones pull in different main directions, one mesh cannot follow them all: say so."""
    forecast = evidence.forecast
    if forecast is None or forecast.model.clipped < ROUGH:
        return
    yield Finding(
        "rough", "note", "The forecast is rough here: cloth very directional",
        f"{forecast.model.clipped * 100:.1f} % of the ways through the cloth are left out", f"{ROUGH * 100:.0f} %",
        "Zones or layers whose cloth runs in different directions share one mesh; times may be tens of per cent off.",
        "Take fill times with a wide margin, or try the plan with each direction by itself.", "Lines",
    )  # fmt: skip


def bucket_draws_air(evidence: Evidence) -> Iterator[Finding]:
    """A bucket at its heel gives air, which goes into the part."""
    forecast = evidence.forecast
    if forecast is None:
        return
    for gone in forecast.history.emptied:
        if gone.drew_air <= 0:
            continue
        share = np.nan_to_num(air_drawn(forecast, forecast.history.end)).max(axis=1)
        x, y = forecast.model.mesh.points[int(np.argmax(share))]
        area = float(forecast.model.vertex_areas()[share > HALF].sum())
        yield Finding(
            f"air:{gone.bucket}", "blocking", f"Bucket {gone.bucket} is at its heel before the part is full",
            f"air from {clock(gone.time)}: {figure(gone.drew_air, 'volume', 2)}, {figure(area, 'small area', 0)} more air than resin", "no air",
            "A hose that draws air puts it into the part as a dry or foamed patch.",
            "Mix more, pour the next batch sooner, or shut the feed before.", "Lines", ((float(x), float(y)),), gone.time,
        )  # fmt: skip


def air_not_followed(evidence: Evidence) -> Iterator[Finding]:
    """Where shut-in air could not be followed to the end, say so."""
    forecast = evidence.forecast
    if forecast is None or forecast.history.air_let_go is None:
        return
    when = forecast.history.air_let_go
    yield Finding(
        "air-let-go", "note", "Shut-in air is followed only in part", f"until {clock(when)}", "to the end",
        "After that the forecast lets resin fill places whose air would hold it off; pockets are still told.",
        "Settle the pockets first: a plan without them needs no such reckoning.", "Lines", (), when,
    )  # fmt: skip


def hose_takes_the_pull(evidence: Evidence) -> Iterator[Finding]:
    """A hose should not take more than the shop rule's share of the pull."""
    job, forecast = evidence.job, evidence.forecast
    if forecast is None or forecast.end <= 0:
        return
    halfway = forecast.end / 2
    pressure = None
    for line in (x for x in job.lines if x.role == "feed"):
        opened = forecast.history.opened.get(line.id)
        if opened is None or opened > halfway or line.bore == 0 or line.hose_length == 0:
            continue
        pressure = forecast.pressure(halfway) if pressure is None else pressure
        first = forecast.model.lines[line.id][0]
        at_inlet = pressure[first][forecast.model.node_at[first] >= 0][-1]
        loss = 1 - float(at_inlet) / feed_pressure(job)
        if loss > job.rules.line_loss:
            yield Finding(
                f"hose:{line.id}", "note", f"The hose of {line.label} takes {loss * 100:.0f} % of the pull",
                f"{figure(line.hose_length, 'distance', 1)} of {figure(line.hose_bore, 'length', 0)} bore", f"{job.rules.line_loss * 100:.0f} %",
                "What the hose takes does not pull resin through the part.",
                "Take a wider bore or a shorter hose.", "Lines", (line.path[0],), halfway,
            )  # fmt: skip


RULES: tuple[Rule, ...] = (
    mesh_into_vacuum,
    feed_before_front,
    gels_before_full,
    shut_pockets,
    closes_away_from_vacuum,
    no_vacuum,
    stays_dry,
    corner_left,
    cloth_too_directional,
    bucket_draws_air,
    air_not_followed,
    hose_takes_the_pull,
)
