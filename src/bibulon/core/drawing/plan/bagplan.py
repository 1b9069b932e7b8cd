"""The bag from above: film, tape, pleats as they stand on the tape, tubes that come through."""

from __future__ import annotations

import math
from collections.abc import Iterator

import numpy as np
import numpy.typing as npt
from msgspec import Struct

from bibulon.core.bag.bag import Bag
from bibulon.core.bag.pleats import Pleat
from bibulon.core.drawing.kit.look import PlanLook, rings_of
from bibulon.core.drawing.kit.scene import Area, Item, Label, Line, View, apart
from bibulon.core.drawing.kit.tokens import WEIGHT, Theme
from bibulon.core.drawing.plan.lines import draw_flow_line
from bibulon.core.drawing.plan.plan import draw_base
from bibulon.core.geometry.paths import inlet_of
from bibulon.core.model.job import Job
from bibulon.core.units.units import show
from bibulon.core.units.words import tr

__all__ = ["BagChoice", "bag_view", "draw_bag", "nearest_pleat", "pleat_colour"]

Floats = npt.NDArray[np.float64]

LEAN = 0.35  # of its height that the tip of a pleat leans
FOOT = 0.5  # of its height that a pleat is wide at its foot
LEAST_PX = 9.0
NEAR_PX = 16.0


class BagChoice(Struct, frozen=True):
    """What is chosen of the bag: a pleat by its id, and pins of bridges (id, place, whether it stays).

    film : whether the film's size is told.
    """

    pleat: str = ""
    bridges: tuple[tuple[str, tuple[float, float], bool], ...] = ()
    film: bool = True


def bag_view(bag: Bag, width: float, height: float, film: bool = True) -> View:
    """Return the view that shows the whole film, or only what lies within the tape."""
    if film:
        return View.fit(bag.outline.bounds, width, height, 20)
    x0, y0 = bag.walk.ring.min(axis=0)
    x1, y1 = bag.walk.ring.max(axis=0)
    return View.fit((float(x0), float(y0), float(x1), float(y1)), width, height, 56)


def pleat_colour(pleat: Pleat, theme: Theme) -> str:
    """Return a pleat's colour: the closing one stands out."""
    return theme.vacuum if pleat.closing else theme.accent


def pleat_ring(place: Floats, way: Floats, out: Floats, size: float, against: bool) -> Floats:
    """Return a pleat as a leaning blade on the tape, px: ``way`` along the walk and ``out`` off it are unit vectors."""
    foot, lean = FOOT * size / 2, LEAN * size * (-1 if against else 1)
    return np.array([place - way * foot, place + out * size + way * lean, place + way * foot])


def draw_bag(job: Job, bag: Bag, look: PlanLook, chosen: BagChoice) -> Iterator[Item]:
    """Yield the whole drawing, words last."""
    shapes, words = apart(_all(job, bag, look, chosen))
    yield from shapes
    yield from words


def _all(job: Job, bag: Bag, look: PlanLook, chosen: BagChoice) -> Iterator[Item]:
    view, theme = look.view, look.theme
    film = rings_of(bag.outline, view)
    yield Area(film, theme.field_low, None, opacity=0.55)
    yield Area(film, None, theme.soft, WEIGHT["thin"], (6.0, 4.0))
    if chosen.film:
        corner = np.vstack(film)
        size = " × ".join(show(x, "distance", look.system, 2) for x in (bag.film.length, bag.film.width))
        middle = float(corner[:, 0].min() + corner[:, 0].max()) / 2
        yield Label(middle, float(corner[:, 1].max()) + 11, tr("film {}, laid flat", size), theme.soft, 12)
    yield from draw_base(job, look)
    ring = view.to(bag.walk.ring)
    for line in job.lines:
        tube = next((t for t in bag.tubes if t.line == line.id), None)
        if tube is not None:
            yield from _hose(
                bag, tube.at, inlet_of(line), view, theme.feed if line.role == "feed" else theme.vacuum
            )
        yield from draw_flow_line(look, line)
    yield Line([ring], theme.accent, WEIGHT["tube"] - 1)
    for slack in bag.sides:
        if slack.short > 0.0005:
            short = view.to(_stretch(bag, slack.side.start, slack.side.end))
            yield Line([short], theme.alarm, WEIGHT["tube"] + 1)
    for pleat in bag.pleats:
        yield from _pleat(bag, pleat, view, theme, pleat.id == chosen.pleat)
    yield from _marks(bag, view, theme)
    for _, place, stays in chosen.bridges:
        yield from _bridge(view.to(np.array([place]))[0], stays, theme)
    if chosen.pleat:
        told = next((p for p in bag.pleats if p.id == chosen.pleat), None)
        if told is not None:
            at = view.to(np.array([bag.walk.place(told.at)]))[0]
            out = np.array(bag.walk.outward(told.at)) * (1, -1)
            x, y = at + out * (told.size * view.scale + 20)
            yield Label(
                float(x),
                float(y),
                show(told.size, "length", look.system),
                theme.ink,
                12.5,
                True,
                ground=theme.raised,
                outline=theme.edge,
            )


