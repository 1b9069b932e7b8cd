"""Closed moulds of many shapes that the trade knows to be good or bad, beside those on the shipped lid."""

from __future__ import annotations

import math
from itertools import pairwise

import shapely
from tests.validation.layouts import FALSE, SHELF, ring, row, stack

from bibulon.core.library.mould_demo import mould_demo_job
from bibulon.core.model.job import Drawn, FlowLine, Job, Zone
from bibulon.core.model.mould import Machine, Rib, UpperMould

NEVER = (*FALSE, "meets", "runs", "vent-early", "fibre-wash", "dry")
# Channel and vent are not the question of these: how much the upper half of a plain panel lifts is.
LIFTS = ("bow",)


def rectangle(long: float, wide: float):
    return ((0, 0), (long, 0), (long, wide), (0, wide))


DISH = tuple((0.4 * math.cos(math.pi * k / 16), 0.4 * math.sin(math.pi * k / 16)) for k in range(32))
PANEL, DOOR, BUMPER, FRAME = (
    rectangle(1.2, 0.6), rectangle(1.9, 0.9), rectangle(2.0, 0.3), rectangle(1.0, 0.8),
)  # fmt: skip
WINDOW = ((0.3, 0.25), (0.7, 0.25), (0.7, 0.55), (0.3, 0.55))
ELL = ((0, 0), (1.2, 0), (1.2, 0.35), (0.4, 0.35), (0.4, 1.0), (0, 1.0))
WEDGE = ((0, 0), (0.7, 0.2), (0.7, 0.28), (0, 0.5))


def rim(outline, within: float = 0.004):
    """Return the way round an outline, so far within it [m]."""
    return tuple(shapely.Polygon(outline).buffer(-within, join_style="mitre").exterior.coords)


def channel(*path, **more) -> FlowLine:
    size = {"bore": 0.011, "hose_bore": 0.010, "hose_length": 0.8}
    return FlowLine(id="F1", label="F1", role="feed", path=path, **(size | more))


def vent(name, *path, **more) -> FlowLine:
    return FlowLine(
        id=name, label=name, role="vacuum", path=path, **({"hose_length": 1.0, "pot": "P1"} | more)
    )


def _ribs(outline, apart: float) -> tuple[Rib, ...]:
    """Return stiffeners across the longer way of an outline, so far apart [m]."""
    (x0, y0, x1, y1), out = shapely.Polygon(outline).bounds, []
    long, wide = max(x1 - x0, y1 - y0), 0.015
    edges = [k * long / math.ceil(long / apart) for k in range(math.ceil(long / apart) + 1)]
    for k, (a, b) in enumerate(pairwise(edges)):
        at = (a + b) / 2
        path = (
            ((x0 + at, y0 - wide), (x0 + at, y1 + wide))
            if x1 - x0 >= y1 - y0
            else ((x0 - wide, y0 + at), (x1 + wide, y0 + at))
        )
        out.append(Rib(id=f"R{k + 1}", path=path, stiffness=60_000.0))
    return tuple(out)


def pressed(
    outline, *lines, window=None, plies=None, upper=0.009, ribs=0.16, conditions=None, **closed
) -> Job:
    """The shipped lid's plies, gap and vacuums in a mould of another shape."""
    made = mould_demo_job()
    zones = (
        (Zone(id="window", name="Window", kind="cut-out", area=Drawn(outline=ring(*window))),)
        if window
        else ()
    )
    half = UpperMould(name="ribbed", thickness=upper, modulus=16e9, ribs=_ribs(outline, ribs) if ribs else ())
    made = made.replaced(
        part=made.part.replaced(outline=ring(*outline), zones=zones),
        lines=lines,
        closed=made.closed.replaced(**{"upper": half, "machine": Machine()} | closed),
        cut=None,
    )
    if plies:
        made = made.replaced(stack=stack(*plies), materials={k: SHELF[k] for k in plies})
    return made.replaced(conditions=made.conditions.replaced(**conditions)) if conditions else made


def dish(*, at=(0.0, 0.0), bore=0.011, **more) -> Job:
    return pressed(DISH, channel(*rim(DISH), bore=bore), vent("V1", at), **more)


STEEL = UpperMould(name="steel", thickness=0.06, modulus=205e9, poisson=0.29, density=7850.0)


def stiff(job: Job, vacuum=101_325.0, injection=2.2e5, clamps=3.0e5) -> Job:
    """The same between two stiff halves in a press: nothing is sucked shut, vents are open to the air or to a pump."""
    made = job.replaced(process="RTM", conditions=job.conditions.replaced(vacuum=vacuum))
    machine = made.closed.machine.replaced(most=6.0e5)
    return made.replaced(
        closed=made.closed.replaced(
            upper=STEEL,
            injection=injection,
            clamps=clamps,
            flange=101_325.0,
            pot_rated=1.0e6,
            machine=machine,
        )
    )


def door(**more) -> Job:
    along = vent("V1", (0.45, 0.45), (1.45, 0.45), bore=0.010)
    return pressed(DOOR, channel(*rim(DOOR)), along, **more)


