"""The job card: pages of plain shapes, for paper and for the preview."""

from __future__ import annotations

import time
from collections.abc import Sequence

import numpy as np

from bibulon.core.drawing.graphs.droptest import draw_drop_test
from bibulon.core.drawing.kit.field import Contours, Sampler
from bibulon.core.drawing.kit.look import PlanLook
from bibulon.core.drawing.kit.pages import LEFT, RIGHT, Page, Pages
from bibulon.core.drawing.kit.scene import View
from bibulon.core.drawing.kit.tokens import PAPER
from bibulon.core.drawing.plan.plan import draw_filled
from bibulon.core.drawing.plan.signs import front_signs, scale_bar
from bibulon.core.drawing.section.section import cut_through, draw_cut
from bibulon.core.drawing.sheets.closedcard import lay_mould
from bibulon.core.drawing.sheets.outcome import lay_outcome
from bibulon.core.edit.plies import zone_words
from bibulon.core.findings.base import Evidence, Finding
from bibulon.core.findings.judge import acceptance_of
from bibulon.core.geometry.outline import trace
from bibulon.core.leak.droptest import school_of
from bibulon.core.lines.linelist import line_length
from bibulon.core.lines.words import valve_words
from bibulon.core.model.job import RIM, Job
from bibulon.core.run.journal import Entry, number, run_state, runs_of
from bibulon.core.run.layup import laid_layers
from bibulon.core.run.recording import is_reading
from bibulon.core.stack.laminate import zone_stack
from bibulon.core.units.figures import worded
from bibulon.core.units.units import System, clock, show, show_value
from bibulon.core.units.words import tr

__all__ = ["ENTRY_WORDS", "card_pages", "entry_words", "journal_rows"]


def card_pages(
    job: Job,
    evidence: Evidence,
    findings: Sequence[Finding],
    journal: Sequence[Entry],
    system: System = "metric",
    contours: Contours | None = None,
) -> list[Page]:
    """Return the job card: plan, cut, stack, lines, charge, closed mould, test, marks, findings."""
    card = Pages(job.name, tr("job card"))
    card.line(
        " · ".join(
            x
            for x in (
                job.process,
                tr("mould {}", job.mould) if job.mould else "",
                tr("rules: {}", job.rules.name),
            )
            if x
        )
    )
    _plan(card, job, evidence, journal, system, contours)
    _stack(card, job, journal, system)
    _lines(card, job, system)
    _charge(card, evidence, system)
    lay_mould(card, evidence, system)
    _test(card, job, evidence, system)
    _marks(card, job, journal, system)
    lay_outcome(card, job, evidence.forecast, journal, system)
    _findings(card, job, findings, system)
    if job.notes:
        card.heading("Notes")
        for part in job.notes.splitlines():
            card.line(part)
    card.line(
        tr(
            "The data sheets and safety sheets of the products, local rules and qualified practice come before this card."
        ),
        size=10,
    )
    return card.pages


def _plan(
    card: Pages,
    job: Job,
    evidence: Evidence,
    journal: Sequence[Entry],
    system: System,
    contours: Contours | None,
) -> None:
    width, height = RIGHT - LEFT, 330.0
    points = trace(job.part.outline)
    view = View.fit((*points.min(axis=0), *points.max(axis=0)), width, height, 30)
    forecast = evidence.forecast
    look = PlanLook(view, PAPER, system, time=forecast.end if forecast else None)
    marks = front_signs(run_state(journal).marks)
    if forecast is not None and contours is None:
        contours = Sampler(forecast.model.mesh, 220).contours(forecast.wet_through)
    items = list(draw_filled(job, look, contours if forecast is not None else None, marks))
    items += scale_bar(look, width, height)
    card.drawing(items, height)
    if forecast is None:
        card.line(tr("No forecast: the job lacks plies, a resin or a feed."))
        return
    if job.cut:
        cut = cut_through(forecast, np.array(job.cut.path))
        card.drawing(
            list(draw_cut(job, forecast, cut, forecast.end / 2, (0, 0, width, 130), PAPER, system)), 134
        )
        card.line(tr("Cut A–A at {}.", clock(forecast.end / 2)), size=10)
    x, y, _when = forecast.last_wet
    told = (
        tr("Wet through at {}", clock(forecast.fill_time))
        if forecast.filled
        else tr("{} stays dry", show(forecast.never_wet_area, "area", system))
    )
    place = tr("closes last at x {0}, y {1}", show(x, "length", system), show(y, "length", system))
    gel = tr("; the first batch gels at {}", clock(forecast.clock.gel)) if forecast.clock.gel < 1e8 else ""
    card.line(f"{told}, {place}{gel}.", bold=True)


