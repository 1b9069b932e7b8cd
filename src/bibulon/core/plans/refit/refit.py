"""Refit: what marks, valves, weighings and gauge readings make of a forecast, always from the prior, never from the last state."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import numpy.typing as npt
import scipy
from msgspec import Struct, field

from bibulon.core.plans.refit.basis import EARLY, Columns
from bibulon.core.plans.refit.calibrate import Suspect, level
from bibulon.core.plans.refit.condition import FREEDOM, Seen, condition, evidence
from bibulon.core.plans.refit.drive import Drive
from bibulon.core.plans.refit.ensemble import MASSES, Parameter
from bibulon.core.plans.refit.marks import Weighed, seen_of
from bibulon.core.plans.refit.prior import Prior
from bibulon.core.run.day import opening_of
from bibulon.core.run.journal import FrontMark
from bibulon.core.units.words import tr

__all__ = ["Contradiction", "Known", "Range", "Refit", "refit"]

Floats = npt.NDArray[np.float64]
ODD = 0.03  # by which a mark counts as odd: so that one is named in at most one good shot in twenty (bin/bench refit)
MISFIT = 2.0  # times as far off as expected, from which on the marks do not fit the plan
SUSPECTED = 0.25  # prior shared by a fault's families; of a mark that is wrong; of nothing
WRONG, NOTHING = 0.05, 0.70
STRENGTH = 1.2  # of a suspect's change, as a deviation
WRONG_BY = 0.5  # of ln t
TURNED = 5.0  # s off its plan by the day's drive, from which on a feed to come is taken as such
AT_MOST = 6  # explanations offered
CANDIDATES = 60
MESH = 1.06  # by what the fill's range is wider: truths of a finer mesh fell out of it more often than those of the members' own


class Range(Struct, frozen=True):
    """Nine times in ten between low and high; ``near`` the half that lies in the middle [s]."""

    low: float
    middle: float
    high: float
    near: tuple[float, float]

    def words(self) -> str:
        """Return it in minutes, for a glance."""
        return tr("{0:.0f} to {1:.0f} min", self.low / 60, self.high / 60)


class Known(Struct, frozen=True):
    """A parameter: what the plan takes, and what the marks make of it (factors; seconds for times)."""

    name: str
    prior: float
    low: float
    middle: float
    high: float


class Contradiction(Struct, frozen=True):
    """A mark that the others do not bear out, by how many deviations (later than they say above 0), and what may explain it.

    explanations : (words, share of belief), the likeliest first: an offer, never a diagnosis.
    """

    mark: int
    sigma: float
    explanations: tuple[tuple[str, float], ...]


class Refit(Struct, frozen=True, eq=False):
    """What is known now.  ``top`` and ``through`` are (low, middle, high) of each vertex [s], shape (3, v).

    last_wet : the place [m] that is likely to be wet last; full_before_gel : chance; fit : 1 where marks are as far off
    as expected; next_mark : where one more mark would tell most [m]; resin : drawn by wet-through [m³], if it is told.
    """

    prior: Prior
    marks: tuple[FrontMark, ...]
    now: float
    top: Floats
    top_near: Floats
    through: Floats
    fill: Range
    last_wet: tuple[float, float]
    parameters: tuple[Known, ...]
    contradictions: tuple[Contradiction, ...]
    fit: float
    full_before_gel: float
    next_mark: tuple[float, float] | None
    gel: float  # when the first batch gels [s]
    scores: tuple[float, ...]  # the likeliest of all parameters
    gauge_read: bool = False
    taken: tuple[str, ...] = field(default=())

    @property
    def misfits(self) -> bool:
        """Whether the marks together lie further off the plan than shots do."""
        return self.fit > MISFIT

    def passed(self, line: str) -> float:
        """Return when the front is likely to be past all of a line [s]; nought for one that touches nothing."""
        return float(self.top[1][self.prior.model.lines[line]].max(initial=0.0))

    def at(self, x: float, y: float) -> Range:
        """Return when a place [m] is wet as seen from the bag.

        Raises
        ------
        ValueError : when it lies off the part.
        """
        mesh = self.prior.mesh
        triangle, weights = mesh.locate(np.array([[x, y]]))
        if triangle[0] < 0:
            raise ValueError(tr("x {0:.0f} mm, y {1:.0f} mm lies off the part", x * 1000.0, y * 1000.0))
        corners = mesh.triangles[triangle[0]]
        low, middle, high = (float(t[corners] @ weights[0]) for t in self.top)
        near = tuple(float(t[corners] @ weights[0]) for t in self.top_near)
        return Range(low, middle, high, (near[0], near[1]))


def refit(
    prior: Prior,
    marks: Sequence[FrontMark],
    now: float,
    *,
    opened: dict[str, float] | None = None,
    weighed: Sequence[Weighed] = (),
    drive: Drive | None = None,
    taken: Sequence[str] = (),
    widen: float = 1.0,
    gel: float | None = None,
    gauge_read: bool | None = None,
    waiting: frozenset[str] = frozenset(),
) -> Refit:
    """Return what is known at a moment [s].

    Parameters
    ----------
    opened : by how many seconds after its plan each feed was opened by hand.
    drive : the drive as it was read, against the plan's; without it the plan's is taken to hold.
    taken : words of the suspects that the crew has confirmed.
    widen : by what the ranges are wider, while the ensemble is of another plan than the day's.
    gel : when the first batch gels [s] with resin as warm as it was read; None for the plan's.
    waiting : feeds that are known to be shut still; of others that are not in ``opened`` nobody knows.
    gauge_read : whether the drive holds a gauge's readings; None where there is no drive but of them.

    Raises
    ------
    ValueError : when a mark lies off the part, or after ``now``.
    """
    late = next((m for m in marks if m.time > now + 1.0), None)
    if late is not None:
        raise ValueError(tr("a mark at {0:.0f} s lies after now, {1:.0f} s", late.time, now))
    course = drive or Drive()
    basis = prior.basis
    told = tuple(FrontMark(m.x, m.y, course.plan_time(m.time), m.kind) for m in marks)
    scaled = tuple(Weighed(w.share, course.plan_time(w.time)) for w in weighed)
    seen = seen_of(basis, told, scaled, *_turned(prior, course, opened or {}, dict.fromkeys(waiting, now)))
    own = basis.of_parameters()
    out = basis.all + own
    terms = [s for s in prior.suspects if s.words in taken]
    extra = _terms(prior, seen, told, terms) if terms else None
    known = condition(basis, seen, out, extra)
    count = sum(m.kind == "front" for m in marks)
    f_places, f_fill = prior.factors.at(count)
    v = basis.places
    half = widen * np.array([level(0.5, known.freedom), level(0.9, known.freedom)])
    times = _ranges(known.mean, known.deviation, half * f_places, course)
    near = _ranges(known.mean, known.deviation, (half * f_places)[:1].repeat(2), course)
    fill_at = float(known.mean[2 * v])
    spread = MESH * half * f_fill * known.deviation[2 * v]
    fill = _fill_range(fill_at, spread, course)
    through = times[:, v : 2 * v]
    last = prior.mesh.points[int(np.argmax(np.where(_cloth(prior), through[1], -np.inf)))]
    gel = prior.gel if gel is None else gel
    chance = _full_before(gel, fill_at, float(spread[1] / half[1]), known.freedom, course)
    p0 = len(basis.all.mean)
    parameters = tuple(
        _known(p, known.mean[p0 + k], known.deviation[p0 + k] * half[1])
        for k, p in enumerate(basis.parameters)
    )
    return Refit(
        prior, tuple(marks), now, times[:, :v], near[::2, :v], through, fill, (float(last[0]), float(last[1])), parameters,
        _contradictions(prior, seen, told, known.fit), known.fit, chance, _most_telling(prior, seen, told, known.mean, now, course),
        gel, tuple(float(m) for m in known.mean[p0:]), drive is not None if gauge_read is None else gauge_read, tuple(taken),
    )  # fmt: skip


def _fill_range(fill_at: float, spread: Floats, course: Drive) -> Range:
    """Return when it is wet through [s], from the mean of its logarithm and half its widths."""
    low, high = (course.time(np.exp(fill_at + way * spread[1]) - EARLY) for way in (-1, 1))
    near = (
        course.time(np.exp(fill_at - spread[0]) - EARLY),
        course.time(np.exp(fill_at + spread[0]) - EARLY),
    )
    return Range(low, course.time(np.exp(fill_at) - EARLY), high, near)


def _full_before(gel: float, fill_at: float, deviation: float, freedom: float, course: Drive) -> float:
    """Return the chance that it is wet through before it gels."""
    if not np.isfinite(gel):
        return 1.0
    reach = (np.log(max(course.plan_time(gel), 1.0) + EARLY) - fill_at) / max(deviation, 1e-9)
    return float(scipy.special.stdtr(freedom, reach))


def _turned(
    prior: Prior, course: Drive, opened: dict[str, float], soonest: dict[str, float]
) -> tuple[dict[str, float], Sequence[float], dict[str, float]]:
    """Return lateness of feeds on the plan's own time, of those that were opened and of those to come; the shares of MASSES between.

    A valve is turned by the clock on the wall, which a weak or a cold shot falls behind; one that waits is turned at its ``soonest``.
    """
    done, coming = {}, {}
    for line in prior.job.lines:
        planned = opening_of(line)
        if line.role != "feed" or planned is None:
            continue
        real = planned + opened[line.id] if line.id in opened else max(planned, soonest.get(line.id, planned))
        late = course.plan_time(real) - planned
        if line.id in opened:
            done[line.id] = late
        elif abs(late) > TURNED:
            coming[line.id] = late
    return done, MASSES, coming


def _cloth(prior: Prior) -> npt.NDArray[np.bool_]:
    return np.asarray((prior.model.node_at >= 0).any(axis=1))


def _ranges(mean: Floats, deviation: Floats, half: Floats, course: Drive) -> Floats:
    """Return low, middle and high times [s] at the last of the half-widths, shape (3, m)."""
    wide = deviation * half[-1]
    return np.vstack([course.times(np.exp(mean + s * wide) - EARLY) for s in (-1, 0, 1)])


def _known(parameter: Parameter, mean: float, half: float) -> Known:
    low, middle, high = (parameter.value(float(mean + s * half)) for s in (-1, 0, 1))
    return Known(parameter.name, parameter.value(0.0), low, middle, high)


def _change_at(prior: Prior, change: Floats, marks: Sequence[FrontMark]) -> Floats:
    if not marks:
        return np.zeros(0)
    triangle, weights = prior.mesh.locate(np.array([(m.x, m.y) for m in marks]))
    return np.einsum("kw,kw->k", change[prior.mesh.triangles[triangle]], weights)


def _terms(
    prior: Prior, seen: Seen, marks: Sequence[FrontMark], terms: Sequence[Suspect]
) -> tuple[Floats, Floats, Floats]:
    """Return what a confirmed fault does to passed marks, dry marks and all outputs."""
    change = sum((t.change for t in terms), np.zeros_like(terms[0].change)) * STRENGTH
    passed = _change_at(prior, change, [m for m in marks if m.kind == "front"])
    passed = np.concatenate([passed, np.zeros(len(seen.y) - len(passed))])
    dry = _change_at(prior, change, [m for m in marks if m.kind == "dry"])
    return passed, dry, np.concatenate([change, np.zeros(len(prior.basis.parameters))])


def _covariance(prior: Prior, columns: Columns, r: Floats) -> Floats:
    s = prior.basis.covariance(columns, columns)
    s[np.diag_indices_from(s)] += r
    return s


def _contradictions(
    prior: Prior, seen: Seen, marks: Sequence[FrontMark], fit: float
) -> tuple[Contradiction, ...]:
    """Return each passed mark that the others do not bear out; where all of them misfit, the worst."""
    fronts = [k for k, m in enumerate(marks) if m.kind == "front"]
    n = len(fronts)
    if n < 2:
        return ()
    s = _covariance(prior, seen.passed, seen.r)
    inverse = np.linalg.inv(s)
    d = seen.y - seen.passed.mean
    weighted = inverse @ d
    own = np.diag(inverse)
    off = weighted / own
    total = float(d @ weighted)
    freedom = FREEDOM + len(d) - 1
    scale = (FREEDOM + np.maximum(total - off**2 * own, 0.0)) / freedom
    t = off * np.sqrt(own) / np.sqrt(scale)
    tail = np.clip(scipy.special.stdtr(freedom, -np.abs(t)), 1e-12, 0.5)
    sigma = -scipy.special.ndtri(tail) * np.sign(t)
    named = [k for k in range(n) if abs(sigma[k]) > -scipy.special.ndtri(ODD / 2 / n)]
    if not named and fit > MISFIT:
        named = [int(np.argmax(np.abs(sigma[:n])))]
    named.sort(key=lambda k: -abs(sigma[k]))
    named = named[:2]
    if not named:
        return ()
    offers = _explanations(prior, seen, [marks[k] for k in fronts], s, d)
    return tuple(Contradiction(fronts[k], float(sigma[k]), offers) for k in named)


def _explanations(
    prior: Prior, seen: Seen, fronts: Sequence[FrontMark], s: Floats, d: Floats
) -> tuple[tuple[str, float], ...]:
    """Return what may explain the marks, by evidence: faults by family, a mark that is wrong, or nothing at all."""
    families = sorted({x.family for x in prior.suspects})
    found: list[tuple[str, float]] = [
        (tr("chance alone: no fault is needed"), np.log(NOTHING) + evidence(s, d))
    ]
    for family in families:
        of = [x for x in prior.suspects if x.family == family]
        for suspect in of:
            g = np.concatenate([_change_at(prior, suspect.change, fronts), np.zeros(len(d) - len(fronts))])
            weight = SUSPECTED / len(families) / len(of)
            found.append((suspect.words, np.log(weight) + evidence(s + STRENGTH**2 * np.outer(g, g), d)))
    for k in range(len(fronts)):
        wrong = s.copy()
        wrong[k, k] += WRONG_BY**2
        words = tr("mark {} is wrong: correct or withdraw it", k + 1)
        found.append((words, np.log(WRONG / len(fronts)) + evidence(wrong, d)))
    highest = max(e for _, e in found)
    shares = np.exp(np.array([e - highest for _, e in found]))
    shares /= shares.sum()
    order = np.argsort(-shares)[:AT_MOST]
    return tuple((found[int(k)][0], float(shares[int(k)])) for k in order)


def _most_telling(
    prior: Prior, seen: Seen, marks: Sequence[FrontMark], mean: Floats, now: float, course: Drive
) -> tuple[float, float] | None:
    """Return the place about to be wet whose mark would narrow the fill time most."""
    basis = prior.basis
    v = basis.places
    at = np.log(max(course.plan_time(now), 0.0) + EARLY)
    soon = np.flatnonzero(_cloth(prior) & (mean[:v] > at) & (mean[:v] < at + 0.5))
    if not len(soon):
        return None
    soon = soon[:: max(1, len(soon) // CANDIDATES)]
    places, fill = basis.all.picked(soon), basis.all.picked(np.array([2 * v]))
    joint, var = basis.covariance(fill, places)[0], basis.variance(places)
    if len(seen.y):
        root = scipy.linalg.cho_factor(_covariance(prior, seen.passed, seen.r))
        cross, of_fill = basis.covariance(places, seen.passed), basis.covariance(fill, seen.passed)
        solved = scipy.linalg.cho_solve(root, cross.T)
        joint = joint - (of_fill @ solved)[0]
        var = var - np.einsum("ij,ji->i", cross, solved)
    gain = joint**2 / (np.maximum(var, 0.0) + 4e-4)
    x, y = prior.mesh.points[soon[int(np.argmax(gain))]]
    return float(x), float(y)
