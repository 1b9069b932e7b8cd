"""What is bought and fitted, on paper and as rows: material totals and the line list."""

from __future__ import annotations

from bibulon.core.drawing.graphs.diagram import draw_diagram
from bibulon.core.drawing.kit.pages import LEFT, RIGHT, Page, Pages
from bibulon.core.drawing.kit.tokens import PAPER
from bibulon.core.lines.linelist import cuts, line_rows
from bibulon.core.model.job import Job
from bibulon.core.resin.charge import charge
from bibulon.core.stack.totals import needs, part_totals
from bibulon.core.units.units import System, cell_of, heading_of, show
from bibulon.core.units.words import tr

__all__ = ["line_pages", "material_rows", "totals_pages"]

NEED_HEADS = (
    ("material", ""), ("kind", ""), ("laid", "area"), ("to buy", "area"), ("mass", "mass"), ("off the roll", "distance"),
    ("sheets", ""), ("cost", ""),
)  # fmt: skip


def material_rows(job: Job, system: System = "metric") -> list[tuple[str, ...]]:
    """Return a row a material for all copies, headings first, the resin last."""
    rows: list[tuple[str, ...]] = [tuple(heading_of(n, q, system) if q else n for n, q in NEED_HEADS)]
    for n in needs(job):
        rows.append(
            (
                n.name, n.kind, cell_of(n.laid, "area", system, 3), cell_of(n.bought, "area", system, 3),
                cell_of(n.mass, "mass", system), cell_of(n.length, "distance", system) if n.length else "",
                str(n.sheets) if n.sheets else "", f"{n.cost:.2f}",
            )
        )  # fmt: skip
    if job.resin is not None:
        total = charge(job).total * (job.part.copies + job.part.mirror_copies)
        rows.append(
            (
                job.resin.name,
                "resin",
                "",
                "",
                cell_of(total, "mass", system),
                "",
                "",
                f"{total * job.resin.price_per_kg:.2f}",
            )
        )
    return rows


def totals_pages(job: Job, system: System = "metric") -> list[Page]:
    """Return the material totals for all copies, and what one part comes to."""
    pages = Pages(job.name, "material")
    right, left = job.part.copies, job.part.mirror_copies
    hands = tr("{0} right hand and {1} left hand", right, left) if left else f"{right}"
    pages.line(
        tr(
            "For {0} of this part, with {1:.0f} % waste and the overlaps of splices.",
            hands,
            job.rules.waste * 100,
        )
    )
    pages.rows(
        material_rows(job, system),
        ((0, 0, "l"), (1, 230, "l"), (2, 340, "r"), (3, 410, "r"), (4, 480, "r"), (5, 560, "r"), (6, 610, "r"), (7, 690, "r")),
    )  # fmt: skip
    one = part_totals(job)
    pages.heading("One part")
    pages.table(
        (("", 0, "l"), ("", 200, "r")),
        [
            ("area on the mould", show(one.area, "area", system, 3)), ("fibre", show(one.fibre, "mass", system)),
            ("core", show(one.core, "mass", system)), ("skin coat and tack", show(one.other, "mass", system)),
            ("resin that stays", show(one.resin, "mass", system)), ("finished part", show(one.mass, "mass", system)), ("layers and resin", f"{one.cost:.2f}"),
        ],
    )  # fmt: skip
    return pages.pages


def line_pages(job: Job, system: System = "metric") -> list[Page]:
    """Return the line list, with the line diagram above it."""
    pages = Pages(job.name, "line list")
    if not job.lines:
        pages.line(tr("There are no lines yet."))
        return pages.pages
    pages.drawing(list(draw_diagram(job, RIGHT - LEFT, 330.0, PAPER, system)), 330.0)
    pages.rows(
        line_rows(job, system),
        ((0, 0, "l"), (1, 56, "l"), (3, 190, "r"), (4, 260, "r"), (5, 320, "r"), (6, 410, "r"), (8, 430, "l"), (10, 690, "r")),
    )  # fmt: skip
    for cut in cuts(job):
        if cut.what in {"feed", "vacuum"}:
            pages.line(f"{cut.name}: {cut.kind}", size=10)
    return pages.pages
