"""What floats over the plan while the hand is there: handles, what is being drawn, readings, the snap sign."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence

import numpy as np

from bibulon.app.plan.handles import Handle
from bibulon.app.session.session import Session
from bibulon.core.drawing.kit.scene import Area, Item, Label, Line, View
from bibulon.core.drawing.kit.tokens import SIZE, WEIGHT, Theme
from bibulon.core.drawing.plan.fieldmap import FIELDS, told
from bibulon.core.geometry.snap import Snap
from bibulon.core.outlook.outlook import THROUGH
from bibulon.core.units.units import System, clock, show
from bibulon.core.units.words import tr

__all__ = ["box", "draw_handles", "draw_probe", "draw_snap", "drawing_items", "hand_label", "probe_rows"]

Place = tuple[float, float]
NEAR = 90  # px within which handles of mesh and cut show themselves
SNAP_WORDS = {"end": "end", "centre": "centre", "edge": tr("on edge"), "perpendicular": tr("square to edge")}


def box(x: float, y: float, width: float, height: float) -> np.ndarray:
    """Return a rectangle."""
    return np.array([[x, y], [x + width, y], [x + width, y + height], [x, y + height]])


def draw_handles(
    handles: Sequence[Handle], view: View, theme: Theme, hand: Place | None, held: str | None, active: str | None
) -> Iterator[Item]:  # fmt: skip
    """Yield squares at corners, discs at the middles of arcs; those of mesh, cut and arcs only near the hand."""
    at = view.to(np.array([hand]))[0] if hand else None
    # A hose's first: it lies under the corner where it joins at an end.
    for handle in sorted(handles, key=lambda h: h.kind != "hose"):
        x, y = view.to(np.array([handle.place]))[0]
        near = at is not None and math.hypot(at[0] - x, at[1] - y) < NEAR
        if handle.kind in {"mesh", "cut", "bow"} and not near and handle.key != active:
            continue
        fill = theme.alarm if held == handle.key else theme.accent if active == handle.key else theme.raised
        if handle.kind in {"bow", "hose"}:
            turn = np.linspace(0, 2 * np.pi, 17)
            yield Area(
                [np.c_[x + 4.5 * np.cos(turn), y + 4.5 * np.sin(turn)]], fill, theme.ink, WEIGHT["line"]
            )
        else:
            yield Area([box(x - 4, y - 4, 8, 8)], fill, theme.ink, WEIGHT["line"])


def hand_label(hand: Place, words: str, view: View, theme: Theme, system: System, width: float) -> Label:
    """Return the measurements where the hand is."""
    x, y = view.to(np.array([hand]))[0]
    text = f"{words}x {show(hand[0], 'length', system)}, y {show(hand[1], 'length', system)}"
    right = x > width - 260
    side = "r" if right else "l"
    return Label(
        float(x) + (-16 if right else 16), float(y) - 20, text, theme.ground, 12, True, side, theme.ink
    )


def draw_snap(found: Snap, view: View, theme: Theme) -> Iterator[Item]:
    """Yield a sign where the hand has snapped to something."""
    if found.kind not in SNAP_WORDS:
        return
    x, y = (float(v) for v in view.to(np.array([found.place]))[0])
    size = 6.0
    shape = {
        "end": box(x - size, y - size, 2 * size, 2 * size),
        "edge": np.array([[x - size, y + size], [x + size, y + size], [x, y - size]]),
        "perpendicular": np.array([[x - size, y - size], [x - size, y + size], [x + size, y + size]]),
    }.get(found.kind)
    if shape is None:
        turn = np.linspace(0, 2 * np.pi, 21)
        shape = np.c_[x + size * np.cos(turn), y + size * np.sin(turn)]
    yield Area([shape], None, theme.alarm, WEIGHT["heavy"])
    yield Label(x + 12, y + 14, SNAP_WORDS[found.kind], theme.alarm, SIZE["small"], True, "l", theme.ground)


def drawing_items(
    kind: str, points: Sequence[Place], hand: Place | None, view: View, theme: Theme, system: System, size: Place
) -> Iterator[Item]:  # fmt: skip
    """Yield what is being drawn, with the length of the last side, and how to end."""
    every = [*points, *([hand] if hand else [])]
    colour = theme.vacuum if kind == "vacuum" else theme.feed
    if len(every) > 1:
        yield Line([view.to(np.array(every))], colour, WEIGHT["heavy"], (6, 4))
    for p in points:
        x, y = view.to(np.array([p]))[0]
        yield Area([box(x - 3, y - 3, 6, 6)], colour)
    if hand:
        words = ""
        if points:
            last, total = math.dist(points[-1], hand), sum(map(math.dist, every, every[1:]))
            words = f"{show(last, 'length', system)} · "
            if len(points) > 1:
                words = tr("{0}, {1} in all · ", show(last, "length", system), show(total, "length", system))
        yield hand_label(hand, words, view, theme, system, size[0])
    hint = tr("Click points. Enter or a double click ends, Esc gives up.")
    if kind == "measure":
        hint = tr("Click from and to: the distance is shown. Esc ends.")
    yield Label(size[0] / 2, 18, hint, theme.on_accent, 13, True, ground=theme.accent)


def probe_rows(session: Session, place: Place, layer: str) -> list[tuple[str, str]]:
    """Return (name, value) of all that is known at a place: wet times per layer, then the moment's fields."""
    outlook, system = session.outlook, session.system
    rows = [("x, y", f"{show(place[0], 'length', system)}, {show(place[1], 'length', system)}")]
    forecast = outlook.forecast if outlook else None
    if forecast is None:
        return rows
    try:
        vertices, weights = forecast.locate(*place)
    except ValueError:
        return rows
    for slot, when in reversed(forecast.probe(*place).items()):
        rows.append((tr("{} wet at", slot), clock(when) if math.isfinite(when) else "never"))
    picture = session.moments.picture
    if picture is None or picture.outlook is not outlook:
        return rows
    slot_name = None if layer == THROUGH else layer
    for name, spec in FIELDS.items():
        values = spec.read(picture.moment, forecast, slot_name)[vertices]
        here = ~np.isnan(values)
        if here.any():
            value = float(values[here] @ weights[here] / max(float(weights[here].sum()), 1e-12))
            rows.append((name, told(name, value, system)))
    return rows


def draw_probe(rows: Sequence[tuple[str, str]], theme: Theme, hand: Place, size: Place) -> Iterator[Item]:
    """Yield the readings in the upper corner that the hand (px) is further from."""
    line, wide = 17.0, 216.0
    tall = line * len(rows) + 10
    x = 10.0 if hand[0] > size[0] / 2 else size[0] - wide - 10
    yield Area([box(x, 10, wide, tall)], theme.raised, theme.edge, WEIGHT["thin"])
    for k, (name, value) in enumerate(rows):
        y = 10 + 5 + line * (k + 0.5)
        yield Label(x + 10, y, name, theme.soft, SIZE["small"], False, "l")
        yield Label(x + wide - 10, y, value, theme.ink, SIZE["small"], True, "r")
