"""The kit: all that is used up in a shot and laid out before it, with waste, packs, weight and price."""

from __future__ import annotations

import math
from collections.abc import Iterator

from msgspec import Struct
from msgspec.structs import replace

from bibulon.core.bag.bag import Bag, bag_of, has_bag
from bibulon.core.lines.linelist import cuts
from bibulon.core.model.job import Job
from bibulon.core.stack.totals import needs
from bibulon.core.units.figures import figure, worded
from bibulon.core.units.units import System, cell_of, heading_of, show
from bibulon.core.units.words import tr

__all__ = ["KitItem", "kit_of", "kit_rows"]

USED_UP = frozenset({"peel", "porous", "mesh", "film"})
BREATHER_MASS = 0.15  # kg/m², of a breather between two films
HEADS = (
    ("laid out", ""), ("what", ""), ("for", ""), ("needed", ""), ("packs", ""), ("mass", "mass"), ("price", ""), ("short of", ""),
)  # fmt: skip


class KitItem(Struct, frozen=True):
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


def kit_of(job: Job, bag: Bag, system: System = "metric") -> list[KitItem]:
    """Return the kit of one part, in the order in which it is laid; sizes in its words in a system's units.

    Raises
    ------
    OutlineError : when an outline is crossed or empty.
    """
    sealed = [*_film(job, bag), *_tape(job, bag)] if has_bag(job) else []
    every = [*_layers(job), *sealed, *_tubes(job), *_pots(job)]
    return [replace(x, name=worded(x.name, system), use=worded(x.use, system)) for x in every]


def _layers(job: Job) -> Iterator[KitItem]:
    """What is laid on the stack and peeled off again."""
    one = job.replaced(part=job.part.replaced(copies=1, mirror_copies=0))
    for need in needs(one):
        if need.kind in USED_UP:
            yield KitItem(
                need.material, need.name, _use(need.kind), need.bought, "area", "", need.mass, need.cost
            )


def _film(job: Job, bag: Bag) -> Iterator[KitItem]:
    film, plan = bag.film, job.bag
    if film.sheets:
        pieces = film.strips * film.sheets
        missing = max(film.pulled - plan.film_left, 0.0) if plan.film_left is not None else 0.0
        rolls = math.ceil(film.pulled / plan.film.roll_length - 1e-9)
        use = tr(
            "bag, {0} piece{1} of {2} roll",
            pieces,
            "s" * (pieces != 1),
            figure(plan.film.roll_width, "distance"),
        )
        packs = tr("{0} roll{1}", rolls, "s" * (rolls != 1))
        mass, price = film.bought * plan.film.areal_mass, film.bought * plan.film.price_per_m2
        yield KitItem("film", plan.film.name, use, film.pulled, "distance", packs, mass, price, missing)
    if plan.school == "double bag":
        area = film.lies / (1 + bag.allowance)
        name, use = "Breather between the films", "lets air through under the outer film"
        yield KitItem("breather", name, use, area, "area", "", area * BREATHER_MASS, 0.0)


def _tape(job: Job, bag: Bag) -> Iterator[KitItem]:
    tape, plan = bag.tape, job.bag
    if tape.rolls:
        missing = max(tape.total - plan.tape_left, 0.0) if plan.tape_left is not None else 0.0
        packs = tr("{0} roll{1}", tape.rolls, "s" * (tape.rolls != 1))
        mass, price = tape.total * plan.tape.mass_per_m, tape.rolls * plan.tape.price_per_roll
        use = tr("round, pleats, tubes, seams")
        yield KitItem("tape", plan.tape.name, use, tape.total, "distance", packs, mass, price, missing)


def _tubes(job: Job) -> Iterator[KitItem]:
    for cut in cuts(job):
        if cut.cut > 0:
            name = f"{cut.name}: {cut.kind.partition(':')[0]}"
            price = cut.cut * job.rates.tube
            yield KitItem(
                f"tube:{cut.name}", name, tr("{} line", cut.what), cut.cut, "distance", "", 0.0, price
            )
        if cut.hose > 0:
            name = tr("{0}: hose, bore {1}", cut.name, figure(cut.bore, "length"))
            price = cut.hose * job.rates.hose
            yield KitItem(f"hose:{cut.name}", name, cut.fittings, cut.hose, "distance", "", 0.0, price)


def _pots(job: Job) -> Iterator[KitItem]:
    if job.pots:
        name = tr("Catch pot, emptied and rated for vacuum")
        yield KitItem("pots", name, "before the pump", len(job.pots), "", "", 0.0, 0.0)


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
    for x in kit_of(job, bag_of(job), system):
        lacks = (
            (show(x.missing, x.quantity, system) if x.quantity else f"{x.missing:.0f}")
            if x.missing > 0
            else ""
        )
        rows.append(
            ("yes" if x.key in job.bag.laid_out else "", x.name, x.use, x.told(system), x.packs, cell_of(x.mass, "mass", system) if x.mass else "", f"{x.price:.2f}" if x.price else "", lacks)
        )  # fmt: skip
    return rows
