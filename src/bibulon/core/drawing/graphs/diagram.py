"""The line diagram: buckets, hoses, manifolds and feeds on the left, vacuum lines, pots and pump on the right."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import numpy.typing as npt
from msgspec import Struct

from bibulon.core.drawing.kit.scene import Area, Item, Label, Line
from bibulon.core.drawing.kit.tokens import WEIGHT, Theme
from bibulon.core.model.job import Job
from bibulon.core.model.line_kinds import kind_of
from bibulon.core.model.line_volume import line_volume
from bibulon.core.model.machine import machine_rate
from bibulon.core.units.units import System, show
from bibulon.core.units.words import tr

__all__ = ["Node", "diagram_nodes", "draw_diagram", "node_at"]

Floats = npt.NDArray[np.float64]
FIVE = {"bucket": 0.07, "manifold": 0.24, "feed": 0.38, "vacuum": 0.62, "pot": 0.78, "pump": 0.93}
HEAD = 34.0  # px over the first row
SIZE = {
    "bucket": (64, 44),
    "manifold": (60, 26),
    "feed": (70, 26),
    "vacuum": (70, 26),
    "pot": (64, 44),
    "pump": (60, 36),
}


class Node(Struct, frozen=True):
    """One thing of the diagram: kind, id, name, middle [px], and what it is joined to on the way to the bucket or pump."""

    kind: str
    id: str
    name: str
    x: float
    y: float
    to: str = ""

    @property
    def key(self) -> str:
        """Return kind and id, by which it is chosen."""
        return f"{self.kind}:{self.id}"


def diagram_nodes(job: Job, width: float, height: float) -> list[Node]:
    """Return everything from bucket to pump with its place in a field of px."""
    feeds = [x for x in job.lines if x.role == "feed"]
    vacuum = [x for x in job.lines if x.role == "vacuum"]
    buckets = [(b.id, b.id) for b in job.buckets] or [("", _source_of(job))]
    pots = [(p.id, p.label) for p in job.pots] or ([("", "no pot")] if vacuum else [])

    def column(kind: str, items: list[tuple[str, str, str]]) -> list[Node]:
        step = (height - HEAD - 30) / max(len(items), 1)
        return [
            Node(kind, key, name, FIVE[kind] * width, HEAD + step * (k + 0.5), to)
            for k, (key, name, to) in enumerate(items)
        ]

    def bucket_of(inlet: str) -> str:
        own = next((b.id for b in job.buckets if not b.feeds or inlet in b.feeds), "")
        return f"bucket:{own}"

    out = column("bucket", [(k, n, "") for k, n in buckets])
    out += column("manifold", [(m.id, m.label, bucket_of(m.id)) for m in job.manifolds])
    out += column(
        "feed", [(x.id, x.label, f"manifold:{x.manifold}" if x.manifold else bucket_of(x.id)) for x in feeds]
    )
    out += column("vacuum", [(x.id, x.label, f"pot:{x.pot or ''}") for x in vacuum])
    out += column("pot", [(k, n, "pump:") for k, n in pots])
    out += column("pump", [("", job.pump.label, "")] if vacuum else [])
    return out


def _source_of(job: Job) -> str:
    """Return what all inlets have in common where no bucket is kept apart."""
    return "bucket" if machine_rate(job) is None else "machine"


def node_at(nodes: list[Node], x: float, y: float) -> Node | None:
    """Return what lies at a px."""
    for node in nodes:
        w, h = SIZE[node.kind]
        if abs(x - node.x) <= w / 2 + 4 and abs(y - node.y) <= h / 2 + 4:
            return node
    return None


def _box(x: float, y: float, w: float, h: float) -> Floats:
    return np.array(
        [[x - w / 2, y - h / 2], [x + w / 2, y - h / 2], [x + w / 2, y + h / 2], [x - w / 2, y + h / 2]]
    )


def draw_diagram(
    job: Job, width: float, height: float, theme: Theme, system: System, chosen: str = ""
) -> Iterator[Item]:
    """Yield the diagram; what is chosen has a ring."""
    nodes = diagram_nodes(job, width, height)
    by_key = {n.key: n for n in nodes}
    if not any(n.kind in {"feed", "vacuum"} for n in nodes):
        yield Label(
            width / 2,
            height / 2,
            "No lines yet: draw them on the plan, or start from a plan of lines.",
            theme.soft,
            14,
        )
        return
    part = [n for n in nodes if n.kind in {"feed", "vacuum"}]
    middle = _box(width / 2, (HEAD + height - 30) / 2, 0.14 * width, height - HEAD - 50)
    yield Area([middle], theme.cloth, theme.edge, WEIGHT["thin"])
    yield Label(width / 2, HEAD - 8, "part", theme.soft, 12)
    for kind, title in (
        ("bucket", "buckets" if job.buckets or machine_rate(job) is None else ""),
        ("manifold", "manifolds"),
        ("feed", "feeds"),
        ("vacuum", "vacuum"),
        ("pot", "catch pots"),
        ("pump", "pump"),
    ):
        if title and any(n.kind == kind for n in nodes):
            yield Label(FIVE[kind] * width, 14, title, theme.soft, 12)
    for node in nodes:
        if node.to in by_key:
            yield from _hose(node, by_key[node.to], theme)
    for node in part:
        colour = theme.feed if node.kind == "feed" else theme.vacuum
        edge = middle[0, 0] if node.kind == "feed" else middle[1, 0]
        yield Line(
            [np.array([[node.x, node.y], [edge, node.y]])],
            colour,
            WEIGHT["tube"] if node.kind == "feed" else WEIGHT["heavy"],
        )
    yield from _bypasses(job, by_key, height, theme)
    for node in nodes:
        yield from _node(job, node, theme, system, node.key == chosen)


def _bypasses(job: Job, by_key: dict[str, Node], height: float, theme: Theme) -> Iterator[Item]:
    """Yield the hoses that lead round the part."""
    for way in job.bypasses:
        a = by_key.get(f"feed:{way.feed}") or by_key.get(f"manifold:{way.feed}")
        b = by_key.get(f"pot:{way.pot}")
        if a and b:
            low = height - 16
            path = np.array([[a.x, a.y + 14], [a.x, low], [b.x, low], [b.x, b.y + 22]])
            yield Line([path], theme.soft, WEIGHT["line"], dash=(6, 4))
            yield Label(
                (a.x + b.x) / 2,
                low - 9,
                tr("{0}, clamped by {1}", way.label, way.clamp),
                theme.soft,
                11.5,
                ground=theme.ground,
            )


def _hose(node: Node, to: Node, theme: Theme) -> Iterator[Item]:
    """A hose towards bucket or pump."""
    feed = node.kind in {"feed", "manifold"}
    colour = theme.feed if feed else theme.vacuum
    bend = (node.x + to.x) / 2
    path = np.array([[node.x, node.y], [bend, node.y], [bend, to.y], [to.x, to.y]])
    yield Line([path], colour, WEIGHT["heavy"])


def _hose_size(job: Job, node: Node) -> tuple[float, float]:
    match node.kind:
        case "manifold":
            m = next(x for x in job.manifolds if x.id == node.id)
            return m.hose_bore, m.hose_length
        case "pot":
            p = next((x for x in job.pots if x.id == node.id), None)
            return (p.hose_bore, p.hose_length) if p else (0.0, 0.0)
        case "feed" | "vacuum":
            line = next(x for x in job.lines if x.id == node.id)
            return line.hose_bore, line.hose_length
    return 0.0, 0.0


def _node(job: Job, node: Node, theme: Theme, system: System, chosen: bool) -> Iterator[Item]:
    w, h = SIZE[node.kind]
    box = _box(node.x, node.y, w, h)
    if chosen:
        yield Area([_box(node.x, node.y, w + 10, h + 10)], None, theme.alarm, WEIGHT["heavy"])
    match node.kind:
        case "bucket" if not node.id and (rate := machine_rate(job)) is not None:
            yield Area([box], theme.resin_new, theme.ink, WEIGHT["line"])
            for k, words in enumerate(
                (
                    show(rate, "flow", system),
                    tr("to {}", show(job.closed.injection or 0.0, "pressure", system)),
                )
            ):
                yield Label(node.x, node.y + h / 2 + 11 + 15 * k, words, theme.soft, 11)
        case "bucket":
            slant = box + np.array([[0, 0], [0, 0], [-8, 0], [8, 0]])
            yield Area([slant], theme.resin_new, theme.ink, WEIGHT["line"])
            below = next((b.below for b in job.buckets if b.id == node.id), None)
            below = job.conditions.bucket_below if below is None else below
            yield Label(
                node.x, node.y + h / 2 + 11, tr("{} below", show(below, "distance", system)), theme.soft, 11
            )
        case "feed" | "manifold":
            yield Area([box], theme.feed, theme.feed, WEIGHT["line"])
        case "vacuum":
            yield Area([box], theme.ground, theme.vacuum, WEIGHT["heavy"])
        case "pot":
            yield Area([box], theme.ground, theme.vacuum, WEIGHT["line"])
            pot = next((p for p in job.pots if p.id == node.id), None)
            words = f"{show(pot.volume, 'volume', system, 0)}" if pot else tr("add one")
            if pot and pot.regulated is not None:
                words += tr(", held at {}", show(pot.regulated, "pressure", system))
            yield Label(node.x, node.y + h / 2 + 11, words, theme.soft, 11)
        case _:
            turn = np.linspace(0, 2 * np.pi, 33)
            yield Area(
                [np.c_[node.x + 20 * np.cos(turn), node.y + 20 * np.sin(turn)]],
                theme.ground,
                theme.ink,
                WEIGHT["line"],
            )
    colour = (
        theme.on_feed
        if node.kind in {"feed", "manifold"}
        else theme.on_resin
        if node.kind == "bucket"
        else theme.ink
    )
    yield Label(node.x, node.y, node.name[:9], colour, 12.5, True)
    bore, length = _hose_size(job, node)
    if bore:
        words = f"{show(length, 'distance', system, 1)} · {show(bore, 'length', system)}"
        yield Label(node.x, node.y - h / 2 - 10, words, theme.soft, 11, ground=theme.ground)
    if node.kind in {"feed", "vacuum"}:
        yield from _fittings(job, node, theme, system)


def _fittings(job: Job, node: Node, theme: Theme, system: System) -> Iterator[Item]:
    """Under a line: what it is, and the resin that it holds."""
    line = next(x for x in job.lines if x.id == node.id)
    volume = sum(line_volume(line))
    words = f"{kind_of(job, line)}, {show(volume, 'volume', system)}"
    yield Label(node.x, node.y + 23, words, theme.soft, 11, ground=theme.ground)
