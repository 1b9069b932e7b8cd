"""Judgements on feeds: when they open, what they lose on the way, what they draw from."""

from __future__ import annotations

import math
from collections.abc import Iterator
from functools import partial

import numpy as np
import shapely
from shapely.geometry import LineString

from bibulon.core.edit.edit import change_line, open_on_front
from bibulon.core.findings.base import Evidence, Finding, Remedy, Rule
from bibulon.core.flow.build.builder import feed_pressure
from bibulon.core.flow.fields import air_drawn, amid_work, line_flows
from bibulon.core.flow.forecast import Forecast
from bibulon.core.geometry.heights import heights
from bibulon.core.geometry.paths import inlet_of, middle_of
from bibulon.core.geometry.zones import regions
from bibulon.core.model.job import ByHand, FlowLine, Job, OnFront
from bibulon.core.run.schedule import schedule_of
from bibulon.core.units.figures import figure
from bibulon.core.units.units import clock
from bibulon.core.units.words import tr

HALF = 0.5  # share of air from which a place counts as air
PASSED = 0.98  # share of a line that the front must have wetted to count as past it
SURE = 0.8  # of what a line may lose: less than that it does not, whatever the mesh
MIDST = 0.2  # share of its length by which a hose may miss the middle of a line
LATE = 0.25  # share of the fill that a feed may open after the front has passed it


def front_passes(forecast: Forecast, line: FlowLine) -> float:
    """Return when the front has wetted the top layer along a line [s], whether it is a feed or not; inf with nothing under it."""
    top = forecast.line_wet_at(line.id)
    return float(np.quantile(top, PASSED, method="inverted_cdf")) if len(top) else math.inf


def feed_before_front(evidence: Evidence) -> Iterator[Finding]:
    """A later feed may open only after the front of the earlier ones has passed it, whoever or whatever opens it."""
    job, forecast = evidence.job, evidence.forecast
    if forecast is None:
        return
    feeds = [line for line in job.lines if line.role == "feed"]
    opened = {x.id: forecast.history.opened[x.id] for x in feeds if x.id in forecast.history.opened}
    first = min(opened.values(), default=0.0)
    for line in feeds:
        when = opened.get(line.id, math.inf)
        if not first + 1e-6 < when < math.inf or (
            isinstance(line.opens, OnFront) and line.opens.line == line.id
        ):
            continue  # what waits for the front at its own place is not early, whatever single points of the mesh say
        passes = front_passes(forecast, line)
        # Opened early, a line wets itself at once: then the front of the others was not there.
        dry_share = _dry_at_opening(forecast, line)
        if dry_share <= 1 - PASSED or passes - when <= -job.rules.feed_gap:
            continue
        yield Finding(
            f"early-feed:{line.id}", "warning", tr("{} opens before the front has passed it", line.label),
            tr("opens at {0}{1} with {2:.0f} % of it still dry", clock(when), _by(line), dry_share * 100), "all of it wet",
            tr("Its own front runs to meet the one behind it: air between {0} and {1} is easily locked in, with no way to a vacuum line.", _earlier(feeds, opened, first), line.label),
            tr("Open {} when the front has passed it, or later.", line.label), "Lines", (middle_of(line.path),), when,
            Remedy(tr("Open {} on the front", line.label), partial(open_on_front, line_id=line.id)),
        )  # fmt: skip


def _by(line: FlowLine) -> str:
    """Return what opens a line, where it is not the clock."""
    match line.opens:
        case ByHand():
            return tr(" by hand")
        case OnFront() if line.opens.line != line.id:
            return tr(" on the front at {}", line.opens.line)
    return ""


def _earlier(feeds: list[FlowLine], opened: dict[str, float], first: float) -> str:
    return next((x.label for x in feeds if opened.get(x.id, math.inf) <= first), "the earlier feed")


def _dry_at_opening(forecast: Forecast, line: FlowLine) -> float:
    """Return the share of a line whose top layer is dry when it opens."""
    top = forecast.line_wet_at(line.id)
    opened = forecast.history.opened.get(line.id, math.inf)
    return float(np.mean(top >= opened - 1e-6)) if math.isfinite(opened) and len(top) else 0.0


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
                f"late-feed:{line.id}", "note", tr("{} opens long after the front has passed it", line.label), tr("{} later", clock(opened - passed)),
                f"{clock(LATE * forecast.fill_time)}", "Until then the pull gets longer and the front slower.",
                tr("Open {} on the front.", line.label), "Lines", (middle_of(line.path),), opened,
                Remedy(tr("Open {} on the front", line.label), partial(open_on_front, line_id=line.id)),
            )  # fmt: skip


