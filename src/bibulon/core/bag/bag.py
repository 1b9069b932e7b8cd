"""The bag as a whole: film with its sheets, pleats, slack of each side, tape and rolls."""

from __future__ import annotations

import math

from msgspec import Struct
from shapely.geometry import Polygon

from bibulon.core.bag.pleats import Pleat, SideSlack, as_set, planned, slack_of
from bibulon.core.bag.tubes import TubeThrough, tubes_of
from bibulon.core.bag.walk import Walk, walk_of
from bibulon.core.model.job import Job
from bibulon.core.units.words import tr

__all__ = ["NO_BAG", "Bag", "FilmCut", "Tape", "bag_of", "has_bag"]

NO_BAG = tr("This job is made in a closed mould: it has no bag.")


class FilmCut(Struct, frozen=True):
    """The film: length along the roll and width across it [m], of how many strips it is joined, how many sheets.

    bought : what is pulled off the roll [m²]; lies : what lies on the mould and its handling edge [m²].
    """

    length: float
    width: float
    strips: int
    sheets: int
    pulled: float
    bought: float
    lies: float
    seams: float

    @property
    def waste(self) -> float:
        """Share of what is bought that the bag does not need."""
        return max(1 - self.sheets * self.lies / self.bought, 0.0) if self.bought > 0 else 0.0


class Tape(Struct, frozen=True):
    """Sealing tape [m], by what it is for, and whole rolls; ``joints`` along the walk where one roll ends [m]."""

    round: float
    pleats: float
    tubes: float
    corners: float
    seams: float
    waste: float
    rolls: int
    joints: tuple[float, ...] = ()

    @property
    def total(self) -> float:
        """All of it, with waste [m]."""
        return self.round + self.pleats + self.tubes + self.corners + self.seams + self.waste


class Bag(Struct, frozen=True):
    """What ``bag_of`` works out."""

    walk: Walk
    tubes: tuple[TubeThrough, ...]
    pleats: tuple[Pleat, ...]
    sides: tuple[SideSlack, ...]
    film: FilmCut
    outline: Polygon
    tape: Tape
    allowance: float

    @property
    def closing(self) -> Pleat | None:
        """The pleat that is laid last, the other way round."""
        return next((p for p in self.pleats if p.closing), None)


def has_bag(job: Job) -> bool:
    """Whether a job is made under a bag, and not between two halves."""
    return job.process == "infusion"


def bag_of(job: Job) -> Bag:
    """Work out the bag of a job.

    Raises
    ------
    OutlineError : when an outline is crossed or empty.
    """
    rules, plan = job.rules, job.bag
    walk = walk_of(job)
    tubes = tubes_of(job, walk)
    share = rules.film_allowance if plan.allowance is None else plan.allowance
    edge = rules.film_edge
    there = {s.name: (1 + share) * (s.girth + 2 * edge) - 2 * edge - s.span for s in walk.sides}
    pleats = planned(walk, tubes, there, rules) if plan.pleats is None else as_set(plan.pleats, walk, tubes)
    sides = slack_of(walk, pleats, tubes, there)
    film = _film(job, walk, share)
    return Bag(
        walk, tubes, tuple(pleats), sides, film, _film_outline(walk, share, edge), _tape(job, walk, pleats, tubes, film),
        share,
    )  # fmt: skip


def _film(job: Job, walk: Walk, share: float) -> FilmCut:
    """Return the film for the school: sheets on the roll, laid the way round that takes less."""
    rules, plan = job.rules, job.bag
    along, across = ((1 + share) * (g + 2 * rules.film_edge) for g in walk.girths)
    sheets = {"single bag": 1, "double bag": 2, "envelope": 2, "membrane": 0}[plan.school]
    roll, lap = plan.film.roll_width, rules.film_lap
    if plan.school == "envelope" and plan.film.tube:
        sheets = 1  # a tube is both faces at once
    choices = []
    for length, width in ((along, across), (across, along)):
        strips = 1 if width <= roll else math.ceil((width - lap) / (roll - lap) - 1e-9)
        choices.append((strips * length, strips, length, width))
    pulled, strips, length, width = min(choices)
    faces = 2 if plan.film.tube else 1
    return FilmCut(
        length, width, strips, sheets, pulled * sheets, pulled * sheets * roll * faces, length * width * faces,
        (strips - 1) * length * sheets,
    )  # fmt: skip


def _film_outline(walk: Walk, share: float, edge: float) -> Polygon:
    """Return the film as it is laid out flat over the mould, before any pleat."""
    over = [((1 + share) * (s.girth + 2 * edge) - s.span) / 2 for s in walk.sides]
    return Polygon(walk.ring).buffer(sum(over) / len(over), join_style="mitre", mitre_limit=1.6)


def _tape(job: Job, walk: Walk, pleats: list[Pleat], tubes: tuple[TubeThrough, ...], film: FilmCut) -> Tape:
    """Return the tape: round the part, up each pleat, one wrap a tube, corners overlapped, seams on both sides."""
    rules, school = job.rules, job.bag.school
    bags = {"single bag": 1, "double bag": 2, "envelope": 1, "membrane": 0}[school]
    round_ = bags * walk.length
    if school == "envelope" and job.bag.film.tube:
        round_ = 2 * min(film.width, job.bag.film.roll_width)  # a tube is closed at its two ends
    legs = bags * sum(p.size + rules.pleat_foot for p in pleats)
    wraps = sum(math.pi * t.outer + rules.tube_wrap for t in tubes)
    corners = bags * len(walk.corners) * rules.tape_corner
    seams = 2 * film.seams
    bare = round_ + legs + wraps + corners + seams
    waste = rules.tape_waste * bare
    return Tape(
        round_,
        legs,
        wraps,
        corners,
        seams,
        waste,
        math.ceil((bare + waste) / job.bag.tape.roll_length - 1e-9),
    )
