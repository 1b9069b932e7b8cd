"""What goes wrong, as small drawings in the same hand as plan and cut: one for each kind of mistake."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence

import numpy as np

from bibulon.core.drawing.kit.scene import Area, Item, Label, Line
from bibulon.core.drawing.kit.tokens import WEIGHT, Theme

__all__ = ["HIGH", "MISHAPS", "WIDE", "draw_mishap"]

WIDE, HIGH = 168.0, 96.0  # px
Points = Sequence[tuple[float, float]]


def _box(x0: float, y0: float, x1: float, y1: float) -> Points:
    return ((x0, y0), (x1, y0), (x1, y1), (x0, y1))


def _ring(x: float, y: float, r: float, s: float = 1.0) -> Points:
    return [(x + r * np.cos(t), y + r * s * np.sin(t)) for t in np.linspace(0, 2 * np.pi, 33)[:-1]]


def _area(points: Points, fill: str | None, stroke: str | None = None, opacity: float = 1.0) -> Area:
    return Area([np.array(points, dtype=float)], fill, stroke, WEIGHT["line"], opacity=opacity)


def _line(points: Points, colour: str, width: float = WEIGHT["line"], dash: tuple[float, ...] = ()) -> Line:
    return Line([np.array(points, dtype=float)], colour, width, dash)


def _panel(t: Theme, wet: float = 0.0) -> Iterator[Item]:
    """A part with a feed at the left and a vacuum line at the right, wet as far as a share."""
    yield _area(_box(16, 14, 152, 82), t.cloth, t.ink)
    if wet:
        yield _area(_box(22, 14, 22 + 124 * wet, 82), t.resin_new)
    yield _line(((22, 20), (22, 76)), t.feed, WEIGHT["heavy"] + 1)
    yield _line(((148, 20), (148, 76)), t.vacuum, WEIGHT["heavy"] + 1)


def _tool(t: Theme, top: Points) -> Area:
    return _area([*top, (top[-1][0], 92.0), (top[0][0], 92.0)], t.tool)


def _pocket(t: Theme) -> Iterator[Item]:
    yield from _panel(t, 0.99)
    yield _area(_ring(96, 48, 17, 0.8), t.ground, t.alarm)
    yield Label(96, 48, "dry", t.alarm, 12, True)


def _lines(t: Theme) -> Iterator[Item]:
    yield _area(_box(16, 14, 152, 82), t.cloth, t.ink)
    yield _line(((22, 20), (22, 76)), t.feed, WEIGHT["heavy"] + 1)
    yield _line(((148, 20), (148, 76)), t.vacuum, WEIGHT["line"], (4, 4))
    yield Label(134, 48, "?", t.alarm, 20, True)


def _nofeed(t: Theme) -> Iterator[Item]:
    yield _area(_box(16, 14, 152, 82), t.cloth, t.ink)
    yield _line(((22, 20), (22, 76)), t.feed, WEIGHT["line"], (4, 4))
    yield _line(((148, 20), (148, 76)), t.vacuum, WEIGHT["heavy"] + 1)
    yield Label(36, 48, "?", t.alarm, 20, True)


def _outside(t: Theme) -> Iterator[Item]:
    yield _area(_box(40, 14, 152, 82), t.cloth, t.ink)
    yield _line(((20, 20), (20, 76)), t.alarm, WEIGHT["heavy"] + 1)
    yield _line(((148, 20), (148, 76)), t.vacuum, WEIGHT["heavy"] + 1)


def _keepout(t: Theme) -> Iterator[Item]:
    yield from _panel(t)
    yield _area(_box(66, 30, 110, 66), t.alarm, t.alarm, 0.2)
    yield _line(((88, 20), (88, 76)), t.feed, WEIGHT["heavy"] + 1)


def _widening(t: Theme) -> Iterator[Item]:
    yield _area(((16, 36), (152, 12), (152, 84), (16, 60)), t.cloth, t.ink)
    yield _line(((20, 38), (20, 58)), t.feed, WEIGHT["heavy"] + 1)
    yield _line(((148, 16), (148, 80)), t.vacuum, WEIGHT["heavy"] + 1)
    for x, half in ((60, 14), (96, 20), (120, 25)):
        yield _line([(x - 8 * (k / 6 - 1) ** 2, 48 + half * (k / 6 - 1)) for k in range(13)], t.alarm)


def _thick(t: Theme) -> Iterator[Item]:
    yield from _panel(t, 0.7)
    yield _area(_box(60, 32, 98, 64), t.core, t.alarm)
    yield Label(79, 48, "thick", t.ink, 12)


def _valve(t: Theme) -> Iterator[Item]:
    yield _line(((14, 60), (154, 60)), t.feed, WEIGHT["heavy"] + 2)
    yield _area(((66, 44), (102, 76), (102, 44), (66, 76)), t.ground, t.ink)
    yield Label(84, 28, "F? F1 f1", t.alarm, 14, True)


def _break(t: Theme) -> Iterator[Item]:
    yield _area(_box(10, 56, 158, 74), t.cloth, t.ink)
    yield _tool(t, ((10, 74), (158, 74)))
    yield _line([(14 + 8 * k, 52 - 3 * (k % 2)) for k in range(13)], t.accent, WEIGHT["heavy"])
    yield _area(_ring(146, 50, 8), t.ground, t.vacuum)
    yield _line(((112, 36), (138, 36)), t.alarm, WEIGHT["line"])
    yield Label(125, 24, "break", t.alarm, 12, True)


def _lead(t: Theme) -> Iterator[Item]:
    yield _area(_box(10, 36, 158, 74), t.cloth, t.ink)
    yield _area(((10, 36), (120, 36), (66, 74), (10, 74)), t.resin_new)
    yield _line(((120, 36), (66, 74)), t.front, WEIGHT["heavy"])
    yield _tool(t, ((10, 74), (158, 74)))
    yield _line(((66, 24), (120, 24)), t.alarm)
    yield Label(93, 14, "lead", t.alarm, 12, True)


def _short(t: Theme) -> Iterator[Item]:
    yield from _panel(t, 0.4)
    yield _line([(22 + 10.5 * k, 88 - 3 * (k % 2)) for k in range(13)], t.alarm, WEIGHT["heavy"])
    yield _line(((22, 76), (22, 88)), t.alarm)
    yield _line(((148, 76), (148, 88)), t.alarm)


def _early(t: Theme) -> Iterator[Item]:
    yield from _panel(t, 0.3)
    yield _area(_box(84, 14, 110, 82), t.resin_new)
    yield _line(((97, 20), (97, 76)), t.feed, WEIGHT["heavy"] + 1)
    yield Label(72, 48, "air", t.alarm, 12, True)


def _bucket(t: Theme, x: float, y: float, level: float) -> Iterator[Item]:
    yield _area(((x - 18, y - 34 * level), (x + 18, y - 34 * level), (x + 16, y), (x - 16, y)), t.resin_new)
    yield _line(((x - 20, y - 38), (x - 16, y), (x + 16, y), (x + 20, y - 38)), t.ink, WEIGHT["heavy"])


def _hose(t: Theme) -> Iterator[Item]:
    yield from _bucket(t, 36, 84, 0.7)
    yield _area(_box(100, 34, 156, 50), t.cloth, t.ink)
    yield _line(((36, 70), (36, 28), (62, 22), (84, 42), (102, 42)), t.feed, WEIGHT["line"])
    yield _area(_ring(74, 32, 10), None, t.alarm)


def _above(t: Theme) -> Iterator[Item]:
    yield from _bucket(t, 36, 46, 0.7)
    yield _area(_box(90, 70, 156, 84), t.cloth, t.ink)
    yield _line(((36, 36), (36, 6), (78, 6), (78, 76), (92, 76)), t.feed, WEIGHT["heavy"])
    yield _line(((126, 34), (126, 62)), t.alarm, WEIGHT["heavy"])
    yield _area(((120, 58), (132, 58), (126, 68)), t.alarm)


def _heel(t: Theme) -> Iterator[Item]:
    yield from _bucket(t, 84, 86, 0.18)
    yield _line(((84, 76), (84, 14), (150, 14)), t.feed, WEIGHT["heavy"])
    for x, y in ((92, 62), (80, 54), (90, 46)):
        yield _area(_ring(x, y, 3), t.ground, t.alarm)


def _pot(t: Theme) -> Iterator[Item]:
    yield _area(_box(52, 36, 116, 86), t.resin_new, t.ink)
    yield _area(_box(48, 28, 120, 36), t.tool)
    yield _line(((66, 46), (66, 14), (12, 14)), t.vacuum, WEIGHT["heavy"])
    yield _line(((102, 46), (102, 14), (156, 14)), t.alarm, WEIGHT["heavy"])


def _gel(t: Theme) -> Iterator[Item]:
    yield _line(((18, 80), (154, 80)), t.edge)
    yield _line(
        [(18 + 10 * k, 78 - 58 * (1 - np.exp(-k / 5))) for k in range(14)], t.resin_old, WEIGHT["heavy"]
    )
    yield _line(((104, 14), (104, 80)), t.alarm, WEIGHT["heavy"], (5, 3))
    yield Label(110, 20, "gel", t.alarm, 12, True, "l")
    yield _line(((18, 22), (98, 22)), t.soft, WEIGHT["thin"], (3, 3))
    yield Label(22, 12, "full", t.soft, 12, anchor="l")


def _fitting(t: Theme) -> Iterator[Item]:
    yield _area(_box(12, 38, 70, 58), t.ground, t.ink)
    yield _area(_box(84, 32, 156, 64), t.ground, t.ink)
    yield _area(_box(70, 44, 84, 52), t.tool)
    for y in (26, 72):
        yield _line(((64, y), (92, y)), t.alarm, WEIGHT["heavy"])


def _bridge(t: Theme) -> Iterator[Item]:
    yield _tool(t, ((10, 20), (60, 20), (66, 24), (70, 78), (158, 78)))
    yield _line(((10, 16), (58, 16), (84, 34), (112, 70), (158, 74)), t.weave, WEIGHT["heavy"] + 3)
    yield _area(((66, 26), (84, 36), (110, 70), (72, 76)), t.resin_new, t.alarm)


def _wrinkle(t: Theme) -> Iterator[Item]:
    yield _tool(t, ((10, 40), (96, 40), (104, 48), (108, 92)))
    yield _line(
        ((10, 36), (76, 36), (84, 20), (92, 36), (100, 36), (110, 46), (113, 90)),
        t.weave,
        WEIGHT["heavy"] + 3,
    )
    yield _area(_ring(84, 26, 13), None, t.alarm)


def _outline(t: Theme) -> Iterator[Item]:
    yield _line(((20, 20), (140, 74), (140, 20), (20, 74), (20, 20)), t.ink, WEIGHT["heavy"])
    yield _area(_ring(80, 47, 11), None, t.alarm)


def _layers(t: Theme) -> Iterator[Item]:
    for k, (colour, wrong) in enumerate(
        ((t.weave, False), (t.cloth, False), (t.weave, True), (t.cloth, False))
    ):
        y = 70 - 14 * k
        yield _area(_box(18, y - 10, 150, y), colour, t.alarm if wrong else t.ink)
    yield _tool(t, ((10, 72), (158, 72)))


def _splice(t: Theme) -> Iterator[Item]:
    for y, x in ((62, 84), (46, 80), (30, 86)):
        yield _area(_box(14, y, x + 6, y + 8), t.weave, t.ink)
        yield _area(_box(x - 6, y - 4, 154, y + 4), t.cloth, t.ink)
    yield _area(_ring(83, 46, 30, 1.0), None, t.alarm)


def _core(t: Theme) -> Iterator[Item]:
    yield _tool(t, ((10, 78), (158, 78)))
    yield _area(_box(14, 70, 154, 78), t.weave, t.ink)
    yield _area(_box(14, 36, 84, 70), t.core, t.ink)
    yield _line(((14, 32), (84, 32), (92, 50), (104, 68), (154, 68)), t.weave, WEIGHT["heavy"] + 3)
    yield _area(((84, 36), (100, 68), (84, 69)), t.resin_new, t.alarm)


def _warp(t: Theme) -> Iterator[Item]:
    for k in range(3):
        bow = [(14 + 10 * n, 62 - 12 * k + 18 * ((n - 7) / 7) ** 2 - 14) for n in range(15)]
        yield _line(bow, (t.weave, t.resin_old, t.ink)[k], WEIGHT["heavy"] + 2)
    yield _line(((14, 84), (154, 84)), t.soft, WEIGHT["thin"], (4, 3))


def _gap(t: Theme) -> Iterator[Item]:
    yield _area(_box(10, 12, 158, 34), t.tool)
    yield _area(_box(10, 64, 158, 86), t.tool)
    yield _area(_box(30, 38, 120, 60), t.weave, t.ink)
    yield _line(((138, 34), (138, 64)), t.alarm, WEIGHT["heavy"])
    yield Label(146, 49, "?", t.alarm, 16, True)


def _step(t: Theme) -> Iterator[Item]:
    yield _area(((12, 30), (84, 30), (84, 60), (156, 60), (156, 78), (12, 78)), t.weave, t.ink)
    yield _line(((84, 30), (84, 60)), t.alarm, WEIGHT["heavy"] + 1)
    yield _tool(t, ((10, 78), (158, 78)))


def _film(t: Theme) -> Iterator[Item]:
    yield _tool(t, ((10, 30), (40, 30), (52, 76), (116, 76), (128, 30), (158, 30)))
    yield _line(((14, 26), (40, 26), (66, 52), (102, 52), (128, 26), (154, 26)), t.accent, WEIGHT["heavy"])
    yield _area(_ring(84, 60, 14, 0.7), None, t.alarm)
    for x in (16, 152):
        yield _area(_box(x - 5, 26, x + 5, 32), t.alarm)


def _pleat(t: Theme) -> Iterator[Item]:
    yield _line(((10, 70), (62, 70)), t.ink, WEIGHT["heavy"] + 3)
    yield _line(((106, 70), (158, 70)), t.ink, WEIGHT["heavy"] + 3)
    yield _line(((62, 70), (80, 70), (80, 18), (88, 18), (88, 70), (106, 70)), t.accent, WEIGHT["heavy"])
    yield _line(((112, 18), (112, 66)), t.alarm)


def _tube(t: Theme) -> Iterator[Item]:
    yield _area(_box(10, 58, 158, 72), t.tool)
    yield _area(_ring(84, 46, 16), t.ground, t.ink)
    yield _line(
        [(84 + 20 * np.cos(a), 46 - 20 * np.sin(a)) for a in np.linspace(0.2, np.pi - 0.2, 15)],
        t.alarm,
        WEIGHT["heavy"],
    )
    yield _line(((20, 56), (62, 56), (64, 40)), t.accent, WEIGHT["heavy"])
    yield _line(((148, 56), (106, 56), (104, 40)), t.accent, WEIGHT["heavy"])


def _roll(t: Theme) -> Iterator[Item]:
    yield _area(_ring(52, 48, 30), t.cloth, t.ink)
    yield _area(_ring(52, 48, 8), t.ground, t.ink)
    yield _line(((52, 78), (132, 78)), t.ink, WEIGHT["heavy"])
    yield _line(((132, 78), (156, 78)), t.alarm, WEIGHT["heavy"], (4, 4))


def _flange(t: Theme) -> Iterator[Item]:
    yield _area(_box(10, 20, 158, 38), t.tool)
    yield _area(_box(10, 60, 158, 78), t.tool)
    yield _area(_box(14, 40, 96, 58), t.resin_new)
    for x in (106, 148):
        yield _area(_ring(x, 49, 8, 1.1), t.ground, t.ink)
    yield _line(((56, 38), (56, 8)), t.alarm, WEIGHT["heavy"])
    yield _area(((50, 12), (62, 12), (56, 4)), t.alarm)
    yield _line(((127, 4), (127, 18)), t.vacuum, WEIGHT["heavy"])


def _bow(t: Theme) -> Iterator[Item]:
    bent = [(10 + 12 * n, 38 - 18 * (1 - ((n - 6) / 6.2) ** 2)) for n in range(13)]
    yield _area([*bent, (154, 48), (10, 48)], t.resin_new)
    yield _line(bent, t.tool, WEIGHT["heavy"] + 5)
    yield _area(_box(10, 56, 158, 78), t.tool)
    yield _line(((82, 22), (82, 54)), t.alarm)


def _channel(t: Theme) -> Iterator[Item]:
    yield _area(_ring(84, 48, 66, 0.62), t.cloth, t.ink)
    yield _line([*_ring(84, 48, 58, 0.6), (142, 48)], t.feed, WEIGHT["heavy"] + 2)
    yield _area(_ring(96, 48, 16, 0.8), t.ground, t.alarm)
    yield _area(_ring(72, 48, 4), t.vacuum)


def _mix(t: Theme) -> Iterator[Item]:
    for x, level, colour in ((46, 0.8, t.resin_new), (122, 0.3, t.alarm)):
        yield _area(
            ((x - 18, 76 - 50 * level), (x + 18, 76 - 50 * level), (x + 16, 76), (x - 16, 76)),
            colour,
            None,
            0.8,
        )
        yield _line(((x - 20, 22), (x - 16, 76), (x + 16, 76), (x + 20, 22)), t.ink, WEIGHT["heavy"])
    yield Label(84, 48, ": ?", t.alarm, 18, True)


def _heat(t: Theme) -> Iterator[Item]:
    yield _line(((18, 82), (154, 82)), t.edge)
    yield _line(
        [(18 + 4 * k, 78 - 62 * np.exp(-(((k - 15) / 7) ** 2))) for k in range(34)],
        t.resin_old,
        WEIGHT["heavy"],
    )
    yield _line(((18, 34), (154, 34)), t.alarm, WEIGHT["line"], (6, 4))


def _oven(t: Theme) -> Iterator[Item]:
    yield _line([(18 + 10 * k, 78 - 50 * (1 - np.exp(-k / 6))) for k in range(14)], t.accent, WEIGHT["heavy"])
    yield _line(((18, 80), (46, 26), (120, 26), (150, 80)), t.alarm, WEIGHT["heavy"])


def _gauge(t: Theme) -> Iterator[Item]:
    yield _area(_ring(84, 50, 38), t.raised, t.ink)
    for a in np.linspace(-2.4, 2.4, 9):
        x, y = np.sin(a), -np.cos(a)
        yield _line(((84 + 30 * x, 50 + 30 * y), (84 + 36 * x, 50 + 36 * y)), t.ink)
    yield _line(((84, 50), (84 - 24, 50 + 16)), t.alarm, WEIGHT["heavy"])


def _rise(t: Theme) -> Iterator[Item]:
    yield _line(((18, 14), (18, 82), (154, 82)), t.edge)
    yield _line([(18 + 10 * k, 76 - 4.2 * k) for k in range(14)], t.alarm, WEIGHT["heavy"])
    yield _line(((18, 70), (154, 66)), t.accent, WEIGHT["line"], (5, 3))


def _boil(t: Theme) -> Iterator[Item]:
    yield _area(_box(14, 40, 154, 74), t.resin_new, t.ink)
    for k, (x, y) in enumerate(((30, 60), (48, 50), (66, 64), (84, 54), (104, 62), (120, 50), (140, 58))):
        yield _area(_ring(x, y, 3 + k % 3), t.ground, t.alarm)
    yield _tool(t, ((10, 74), (158, 74)))


MISHAPS: dict[str, Callable[[Theme], Iterator[Item]]] = {
    "pocket": _pocket, "lines": _lines, "nofeed": _nofeed, "outside": _outside, "keepout": _keepout, "widening": _widening, "thick": _thick, "valve": _valve, "break": _break, "lead": _lead, "short": _short,
    "early": _early, "hose": _hose, "above": _above, "heel": _heel, "pot": _pot, "gel": _gel, "fitting": _fitting, "bridge": _bridge,
    "wrinkle": _wrinkle, "outline": _outline, "layers": _layers, "splice": _splice, "core": _core, "warp": _warp, "gap": _gap, "step": _step,
    "film": _film, "pleat": _pleat, "tube": _tube, "roll": _roll, "flange": _flange, "bow": _bow, "channel": _channel, "mix": _mix, "heat": _heat,
    "oven": _oven, "gauge": _gauge, "rise": _rise, "boil": _boil,
}  # fmt: skip


def draw_mishap(kind: str, theme: Theme) -> Iterator[Item]:
    """Yield the drawing of a kind of mistake, in a field of 168 by 96 px; nothing where there is none of that name."""
    return MISHAPS[kind](theme) if kind in MISHAPS else iter(())
