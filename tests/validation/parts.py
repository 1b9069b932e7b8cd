"""Layouts on parts of many shapes that the trade knows to be good or bad, beside those on the plain panel."""

from __future__ import annotations

from tests.validation.layouts import (
    FALSE,
    OVER,
    PLIES,
    SHELF,
    MeshExtent,
    box,
    feed,
    job,
    ring,
    round_,
    row,
    stack,
    vacuum,
)

from bibulon.core.model.job import Drawn, FlowLine, Job, Layer, Part, Zone

HULL = ((0, 0), (5, 0), (5, 0.9), (3.5, 1.1), (1.5, 1.05), (0.5, 0.7), (0, 0.25))
ELL = ring((0, 0), (1.4, 0), (1.4, 0.5), (0.5, 0.5), (0.5, 1.4), (0, 1.4))
FORK = ring((0, 0), (1.5, 0), (1.5, 1), (1.1, 1), (1.1, 0.4), (0.4, 0.4), (0.4, 1), (0, 1))
NEVER = (*FALSE, "meets", "runs")


def fed(name: str, *path: tuple[float, float], **more: object) -> FlowLine:
    return feed(name, path, **({"bore": 0.014, "hose_bore": 0.012} | more))


def drawn_off(name: str, *path: tuple[float, float]) -> FlowLine:
    return vacuum(name, path)


def bare_patch(outline) -> Zone:
    return Zone(id="bare", name="No mesh", kind="no-mesh", area=Drawn(outline=outline))


def laid(part: Part, lines, mesh, plies=PLIES, resin="epoxy-slow") -> Job:
    return job(
        part=part, stack=stack(*plies, *OVER), lines=tuple(lines), mesh=MeshExtent(material="net-green", outline=mesh),
        resin=SHELF[resin],
    )  # fmt: skip


def hull() -> Job:
    mesh = ring((0, 0), (5, 0), (5, 0.84), (3.5, 1.035), (1.52, 0.985), (0.53, 0.64), (0.0, 0.18))
    keel = fed("F1", (0.03, 0.03), (4.97, 0.03), hose_at=0.5, bore=0.019, hose_bore=0.019)
    return laid(Part(outline=ring(*HULL)), (keel, drawn_off("V1", *HULL[2:])), mesh, resin="vinylester")


def hatch(off: float) -> Job:
    edge = tuple((c.x, c.y) for c in round_(0, 0, 0.3, 36))
    lines = (fed("F1", (off, 0.0)), drawn_off("V1", *edge, edge[0]))
    return laid(Part(outline=round_(0, 0, 0.3, 36)), lines, round_(0, 0, 0.24, 36))


def ring_part() -> Job:
    """A ring whose bare patch is drawn as a disc about its hole."""
    hole, rim = round_(0, 0, 0.22, 36), tuple((c.x, c.y) for c in round_(0, 0, 0.485, 48))
    inner = tuple((c.x, c.y) for c in hole)
    part = Part(outline=round_(0, 0, 0.5, 48), holes=(hole,), zones=(bare_patch(round_(0, 0, 0.285, 36)),))
    lines = (fed("F1", *rim, rim[0], bore=0.016), drawn_off("V1", *inner, inner[0]))
    return laid(part, lines, round_(0, 0, 0.5, 48))


def facing(at: str) -> Job:
    """Fed along both long sides of a panel, drawn between them or from one end."""
    long, wide = 1.2, 0.8
    middle = at == "between"
    zones = (bare_patch(box(0, wide / 2 - 0.06, long, wide / 2 + 0.06)),) if middle else ()
    pulled = ((0, wide / 2), (long, wide / 2)) if middle else ((long, 0), (long, wide))
    feeds = (
        fed("F1", (0.02, 0.02), (long - 0.02, 0.02)),
        fed("F2", (0.02, wide - 0.02), (long - 0.02, wide - 0.02)),
    )
    part = Part(outline=box(0, 0, long, wide), zones=zones)
    return laid(part, (*feeds, drawn_off("V1", *pulled)), box(0, 0, long if middle else long - 0.06, wide))


def corners(last: tuple[float, float], mesh) -> Job:
    return laid(
        Part(outline=box(0, 0, 0.5, 0.5)), (fed("F1", (0.015, 0.015)), drawn_off("V1", last)), ring(*mesh)
    )


def rim_fed(x: float) -> Job:
    rim = ((0.02, 0.02), (0.98, 0.02), (0.98, 0.58), (0.02, 0.58), (0.02, 0.02))
    part = Part(outline=box(0, 0, 1, 0.6), zones=(bare_patch(round_(x, 0.3, 0.07)),))
    return laid(part, (fed("F1", *rim), drawn_off("V1", (x, 0.3))), box(0, 0, 1, 0.6))


