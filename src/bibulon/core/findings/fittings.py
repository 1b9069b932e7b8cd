"""Judgements on hoses, clamps and pots."""

from __future__ import annotations

import math
from collections.abc import Iterator

import numpy as np

from bibulon.core.edit.edit import change, change_line
from bibulon.core.findings.base import Evidence, Finding, Remedy, Rule, mm
from bibulon.core.geometry.paths import inlet_of
from bibulon.core.model.job import Hose, Job
from bibulon.core.units.figures import figure
from bibulon.core.units.units import clock
from bibulon.core.units.words import tr

HARD_NEEDS = frozenset({"ball valve", "screw clamp"})
KINKS = 6.0  # bend radius over bore below which a soft tube kinks
AIR = 1.8e-5  # Pa s, viscosity of air
FULLEST = 0.6  # of a catch pot that may be taken up


def _hoses(job: Job) -> list[tuple[str, str, Hose, float, tuple[float, float] | None]]:
    """Return (id, label, hose, bore [m], place) of all hoses that lead to a bucket or are clamped."""
    out: list[tuple[str, str, Hose, float, tuple[float, float] | None]] = [
        (x.id, x.label, x.hose, x.hose_bore, inlet_of(x)) for x in job.lines
    ]
    return out + [(m.id, m.label, m.hose, m.hose_bore, None) for m in job.manifolds]


def _at(place: tuple[float, float] | None) -> tuple[tuple[float, float], ...]:
    return (place,) if place else ()


def tee_does_not_fit(evidence: Evidence) -> Iterator[Finding]:
    """The bore of a tee fits the tube that is pushed on it."""
    for key, label, hose, bore, place in _hoses(evidence.job):
        if hose.tee_bore is not None and abs(hose.tee_bore - bore) > 0.05 * bore:
            yield Finding(
                f"tee:{key}", "warning", tr("Tee and hose of {} do not fit", label), tr("tee {0}, hose {1}", figure(hose.tee_bore, "length", 1), figure(bore, "length", 1)),
                "within 5 %", "Nominally equal sizes of different families leak at the joint, or squeeze the flow.",
                "Take a tee of the hose's own family.", "Lines", _at(place),
            )  # fmt: skip


def tube_cannot_be_pinched(evidence: Evidence) -> Iterator[Finding]:
    """A hard tube takes more than a light clamp to shut."""
    for key, label, hose, _, place in _hoses(evidence.job):
        if (hose.tube == "hard" and hose.clamp not in HARD_NEEDS) or hose.clamp == "none":
            yield Finding(
                f"pinch:{key}", "warning", tr("{0} cannot be shut: {1} tube, {2}", label, hose.tube, hose.clamp if hose.clamp != "none" else "no clamp"),
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
                f"seal:{key}", "warning", tr("The feed joint of {} is not sealed", label), "open", "taped and wrapped",
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
                f"kink:{key}", "warning", tr("The hose of {} kinks", label), tr("bent to {}", mm(hose.bend_radius)), tr("{} or more", mm(KINKS * bore)),
                "A kinked feed starves the part.", "Lead it in a wider bow, or take an elbow.", "Lines", _at(place),
            )  # fmt: skip


def vacuum_hose_thin(evidence: Evidence) -> Iterator[Finding]:
    """A vacuum hose is wide enough to draw the bag down in good time.

    What a hose of bore d and length L passes of thin air is π d⁴ p / (128 η L) [m³/s] at the mean pressure p
    (Poiseuille, viscous); the bag's air, read at the vacuum wanted, divided by it is how long it takes to come near.
    """
    job = evidence.job
    vacuum = [x for x in job.lines if x.role == "vacuum" and x.hose_bore > 0 and x.hose_length > 0]
    passes = {
        x.id: math.pi * x.hose_bore**4 * job.conditions.vacuum / (128 * AIR * x.hose_length) for x in vacuum
    }
    if not vacuum or job.conditions.vacuum <= 0:
        return
    takes = job.test.volume / sum(passes.values())
    if takes > job.rules.draw_down:
        line = min(vacuum, key=lambda x: passes[x.id])
        yield Finding(
            f"thin-vacuum:{line.id}", "warning", tr("The vacuum hose of {} is too thin", line.label), tr("{0} bore over {1}: {2} to draw the bag's air", figure(line.hose_bore, "length", 1), figure(line.hose_length, "distance", 1), clock(takes)),
            f"{clock(job.rules.draw_down)}", "The bag comes down slowly, and stays far above what the gauge at the pump reads when it leaks.",
            "Take a wider or shorter hose, or another vacuum line.", "Lines", _at(inlet_of(line)),
        )  # fmt: skip


def bypass_without_clamp(evidence: Evidence) -> Iterator[Finding]:
    """A bypass from feed to vacuum has a clamp that holds."""
    for way in evidence.job.bypasses:
        if way.clamp not in HARD_NEEDS or (way.tube == "hard" and way.clamp == "screw clamp"):
            yield Finding(
                f"bypass:{way.id}", "warning", tr("Bypass {} has no good clamp", way.label), tr("{0}, {1} tube", way.clamp, way.tube), "a ball valve",
                "A bypass that seeps draws resin past the part for the whole shot.", "Fit a ball valve.", "Lines",
            )  # fmt: skip


def pot_too_small(evidence: Evidence) -> Iterator[Finding]:
    """A catch pot holds whatever resin can reach it."""
    job, forecast = evidence.job, evidence.forecast
    if forecast is None or job.resin is None:
        return
    vents = {v.id: k for k, v in enumerate(forecast.model.network.vents)}
    last = forecast.history.frames
    until = forecast.fill_time if math.isfinite(forecast.fill_time) else forecast.history.end
    bled = np.array(
        [np.interp(until, [f.time for f in last], [f.bled[k] for f in last]) for k in range(len(vents))]
    )
    for pot in job.pots:
        mine = [vents[x.id] for x in job.lines if x.pot == pot.id and x.id in vents]
        lines = sum(math.pi / 4 * x.hose_bore**2 * x.hose_length for x in job.lines if x.pot == pot.id)
        # What flows on until the feed is shut: the plan's own allowance, or what the forecast shows.
        can = max(float(bled[mine].sum()), job.charge.catch_pot / job.resin.density) + lines
        if can > FULLEST * pot.volume:
            yield Finding(
                f"pot:{pot.id}", "warning", tr("{} is small for what can reach it", pot.label), tr("{} may come", figure(can, "volume", 1)), tr("{}, six tenths of it", figure(FULLEST * pot.volume, "volume", 1)),
                "Resin that leaves the pot goes into the pump.", "Take a larger pot, or shut the feed sooner.", "Lines",
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
        if bucket is not None and bucket.by_head:
            continue  # the hose stands in no resin
        width, heel = (bucket.width, bucket.heel) if bucket else (0.25, job.charge.heel)
        left = math.pi / 4 * width**2 * hose.notch * density
        if left > heel * (1 + 1e-9):
            yield Finding(
                f"notch:{key}", "warning", tr("The notch of {} leaves more than the heel", label), tr("{0} under a notch of {1}", figure(left, "mass", 2), mm(hose.notch)),
                figure(heel, "mass", 2), "The hose draws air while the plan still counts on resin.",
                "Cut a lower notch, take a narrower bucket, or raise the heel.", "Lines", _at(place),
            )  # fmt: skip


RULES: tuple[Rule, ...] = (
    tee_does_not_fit,
    tube_cannot_be_pinched,
    feed_joint_unsealed,
    hose_kinks,
    vacuum_hose_thin,
    notch_leaves_heel,
    bypass_without_clamp,
    pot_too_small,
)
