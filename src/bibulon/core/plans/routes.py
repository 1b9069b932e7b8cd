"""Ways to make a part, compared by the shop's own rates: cost and hours a part, break-even quantity."""

from __future__ import annotations

import itertools
import math
from collections.abc import Mapping

from msgspec import Struct

from bibulon.core.model.job import Job
from bibulon.core.stack.totals import RESIN_DENSITY, needs, part_totals

__all__ = ["ROUTES", "Route", "RouteCost", "break_evens", "compare"]


class Route(Struct, frozen=True):
    """How a way of making goes with area: typical figures, to be replaced by the shop's own.

    hours_fixed, hours_m2 : labour a part, and a m² more [h].
    tool_fixed, tool_m2 : tooling in the shop's money.
    consumables_m2 : bag, mesh, tape and tubes a m² and part.
    fibre_mass : share of fibre by mass that the way reaches in glass.
    faces : how many are finished.
    parts_a_tool : until the tool is worn.
    """

    name: str
    hours_fixed: float
    hours_m2: float
    tool_fixed: float
    tool_m2: float
    consumables_m2: float
    fibre_mass: float
    faces: int
    parts_a_tool: int


ROUTES: tuple[Route, ...] = (
    Route("hand lay-up", 0.8, 1.5, 300.0, 260.0, 2.0, 0.35, 1, 500),
    Route("infusion", 2.0, 1.6, 400.0, 340.0, 14.0, 0.66, 1, 300),
    Route("light RTM", 1.0, 0.7, 1800.0, 900.0, 2.5, 0.45, 2, 700),
    Route("RTM", 0.8, 0.5, 9000.0, 4200.0, 2.0, 0.55, 2, 5000),
)


class RouteCost(Struct, frozen=True):
    """One way: hours, material, consumables and labour a part, tooling for the whole quantity, all a part."""

    route: Route
    hours: float
    material: float
    consumables: float
    labour: float
    tooling: float
    quantity: int
    fits: bool

    @property
    def running(self) -> float:
        """Cost a part without tooling."""
        return self.material + self.consumables + self.labour

    @property
    def each(self) -> float:
        """Cost a part with its share of the tooling."""
        return self.running + self.tooling / self.quantity

    def each_at(self, quantity: int) -> float:
        """Return the cost a part if so many are made: tools wear out and are made anew."""
        tools = math.ceil(quantity / self.route.parts_a_tool)
        first = math.ceil(self.quantity / self.route.parts_a_tool)
        return self.running + self.tooling / first * tools / quantity


def compare(job: Job, own: Mapping[str, float] | None = None) -> tuple[RouteCost, ...]:
    """Return all ways for this part and its rates, cheapest first, those with too few finished faces last.

    own : hours a part that the shop's own record tells, by the name of the way, in place of the typical ones.
    Fibre is the job's own; each way adds the resin that its fibre share by mass leaves room for.

    Raises
    ------
    OutlineError : when an outline is crossed or empty.
    """
    totals, rates = part_totals(job), job.rates
    copies = max(job.part.copies + job.part.mirror_copies, 1)
    bought = [n for n in needs(job) if n.kind in {"fabric", "core", "coat"}]
    cloth = sum(n.cost for n in bought) / copies or totals.fibre * rates.cloth
    price = job.resin.price_per_kg if job.resin and job.resin.price_per_kg else rates.resin
    density = job.resin.density if job.resin else RESIN_DENSITY
    core_resin = max(totals.resin - _resin_in_plies(job, density), 0.0)
    out = []
    for route in ROUTES:
        resin = totals.fibre * (1 - route.fibre_mass) / route.fibre_mass + core_resin
        hours = (own or {}).get(route.name, route.hours_fixed + route.hours_m2 * totals.area)
        tools = math.ceil(rates.quantity / route.parts_a_tool)
        out.append(
            RouteCost(
                route, hours, cloth + resin * price, route.consumables_m2 * totals.area, hours * rates.labour,
                tools * (route.tool_fixed + route.tool_m2 * totals.area), rates.quantity, route.faces >= rates.faces,
            )
        )  # fmt: skip
    return tuple(sorted(out, key=lambda c: (not c.fits, c.each)))


def _resin_in_plies(job: Job, density: float) -> float:
    from bibulon.core.stack.laid import developed_area, places
    from bibulon.core.stack.laminate import zone_stack

    total = 0.0
    for place, region in places(job).zones.items():
        plies = sum(s.pores for s in zone_stack(job, place).layers if s.kind == "fabric")
        total += developed_area(job.part, place, region) * plies * density
    return total


def break_evens(costs: tuple[RouteCost, ...]) -> list[tuple[str, str, int]]:
    """Return (cheaper below, cheaper from there on, quantity) of each pair of ways, by quantity.

    Tools of one kind are counted once here, which is when the question is asked.
    """
    out = []
    for a, b in itertools.combinations(costs, 2):
        first = {c.route.name: c.tooling / math.ceil(c.quantity / c.route.parts_a_tool) for c in (a, b)}
        low, high = sorted((a, b), key=lambda c: first[c.route.name])
        saves = low.running - high.running
        if saves > 0:
            quantity = math.ceil((first[high.route.name] - first[low.route.name]) / saves)
            if quantity >= 1:
                out.append((low.route.name, high.route.name, quantity))
    return sorted(out, key=lambda t: t[2])
