"""What a defect at a place usually comes from, by what the forecast and the plan say of that place; offered, never decided."""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np
import shapely
from msgspec import Struct

from bibulon.core.flow.forecast import Forecast
from bibulon.core.geometry.zones import regions
from bibulon.core.model.job import Job
from bibulon.core.resin.boiling import boils_under
from bibulon.core.stack.laminate import zone_stack
from bibulon.core.units.words import tr

__all__ = ["KINDS", "Cause", "Repair", "likely_causes", "place_words", "repair_of"]

KINDS = ("dry", "porous", "bridged", "wrinkled", "rich", "print-through", "pinholes", "race mark")
NEAR = 0.08  # m: beside a line, an edge, a corner
LATE = 0.85  # of the fill time
LEADS = 0.12  # of the fill time by which the top is wet before the tool side
DRILL = 1.3  # times the resin that the dry place holds, drawn into the syringe


class Cause(Struct, frozen=True):
    """What it may come from, what at this place speaks for it, and how much, from 0 to 1."""

    words: str
    why: str
    weight: float


class _Here(Struct, frozen=True):
    """What is known of a place: times [s], distances [m], pressures [Pa]."""

    share: float  # of the fill time at which it was wet; inf where it stays dry
    lead: float  # of the fill time between the first and the last layer
    pocket: float  # m to the next dry pocket
    feed: float
    vacuum: float
    border: float  # of zones
    core_border: bool
    inside_corner: float
    outside_corner: float
    bridge: float
    pressure: float
    boils: float  # Pa under which the resin boils here
    leak: bool


def _here(job: Job, forecast: Forecast | None, x: float, y: float, leak: bool) -> _Here:
    at = shapely.Point(x, y)

    def nearest(shapes: list[shapely.Geometry]) -> float:
        return min((float(s.distance(at)) for s in shapes), default=math.inf)

    def line(path: tuple[tuple[float, float], ...]) -> shapely.Geometry:
        return shapely.LineString(path) if len(path) > 1 else shapely.Point(path[0])

    share, lead, pocket, pressure = 0.5, 0.0, math.inf, math.nan
    if forecast is not None:
        try:
            told = list(forecast.probe(x, y).values())
            nodes, weights = forecast.locate(x, y)
        except ValueError:
            told = []
        if told:
            whole = max(forecast.fill_time, 1e-9)
            share = max(told) / whole if all(math.isfinite(t) for t in told) else math.inf
            finite = [t for t in told if math.isfinite(t)]
            lead = (max(finite) - min(finite)) / whole if len(finite) > 1 else 0.0
            top = np.nanmin(
                np.where(np.isnan(f := forecast.pressure(forecast.end)[nodes]), np.inf, f), axis=1
            )
            pressure = float(top @ weights) + job.conditions.vacuum
        pocket = min(
            (math.dist(p.place, (x, y)) - math.sqrt(p.area / math.pi) for p in forecast.pockets),
            default=math.inf,
        )
    plan = regions(job.part)
    zones = list(plan.zones.values())
    cored = any(s.kind == "core" for z in plan.zones for s in zone_stack(job, z).layers)
    return _Here(
        share, lead, pocket,
        nearest([line(x.path) for x in job.lines if x.role == "feed"]),
        nearest([line(x.path) for x in job.lines if x.role == "vacuum"]),
        nearest([z.boundary for z in zones]) if len(zones) > 1 else math.inf, cored,
        nearest([line(c.path) for c in job.part.corners if c.kind == "inside"]),
        nearest([line(c.path) for c in job.part.corners if c.kind == "outside"]),
        nearest([shapely.Point(b.x, b.y) for b in job.bag.bridges]), pressure,
        (boils_under(job.resin, job.conditions.resin_temperature) or 0.0) if job.resin else 0.0, leak,
    )  # fmt: skip