def ell(*ends: int) -> Job:
    places = (((1.4, 0), (1.4, 0.5)), ((0, 1.4), (0.5, 1.4)))
    mesh = ring((0, 0), (1.34, 0), (1.34, 0.5), (0.5, 0.5), (0.5, 1.34), (0, 1.34))
    lines = [drawn_off(f"V{k + 1}", *places[k]) for k in ends]
    return laid(Part(outline=ELL), (fed("F1", (0.05, 0.05), (0.45, 0.45)), *lines), mesh)


def fork() -> Job:
    mesh = ring((0, 0), (1.5, 0), (1.5, 0.94), (1.1, 0.94), (1.1, 0.4), (0.4, 0.4), (0.4, 0.94), (0, 0.94))
    ends = (drawn_off("V1", (0, 1), (0.4, 1)), drawn_off("V2", (1.1, 1), (1.5, 1)))
    return laid(Part(outline=FORK), (fed("F1", (0.1, 0.03), (1.4, 0.03), hose_at=0.5), *ends), mesh)


def window() -> Job:
    part = Part(outline=box(0, 0, 1.2, 0.6), holes=(box(0.45, 0.2, 0.75, 0.4),))
    lines = (fed("F1", (0.02, 0.02), (0.02, 0.58)), drawn_off("V1", (1.2, 0), (1.2, 0.6)))
    return laid(part, lines, box(0, 0, 1.14, 0.6))


def spine() -> Job:
    rim = ((0, 0), (3, 0), (3, 1), (0, 1), (0, 0))
    lines = (fed("F1", (0.45, 0.5), (2.55, 0.5), hose_at=0.5), drawn_off("V1", *rim))
    return laid(Part(outline=box(0, 0, 3, 1)), lines, box(0.06, 0.06, 2.94, 0.94))


def blade() -> Job:
    """A tapering blade with a core, fed along one edge and drawn along the other."""
    core = Zone(
        id="c",
        name="Core",
        kind="cored",
        area=Drawn(outline=ring((0.15, 0.1), (2.6, 0.17), (2.6, 0.25), (0.15, 0.4))),
    )
    names = ("twill-400", "uni-500", "foam-20-holes", "uni-500", "twill-400", *OVER)
    layers = [Layer(id=f"L{k}", material=m) for k, m in enumerate(names)]
    layers[2] = layers[2].replaced(zones=("c",), bevel=0.04)
    made = laid(
        Part(outline=ring((0, 0), (3, 0.12), (3, 0.28), (0, 0.5)), zones=(core,)),
        (fed("F1", (0.1, 0.02), (2.95, 0.125), hose_at=0.5), drawn_off("V1", (0, 0.5), (3, 0.28))),
        ring((0, 0), (3, 0.12), (3, 0.22), (0, 0.44)),
    )  # fmt: skip
    return made.replaced(stack=tuple(layers), materials={m: SHELF[m] for m in {*names, "net-green"}})


PARTS = (
    row("a hull half, keel to sheer", "one feed along the keel, the vacuum all along the sheer", hull, never=NEVER),
    row("a round hatch, fed in its middle", "centre out on a disc", lambda: hatch(0.0), never=NEVER),
    row("a round hatch, fed beside its middle", "one side is full sooner; the rim takes its time on the other", lambda: hatch(0.12), never=NEVER),
    row("a ring, fed round its rim", "the vacuum round its hole, with no mesh beside it", ring_part, never=NEVER),
    row("two feeds with the vacuum between", "both fronts close on the line", lambda: facing("between"), never=NEVER),
    row("two feeds with the vacuum at one end", "fronts close on each other along the middle, everywhere at once", lambda: facing("end"), must=("meets",)),
    row("corner to corner", "fronts close into the last corner",
        lambda: corners((0.5, 0.5), ((0, 0), (0.5, 0), (0.5, 0.41), (0.41, 0.5), (0, 0.5))), never=NEVER),
    row("corner to the next corner", "the far corner has no way out once the near one is wet",
        lambda: corners((0.5, 0), ((0, 0), (0.41, 0), (0.5, 0.09), (0.5, 0.5), (0, 0.5))), must=("pocket",), may=("vent-early",)),
    row("fed round the rim, vent at a third", "the longer end closes away from the vent", lambda: rim_fed(0.3), must=("pocket",)),
    row("an L, vacuum at both ends", "fed in its corner", lambda: ell(0, 1), never=NEVER),
    row("an L, vacuum at one end", "the other leg is a dead end", lambda: ell(0), must=("pocket",), may=("dry",)),
    row("a U, fed along its base", "vacuum at the ends of both legs", fork, never=NEVER),
    row("a panel with a window", "fronts join behind it and run on to the vacuum", window, never=NEVER),
    row("a spine with vacuum all round", "the rim is about as far everywhere; until its corners are wet the rest drinks, which the charge must know", spine, may=("short",), never=NEVER),
    row("a cored blade, edge to edge", "across its short way", blade, never=NEVER),
)  # fmt: skip
