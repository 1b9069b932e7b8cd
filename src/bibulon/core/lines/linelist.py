"""The line list: what is cut and fitted for every line, hose and pot, and what it costs."""

from __future__ import annotations

import numpy as np
from msgspec import Struct
from shapely.geometry import LineString

from bibulon.core.geometry.surface import lift_of
from bibulon.core.model.job import CatchPot, FlowLine, Job, Manifold
from bibulon.core.model.line_kinds import kind_of, words_of
from bibulon.core.model.line_volume import line_volume
from bibulon.core.units.units import System, cell_of, heading_of
from bibulon.core.units.words import tr

__all__ = ["Cut", "cuts", "line_length", "line_rows"]

SPARE = 0.10  # m more than the plan's length, for the join to the hose
HEADS = (
    ("name", ""), ("what", ""), ("kind", ""), ("length", "distance"), ("cut to", "distance"), ("hose", "distance"),
    ("hose bore", "length"), ("shut by", ""), ("fittings", ""), ("holds", "volume"), ("price", ""),
)  # fmt: skip


class Cut(Struct, frozen=True):
    """One thing to cut and fit: lengths [m], bore [m], fittings, what it holds [m³], price."""

    name: str
    what: str
    kind: str
    length: float
    cut: float
    hose: float
    bore: float
    clamp: str
    fittings: str
    volume: float
    price: float


def line_length(job: Job, line: FlowLine) -> float:
    """Return the length of a line as it lies on the mould [m]."""
    if len(line.path) < 2:
        return 0.0
    lift = lift_of(job.part)
    if lift is None:
        return float(LineString(line.path).length)
    path = np.array(LineString(line.path).segmentize(0.02).coords)
    return float(np.linalg.norm(np.diff(lift(path), axis=0), axis=1).sum())


def cuts(job: Job) -> list[Cut]:
    """Return every line, manifold, pot and bypass in order, feeds first."""
    return [
        *(_line_cut(job, x) for x in sorted(job.lines, key=lambda x: x.role)),
        *(_manifold_cut(job, m) for m in job.manifolds),
        *(_pot_cut(job, pot) for pot in job.pots),
        *(
            Cut(
                w.label,
                "bypass",
                w.tube,
                0,
                0,
                0,
                0,
                w.clamp,
                tr("two tees, {}", w.clamp),
                0,
                3 * job.rates.fitting,
            )
            for w in job.bypasses
        ),
    ]


def _line_cut(job: Job, line: FlowLine) -> Cut:
    length, kind = line_length(job, line), kind_of(job, line)
    laid = length > 0 and job.process == "infusion"  # between two halves it is a channel of the mould
    cut = length + SPARE if laid else 0.0
    parts = [tr("one port") if kind == "point" or not laid else tr("one joint")]
    if laid and (line.is_ring or 0 < line.hose_at < 1):
        parts.append(tr("one tee in the line"))
    if line.manifold or line.pot:
        parts.append(tr("one tee"))
    if line.hose.clamp != "none":
        parts.append(line.hose.clamp)
    price = cut * job.rates.tube + line.hose_length * job.rates.hose + len(parts) * job.rates.fitting
    return Cut(
        line.label, line.role, f"{kind}: {words_of(job, kind)}", length, cut, line.hose_length, line.hose_bore,
        line.hose.clamp, ", ".join(parts), sum(line_volume(line)), price,
    )  # fmt: skip


def _manifold_cut(job: Job, m: Manifold) -> Cut:
    taps = sum(x.manifold == m.id for x in job.lines)
    price = m.hose_length * job.rates.hose + (taps + 1) * job.rates.fitting
    return Cut(
        m.label, "manifold", tr("{} ways", taps), 0, 0, m.hose_length, m.hose_bore, m.hose.clamp, tr("{} joints", taps + 1),
        m.volume, price,
    )  # fmt: skip


def _pot_cut(job: Job, pot: CatchPot) -> Cut:
    price = pot.hose_length * job.rates.hose + 2 * job.rates.fitting
    kind = "regulated" if pot.regulated is not None else "plain"
    return Cut(
        pot.label,
        "catch pot",
        kind,
        0,
        0,
        pot.hose_length,
        pot.hose_bore,
        "",
        "two joints",
        pot.volume,
        price,
    )


def line_rows(job: Job, system: System = "metric") -> list[tuple[str, ...]]:
    """Return the list as text, headings first, the sum last."""
    rows: list[tuple[str, ...]] = [tuple(heading_of(n, q, system) if q else n for n, q in HEADS)]
    found = cuts(job)

    def number(value: float, quantity: str = "distance") -> str:
        return cell_of(value, quantity, system) if value else ""

    for c in found:
        rows.append(
            (c.name, c.what, c.kind, number(c.length), number(c.cut), number(c.hose), number(c.bore, "length"), c.clamp, c.fittings,
             number(c.volume, "volume"), f"{c.price:.2f}")
        )  # fmt: skip
    total = (
        [sum(v) for v in zip(*((c.length, c.cut, c.hose, c.price) for c in found), strict=True)]
        if found
        else [0.0] * 4
    )
    rows.append(
        (
            "all",
            "",
            "",
            number(total[0]),
            number(total[1]),
            number(total[2]),
            "",
            "",
            "",
            "",
            f"{total[3]:.2f}",
        )
    )
    return rows
