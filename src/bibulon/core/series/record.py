"""What a job came to, out of its rows: the part weighed, the resin's balance, its figures for a series, defects and lessons."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from msgspec import Struct

from bibulon.core.model.job import Job
from bibulon.core.resin.charge import ChargeError, charge
from bibulon.core.run.journal import Entry, number, rows_of, run_state
from bibulon.core.run.recording import recordings
from bibulon.core.series.lessons import lesson_words
from bibulon.core.series.rows import AFTER
from bibulon.core.series.thickness import ZoneShare, measured_of, zone_shares
from bibulon.core.series.weighed import Balance, Share, Weighings, balance, fibre_share
from bibulon.core.stack.laid import developed_area, places
from bibulon.core.stack.laminate import zone_stack
from bibulon.core.stack.totals import part_totals
from bibulon.core.units.words import tr

__all__ = [
    "FIGURES",
    "Defect",
    "Outcome",
    "defects_of",
    "outcome_of",
    "pin_entry",
    "record_json",
    "weighed_entry",
]

# Figures that a series is charted by: key, words, quantity.
FIGURES = {
    "shot": (tr("resin mixed"), "mass"),
    "caught": (tr("catch pot"), "mass"),
    "fill": (tr("fill time"), "time"),
    "leak": ("leak", "leak"),
    "demould": ("demould", "time"),
    "mass": ("part", "mass"),
}


class Defect(Struct, frozen=True):
    """A defect on the part: its kind, place [m], size [m], what it came from as the crew sees it."""

    uid: str
    kind: str
    x: float
    y: float
    size: float
    cause: str


class Outcome(Struct, frozen=True):
    """What came of a job: fibre share, or why there is none; balance; figures by key [SI]; defects; lessons."""

    share: Share | None
    problem: str
    balance: Balance | None
    figures: dict[str, float]
    defects: tuple[Defect, ...]
    lessons: tuple[str, ...]
    planned_vf: float | None
    zones: tuple[ZoneShare, ...] = ()


def weighed_entry(now: float, by: str, **masses: float) -> Entry:
    """Return the row of what was weighed: part, caught, left, mixed, scale [kg]; demould [s]."""
    return Entry(AFTER, 0.0, "weighed", {**masses, "by": by}, now)


def pin_entry(uid: str, kind: str, x: float, y: float, size: float, cause: str, by: str, now: float) -> Entry:
    """Return the row of a defect."""
    data = {
        "id": uid,
        "defect": kind,
        "x": x,
        "y": y,
        "size": size,
        "cause": cause,
        "by": by,
        "text": f"{kind}: {cause}" if cause else kind,
    }
    return Entry(AFTER, 0.0, "defect", data, now)


def _last(journal: Sequence[Entry], key: str) -> float | None:
    found = [v for e in rows_of(journal, "weighed") if (v := number(e.data, key)) is not None]
    return found[-1] if found else None


def _core_resin(job: Job) -> tuple[float, float]:
    """Return the fibre's mean density over the part [kg/m³] and the resin in core cuts and coat [kg], by the stack."""
    uptake = volume = mass = 0.0
    density = job.resin.density if job.resin else 1100.0
    for place, region in places(job).zones.items():
        area = developed_area(job.part, place, region)
        for state in zone_stack(job, place).layers:
            if state.kind == "core":
                uptake += area * state.pores * density
            elif state.kind == "fabric":
                mass += area * state.dry_mass
                volume += area * state.fibre_volume
    return (mass / volume if volume else 2550.0), uptake


