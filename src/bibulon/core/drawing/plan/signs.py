"""Signs on the plan: findings, marks of the run, pockets, the last place; the grid and the scale bar."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence

import numpy as np

from bibulon.core.drawing.kit.look import Mark, PlanLook
from bibulon.core.drawing.kit.scene import Area, Item, Label, Line
from bibulon.core.drawing.kit.tokens import SIZE, WEIGHT
from bibulon.core.run.journal import FrontMark
from bibulon.core.units.units import clock, show, system_of

__all__ = ["BELOW", "RING", "draw_grid", "draw_mark", "front_signs", "rooms_of_marks", "scale_bar"]

# px of the place that closes last: round its ring; beside and down to its words' end.
RING, BELOW = 11.0, (34.0, 31.0)

TOLD, MOST = 40, 300  # marks of the front with their times, and without


def draw_mark(look: PlanLook, mark: Mark) -> Iterator[Item]:
    """Yield one sign."""
    theme = look.theme
    x, y = (float(v) for v in look.view.to(np.array([mark.place]))[0])
    match mark.kind:
        case "front":
            for ends in (((-6, 0), (6, 0)), ((0, -6), (0, 6))):
                yield Line([np.array(ends, dtype=float) + (x, y)], theme.front, WEIGHT["heavy"])
            if mark.text:
                yield Label(x + 10, y, mark.text, theme.ink, SIZE["small"], True, "l", theme.ground)
        case "last":
            for radius in (4.0, 10.0):
                yield Area([_ring(x, y, radius)], None, theme.front, WEIGHT["line"])
            yield Label(
                x,
                y - 22 if mark.up else y + 22,
                mark.text,
                theme.ink,
                SIZE["small"],
                True,
                ground=theme.ground,
            )
        case "pocket":
            radius = max(math.sqrt(mark.area / math.pi) * look.view.scale, 6.0)
            ring = _ring(x, y, radius)
            yield Area([ring], theme.alarm_ground, theme.alarm, WEIGHT["heavy"], dash=(5, 3), opacity=0.85)
            yield Label(x, y - radius - 11, mark.text, theme.alarm, SIZE["small"], True, ground=theme.ground)
        case _:
            lit = mark.kind == "lit"
            if lit:
                yield Area([_ring(x, y, 22)], theme.alarm, None, opacity=0.25)
            yield Label(
                x, y, mark.text, theme.ground if lit else theme.alarm, SIZE["small"] + 1, True,
                ground=theme.alarm if lit else theme.ground, outline=theme.alarm,
            )  # fmt: skip


def rooms_of_marks(look: PlanLook, marks: Sequence[Mark]) -> tuple[tuple[float, float, float, float], ...]:
    """Return what signs take up on the plan, as (left, top, right, bottom) [px]: for what is told beside them; fronts, of which there
    are hundreds, give way.
    """
    out = []
    for mark in (m for m in marks if m.kind != "front"):
        x, y = (float(v) for v in look.view.to(np.array([mark.place]))[0])
        match mark.kind:
            case "last":
                up, down = (BELOW[1], RING) if mark.up else (RING, BELOW[1])
                out.append((x - BELOW[0], y - up, x + BELOW[0], y + down))
            case "pocket":
                radius = max(math.sqrt(mark.area / math.pi) * look.view.scale, 6.0)
                out.append((x - BELOW[0], y - radius - 20, x + BELOW[0], y + radius))
            case _:
                out.append((x - RING, y - RING, x + RING, y + RING))
    return tuple(out)


def _ring(x: float, y: float, radius: float) -> np.ndarray:
    angles = np.linspace(0, 2 * np.pi, 33)
    return np.c_[x + radius * np.cos(angles), y + radius * np.sin(angles)]


def draw_grid(look: PlanLook, width: float, height: float) -> Iterator[Item]:
    """Yield the grid over a field of px, every tenth line stronger and named."""
    theme, view = look.theme, look.view
    (x0, y1), (x1, y0) = view.back(0, 0), view.back(width, height)
    for every, weight, opacity in ((1, WEIGHT["hair"], 0.5), (10, WEIGHT["thin"], 0.9)):
        step = look.grid * every
        xs = np.arange(math.ceil(x0 / step), math.floor(x1 / step) + 1) * step
        ys = np.arange(math.ceil(y0 / step), math.floor(y1 / step) + 1) * step
        px = view.to(np.c_[xs, np.zeros(len(xs))])[:, 0]
        py = view.to(np.c_[np.zeros(len(ys)), ys])[:, 1]
        lines = [np.array([[x, 0.0], [x, height]]) for x in px] + [
            np.array([[0.0, y], [width, y]]) for y in py
        ]
        yield Line(lines, theme.edge, weight, round_ends=False, opacity=opacity)
        if every == 10:
            for x, at in zip(px, xs, strict=True):
                yield Label(
                    float(x) + 3, 8, show(float(at), "length", look.system), theme.soft, 11, anchor="l"
                )
            for y, at in zip(py[py > 26], ys[py > 26], strict=True):
                yield Label(
                    3, float(y) - 8, show(float(at), "length", look.system), theme.soft, 11, anchor="l"
                )


def scale_bar(look: PlanLook, width: float, height: float) -> Iterator[Item]:
    """Yield a bar of round length at the lower right."""
    wanted = 130 / look.view.scale
    unit = 1.0 if system_of("length", look.system) == "metric" else 0.0254 * 12
    rounds = [a * 10.0**b * unit for b in range(-3, 3) for a in (1, 2, 5)]
    length = max((r for r in rounds if r <= wanted), default=rounds[0])
    px = length * look.view.scale
    x1, y = width - 18, height - 16
    ticks = [
        np.array([[x1 - px, y], [x1, y]]),
        np.array([[x1 - px, y - 4], [x1 - px, y + 4]]),
        np.array([[x1, y - 4], [x1, y + 4]]),
    ]
    yield Line(ticks, look.theme.ink, WEIGHT["thin"])
    yield Label(
        x1 - px / 2,
        y - 11,
        show(length, "length" if system_of("length", look.system) == "metric" else "distance", look.system),
        look.theme.soft,
        12,
    )


def front_signs(marks: Sequence[FrontMark]) -> tuple[Mark, ...]:
    """Return signs of marks of the front: of thousands some hundreds evenly, their times at the newest alone."""
    seen = [m for m in marks if m.kind == "front"]
    rest = seen[:-TOLD]
    return (
        *(Mark((m.x, m.y), "front", "") for m in rest[:: max(1, len(rest) // MOST)]),
        *(Mark((m.x, m.y), "front", clock(m.time)) for m in seen[-TOLD:]),
    )
