"""Where a leak may be, on the bag from above: the likelier a place the larger and darker, what was tried, where to look next."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence

import numpy as np

from bibulon.core.bag.bag import Bag
from bibulon.core.drawing.kit.look import PlanLook
from bibulon.core.drawing.kit.scene import Area, Item, Label, Line
from bibulon.core.drawing.kit.tokens import WEIGHT
from bibulon.core.drawing.plan.lines import draw_flow_line
from bibulon.core.drawing.plan.plan import draw_base
from bibulon.core.leak.hunt import Clamp, Heard, Hunt
from bibulon.core.model.job import Job
from bibulon.core.units.words import tr

__all__ = ["draw_hunt"]

_TURN = np.linspace(0, 2 * np.pi, 25)
_ROUND = np.column_stack([np.cos(_TURN), np.sin(_TURN)])
LARGEST = 30.0  # px across of a place that is sure


def draw_hunt(
    job: Job, bag: Bag, hunt: Hunt, done: Sequence[Heard | Clamp], mended: Sequence[tuple[float, float, str]],
    clamp: Clamp | None, look: PlanLook,
) -> Iterator[Item]:  # fmt: skip
    """Yield the drawing; ``clamp`` is the stretch proposed to be shut off next."""
    view, theme = look.view, look.theme
    yield from draw_base(job, look)
    for line in job.lines:
        yield from draw_flow_line(look, line)
    yield Line([view.to(bag.walk.ring)], theme.soft, WEIGHT["line"])
    if clamp is not None:
        wide = (clamp.end - clamp.start) % bag.walk.length
        along = [bag.walk.place(clamp.start + s) for s in np.linspace(0.0, wide, 80)]
        yield Line([view.to(np.array(along))], theme.accent, WEIGHT["tube"] + 2, opacity=0.55)
    most = float(hunt.share.max())
    at = view.to(np.array([(place.x, place.y) for place in hunt.places]))
    for (x, y), share in zip(at, hunt.share, strict=True):
        size = max(LARGEST * math.sqrt(share), 2.5)
        yield Area([_disc(x, y, size / 2)], theme.tone(min(share / most, 1.0)), None, opacity=0.9)
    for step in done:
        if isinstance(step, Heard):
            x, y = view.to(np.array([[step.x, step.y]]))[0]
            yield Line(
                [_disc(x, y, 9.0)],
                theme.alarm if step.hit else theme.soft,
                WEIGHT["line"],
                () if step.hit else (2.0, 3.0),
            )
    for k, (mx, my, _) in enumerate(mended, 1):
        x, y = view.to(np.array([[mx, my]]))[0]
        yield Label(
            float(x),
            float(y),
            tr("mended {}", k),
            theme.ink,
            11,
            True,
            ground=theme.raised,
            outline=theme.edge,
        )
    yield from _next(bag, hunt, look)


def _next(bag: Bag, hunt: Hunt, look: PlanLook) -> Iterator[Item]:
    """Yield where to look next, with how likely it is there."""
    view, theme = look.view, look.theme
    at = hunt.places[hunt.next]
    x, y = view.to(np.array([[at.x, at.y]]))[0]
    yield Line([_disc(x, y, 15.0)], theme.alarm, WEIGHT["heavy"])
    right = x < view.to(bag.walk.ring)[:, 0].mean()
    words = tr("look here next: {0}, {1:.0f} %", at.name, hunt.share[hunt.next] * 100)
    yield Label(
        float(x) + (22 if right else -22),
        float(y),
        words,
        theme.alarm,
        13,
        True,
        "l" if right else "r",
        ground=theme.raised,
        outline=theme.alarm,
    )


def _disc(x: float, y: float, r: float) -> np.ndarray:
    return _ROUND * r + (x, y)
