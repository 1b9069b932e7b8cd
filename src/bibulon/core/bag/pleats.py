"""Where pleats stand along the tape, how tall they are, and what they hold against what the mould asks."""

from __future__ import annotations

import math

import numpy as np
import numpy.typing as npt
from msgspec import Struct

from bibulon.core.bag.tubes import TubeThrough
from bibulon.core.bag.walk import Side, Walk
from bibulon.core.model.bag import PleatAt
from bibulon.core.model.rules import RuleSet
from bibulon.core.units.words import tr

__all__ = ["AT_CORNER", "CORNER_ASKS", "Pleat", "SideSlack", "asked_at", "planned", "slack_of"]

Floats = npt.NDArray[np.float64]

ROUND = 0.005  # m to which a pleat is marked out
FROM_CORNER = 0.03  # m that a pleat keeps from the end of its side
CORNER_ASKS = 0.010  # m of film that a corner must ask for to want a pleat
AT_CORNER = 0.15  # m from a corner within which a pleat serves it
NEAR_ENOUGH = 0.8 * AT_CORNER  # where one that is worked out stands at the farthest
LEAST_ASK = 0.010  # m; less on a whole side is within the film's give


class Pleat(Struct, frozen=True):
    """A pleat as it stands: along the walk and height [m]; ``why`` what asks for it; ``tube`` the line it stands at."""

    id: str
    at: float
    size: float
    lean: str
    closing: bool
    why: str
    tube: str = ""
    by_hand: bool = False


class SideSlack(Struct, frozen=True):
    """A side's film [m]: ``needed`` what mould and tubes ask, ``there`` what the film has over, ``held`` in pleats."""

    side: Side
    needed: float
    there: float
    held: float

    @property
    def short(self) -> float:
        """What the film lacks along this side [m]; 0 when it lies without being stretched."""
        return max(self.needed - self.there, self.held - self.there, 0.0)

    @property
    def strain(self) -> float:
        """By how much the film is stretched if it is laid all the same."""
        return max(self.needed - self.there, 0.0) / max(self.side.span + self.there, 1e-9)


def planned(
    walk: Walk, tubes: tuple[TubeThrough, ...], there: dict[str, float], rules: RuleSet
) -> list[Pleat]:
    """Return the pleats that mould and tubes ask for, in walking order, with the closing one.

    A pleat of height h holds 2h of film; the sum asked on a side, times half the shop's share, is spread over pleats no
    taller than the rule, where the film is asked for; each tube has one of its own.
    """
    found: list[Pleat] = []
    for side in walk.sides:
        if side.climb < LEAST_ASK:
            continue
        taken = sum(2 * _at_tube(t, rules) for t in tubes if walk.side_at(t.at) is side)
        room_for = max(there[side.name] - taken, side.climb) / 2
        tall = min(rules.pleat_share * side.climb / 2, room_for)
        # One pleat between two corners that ask for film leaves one of them bare.
        ends = [asked_at(walk, end % walk.length) >= CORNER_ASKS for end in (side.start, side.end)]
        count = max(math.ceil(tall / rules.pleat_wanted - 1e-9), sum(ends), 1)
        room = max(int((side.length - 2 * FROM_CORNER) / rules.pleat_pitch) + 1, 1)
        count = max(min(count, room), math.ceil(tall / rules.pleat_largest - 1e-9))
        at = _spread(side, count, rules.pleat_pitch, ends)
        size = _rounded(tall / count)
        if size * count > room_for:  # rounding up would ask for more film than there is
            size = math.floor(room_for / count / ROUND + 1e-6) * ROUND
        size = max(size, ROUND)
        found += [Pleat("", float(s), size, "with the walk", False, _reason(walk, s)) for s in at]
    for tube in tubes:
        size = _at_tube(tube, rules)
        found.append(
            Pleat("", tube.at, size, "with the walk", False, tr("{} comes through", tube.label), tube.label)
        )
    found.sort(key=lambda p: p.at % walk.length)
    found = [_numbered(p, k, walk) for k, p in enumerate(found)]
    return [*found, *_closing(found, walk, there, rules)]


def asked_at(walk: Walk, corner: float) -> float:
    """Return the film that a side asks for near a corner of the tape [m]: of the two that meet there, the one that asks more.

    How far the mould drops there is no measure of it: film bends into a gutter, whose ends rise with it, without a fold.
    """
    asked = 0.0
    for side in walk.sides:
        off = np.abs(side.ask_at - corner) % walk.length
        near = np.minimum(off, walk.length - off) <= 2 * AT_CORNER
        asked = max(asked, float(side.ask[near].sum()))
    return asked


