"""Judgements on a leak test: what is wrong with the record, the gauge, the pump, or the vacuum itself."""

from __future__ import annotations

import itertools
import math
from collections.abc import Iterator

from bibulon.core.findings.base import Evidence, Finding, Rule
from bibulon.core.geometry.outline import OutlineError
from bibulon.core.leak.droptest import LeakError, school_of
from bibulon.core.leak.pumpdown import fit_pump_down
from bibulon.core.leak.volume import bag_volume
from bibulon.core.resin.boiling import boils_under
from bibulon.core.units.figures import figure
from bibulon.core.units.units import clock
from bibulon.core.units.words import tr

LEAST_STEPS = 3.0  # steps of the gauge within what a school allows
OFF = 1.6  # by what factor a typed volume may differ from the job's own
POT_SHARE = 0.7  # of the volume, from which on the pots hide the leak
FLOOR = 1000.0  # Pa
WATCHED = 5  # readings of a pump-down that say how the pump does
PULL_MISSED = 0.01  # of the pull that a pump may fall short of the plan's vacuum
MOVES = 0.25  # of the allowed drop: what a warm-up may make
AIR_VISCOSITY = 1.82e-5  # Pa s


def short_record(evidence: Evidence) -> Iterator[Finding]:
    """A record shorter than its school tells nothing yet."""
    job = evidence.job
    if evidence.leak is None or evidence.leak.count < 3:
        return
    school = school_of(job)
    if evidence.leak.duration < school.minutes * 60 * 0.995 and (
        evidence.verdict is None or evidence.verdict.outcome != "fail"
    ):
        yield Finding(
            "test-short", "note", "The leak test is shorter than its school",
            tr("{} recorded", clock(evidence.leak.duration)), school.lasts,
            "What a bag loses later, when outgassing has died, is what counts.",
            "Hold the bag shut and record on.", "Prove",
        )  # fmt: skip


def volume_unknown(evidence: Evidence) -> Iterator[Finding]:
    """A leak is rate times volume: a typed one that is far from the job's own makes a wrong leak."""
    job = evidence.job
    if evidence.leak is None or job.process != "infusion" or job.test.stage == "pump":
        return
    try:
        volumes = bag_volume(job)
    except OutlineError:
        return
    own, typed = sum(volumes.values()), job.test.volume
    if own <= 0:
        return
    least = own - volumes.get("catch pots", 0.0)  # a pot may be clamped off
    if not least / OFF <= typed <= own * OFF:
        yield Finding(
            "test-volume", "warning", "The volume shut off is not this job's",
            tr("{} typed", figure(typed, "volume", 1)), tr("{} by the job, give or take a fifth", figure(own, "volume", 1)),
            "Rate times volume is the leak: as wrong as the volume is, the leak is wrong.",
            "Sum it from the job on Prove, or measure it.", "Prove",
        )  # fmt: skip
    elif volumes.get("catch pots", 0.0) > POT_SHARE * own and not school_of(job).leak_limit:
        yield Finding(
            "pot-hides", "warning", "The catch pot hides the leak",
            tr("{:.0f} % of the volume", volumes["catch pots"] / own * 100), tr("under {:.0f} %", POT_SHARE * 100),
            "A big pot loses its vacuum slowly whatever the bag does.",
            "Shut the pot off with a clamp at the bag, or judge by the leak rate.", "Prove",
        )  # fmt: skip


def coarse_gauge(evidence: Evidence) -> Iterator[Finding]:
    """A gauge whose step is near what is allowed cannot tell."""
    job, leak = evidence.job, evidence.leak
    school = school_of(job)
    if leak is None or school.allowed_drop > 1e6:
        return
    step = job.test.gauge_step or leak.spread.step
    if step and school.allowed_drop < LEAST_STEPS * step:
        yield Finding(
            "gauge-coarse", "warning", "The gauge is too coarse for this school",
            tr("steps of {}", figure(step, "pressure", 1)), tr("{} or finer", figure(school.allowed_drop / LEAST_STEPS, "pressure", 1)),
            "Between two steps any leak looks like none.",
            "Read a finer gauge, or hold longer.", "Prove",
        )  # fmt: skip


