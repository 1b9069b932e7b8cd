"""The shop itself: the filling engine under valves that are turned as one goes, a bucket that is drawn from and heats, a bag, a gauge.

Whatever has happened so far makes a forecast of the true job; what is still to come may be changed by what is done next.  So the
same acts at the same times give the same shop, however fast they came.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
from msgspec import Struct

from bibulon.core.flow.forecast import Forecast, Resolution, forecast
from bibulon.core.model.job import Job
from bibulon.core.model.lines import AtTime, FlowLine, Opening, ValveTurn
from bibulon.core.plans.rehearsal.faults import Hidden, true_job
from bibulon.core.resin.charge import charge

__all__ = ["PRACTICE", "Act", "Mixed", "Shop"]

PRACTICE = Resolution(500, 1, 12)
NEVER = 1e8  # s
SHUT = 1e-3  # of a valve: what a clamp that leaks lets through is a hundred times more
LEAKING = 0.1
HOT_LIFE = 0.35  # of the pot life that a bucket which heats itself has
BIAS = 3000.0  # Pa that a wrong gauge reads too deep
TEST_RISE = 0.35  # Pa/s that a leak makes in the test


class Act(Struct, frozen=True):
    """What somebody did, and when [s from the first feed]."""

    time: float
    what: str
    of: str = ""


def _at_start(when: Opening) -> bool:
    return isinstance(when, AtTime) and when.time <= 0


class Mixed(Struct, frozen=True):
    """A batch: when its mixing ended [s], and how much [kg]."""

    time: float
    mass: float


class Shop:
    """A shot under way.  Times count from opening the first feed; before it they are negative.

    Raises
    ------
    BuildError, OutlineError : when the job cannot be forecast at all.
    """

    def __init__(self, job: Job, hidden: Hidden, resolution: Resolution = PRACTICE) -> None:
        self.job, self.hidden, self.resolution = job, hidden, resolution
        self.plan: Forecast = forecast(job, resolution)
        self.now = -900.0
        self.acts: list[Act] = []
        self.mixed: list[Mixed] = []
        self.mended: dict[str, float] = {}  # kind, and when
        self.turns: dict[str, list[tuple[float, float]]] = {}
        self.vacuums: dict[str, tuple[ValveTurn, ...]] | None = (
            None  # as moved; None while they go by the plan
        )
        self.lost = 0.0  # kg that gelled in the bucket
        self.injecting = (
            ""  # the machine's run that the part is filled by; its tanks are not mixed, and do not gel
        )
        self.air_drawn_at: float | None = None
        self.released_at: float | None = None
        self._truth: tuple[object, Forecast] | None = None

    # -- what is so

    @property
    def feeds(self) -> list[FlowLine]:
        """The feeds, in the order of the plan."""
        return [x for x in self.job.lines if x.role == "feed"]

    @property
    def began(self) -> bool:
        """Whether the first feed was opened."""
        return bool(self.turns)

    def has(self, kind: str) -> bool:
        """Whether a fault is there and not mended; nobody in the shop may ask."""
        return kind not in self.mended and any(f.kind == kind for f in self.hidden.faults)

    def truth(self) -> Forecast:
        """Return what the acts so far come to, when nothing more is done."""
        vacuums = None if self.vacuums is None else tuple(self.vacuums.items())
        key = (tuple((k, tuple(v)) for k, v in sorted(self.turns.items())), vacuums, frozenset(self.mended))
        if self._truth is None or self._truth[0] != key:
            self._truth = (key, forecast(self.true_job(), self.resolution))
        return self._truth[1]

    @property
    def rest(self) -> float:
        """What a shut feed still lets through, as a share of its opening."""
        return LEAKING if self.has("clamp") else 0.0

    def true_job(self) -> Job:
        """Return the job as it is, with the valves as they were turned; nobody in the shop may ask."""
        job = true_job(self.job, self.hidden, frozenset(self.mended))
        rest = self.rest
        lines = []
        for line in job.lines:
            if line.role == "feed":
                turns = self.turns.get(line.id, [])
                if not turns:
                    line = line.replaced(opens=AtTime(time=NEVER), shuts=None, turns=())
                else:
                    later = tuple(
                        ValveTurn(when=AtTime(time=t), share=max(share, rest)) for t, share in turns[1:]
                    )
                    line = line.replaced(opens=AtTime(time=turns[0][0]), shuts=None, turns=later)
            elif self.vacuums is not None:
                on = line.opens if _at_start(line.opens) else AtTime(time=NEVER)
                set_before = tuple(t for t in line.turns if _at_start(t.when))
                moved = self.vacuums.get(line.id, ())
                line = line.replaced(opens=on, shuts=None, turns=(*set_before, *moved))
            lines.append(line)
        return job.replaced(lines=tuple(lines))

    # -- what one sees, feels and reads

    def seen_wet(self, x: float, y: float) -> bool:
        """Whether resin shows through the bag at a place [m]."""
        if not self.began:
            return False
        try:
            told = self.truth().probe(x, y)
        except ValueError:
            return False
        return min(told.values(), default=math.inf) <= self.now

    def seen_share(self) -> float:
        """Return how much of the part is wet as seen from the bag."""
        return self._share(self.truth(), self.now) if self.began else 0.0

    @staticmethod
    def _share(flow: Forecast, time: float) -> float:
        wet = np.where(flow.model.node_at >= 0, flow.wet_at, np.inf).min(axis=1)
        there = (flow.model.node_at >= 0).any(axis=1)
        return float((wet[there] <= time).mean())

    def planned_share(self) -> float:
        """Return how much the plan says is wet by now."""
        return self._share(self.plan, self.now)

    def drawn(self, time: float) -> float:
        """Return the resin drawn from the bucket by a moment [kg]."""
        if not self.began:
            return 0.0
        frames = self.truth().history.frames
        fed = np.interp(time, [f.time for f in frames], [sum(f.fed) for f in frames])
        return float(fed) * self.plan.density

    @property
    def bucket(self) -> float:
        """What is in the bucket [kg]."""
        return sum(m.mass for m in self.mixed) - self.lost - self.drawn(self.now)

    def life_ends(self) -> float:
        """Return when the oldest resin in the bucket is past its life [s]; inf for an empty one."""
        if not self.mixed or self.job.resin is None or self.bucket <= 0 or self.injecting:
            return math.inf
        life = self.job.resin.pot_life * (HOT_LIFE if self.has("hot") else 1.0)
        drawn, upto = self.drawn(self.now) + self.lost, 0.0
        for m in self.mixed:
            upto += m.mass
            if upto > drawn + 1e-9:
                return m.time + life
        return math.inf

    def bucket_is_warm(self) -> bool:
        """Whether the hand on the bucket feels it: from a third of its life on, when it heats itself."""
        ends = self.life_ends()
        return (
            self.has("hot")
            and math.isfinite(ends)
            and self.now > ends - 0.67 * HOT_LIFE * (self.job.resin.pot_life if self.job.resin else 0)
        )

    def gauge(self) -> float:
        """Return what the gauge reads [Pa absolute]."""
        true = true_job(self.job, self.hidden, frozenset(self.mended)).conditions.vacuum
        return max(true - (BIAS if self.has("gauge") else 0.0), 100.0)

    def flange(self) -> float:
        """Return what the gauge on a closed mould's flange reads [Pa absolute]."""
        return true_job(self.job, self.hidden, frozenset(self.mended)).closed.flange

    def reads_air(self) -> float:
        """Return what the gauge reads when it is open to the air [Pa]."""
        return self.job.conditions.atmosphere - (BIAS if self.has("gauge") else 0.0)

    def resin_reads(self) -> float:
        """Return how warm the resin is by a thermometer [K]."""
        return true_job(self.job, self.hidden, frozenset(self.mended)).conditions.resin_temperature

    def weighed_ratio(self) -> float:
        """Return by how much part B is off, as a share of what was asked, when it is weighed again."""
        return -0.33 if self.has("ratio") else 0.0

    def hose_is_kinked(self) -> bool:
        """Whether a feed hose is seen to be bent flat: one that is looked along shows it."""
        return self.has("kink")

    def hose_drips(self) -> bool:
        """Whether resin still moves in a hose that is clamped."""
        return self.has("clamp") and bool(self.turns) and not any(self.is_open(x.id) for x in self.feeds)

    def test_rise(self) -> float:
        """Return how fast the shut bag rises [Pa/s]."""
        return 0.02 + (TEST_RISE if self.has("leak") else 0.0)

    def gel_after(self) -> float:
        """Return how long after its mixing resin gels in the part [s]; inf where its law tells none."""
        flow = self.truth() if self.began else self.plan
        gel = float(flow.clock.gel)
        return gel + self.job.conditions.mixed_before_start if gel < 1e8 else math.inf

    def gel_of_last(self) -> float:
        """Return when the youngest resin gels [s]."""
        return (self.mixed[-1].time if self.mixed else 0.0) + self.gel_after()

    # -- what one does

    def advance(self, by: float) -> None:
        """Let time pass [s]: what the bucket does on the way happens by itself."""
        end = self.now + by
        while self.now < end - 1e-9:
            step = min(10.0, end - self.now)
            self.now += step
            if not self.began:
                continue
            if not any(self.is_open(x.id) for x in self.feeds):
                continue  # what is left over may gel where it stands
            if self.bucket <= 0:
                self.air_drawn_at = self.air_drawn_at if self.air_drawn_at is not None else self.now
                self.shut_all("the bucket ran empty")
            elif self.now >= self.life_ends():
                self.lost += self.bucket
                self.shut_all("the bucket gelled")

    def _note(self, what: str, of: str = "") -> None:
        self.acts.append(Act(self.now, what, of))

    def is_open(self, line: str) -> bool:
        """Whether a feed is open."""
        turns = self.turns.get(line)
        return bool(turns) and turns[-1][1] > 0.5  # type: ignore[index]

    def open(self, line: str) -> None:
        """Open a feed; the first one starts the clock at nought."""
        if not self.began:
            shift = self.now
            self.mixed = [Mixed(m.time - shift, m.mass) for m in self.mixed]
            self.acts = [Act(a.time - shift, a.what, a.of) for a in self.acts]
            self.now = 0.0
        if not self.is_open(line):
            self.turns.setdefault(line, []).append((self.now, 1.0))
            self._note("open", line)

    def shut(self, line: str) -> None:
        """Shut a feed."""
        if self.is_open(line):
            self.turns[line].append((self.now, SHUT))
            self._note("shut", line)

    def move_vacuum(self, line: str, share: float | None, pressure: float | None = None) -> None:
        """Clamp a vacuum line, open it, throttle it to a share of its opening, or set it to a pressure [Pa absolute]."""
        turn = ValveTurn(when=AtTime(time=max(self.now, 0.0)), share=share, pressure=pressure)
        self.vacuums = {**(self.vacuums or {}), line: (*(self.vacuums or {}).get(line, ()), turn)}
        self._note("open" if share == 1 else "shut" if share == 0 else "turned", line)

    def shut_all(self, why: str) -> None:
        """Shut every feed that is open."""
        for x in self.feeds:
            self.shut(x.id)
        self._note(why)

    def mix(self, mass: float) -> None:
        """Mix a batch: it takes the time that the resin's sheet tells."""
        self.advance(self.job.resin.mixing_time if self.job.resin else 0.0)
        self.mixed.append(Mixed(self.now, mass))
        self._note("mix", f"{mass:.2f} kg")

    def mend(self, kind: str) -> None:
        """Mend a fault that was noticed."""
        self.mended[kind] = self.now
        self._note("mend", kind)

    def release(self) -> None:
        """Let go of the vacuum."""
        self.released_at = self.now
        self._note("release")

    def batches(self) -> Sequence[float]:
        """Return what the plan mixes [kg]."""
        return [b.mass for b in charge(self.job).batches]