def _numbered(pleat: Pleat, k: int, walk: Walk) -> Pleat:
    return Pleat(f"P{k + 1}", pleat.at % walk.length, pleat.size, pleat.lean, False, pleat.why, pleat.tube)


def _at_tube(tube: TubeThrough, rules: RuleSet) -> float:
    """Return the height of the pleat at a tube, which asks for half its girth [m]."""
    return _rounded(max(rules.pleat_share * math.pi * tube.outer / 4, 2 * ROUND))


def _rounded(size: float) -> float:
    return math.ceil(size / ROUND - 1e-6) * ROUND


def _spread(side: Side, count: int, pitch: float, ends: list[bool]) -> Floats:
    """Return where pleats stand along a side: at equal shares of what is asked, no nearer than the pitch.

    Where a corner at an end of it asks for film, the pleat there is near enough to serve it.
    """
    order = np.argsort(side.ask_at, kind="stable")
    where, asked = side.ask_at[order], side.ask[order]
    total = np.cumsum(asked)
    low, high = side.start + FROM_CORNER, side.end - FROM_CORNER
    if high <= low:
        low = high = (side.start + side.end) / 2
    at = np.interp((np.arange(count) + 0.5) / count * total[-1], total, where)
    at = np.clip(at, low, high)
    if ends[0]:
        at[0] = min(at[0], max(side.start + NEAR_ENOUGH, low))
    if ends[1] and count >= sum(ends):
        at[-1] = max(at[-1], min(side.end - NEAR_ENOUGH, high))
    gap = min(pitch, (high - low) / max(count - 1, 1))
    for k in range(1, count):  # push apart from both ends
        at[k] = max(at[k], at[k - 1] + gap)
    at[-1] = min(at[-1], high)
    for k in range(count - 2, -1, -1):
        at[k] = min(at[k], at[k + 1] - gap)
    return at


def _reason(walk: Walk, at: float) -> str:
    corner = walk.corners[np.abs(walk.corners - at % walk.length).argmin()] if len(walk.corners) else -1.0
    if abs(corner - at % walk.length) < 0.2:
        return tr("the tape turns")
    return tr("the film climbs")


def _closing(found: list[Pleat], walk: Walk, there: dict[str, float], rules: RuleSet) -> list[Pleat]:
    """Return the pleat that takes up what is left over, last in walking order; none where no pleat is asked for."""
    if not any(not p.tube for p in found):
        return []
    side = walk.side_at(found[-1].at)
    held = sum(2 * p.size for p in found if walk.side_at(p.at) is side)
    left = (there[side.name] - held) / 2
    size = max(round(left / ROUND) * ROUND, rules.pleat_closing)
    at = min(found[-1].at + rules.pleat_pitch, side.end - FROM_CORNER / 2)
    return [
        Pleat("close", at % walk.length, size, "against the walk", True, tr("takes up what is left over"))
    ]


def as_set(pleats: tuple[PleatAt, ...], walk: Walk, tubes: tuple[TubeThrough, ...]) -> list[Pleat]:
    """Return pleats as somebody set them, in walking order."""
    out = []
    for p in sorted(pleats, key=lambda p: (p.closing, p.at % walk.length)):
        tube = next((t.label for t in tubes if abs(t.at - p.at % walk.length) < 0.03), "")
        why = (
            tr("takes up what is left over")
            if p.closing
            else (tr("{} comes through", tube) if tube else _reason(walk, p.at))
        )
        out.append(Pleat(p.id, p.at % walk.length, p.size, p.lean, p.closing, why, tube, True))
    return out


def slack_of(
    walk: Walk, pleats: list[Pleat], tubes: tuple[TubeThrough, ...], there: dict[str, float]
) -> tuple[SideSlack, ...]:
    """Return what each side needs, has and holds [m]."""
    out = []
    for side in walk.sides:
        own = sum(math.pi * t.outer / 2 for t in tubes if walk.side_at(t.at) is side)
        held = sum(2 * p.size for p in pleats if walk.side_at(p.at) is side and not p.closing)
        out.append(SideSlack(side, side.climb + own, there[side.name], held))
    return tuple(out)