def _drop(viscosity: float, flow: float, length: float, bore: float) -> float:
    """Return what a round bore takes of the pull [Pa]: 128 μ L Q / π d⁴ (Hagen and Poiseuille)."""
    return 128 * viscosity * length * flow / (math.pi * bore**4) if bore > 0 else 0.0


def _losses(evidence: Evidence, line: FlowLine, when: float) -> list[tuple[str, float, float, float]]:
    """Return (name, length [m], bore [m], pressure [Pa]) of all that a feed's resin passes before the part."""
    job, forecast = evidence.job, evidence.forecast
    assert forecast is not None
    flows = {f.line: max(f.flow, 0.0) / forecast.density for f in line_flows(forecast, when)}
    viscosity = forecast.clock.at(when)
    out = []
    if line.bore > 0 and line.hose_length > 0:
        drop = _drop(viscosity, flows.get(line.id, 0.0), line.hose_length, line.hose_bore)
        out.append((tr("the hose of {}", line.label), line.hose_length, line.hose_bore, drop))
    for pipe in (m for m in job.manifolds if m.id == line.manifold):
        hung = [x.id for x in job.lines if x.manifold == pipe.id]
        flow = flows.get(pipe.id, sum(flows.get(x, 0.0) for x in hung))
        out.append((tr("the pipe of {}", pipe.label), pipe.hose_length, pipe.hose_bore, _drop(viscosity, flow, pipe.hose_length, pipe.hose_bore)))  # fmt: skip
    return out


def hose_takes_the_pull(evidence: Evidence) -> Iterator[Finding]:
    """What leads resin to a feed should not take more than the shop rule's share of the pull; told of the part that does."""
    job, forecast = evidence.job, evidence.forecast
    if forecast is None or forecast.end <= 0 or feed_pressure(job) <= 0:
        return
    told: set[str] = set()
    for line in (x for x in job.lines if x.role == "feed"):
        when = amid_work(forecast, line.id)
        losses = _losses(evidence, line, when) if when < forecast.end else []
        if not losses:
            continue
        share = sum(x[3] for x in losses) / feed_pressure(job)
        name, length, bore, most = max(losses, key=lambda x: x[3])
        if share > job.rules.line_loss and name not in told:
            told.add(name)
            yield Finding(
                f"hose:{line.id}", "warning" if share > HALF else "note",
                tr("{0}{1} takes {2:.0f} % of the pull", name[0].upper(), name[1:], most / feed_pressure(job) * 100),
                tr("{0} of {1} bore; {2:.0f} % on the whole way to {3}", figure(length, "distance", 1), figure(bore, "length", 0), share * 100, line.label),
                f"{job.rules.line_loss * 100:.0f} %", "What the way to the part takes does not pull resin through it.",
                "Take a wider bore or a shorter way.", "Lines", (inlet_of(line),), when,
            )  # fmt: skip


def _loses_at_most(forecast: Forecast, line: FlowLine, when: float, run: float) -> float:
    """Return what a line would lose if all that it passes went to its end [Pa]; inf where its resin is of more than one age."""
    if len(forecast.history.frames[-1].born):
        return math.inf
    flow = next((x.flow for x in line_flows(forecast, when) if x.line == line.id), math.inf)
    return _drop(forecast.clock.at(when), flow / forecast.density, run, line.bore)