def outcome_of(job: Job, journal: Sequence[Entry]) -> Outcome:
    """Return what the rows say that came of a job."""
    state = run_state(journal)
    part = _last(journal, "part")
    share, problem, closed = None, "", None
    totals = part_totals(job)
    density, uptake = _core_resin(job)
    if part is None:
        problem = tr("The part was not weighed yet.")
    else:
        scale = _last(journal, "scale") or 0.01
        told = Weighings(
            part, totals.fibre, density, job.resin.density if job.resin else 1100.0, totals.core, uptake, totals.other, scale=scale
        )  # fmt: skip
        try:
            share = fibre_share(told)
        except ValueError as error:
            problem = f"{error}."
    mixed = _last(journal, "mixed")
    if mixed is None:
        try:
            mixed = charge(job).total
        except (ChargeError, ValueError):
            mixed = None
    caught, left = _last(journal, "caught"), _last(journal, "left")
    if share is not None and mixed is not None and (caught is not None or left is not None):
        lines = max(_in_lines(job), 0.0)
        closed = balance(mixed, share.resin + uptake, caught or 0.0, left or 0.0, lines)
    figures: dict[str, float] = {}
    for key, value in (
        ("shot", mixed if part is not None else None), ("caught", caught), ("mass", part), ("demould", _last(journal, "demould")),
        ("fill", state.wet_at), ("leak", _leak(job, journal)),
    ):  # fmt: skip
        if value is not None:
            figures[key] = value
    planned = (totals.fibre / density) / (
        totals.fibre / density
        + max(totals.resin - uptake, 1e-9) / (job.resin.density if job.resin else 1100.0)
    )
    return Outcome(
        share, problem, closed, figures, defects_of(journal), lesson_words(journal), planned if totals.fibre > 0 else None,
        zone_shares(job, measured_of(journal)),
    )  # fmt: skip


def _in_lines(job: Job) -> float:
    """Return the resin that the plan leaves in lines, hoses and mesh [kg]."""
    try:
        sinks = charge(job).sinks
    except (ChargeError, ValueError):
        return 0.0
    return sum(
        s.mass
        for s in sinks
        if any(w in s.name.lower() for w in ("line", "hose", "mesh", "peel", "tube", "heel"))
    )


def _leak(job: Job, journal: Sequence[Entry]) -> float | None:
    """Return the rate of the last whole-bag test [Pa/s] times its volume, by its ends; the job's own where none was recorded."""
    tests = [t for t in recordings(journal) if t.stage == "bag" and len(t.readings) >= 2]
    if tests:
        first, last = tests[-1].readings[0], tests[-1].readings[-1]
        return (
            max((last.pressure - first.pressure) / max(last.time - first.time, 1.0), 0.0) * tests[-1].volume
        )
    readings = job.test.readings
    if len(readings) < 2:
        return None
    span = max(readings[-1].time - readings[0].time, 1.0)
    return max((readings[-1].pressure - readings[0].pressure) / span, 0.0) * job.test.volume


def defects_of(journal: Sequence[Entry]) -> tuple[Defect, ...]:
    """Return the defects that stand: a later row of one changes it, or takes it off."""
    out: dict[str, Defect] = {}
    for e in rows_of(journal, "defect", "undefect"):
        x, y = number(e.data, "x"), number(e.data, "y")
        key = str(e.data.get("id", ""))
        if e.kind == "defect" and x is not None and y is not None:
            out[key] = Defect(
                key,
                str(e.data.get("defect", "")),
                x,
                y,
                number(e.data, "size") or 0.0,
                str(e.data.get("cause", "")),
            )
        elif e.kind == "undefect":
            out.pop(key, None)
    return tuple(out.values())


def record_json(came: Outcome) -> dict[str, Any]:
    """Return an outcome under keys that end in their unit."""
    share, b = came.share, came.balance
    return {
        "vf_actual": None if share is None else {"low": share.vf.low, "mid": share.vf.middle, "high": share.vf.high},
        "vf_planned": came.planned_vf,
        "problem": came.problem,
        "mass_balance": None if b is None else {
            "mixed_kg": b.mixed, "part_kg": b.part, "lines_kg": b.lines, "caught_kg": b.caught, "left_kg": b.left, "gap_kg": b.gap,
            "closes": b.closes,
        },
        "zones": [
            {
                "zone": z.name, "points": z.points, "thickness_mm": z.measured * 1e3, "thickness_planned_mm": z.planned * 1e3,
                "vf_actual": None if z.vf is None else {"low": z.vf.low, "mid": z.vf.middle, "high": z.vf.high},
                "vf_planned": z.vf_planned, "problem": z.problem,
            }
            for z in came.zones
        ],
        "defects": [
            {"kind": d.kind, "x_mm": d.x * 1e3, "y_mm": d.y * 1e3, "size_mm": d.size * 1e3, "cause": d.cause} for d in came.defects
        ],
        "lessons": list(came.lessons),
    }  # fmt: skip
