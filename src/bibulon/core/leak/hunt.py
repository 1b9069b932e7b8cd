"""Where a leak is: what is likely before anything was tried, and what each test makes of it (Bayes).

Places with their usual weights (shop rules): a tube's entry 3, a pleat's root 2, a corner of the tape 1, tape 0.3 a metre,
fittings 1, film 0.1 a m².  A clamp that shuts part of the bag off and a rate measured there say whether the leak lies on that
side: w_i N(q; q_0·1[i inside], h).  An ear or a detector at a place multiplies what lies near it.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping, Sequence

import numpy as np
import numpy.typing as npt
from msgspec import Struct
from msgspec.structs import replace

from bibulon.core.bag.bag import Bag
from bibulon.core.geometry.paths import inlet_of
from bibulon.core.model.job import Job
from bibulon.core.units.words import tr

__all__ = ["FOUND", "Clamp", "Heard", "Hunt", "Place", "best_clamp", "hunted", "places_of", "zone_of"]

Floats = npt.NDArray[np.float64]
WEIGHTS = {"tube": 3.0, "pleat": 2.0, "corner": 1.0, "fitting": 1.0, "tape": 0.3, "film": 0.1}
TAPE = 0.25  # m of tape that is one place
HIT, MISS = 10.0, 0.35  # by what a hit, and a careful look that found nothing, multiply what lies near
NEAR = 0.08  # m around a place that an ear or a detector hears
FOUND, FOUR_IN_FIVE = 0.9, 0.8


class Place(Struct, frozen=True):
    """A place that may leak: its kind, name, where on the plan [m], where along the walk [m], and how likely it is as a weight."""

    kind: str
    name: str
    x: float
    y: float
    along: float
    weight: float


class Heard(Struct, frozen=True):
    """Somebody listened or swept at a place [m]: found something there, or nothing."""

    x: float
    y: float
    hit: bool


class Clamp(Struct, frozen=True):
    """A clamp shut part of the bag off: the walk from ``start`` to ``end`` [m, going on round]; its leak and ± of it [Pa m³/s]."""

    start: float
    end: float
    leak: float
    half: float


class Hunt(Struct, frozen=True, eq=False):
    """Places with what they are likely to be, adding up to 1, shape (n,)."""

    places: tuple[Place, ...]
    share: Floats

    @property
    def next(self) -> int:
        """The likeliest place."""
        return int(np.argmax(self.share))

    @property
    def found(self) -> bool:
        """Whether one place, with what lies right beside it, is all but sure."""
        at = self.places[self.next]
        near = [math.hypot(p.x - at.x, p.y - at.y) <= NEAR for p in self.places]
        return float(self.share[near].sum()) > FOUND

    @property
    def bits(self) -> float:
        """How open it still is: the entropy [bit]."""
        s = self.share[self.share > 0]
        return float(-(s * np.log2(s)).sum())


def places_of(job: Job, bag: Bag, shop: Mapping[str, float] | None = None) -> tuple[Place, ...]:
    """Return the places of a bag that may leak; ``shop`` holds factors on the usual weights by kind, out of its own record."""
    walk, out = bag.walk, []
    for tube in bag.tubes:
        x, y = walk.place(tube.at)
        out.append(Place("tube", tr("tube {}", tube.label), x, y, tube.at, WEIGHTS["tube"]))
    for k, pleat in enumerate(bag.pleats, 1):
        x, y = walk.place(pleat.at)
        out.append(Place("pleat", tr("pleat {}", k), x, y, pleat.at, WEIGHTS["pleat"]))
    count = max(round(walk.length / TAPE), 4)
    for k in range(count):
        at = (k + 0.5) * walk.length / count
        x, y = walk.place(at)
        out.append(Place("tape", tr("tape at {:.2f} m", at), x, y, at, WEIGHTS["tape"] * walk.length / count))
    for line in job.lines:
        x, y = inlet_of(line)
        out.append(
            Place("fitting", tr("fitting of {}", line.label), x, y, walk.along(x, y), WEIGHTS["fitting"])
        )
    area = bag.film.lies
    inside = [(float(x), float(y)) for x, y in _inside(bag)]
    for k, (x, y) in enumerate(inside, 1):
        out.append(
            Place(
                "film", tr("film, field {}", k), x, y, walk.along(x, y), WEIGHTS["film"] * area / len(inside)
            )
        )
    return tuple(replace(p, weight=p.weight * shop.get(p.kind, 1.0)) for p in out) if shop else tuple(out)


def _inside(bag: Bag) -> Floats:
    """Return a few points over the film."""
    ring = bag.walk.ring
    middle = ring.mean(axis=0)
    return np.vstack([middle, middle + 0.5 * (ring[:: max(len(ring) // 6, 1)] - middle)])


def _isolates(clamp: Clamp, places: Sequence[Place], length: float) -> npt.NDArray[np.bool_]:
    along = np.array([p.along for p in places])
    wide = (clamp.end - clamp.start) % length
    return np.asarray((along - clamp.start) % length <= wide)


def hunted(places: Sequence[Place], length: float, whole: float, done: Iterable[Heard | Clamp] = ()) -> Hunt:
    """Return what places are likely after what was done; ``length`` of the walk [m], ``whole`` the bag's leak [Pa m³/s].

    One leak is looked for: of several, the largest is found first.
    """
    log = np.log(np.array([p.weight for p in places]))
    at = np.array([(p.x, p.y) for p in places])
    for step in done:
        if isinstance(step, Heard):
            near = np.hypot(at[:, 0] - step.x, at[:, 1] - step.y) <= NEAR
            log = np.where(near, log + math.log(HIT if step.hit else MISS), log)
        else:
            inside = _isolates(step, places, length)
            spread = max(step.half / 1.96, 0.02 * whole, 1e-9)
            off = (step.leak - np.where(inside, whole, 0.0)) / spread
            log -= np.minimum(0.5 * off**2, 12.0)  # no test rules anything out for good
    share = np.exp(log - log.max())
    return Hunt(tuple(places), share / share.sum())


def zone_of(hunt: Hunt, length: float, wanted: float = FOUR_IN_FIVE) -> tuple[float, float]:
    """Return the shortest stretch of a walk of a length [m] that holds a share of the belief: where it begins and ends, going on round."""
    order = np.argsort([p.along % length for p in hunt.places])
    at = np.array([hunt.places[k].along % length for k in order])
    share = hunt.share[order]
    at, share = np.r_[at, at + length], np.r_[share, share]
    held = np.r_[0.0, np.cumsum(share)]
    best = (0.0, length)
    for k in range(len(order)):
        end = int(np.searchsorted(held, held[k] + wanted * (1 - 1e-9)))
        if at[end - 1] - at[k] < best[1] - best[0]:
            best = (float(at[k]), float(at[end - 1]))
    return best[0] % length, best[1] % length


def best_clamp(hunt: Hunt, length: float, whole: float, half: float) -> Clamp:
    """Return the clamp from which most is learned: that which parts what is likely into halves that can be told apart.

    Stretches of the walk between places are tried; the expected entropy after the test decides.
    """
    order = np.argsort([p.along for p in hunt.places])
    along = np.array([hunt.places[k].along for k in order])
    share = hunt.share[order]
    heavy = np.flatnonzero(share > 0.1 * share.max())
    starts = along[heavy] - 1e-3
    total = np.cumsum(share)
    best, least = None, math.inf
    for start in starts[:: max(len(starts) // 24, 1)]:
        turned = np.argsort((along - start) % length)
        sums = np.cumsum(share[turned])
        k = int(np.searchsorted(sums, 0.5))
        for end_at in (k - 1, k):
            if not 0 <= end_at < len(turned) - 1:
                continue
            end = float(along[turned[end_at]] + 1e-3)
            trial = Clamp(float(start % length), end % length, 0.0, half)
            inside = _isolates(trial, hunt.places, length)
            p = float(hunt.share[inside].sum())
            if not 0 < p < 1:
                continue
            open_ = 0.0
            for part, weight in ((inside, p), (~inside, 1 - p)):
                s = hunt.share[part] / weight
                s = s[s > 0]
                open_ += weight * float(-(s * np.log2(s)).sum())
            if open_ < least:
                best, least = trial, open_
    if best is None:
        middle = float(total.searchsorted(0.5))
        best = Clamp(0.0, float(along[int(min(middle, len(along) - 1))]), 0.0, half)
    return best