def pull_lost_along_feed(evidence: Evidence) -> Iterator[Finding]:
    """A feed line carries the pull to its far end."""
    job, forecast = evidence.job, evidence.forecast
    if forecast is None or forecast.end <= 0 or feed_pressure(job) <= 0:
        return
    for line in (x for x in job.lines if x.role == "feed" and x.bore > 0 and len(x.path) > 1):
        when = amid_work(forecast, line.id)  # later others may have taken over
        if not math.isfinite(when):
            continue
        length = LineString(line.path).length
        run = length / 2 if line.is_ring else max(line.hose_at, 1 - line.hose_at) * length
        if _loses_at_most(forecast, line, when, run) < SURE * job.rules.line_loss * feed_pressure(job):
            continue
        pressure = forecast.pressure(when)
        model = forecast.model
        along = model.lines[line.id]
        along = along[(model.node_at[along] >= 0).any(axis=1)]
        there = np.nan_to_num([pressure[v][model.node_at[v] >= 0][-1] for v in along])
        lost, far = float(np.ptp(there)) / feed_pressure(job), model.mesh.points[along[np.argmin(there)]]
        if lost > job.rules.line_loss:
            middle = Remedy("Join it in the middle", partial(change_line, line_id=line.id, hose_at=0.5))
            at_end = not line.is_ring and abs(line.hose_at - 0.5) > MIDST
            yield Finding(
                f"along:{line.id}", "warning", tr("{} loses the pull along its length", line.label), tr("{0:.0f} % over {1} of {2} bore", lost * 100, figure(run, "distance", 2), figure(line.bore, "length", 0)),
                f"{job.rules.line_loss * 100:.0f} %", "What is far from its hose feeds late and weakly: the front comes round from the near end.",
                "Take a wider bore, or join the hose in the middle." if at_end else "Take a wider bore, or make two lines of it.",
                "Lines", ((float(far[0]), float(far[1])),), when, middle if at_end else None,
            )  # fmt: skip


def bucket_above_part(evidence: Evidence) -> Iterator[Finding]:
    """The bucket stands below the lowest place of the part, or it floods it."""
    job = evidence.job
    levels = {b.id: b.below if b.below is not None else job.conditions.bucket_below for b in job.buckets}
    if not levels:
        levels = {"": job.conditions.bucket_below}
    lowest = _lowest(job)
    for key, below in levels.items():
        if -below > lowest + 1e-9:
            name = tr("Bucket {}", key) if key else tr("The bucket")
            yield Finding(
                f"above:{key}", "warning", tr("{} stands above the part", name) if lowest == 0 else tr("{} stands above the part's low end", name),
                tr("{} above", figure(-below - lowest, "distance", 2)), "below it",
                "Resin runs by itself: the part floods, fills too rich, and the bag lifts when the vacuum goes.", "Set it on the floor.", "Lines",
            )  # fmt: skip


def _lowest(job: Job) -> float:
    """Return the part's lowest place [m], from where the bucket's height counts."""
    if not job.part.heights or job.part.surface is not None:
        return 0.0
    corners = shapely.get_coordinates(regions(job.part).whole.segmentize(0.1))
    return float(heights(job.part, corners).min())


def batch_past_life(evidence: Evidence) -> Iterator[Finding]:
    """A batch is drawn before its pot life is over."""
    job, forecast, plan = evidence.job, evidence.forecast, evidence.charge
    if plan is None or forecast is None or job.resin is None or not math.isfinite(forecast.fill_time):
        return
    for b in schedule_of(job, plan, forecast).batches:
        name, gone, age = tr("Batch {}", b.number), b.gone, b.gone - b.start
        if b.used and math.isfinite(b.life_end) and age > job.resin.pot_life:
            yield Finding(
                f"past-life:{name}", "warning", tr("{} is past its pot life before it is drawn", name), tr("{} old when the feed is shut", clock(age)),
                f"{clock(job.resin.pot_life)}", "It thickens in the bucket, heats itself, and may set there.",
                "Mix smaller batches later, keep them shallow or cool, or fill faster.", "Charge", (), gone,
            )  # fmt: skip
            return  # the first stands for those after it


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
            f"air:{gone.bucket}", "blocking", tr("Bucket {} is at its heel before the part is full", gone.bucket),
            tr("air from {0}: {1}, {2} more air than resin", clock(gone.time), figure(gone.drew_air, "volume", 2), figure(area, "small area", 0)), "no air",
            "A hose that draws air puts it into the part as a dry or foamed patch.",
            "Mix more, pour the next batch sooner, or shut the feed before.", "Lines", ((float(x), float(y)),), gone.time,
        )  # fmt: skip


RULES: tuple[Rule, ...] = (
    feed_before_front,
    feed_long_after_front,
    hose_takes_the_pull,
    pull_lost_along_feed,
    bucket_above_part,
    batch_past_life,
    bucket_draws_air,
)