MOULDS = (
    row("a dish by light RTM", "channel round the rim, vent in the middle: the plainest there is", dish, may=LIFTS, never=NEVER),
    row("a dish with its vent a hand off the middle", "it drinks while the far side is dry",
        lambda: dish(at=(0.2, 0.0)), must=("vent-early", "pocket"), may=("bow", "likely-short", "dry")),
    row("a dish whose flange pulls 60 kPa", "the seal is not sucked shut; the reservoir is not the trouble",
        lambda: dish(flange=41_000.0), must=("flange-weak",), may=("bow", "margin"), never=("hold-short",)),
    row("a dish with the flange's vacuum on the cavity", "it pulls air past the inner seal",
        lambda: dish(conditions={"vacuum": 10_000.0}), must=("cavity-strong",), may=("bow", "margin"), never=("fibre-wash",)),
    row("a dish with two mats in the gap", "loose: the upper half is sucked down on them",
        lambda: dish(plies=("mat-450", "mat-450")), must=("cavity", "sucked-down"), may=("bow", "channel-small", "inlet-thin", "vent-early", "hose")),
    row("a dish of four quads", "fills the gap as it should", lambda: dish(plies=("quad-1200",) * 4), may=LIFTS, never=NEVER),
    row("a dish with a channel of 4 mm", "the side by the inlet is far ahead", lambda: dish(bore=0.004), must=("along", "pocket"), may=("channel-small", "vent-early", "bow", "dry")),
    row("a dish from an open bucket", "drawn by the cavity's vacuum alone", lambda: dish(injection=None), may=LIFTS, never=NEVER),
    row("a panel 2 : 1 with a vent along its middle", "the vent lies where the long sides' fronts meet: wet in one place, it draws in the others",
        lambda: pressed(PANEL, channel(*rim(PANEL)), vent("V1", (0.32, 0.3), (0.88, 0.3), bore=0.008)), may=LIFTS, never=NEVER),
    row("a panel from long side to long side", "channel at one, vacuum along the other; resin starts fast for a moment, and washes nothing",
        lambda: pressed(PANEL, channel((0.01, 0.006), (1.19, 0.006)), vent("V1", (0.01, 0.594), (1.19, 0.594), bore=0.010)), may=LIFTS, never=NEVER),
    row("a bumper the short way", "2 m long, 0.3 m to go: the far vacuum is wet by the hose first, and still draws at its ends",
        lambda: pressed(BUMPER, channel((0.01, 0.006), (1.99, 0.006), hose_at=0.5), vent("V1", (0.01, 0.294), (1.99, 0.294), bore=0.010)), may=LIFTS, never=NEVER),
    row("a bumper from end to end", "2 m through glass with one bar: it gels on the way",
        lambda: pressed(BUMPER, channel((0.006, 0.01), (0.006, 0.29)), vent("V1", (1.994, 0.01), (1.994, 0.29), bore=0.010)),
        must=("gel",), may=("bow", "reach", "past-life"), never=("fibre-wash",)),
    row("a window frame, vented round its window", "from the outer rim to the inner one",
        lambda: pressed(FRAME, channel(*rim(FRAME)), vent("V1", *rim(WINDOW, -0.006), bore=0.010), window=WINDOW), may=LIFTS, never=NEVER),
    row("a window frame with one vent", "three of its four sides have no way out for air",
        lambda: pressed(FRAME, channel(*rim(FRAME)), vent("V1", (0.5, 0.24)), window=WINDOW), must=("pocket",), may=("bow", "dry", "vent-early", "likely-short")),
    row("an L vented in its crook alone", "both arms close along their middles and leave air in the crook",
        lambda: pressed(ELL, channel(*rim(ELL)), vent("V1", (0.25, 0.22))), must=("pocket",), may=("bow", "dry", "vent-early", "likely-short")),
    row("a wedge from its wide end to its tip", "into a shrinking width", lambda: pressed(WEDGE, channel((0.006, 0.02), (0.006, 0.48)), vent("V1", (0.694, 0.21), (0.694, 0.27), bore=0.008)),
        may=("bow", "past-life"), never=NEVER),
    row("a dish by RTM, vented to the air", "two bar against one in a press of 30 tonnes: it pushes the air out before it", lambda: stiff(dish()), may=LIFTS, never=(*NEVER, "flange-weak", "hold-short", "margin")),
    row("a dish by RTM with its vent a hand off", "nothing pulls: the far air is shut in", lambda: stiff(dish(at=(0.2, 0.0))), must=("pocket",), may=("bow", "vent-early", "dry", "likely-short", "runs", "gel", "pot")),
    row("a dish by RTM with a pump on the vent", "as is done for good parts", lambda: stiff(dish(), vacuum=10_000.0), may=LIFTS, never=(*NEVER, "cavity-strong", "margin")),
    row("a dish by RTM under three tonnes", "the press gives way", lambda: stiff(dish(), clamps=3.0e4), must=("margin",), may=("bow", "shut-vent")),
    row("a plate by RTM, fed across its middle", "both ways at once, half as fast each",
        lambda: stiff(pressed(rectangle(0.6, 0.4), channel((0.3, 0.0), (0.3, 0.4)), vent("V1", (0.0, 0.0), (0.0, 0.4)), vent("V2", (0.6, 0.0), (0.6, 0.4)), ribs=0), vacuum=10_000.0, injection=1.5e5), never=NEVER),
    row("a dish by RTM over its pot's rating", "9 bar in what bears 6", lambda: stiff(dish(), injection=9.0e5, clamps=9.0e5), must=("rated",), may=("bow", "fibre-wash", "channel-small")),
    row("a dish fed at one point at ten bar", "resin shoots in and folds the plies beside it",
        lambda: stiff(pressed(DISH, channel((0.0, 0.0)), vent("V1", *rim(DISH), bore=0.010)), 10_000.0, 1.0e6, 1.0e6), must=("fibre-wash", "rated"), may=("bow",)),
    row("a door pushed at 1.6 bar", "ten tonnes under a light half", lambda: door(injection=160_000.0), must=("margin",), may=("bow", "shut-vent", "meets"), never=("vent-early", "fibre-wash")),
    row("a door under 5 mm without stiffeners", "lifts by a millimetre", lambda: door(upper=0.005, ribs=0), must=("bow",), may=("sucked-down", "shut-vent", "meets"), never=("vent-early",)),
)  # fmt: skip