def gauge_flatters(evidence: Evidence) -> Iterator[Finding]:
    """Beside the pump, or behind a long hose, a gauge reads deeper than the far end of the bag is."""
    job, leak = evidence.job, evidence.leak
    if leak is None or job.test.gauge_place == "flange":
        return
    hoses = [x for x in job.lines if x.role == "vacuum" and x.hose_length > 0]
    rise = max(leak.rise_high, 0.0)
    flow = rise * leak.volume
    if not hoses or flow <= 0:
        return
    pressure = max(leak.start, 1.0)
    drop = max(
        128 * AIR_VISCOSITY * x.hose_length * flow / (math.pi * x.hose_bore**4 * pressure) for x in hoses
    )
    where = tr("at the pump") if job.test.gauge_place == "pump" else tr("behind a hose")
    weight = "warning" if job.test.gauge_place == "pump" else "note"
    yield Finding(
        "gauge-place", weight, tr("The gauge sits {}: it reads deeper than the bag's far end", where),  # type: ignore[arg-type]
        tr("up to {} by this leak through the hose, and more through cloth and mesh", figure(drop, "small pressure")), "on the flange, far from the pump",
        "While the pump draws, the vacuum falls off along the hose and the bag; the far end is weaker than what is read.",
        "Screw the gauge into the flange at the end away from the pump.", "Prove",
    )  # fmt: skip


def reading_impossible(evidence: Evidence) -> Iterator[Finding]:
    """A reading that air here today does not allow, or that never moves, is the gauge's."""
    job = evidence.job
    readings = job.test.readings
    if len(readings) < 3:
        return
    air = job.conditions.atmosphere
    first = max(readings, key=lambda r: r.pressure)
    if first.pressure > air * 1.005:
        yield Finding(
            "gauge-over", "blocking", "The gauge reads more than today's air", figure(first.pressure, "pressure"),
            tr("{} outside", figure(air, "pressure")), "No bag is above the air: the word for the gauge, or its zero, is wrong.",
            "Say how it reads, or open it to the air and set its zero.", "Prove",
        )  # fmt: skip
    deepest = min(readings, key=lambda r: r.pressure)
    if deepest.pressure <= 0.0:
        yield Finding(
            "gauge-deep", "warning", "The gauge reads deeper than is possible here today", figure(deepest.pressure, "pressure"),
            tr("more than nothing; {} is all the air there is", figure(air, "pressure")),
            "A dial set for the coast reads too deep on a hill or in low weather.",
            "Set its zero to today's air.", "Prove",
        )  # fmt: skip
    longest = 0.0
    for _, same in itertools.groupby(readings, key=lambda r: r.pressure):
        run = list(same)
        longest = max(longest, run[-1].time - run[0].time)
    step = job.test.gauge_step or (evidence.leak.spread.step if evidence.leak else 0.0)
    whole = readings[-1].time - readings[0].time
    if whole >= 600 and longest > 0.9 * whole and step <= 100:
        yield Finding(
            "gauge-frozen", "warning", "The gauge has not moved", tr("for {0} of {1}", clock(longest), clock(whole)),
            "some change, if only of noise", "A frozen gauge passes every bag.",
            "Open a valve for a moment: does it move?", "Prove",
        )  # fmt: skip