_RULES: tuple[tuple[frozenset[str], Callable[[_Here], float], str, str], ...] = (
    (frozenset({"dry"}), lambda h: 0.95 if h.pocket < NEAR else 0.0, tr("a pocket that the fronts shut in"), tr("the forecast shuts a pocket here")),
    (frozenset({"dry", "porous"}), lambda h: 0.9 if not math.isfinite(h.share) else 0.0, tr("no resin could come here"), tr("the forecast leaves it dry")),
    (frozenset({"dry", "porous"}), lambda h: 0.7 if LATE <= h.share < math.inf else 0.0, tr("wet last: resin thick, or shut early"), tr("it is among the last places to be wet")),
    (frozenset({"dry", "porous", "pinholes"}), lambda h: 0.6 if h.lead > LEADS else 0.0, tr("the top ran ahead of the tool side"), tr("the layers here are wet far apart in time")),
    (frozenset({"porous", "pinholes"}), lambda h: 0.75 if h.leak else 0.15, tr("air through a leak"), tr("the leak test was over its rule")),
    (frozenset({"porous", "pinholes"}), lambda h: 0.65 if h.vacuum < NEAR and h.pressure < 1.5 * h.boils + 1500 else 0.0, tr("resin that boiled at low pressure"), tr("beside the vacuum the resin is under little pressure")),
    (frozenset({"porous", "pinholes"}), lambda h: 0.3 if h.feed < NEAR else 0.0, tr("air drawn in by the feed"), tr("a feed begins beside it")),
    (frozenset({"bridged"}), lambda h: 0.9 if h.bridge < NEAR else 0.0, tr("a bridge that was found and left"), tr("it was pinned at draw down")),
    (frozenset({"bridged", "rich"}), lambda h: 0.8 if h.inside_corner < NEAR else 0.0, tr("cloth or film not down in the corner"), tr("an inside corner runs here")),
    (frozenset({"bridged", "rich", "race mark"}), lambda h: 0.55 if h.border < 0.04 and h.core_border else 0.0, tr("a gap along the core's edge"), tr("two zones meet here")),
    (frozenset({"wrinkled"}), lambda h: 0.7 if h.outside_corner < NEAR else 0.0, tr("cloth too short to go round the corner"), tr("an outside corner runs here")),
    (frozenset({"wrinkled"}), lambda h: 0.35, tr("film too short, or plies that slid"), tr("nothing in the plan speaks against it")),
    (frozenset({"rich"}), lambda h: 0.6 if h.feed < NEAR else 0.0, tr("left under the feed: shut late, bled little"), tr("a feed lies over it")),
    (frozenset({"race mark"}), lambda h: 0.6 if min(h.border, h.inside_corner) < NEAR else 0.2, tr("a path that ran ahead"), tr("an edge where resin runs easily")),
    (frozenset({"print-through"}), lambda h: 0.7 if h.border < NEAR and h.core_border else 0.0, tr("core edge that shrinks through a thin skin"), tr("core ends here")),
    (frozenset({"print-through"}), lambda h: 0.4, tr("a hot cure, or taken out green"), tr("look at the peak and the demould time in Cure")),
    (frozenset({"dry"}), lambda h: 0.2, tr("clamped early, or locked in by a front"), tr("nothing in the forecast speaks against it")),
    (frozenset({"bridged"}), lambda h: 0.3, tr("not pushed home before the vacuum"), tr("nothing in the plan speaks against it")),
    (frozenset({"rich"}), lambda h: 0.25, tr("plies left out, or a fold in the film"), tr("nothing in the plan speaks against it")),
)  # fmt: skip


def likely_causes(
    job: Job, forecast: Forecast | None, kind: str, x: float, y: float, *, leak: bool = False
) -> tuple[Cause, ...]:
    """Return what a defect of a kind at a place [m] may come from, the likeliest first; ``leak`` when the bag failed its test.

    Weights are judged by the trade's rules of thumb, not fitted; only their order is told.

    Raises
    ------
    ValueError : when there is no such kind.
    """
    if kind not in KINDS:
        raise ValueError(tr("“{0}” is no kind of defect; there are {1}", kind, ", ".join(KINDS)))
    here = _here(job, forecast, x, y, leak)
    found = [
        Cause(words, why, w)
        for kinds, weigh, words, why in _RULES
        if kind in kinds and (w := weigh(here)) > 0
    ]
    return tuple(sorted(found, key=lambda c: -c.weight)[:4])


def place_words(job: Job, forecast: Forecast | None, x: float, y: float) -> list[tuple[str, float]]:
    """Return what the forecast says of a place: (words, time [s]) of each layer, last the whole."""
    if forecast is None:
        return []
    try:
        told = forecast.probe(x, y)
    except ValueError:
        return []
    return [(tr("{} wet at", name), t) for name, t in told.items()] + [(tr("all wet at"), forecast.fill_time)]


class Repair(Struct, frozen=True):
    """How a dry place is mended: resin to draw up [kg], holes, and what it takes."""

    resin: float
    steps: tuple[str, ...]


def repair_of(job: Job, x: float, y: float, size: float) -> Repair:
    """Return how a dry place of a width [m] is filled through the bag side."""
    zone = list(regions(job.part).zones)[int(regions(job.part).zone_at(np.array([[x, y]]))[0])]
    pores = sum(s.pores for s in zone_stack(job, zone).layers if s.kind == "fabric")
    density = job.resin.density if job.resin else 1100.0
    need = math.pi / 4 * size**2 * pores * density * DRILL
    return Repair(
        need,
        (
            tr("Tap out how far it is dry; a 2.5 mm hole at each end, through the dry plies only."),
            tr("A port with a syringe over one, vacuum over the other."),
            tr("Fill with the part's resin until it comes without bubbles; clamp both until gel."),
            tr("Best while green; a structural part is for its designer to decide."),
        ),
    )