def _stretch(bag: Bag, start: float, end: float) -> Floats:
    return np.array([bag.walk.place(s) for s in np.linspace(start, end - 1e-6, 60)])


def _hose(bag: Bag, at: float, inlet: tuple[float, float], view: View, colour: str) -> Iterator[Item]:
    """A tube from where it joins its line through the tape, and on."""
    through = np.array(bag.walk.place(at))
    beyond = through + np.array(bag.walk.outward(at)) * 0.09
    yield Line([view.to(np.array([inlet, through, beyond]))], colour, WEIGHT["heavy"])
    x, y = view.to(np.array([through]))[0]
    square = np.array([[x - 5, y - 5], [x + 5, y - 5], [x + 5, y + 5], [x - 5, y + 5]])
    yield Area([square], colour, None)


def _pleat(bag: Bag, pleat: Pleat, view: View, theme: Theme, chosen: bool) -> Iterator[Item]:
    place = view.to(np.array([bag.walk.place(pleat.at)]))[0]
    out = np.array(bag.walk.outward(pleat.at)) * (1, -1)
    way = np.array([-out[1], out[0]])
    size = max(pleat.size * view.scale, LEAST_PX)
    colour = pleat_colour(pleat, theme)
    yield Area(
        [pleat_ring(place, way, out, size, pleat.lean != "with the walk")],
        colour,
        theme.ground,
        WEIGHT["hair"],
    )
    if chosen:
        middle = place + out * size / 2
        turn = np.linspace(0, 2 * math.pi, 49)
        yield Line([middle + (size / 2 + 10) * np.c_[np.cos(turn), np.sin(turn)]], theme.ink, WEIGHT["line"])


def _marks(bag: Bag, view: View, theme: Theme) -> Iterator[Item]:
    """The start mark, and a mark every metre, inside the tape."""
    for metre in range(int(bag.walk.length) + 1):
        if metre and bag.walk.length - metre < 0.25:
            break
        at = view.to(np.array([bag.walk.place(metre + 1e-6)]))[0]
        inward = -np.array(bag.walk.outward(metre + (0.02 if metre == 0 else 0.0))) * (1, -1)
        x, y = at + inward * 17
        yield Label(
            float(x),
            float(y),
            "S" if metre == 0 else str(metre),
            theme.ink,
            12,
            True,
            ground=theme.raised,
            outline=theme.edge,
        )


def _bridge(at: Floats, stays: bool, theme: Theme) -> Iterator[Item]:
    """A pin where the bag was found to span a corner."""
    x, y = at
    ring = np.array([[x, y], [x - 8, y - 18], [x + 8, y - 18]])
    yield Area([ring], theme.alarm if stays else theme.raised, theme.alarm, WEIGHT["line"])


def nearest_pleat(bag: Bag, view: View, x: float, y: float) -> Pleat | None:
    """Return the pleat under the hand, px."""
    best: tuple[float, Pleat] | None = None
    for pleat in bag.pleats:
        place = view.to(np.array([bag.walk.place(pleat.at)]))[0]
        out = np.array(bag.walk.outward(pleat.at)) * (1, -1)
        off = float(np.hypot(*(place + out * pleat.size * view.scale / 2 - (x, y))))
        if off < NEAR_PX + pleat.size * view.scale / 2 and (best is None or off < best[0]):
            best = (off, pleat)
    return best[1] if best else None