def warm_as_large(evidence: Evidence) -> Iterator[Finding]:
    """A bag that warms shows a rise that is no leak."""
    job, leak = evidence.job, evidence.leak
    warmth = job.test.warmth
    if leak is None or len(warmth) < 2:
        return
    at = [w.temperature for w in warmth]
    moved = abs(at[-1] - at[0]) / at[0] * leak.start
    seen = abs(leak.rise) * leak.duration
    if moved > MOVES * max(seen, leak.spread.step, 20.0):
        yield Finding(
            "test-warm", "note", "The shop's warmth moved as much as the leak",
            tr("{0} by {1:+.1f} K", figure(moved, "pressure", 1), at[-1] - at[0]), tr("{} by the leak", figure(seen, "pressure", 1)),
            "Gas shut off follows its temperature; it is taken out by the log, which sits on the bag and not in it.",
            "Test when the shop is steady.", "Prove",
        )  # fmt: skip


def pump_at_fault(evidence: Evidence) -> Iterator[Finding]:
    """A pump that ends too high, or a hose that chokes."""
    job = evidence.job
    if len(job.test.pump_down) < WATCHED:
        return
    leak = evidence.leak.leak if evidence.leak else None
    try:
        pumping = fit_pump_down(job.test.pump_down, job.test.volume, job.test.pump_speed or None, leak)
    except LeakError:
        return
    if pumping.floor > FLOOR:
        yield Finding(
            "pump-floor", "warning", "The pump ends too high", figure(pumping.floor, "pressure", 1),
            tr("under {}", figure(FLOOR, "pressure")), pumping.why, "Test the pump alone, shut at its own flange.", "Prove",
        )  # fmt: skip
    if pumping.blame == "hose":
        yield Finding(
            "hose-chokes", "warning", "The hose chokes the pump",
            tr("{:.0f} % of its speed left when deep", pumping.speed_late / pumping.speed * 100), "over 60 %",
            pumping.why, "A shorter hose, or a wider one: its bore counts with the fourth power.", "Prove",
        )  # fmt: skip


def pump_reaches(evidence: Evidence) -> Iterator[Finding]:
    """The plan's vacuum is one that this pump reaches, on a bag that leaks as this one was found to."""
    job = evidence.job
    if len(job.test.pump_down) >= WATCHED:
        return  # what it did is judged, not what is said of it
    leak, air = 0.0, job.conditions.atmosphere
    if evidence.leak is not None and job.test.stage != "pump":
        leak = max(evidence.leak.leak, 0.0)
    floor = job.pump.ultimate + leak / job.pump.speed  # where as much is pumped away as comes in
    missing = floor - job.conditions.vacuum
    if missing > PULL_MISSED * (air - job.conditions.vacuum):
        yield Finding(
            "pump-weak", "warning", "The pump does not reach the vacuum that is planned with",
            figure(floor, "pressure", 1), tr("{} by the plan", figure(job.conditions.vacuum, "pressure", 1)),
            tr("The forecast draws resin with {0:.0f} % more than there is{1}.", 100 * missing / (air - floor), tr(", by what the bag leaks too") if leak else ""),
            "Plan with what it reaches; else look at its oil, its hose, and for the leak.", "Prove",
        )  # fmt: skip


def resin_boils(evidence: Evidence) -> Iterator[Finding]:
    """Under a vacuum that is too deep the resin's own vapour makes bubbles, though the bag is tight."""
    job = evidence.job
    resin = job.resin
    if resin is None:
        return
    limit = boils_under(resin, job.conditions.resin_temperature)
    if limit is not None and job.conditions.vacuum < limit:
        yield Finding(
            "boils", "warning", "The vacuum is so deep that this resin boils",
            figure(job.conditions.vacuum, "pressure", 1), tr("over {0} at {1}", figure(limit, "pressure", 1), figure(job.conditions.resin_temperature, "temperature")),
            "Scattered bubbles in a tight bag are vapour of the resin, and less vacuum helps.",
            "Throttle to a weaker vacuum once it is full, or work cooler.", "Prove",
        )  # fmt: skip


RULES: tuple[Rule, ...] = (
    short_record,
    volume_unknown,
    coarse_gauge,
    gauge_flatters,
    reading_impossible,
    warm_as_large,
    pump_at_fault,
    pump_reaches,
    resin_boils,
)