def _stack(card: Pages, job: Job, journal: Sequence[Entry], system: System) -> None:
    card.heading("Stack, tool side first")
    names = {RIM: job.part.rest_name, **{z.id: z.name for z in job.part.zones if z.laid}}
    laid, rows = laid_layers(journal), []
    for k, layer in enumerate(job.stack):
        where = zone_words(job, layer)
        material = job.materials[layer.material]
        angle = f"{layer.angle_deg:g}°" if material.kind == "fabric" else ""
        done = laid[layer.id].words if layer.id in laid else ""
        rows.append((str(k + 1), material.name, angle, where, done))
    card.table(
        (
            ("", 0, "l"),
            ("layer", 24, "l"),
            ("angle", 330, "l"),
            (tr("lies in"), 400, "l"),
            ("laid", 690, "r"),
        ),
        rows,
    )
    for zone, name in names.items():
        stack = zone_stack(job, zone)
        if stack.thickness:
            card.line(
                tr(
                    "{0}: {1} thick, fibre {2:.0f} % by volume, dry {3}.",
                    name,
                    show(stack.thickness, "thickness", system),
                    stack.fibre_fraction * 100,
                    show(stack.dry_mass, "areal mass", system),
                )
            )


def _lines(card: Pages, job: Job, system: System) -> None:
    if not job.lines:
        return
    card.heading("Lines")
    labels = {x.id: x.label for x in job.lines}
    rows = []
    for line in job.lines:
        length = line_length(job, line)
        hose = (
            tr(
                "{0} of {1}",
                show(line.hose_length, "distance", system),
                show(line.hose_bore, "length", system),
            )
            if line.role == "feed"
            else ""
        )
        long = show(length, "distance", system) if length else ""
        rows.append((line.label, line.role, long, hose, worded(valve_words(line, labels), system)))
    card.table(
        (
            ("", 0, "l"),
            ("is", 60, "l"),
            ("length", 190, "r"),
            (tr("hose, bore"), 220, "l"),
            (tr("opens, is shut"), 340, "l"),
        ),
        rows,
    )


def _charge(card: Pages, evidence: Evidence, system: System) -> None:
    plan = evidence.charge
    if plan is None:
        return
    card.heading(tr("Charge: {}", show(plan.total, "mass", system)))
    card.table(
        ((tr("goes to"), 0, "l"), ("resin", 260, "r"), ("", 280, "l")),
        [(s.name, show(s.mass, "mass", system), worded(s.basis, system)) for s in plan.sinks],
    )
    rows = [
        (tr("batch {}", b.number), *(show(m, "mass", system, 3) for m in (b.mass, b.part_a, b.part_b)), "")
        for b in plan.batches
    ]
    card.table(
        (
            ("", 0, "l"),
            ("all", 190, "r"),
            (tr("part A"), 300, "r"),
            (tr("part B"), 410, "r"),
            (tr("weighed by, at"), 470, "l"),
        ),
        rows,
    )


def _test(card: Pages, job: Job, evidence: Evidence, system: System) -> None:
    card.heading("Leak test")
    if evidence.leak is None or evidence.verdict is None:
        card.line(tr("Not run."))
        return
    school = school_of(job)
    items = list(draw_drop_test(job.test, evidence.leak, school, RIGHT - LEFT, 190, PAPER, system))
    card.drawing(items, 190)
    low, high = (q * 10 for q in evidence.leak.leak_interval)
    verdict = evidence.verdict.worded(system)
    card.line(
        tr("{0}: {1} by “{2}”: {3}.", job.test.name, verdict.outcome, school.name, verdict.figure), bold=True
    )
    card.line(
        tr(
            "Leak {0:.4f} mbar·L/s, 19 times in 20 between {1:.4f} and {2:.4f}.",
            evidence.leak.leak * 10,
            low,
            high,
        )
    )


