"""The kit: all that is used up in a shot and laid out before it, with waste, packs, weight and price."""

from __future__ import annotations

import math
from dataclasses import dataclass

from bibulon.core.bag.bag import Bag, bag_of
from bibulon.core.lines.linelist import cuts
from bibulon.core.model.job import Job
from bibulon.core.stack.totals import needs
from bibulon.core.units.units import System, cell_of, heading_of, show

__all__ = ["KitItem", "kit_of", "kit_rows"]

USED_UP = frozenset({"peel", "porous", "mesh", "film"})
BREATHER_MASS = 0.15  # kg/m², of a breather between two films
HEADS = (
    ("laid out", ""), ("what", ""), ("for", ""), ("needed", ""), ("packs", ""), ("mass", "mass"), ("price", ""), ("short of", ""),
)  # fmt: skip


@dataclass(frozen=True)
class KitItem:
    """One thing of the kit: how much with waste, in a quantity of its own, how many packs, mass [kg], price.

    missing : how much of it the shop lacks, where it was counted.
    """

    key: str
    name: str
    use: str
    amount: float
    quantity: str  # "" for pieces
    packs: str
    mass: float
    price: float
    missing: float = 0.0

    def told(self, system: System) -> str:
        """Return how much, in the reader's units."""
        return show(self.amount, self.quantity, system) if self.quantity else f"{self.amount:.0f}"


def kit_of(job: Job, bag: Bag) -> list[KitItem]:
    """Return the kit of one part, in the order in which it is laid.

    Raises
    ------
    OutlineError : when an outline is crossed or empty.
    """
    one = job.replaced(part=job.part.replaced(copies=1, mirror_copies=0))
    out = []
    for need in needs(one):
        if need.kind in USED_UP:
            out.append(
                KitItem(
                    need.material, need.name, _use(need.kind), need.bought, "area", "", need.mass, need.cost
                )
            )
    film, tape, plan = bag.film, bag.tape, job.bag
    if film.sheets:
        pieces = film.strips * film.sheets
        missing = max(film.pulled - plan.film_left, 0.0) if plan.film_left is not None else 0.0
        rolls = math.ceil(film.pulled / plan.film.roll_length - 1e-9)
        out.append(
            KitItem(
                "film",
                plan.film.name,
                f"bag, {pieces} piece{'s' * (pieces != 1)} of {plan.film.roll_width:g} m roll",
                film.pulled,
                "distance",
                f"{rolls} roll{'s' * (rolls != 1)}",
                film.bought * plan.film.areal_mass,
                film.bought * plan.film.price_per_m2,
                missing,
            )
        )
    if plan.school == "double bag":
        area = film.lies / (1 + bag.allowance)
        out.append(
            KitItem(
                "breather",
                "Breather between the films",
                "lets air through under the outer film",
                area,
                "area",
                "",
                area * BREATHER_MASS,
                0.0,
            )
        )
    if tape.rolls:
        missing = max(tape.total - plan.tape_left, 0.0) if plan.tape_left is not None else 0.0
        out.append(
            KitItem(
                "tape",
                plan.tape.name,
                "round, pleats, tubes, seams",
                tape.total,
                "distance",
                f"{tape.rolls} roll{'s' * (tape.rolls != 1)}",
                tape.total * plan.tape.mass_per_m,
                tape.rolls * plan.tape.price_per_roll,
                missing,
            )
        )
    for cut in cuts(job):
        if cut.cut > 0:
            out.append(
                KitItem(
                    f"tube:{cut.name}",
                    f"{cut.name}: {cut.kind.partition(chr(58))[0]}",
                    f"{cut.what} line",
                    cut.cut,
                    "distance",
                    "",
                    0.0,
                    cut.cut * job.rates.tube,
                )
            )
        if cut.hose > 0:
            out.append(
                KitItem(
                    f"hose:{cut.name}",
                    f"{cut.name}: hose, bore {cut.bore * 1000:.0f} mm",
                    cut.fittings,
                    cut.hose,
                    "distance",
                    "",
                    0.0,
                    cut.hose * job.rates.hose,
                )
            )
    pots = len(job.pots)
    if pots:
        out.append(
            KitItem(
                "pots", "Catch pot, emptied and rated for vacuum", "before the pump", pots, "", "", 0.0, 0.0
            )
        )
    return out


def _use(kind: str) -> str:
    return {
        "peel": "peels off the part",
        "porous": "on the stack",
        "mesh": "spreads resin",
        "film": "keeps resin in",
    }.get(kind, kind)


def kit_rows(job: Job, system: System = "metric") -> list[tuple[str, ...]]:
    """Return the kit as rows, headings first."""
    rows: list[tuple[str, ...]] = [tuple(heading_of(n, q, system) if q else n for n, q in HEADS)]
    for x in kit_of(job, bag_of(job)):
        lacks = (
            (show(x.missing, x.quantity, system) if x.quantity else f"{x.missing:.0f}")
            if x.missing > 0
            else ""
        )
        rows.append(
            ("yes" if x.key in job.bag.laid_out else "", x.name, x.use, x.told(system), x.packs, cell_of(x.mass, "mass", system) if x.mass else "", f"{x.price:.2f}" if x.price else "", lacks)
        )  # fmt: skip
    return rows
