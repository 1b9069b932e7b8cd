"""What a finding is, and what rules may look at."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Literal

import shapely
from msgspec import Struct
from msgspec.structs import replace

from bibulon.core.bag.bag import Bag
from bibulon.core.cure.field import CureField, field_of
from bibulon.core.flow.forecast import Forecast
from bibulon.core.leak.droptest import LeakResult, Verdict
from bibulon.core.model.job import Job
from bibulon.core.mould.mould import Mould
from bibulon.core.resin.charge import Charge
from bibulon.core.units.figures import figure, worded
from bibulon.core.units.units import System
from bibulon.core.units.words import tr

__all__ = ["Evidence", "Finding", "Remedy", "Rule", "Weight", "inside_of", "mm"]

Weight = Literal["blocking", "warning", "note"]


class Remedy(Struct, frozen=True):
    """What the program can do about a finding: a label and the changed job."""

    label: str
    apply: Callable[[Job], Job]


class Finding(Struct, frozen=True):
    """One verdict: what, where, the number against the limit, why it matters, what would mend it.

    Figures stand in its texts as ``units.figures`` has them, until ``worded``.
    ``key`` stays the same while the fact does, so that an acceptance finds it again.
    ``places`` are points of the plan [m]; ``time`` a moment of the clock [s].  What has a ``size`` [SI] is known
    again by its place and size, not by its key, which only ranks it.
    """

    key: str
    weight: Weight
    title: str
    number: str
    limit: str
    why: str
    mend: str
    station: str
    places: tuple[tuple[float, float], ...] = ()
    time: float | None = None
    remedy: Remedy | None = None
    size: float | None = None
    rule: str = ""  # that found it, set where all are run

    @property
    def kind(self) -> str:
        """Return what the finding is of, whatever its rank: what an acceptance of something with a size names."""
        return self.key.partition(":")[0]

    def worded(self, system: System) -> Finding:
        """Return the finding with its figures written out in a system's units."""

        def told(text: str) -> str:
            return worded(tr(text), system)

        return replace(
            self, title=told(self.title), number=told(self.number), limit=told(self.limit), why=told(self.why),
            mend=told(self.mend), remedy=self.remedy and Remedy(told(self.remedy.label), self.remedy.apply),
        )  # fmt: skip


def mm(metres: float, digits: int = 0) -> str:
    """Return a small length as a figure of a text."""
    return figure(metres, "length", digits)


def inside_of(shape: shapely.Geometry) -> tuple[float, float]:
    """Return a place in a shape [m]."""
    point = shapely.point_on_surface(shape)
    return float(point.x), float(point.y)


class Evidence(Struct, frozen=True, eq=False):
    """All that a rule may look at; what could not be worked out is None."""

    job: Job
    forecast: Forecast | None = None
    charge: Charge | None = None
    leak: LeakResult | None = None
    verdict: Verdict | None = None
    bag: Bag | None = None
    mould: Mould | None = None
    leak_problem: str = ""  # why a record cannot be judged

    @property
    def cure(self) -> CureField | None:
        """How the part cures, reckoned when a rule first asks; None where it cannot be."""
        if self.forecast is None or self.job.resin is None:
            return None
        found = field_of(self.forecast, self.job.cure)
        return None if isinstance(found, str) else found


Rule = Callable[[Evidence], Iterator[Finding]]