ENTRY_WORDS = {"start": tr("clock started"), "open": "opened", "shut": "shut", "turned": "turned", "front": tr("front seen"), "dry": tr("not yet wet"), "withdrawn": tr("mark withdrawn"), "weight": tr("bucket weighed"), "gauge": tr("gauge read"), "resin": tr("resin's temperature"), "shot": tr("machine injects"), "shot-ended": tr("machine stopped"), "explained": tr("explanation taken"), "held": "hold", "weighed": "weighed", "defect": "defect", "undefect": tr("no defect after all"), "photo": "photo", "serviced": tr("serviced after this part"), "thickness": tr("thickness measured"), "unmeasured": tr("no point after all"), "hardness": tr("hardness read"), "learned": "learned", "lesson": "lesson", "decision": "decided", "batch": tr("batch in the bucket"),
          "bubbles": tr("bubbles seen"), "drawn": "done", "undrawn": tr("not done after all"), "heard": tr("listened for a leak"), "clamped": tr("leak measured behind a clamp"), "mended": tr("leak mended"), "loaded": tr("loading step done"), "unloaded": tr("loading step not done after all"), "mixed": tr("mixing step done"), "unmixed": tr("mixing step not done after all"), "bridge": tr("bag found bridging"), "laid": tr("layer laid"), "unlaid": tr("layer not laid after all"), "test": tr("leak test begun"), "tested": tr("leak test ended"), "gap": tr("gauge silent"), "proven": tr("looked at before resin"), "unproven": tr("not looked at after all"), "wet": tr("all wet"), "stop": tr("clock stopped"), "note": "note", "clock": tr("clock of the machine set")}  # fmt: skip


BEFORE = frozenset(
    {
        "laid",
        "unlaid",
        "drawn",
        "undrawn",
        "bridge",
        "mixed",
        "unmixed",
        "loaded",
        "unloaded",
        "heard",
        "clamped",
        "mended",
        "test",
        "tested",
        "proven",
        "unproven",
        "weighed",
        "defect",
        "undefect",
        "photo",
        "serviced",
        "thickness",
        "unmeasured",
        "hardness",
        "learned",
        "lesson",
    }
)


def entry_words(entry: Entry, job: Job, system: System) -> tuple[str, str]:
    """Return what happened and where, for people."""
    labels = {x.id: x.label for x in job.lines}
    what = ENTRY_WORDS.get(entry.kind, entry.kind)
    if "line" in entry.data:
        what = f"{labels.get(str(entry.data['line']), str(entry.data['line']))} {what}"
    where = str(entry.data.get("text", ""))
    if "layer" in entry.data:
        order = [x.id for x in job.stack]
        key = str(entry.data["layer"])
        which = tr("layer {}", order.index(key) + 1) if key in order else tr("a layer since removed")
        where = tr("{0}, by {1}", which, entry.data.get("by", "?"))
    x, y = number(entry.data, "x"), number(entry.data, "y")
    if x is not None and y is not None:
        at = f"{show_value(x, 'length', system)}, {show(y, 'length', system)}"
        where = f"{at}: {where}" if where else at
    return what, where


def journal_rows(journal: Sequence[Entry], job: Job, system: System) -> list[tuple[str, str, str]]:
    """Return all that happened as (time into its run, what, where); where there are several runs each start tells which."""
    runs = runs_of(journal)
    rows = []
    for e in journal:
        if is_reading(e):
            continue
        what, where = entry_words(e, job, system)
        if e.kind == "start" and len(runs) > 1:
            where = tr("run {0} of {1}", runs.index(e.run) + 1, len(runs))
        when = clock(e.clock)
        if e.kind in BEFORE:  # no clock runs yet: the time of day
            when = time.strftime("%H:%M", time.localtime(e.written_at))
        rows.append((when, what, where))
    return rows


def _marks(card: Pages, job: Job, journal: Sequence[Entry], system: System) -> None:
    card.heading("Run")
    if not journal:
        card.line(tr("Not shot yet."))
        return
    card.table(
        (("time", 50, "r"), ("what", 70, "l"), ("where", 300, "l")), journal_rows(journal, job, system)
    )


def _findings(card: Pages, job: Job, findings: Sequence[Finding], system: System) -> None:
    card.heading("Findings")
    if not findings:
        card.line("None.")
    for f in (x.worded(system) for x in findings):
        accepted = acceptance_of(job, f)
        tail = tr(" Accepted by {0}: {1}", accepted.by, accepted.reason) if accepted else ""
        card.line(tr("{0}: {1}. {2}; limit {3}.{4}", f.weight, f.title, f.number, f.limit, tail))
