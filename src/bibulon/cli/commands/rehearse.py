"""``bibulon rehearse``: a shot in a simulated shop with hidden faults, by a crew, and what is told afterwards."""

from __future__ import annotations

import argparse
from pathlib import Path

from bibulon.cli.told import print_json, system_of, told_arguments
from bibulon.core.drawing.sheets.debrief import decision_words
from bibulon.core.model.job import Job
from bibulon.core.plans.rehearsal.crews import CREWS, shoot
from bibulon.core.plans.rehearsal.debrief import Debrief, debrief
from bibulon.core.plans.rehearsal.faults import KINDS, draw_shop
from bibulon.core.plans.rehearsal.scenarios import SCENARIOS
from bibulon.core.plans.rehearsal.shop import Shop
from bibulon.core.units.units import clock, show
from bibulon.core.units.words import tr
from bibulon.store.jobfile import load

__all__ = ["arguments", "run"]


def arguments(parser: argparse.ArgumentParser) -> None:
    """Take a job or a scenario, the seed, the crew, and how to tell."""
    text = tr("a job file, or one of {}", ", ".join(SCENARIOS))
    parser.add_argument("job", metavar="JOB|SCENARIO", help=text)
    parser.add_argument(
        "--seed", type=int, default=1, metavar="N", help=tr("which shop: the same seed is the same shop")
    )
    parser.add_argument("--bot", choices=sorted(CREWS), default="careful", help=tr("who shoots"))
    text = tr("what is wrong, in place of chance: {}; may be repeated", ", ".join(KINDS))
    parser.add_argument("--fault", action="append", metavar="KIND", help=text)
    told_arguments(parser)


def _job_of(name: str) -> tuple[Job, tuple[str, ...] | None, str]:
    if name in SCENARIOS:
        s = SCENARIOS[name]
        return s.job(), s.faults, s.idea
    return load(Path(name)).job, None, ""


def run(args: argparse.Namespace) -> int:
    """Shoot and tell."""
    job, faults, idea = _job_of(args.job)
    shop = Shop(job, draw_shop(job, args.seed, args.fault or faults))
    noticed = shoot(shop, args.bot)
    told = debrief(shop, noticed.when)
    if args.json:
        print_json(_told(shop, told))
        return 0
    s = system_of(args)
    if idea:
        print(f"{args.job}: {idea}")
    print(
        tr(
            "It came out {0}: {1} dry, {2:.1f} % air, {3} mixed.",
            told.outcome,
            show(told.dry, "area", s),
            told.air * 100,
            show(told.resin, "mass", s),
        )
    )
    if told.filled is not None:
        print(tr("All wet at {0}; the plan said {1}.", clock(told.filled), clock(shop.plan.fill_time)))
    if told.released_early:
        print(tr("The vacuum was let go before the resin had gelled."))
    if told.parted is not None:
        print(tr("The halves parted at {}.", clock(told.parted)))
    if told.settled is not None:
        print(
            tr(
                "Fibre at gel {0:.0f} %, {1:.0f} to {2:.0f}.",
                told.settled.mean * 100,
                told.settled.low * 100,
                told.settled.high * 100,
            )
        )
    for f in told.found:
        when = tr("noticed at {}", _at(f.noticed)) if f.noticed is not None else tr("never noticed")
        print(
            tr("Hidden: {0}; it could be known from {1}, {2}.", KINDS[f.fault.kind].words, _at(f.known), when)
        )
    for d in told.decisions:
        words = decision_words(d, s)
        print(f"{words[:1].upper()}{words[1:]}.")
    for words in told.practise:
        print(tr("Practise: {}", words))
    return 0


def _at(seconds: float | None) -> str:
    if seconds is None:
        return "never"
    return tr("{} before resin", clock(-seconds)) if seconds < 0 else clock(seconds)


def _told(shop: Shop, told: Debrief) -> dict[str, object]:
    return {
        "outcome": told.outcome, "dry_area_m2": told.dry, "air_share": told.air, "resin_used_kg": told.resin, "resin_wasted_kg": told.wasted,
        "filled_s": told.filled, "planned_fill_s": shop.plan.fill_time, "released_early": told.released_early, "parted_s": told.parted,
        "fibre_share": None if told.settled is None else [told.settled.low, told.settled.mean, told.settled.high], "loss": told.loss,
        "faults": [
            {"kind": f.fault.kind, "place": None if f.fault.place is None else [round(v * 1e3) for v in f.fault.place],
             "began_s": f.fault.began, "known_s": f.known, "noticed_s": f.noticed}
            for f in told.found
        ],
        "decisions": [{"what": d.what, "done_s": d.done, "best_s": d.best, "cost_s": d.cost, "drawn_kg": d.drawn, "dry_m2": d.dry} for d in told.decisions],
        "practise": list(told.practise),
    }  # fmt: skip
