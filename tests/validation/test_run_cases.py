"""What a crew knows of a shot under way, written down before the program was asked: what must be said, and what must not."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
import pytest
from msgspec.structs import replace
from scipy.integrate import solve_ivp
from scipy.optimize import brentq
from tests.validation.layouts import feed, vacuum
from tests.validation.layouts import job as panel

from bibulon.core.flow.forecast import Resolution, forecast
from bibulon.core.model.job import AtTime
from bibulon.core.plans.refit.choices import _by_a_factor, outcomes_of
from bibulon.core.plans.refit.drive import Drive
from bibulon.core.plans.refit.live import refit_of_run
from bibulon.core.plans.refit.prior import prior_of
from bibulon.core.plans.refit.today import bucket_of, findings_of_run
from bibulon.core.resin.charge import charge
from bibulon.core.resin.clock import flow_clock, viscosity_at
from bibulon.core.run.journal import Entry, run_state

OPENS = 240.0  # s, of the second feed by the plan
FAMILIES = {
    "front-slow",
    "front-fast",
    "heel",
    "missed",
    "early",
    "weaker",
    "batch-old",
    "gel-first",
    "short-likely",
    "hold-broken",
}


@dataclass(frozen=True)
class Case:
    """What happened: times and places in shares of the plan; what must be told, what may be."""

    name: str
    now: float  # of the plan's fill time
    must: frozenset[str] = frozenset()
    may: frozenset[str] = frozenset()
    slower: float = 1.0  # marks of a shot that takes so many times as long
    marks: int = 5
    second: float | None = OPENS  # when the second feed was opened [s]
    gauge: float | None = None  # share of the drive that is lost
    warm: float = 0.0  # K that the resin was read warmer
    left: float | None = None  # kg that the scale reads at last
    batches: tuple[float, ...] = ()  # when more was poured [s]
    wet: bool = False
    stopped: float | None = None  # s
    shut: tuple[str, ...] = field(default=())  # feeds shut at the end


def case(name, now, *must, may=(), **more):
    return Case(name, now, frozenset(must), frozenset(may), **more)


CASES = (
    case("a shot that goes as planned", 0.5),
    case("as planned, nearly full", 0.9, may=("batch-old",)),
    case("as planned, before anything was marked", 0.2, marks=0),
    case("slow cloth: twice the time", 0.5, "front-slow", slower=2.0, may=("gel-first", "short-likely", "missed", "early", "batch-old")),
    case("quick cloth: half the time", 0.3, "front-fast", slower=0.5, may=("early",)),
    case("a tenth slower is any day", 0.5, slower=1.1, may=("early",)),
    case("the second feed forgotten for three minutes", 0.55, "missed", second=None, marks=0),
    case("the second feed half a minute late", 0.5, second=OPENS + 30, may=("front-slow",)),
    case("the second feed opened at once", 0.3, "early", second=20.0, marks=0),
    case("a pump that loses a fifth of the drive", 0.5, "weaker", gauge=0.2, may=("front-slow", "gel-first", "early", "batch-old")),
    case("a gauge that breathes by three in a hundred", 0.5, gauge=0.03),
    case("a feed open over an empty bucket", 0.5, "heel", left=0.05, may=("batch-old", "short-likely", "front-fast", "front-slow")),
    case("the bucket empty, all wet and shut", 1.05, left=0.05, wet=True, shut=("F1", "F2"), may=("batch-old",)),
    case("let go half an hour too early", 1.1, "hold-broken", wet=True, stopped=1.1, shut=("F1", "F2")),
    case("read six kelvin colder, and slower as it should be", 0.5, warm=-6.0, slower=1.35, may=("front-slow", "gel-first", "early", "batch-old", "missed")),
)  # fmt: skip


@pytest.fixture(scope="module")
def shop():
    job = panel(
        lines=(feed(), feed("F2", path=((0.4, 0.02), (0.4, 0.48)), opens=AtTime(time=OPENS)), vacuum())
    )
    return (
        prior_of(job, runs=24, shots=6, workers=0),
        forecast(job, Resolution(500, 1, 10, air=False)),
        charge(job),
    )


def rows_of(case, prior, plan):
    now = case.now * plan.fill_time
    out = [Entry("r", 0.0, "start", {"began": 0.0}, 0.0), Entry("r", 0.0, "open", {"line": "F1"}, 0.0)]
    if case.second is not None and case.second < now:
        out.append(Entry("r", case.second, "open", {"line": "F2"}, case.second))
    top = prior.planned.top * case.slower
    order = np.argsort(top)
    wet = order[top[order] < now]
    for k, q in enumerate(np.linspace(0.15, 0.95, case.marks)):
        at = int(wet[int(q * (len(wet) - 1))])
        x, y = prior.mesh.points[at]
        out.append(
            Entry("r", float(top[at]), "front", {"x": float(x), "y": float(y)}, float(top[at]), f"m{k}")
        )
    c = prior.job.conditions
    if case.gauge is not None:
        for t in np.arange(0.0, now, 30.0):
            p = c.vacuum + case.gauge * (c.atmosphere - c.vacuum)
            out.append(Entry("r", float(t), "gauge", {"pressure": p}, float(t)))
    if case.warm:
        out.append(Entry("r", 1.0, "resin", {"temperature": c.resin_temperature + case.warm}, 1.0))
    out += [Entry("r", t, "batch", {}, t) for t in case.batches]
    if case.wet:
        out.append(Entry("r", plan.fill_time, "wet", {}, plan.fill_time))
    out += [Entry("r", now, "shut", {"line": line}, now) for line in case.shut]
    out.sort(key=lambda e: e.clock)
    if case.stopped is not None:
        out.append(Entry("r", case.stopped * plan.fill_time, "stop", {}, now))
    return out, now


@pytest.mark.parametrize("case", CASES, ids=lambda c: c.name)
def test_the_trade_knows(shop, case):
    prior, plan, made = shop
    journal, now = rows_of(case, prior, plan)
    found = refit_of_run(prior, journal, now, plan.density)
    state = run_state(journal)
    bucket = bucket_of(prior.job, made, plan, state, found, now, journal)
    if case.left is not None:
        journal = [
            *journal,
            Entry("r", now, "weight", {"left": case.left, "drawn": bucket.mixed - case.left}, now),
        ]
        bucket = bucket_of(prior.job, made, plan, state, found, now, journal)
    told = {f.key.split(":")[0] for f in findings_of_run(prior.job, plan, journal, found, bucket, now)}
    assert told <= FAMILIES
    assert case.must <= told, f"not told: {', '.join(case.must - told)}"
    assert told <= case.must | case.may, f"told without need: {', '.join(told - case.must - case.may)}"


@pytest.mark.parametrize(
    ("reached", "dry", "told"), [(0.5, 0.3, True), (0.95, 0.3, False), (0.5, 0.01, False)]
)
def test_resin_at_an_outlet_is_told_while_cloth_is_dry_and_not_when_that_was_the_last(
    shop, reached, dry, told
):
    prior, plan, _ = shop
    journal, now = rows_of(case("", 0.8), prior, plan)
    found = refit_of_run(prior, journal, now, plan.density)
    top, through = found.top.copy(), found.through.copy()
    top[:, prior.model.lines["V1"]] = reached * now
    through[1] = np.where(np.arange(through.shape[1]) < dry * through.shape[1], now + 100.0, now / 2)
    found = replace(found, top=top, through=through)
    keys = {f.key for f in findings_of_run(prior.job, plan, journal, found, None, now)}
    assert ("pot:V1" in keys) == told


def test_choices_are_told_beside_what_comes_if_nothing_is_done(shop):
    """A feed that is opened later than planned is worth opening; a throttled one costs."""
    prior, plan, _ = shop
    slow = case("", 0.5, slower=1.6, second=None)
    journal, now = rows_of(slow, prior, plan)
    found = refit_of_run(prior, journal, now, plan.density)
    behind = {o.words: o.fill for o in outcomes_of(found, Drive(), frozenset({"F1"}), now, "behind")}
    assert behind["as it is"] == found.fill.middle
    assert now < behind["F2 now"]
    assert now < behind["mould 10 K warmer"] < behind["as it is"]
    journal, now = rows_of(case("", 0.5), prior, plan)
    found = refit_of_run(prior, journal, now, plan.density)
    ahead = {o.words: o.fill for o in outcomes_of(found, Drive(), frozenset({"F1", "F2"}), now, "ahead")}
    assert ahead["F2 to a third"] > ahead["as it is"]
    with pytest.raises(KeyError):
        outcomes_of(found, Drive(), frozenset(), now, "bubbles")


def cured(law, temperature, alpha, until):
    """Degree of cure and ∫dt/μ up to gel, by a solver of its own: Kamal and Sourour, Castro and Macosko."""
    gas = 8.314462618 * temperature

    def change(_t, y):
        a = min(y[0], 0.9999 * law.alpha_gel)
        first, second = (law.cure.a1 * np.exp(-law.cure.e1 / gas), law.cure.a2 * np.exp(-law.cure.e2 / gas))
        mu = law.mu0 * np.exp(law.energy / gas)
        mu *= (law.alpha_gel / (law.alpha_gel - a)) ** (law.c1 + law.c2 * a)
        return [(first + second * a**law.cure.m) * (1 - a) ** law.cure.n, 1 / mu]

    def gelled(_t, y):
        return y[0] - 0.999 * law.alpha_gel

    gelled.terminal = True  # type: ignore[attr-defined]
    return solve_ivp(
        change, (0.0, until), [alpha, 0.0], rtol=1e-9, atol=1e-12, dense_output=True, events=gelled
    )


@pytest.mark.parametrize(
    ("now", "more", "filled"), [(300.0, 240.0, True), (600.0, 300.0, True), (600.0, 1500.0, False)]
)
def test_resin_that_is_warmed_goes_on_from_what_it_has_cured(shop, now, more, filled):
    """As much flow as it would have, sooner, and thicker than by its warmth alone; or it gels before."""
    job = shop[0].job
    law, warm, mixed = (
        job.resin.viscosity,
        job.conditions.resin_temperature,
        job.conditions.mixed_before_start,
    )
    as_it_is = cured(law, warm, 0.0, mixed + now + more)
    assert as_it_is.t[-1] == mixed + now + more  # it does not gel on the way, as it is
    (alpha, begun), (_, done) = as_it_is.sol(mixed + now), as_it_is.sol(mixed + now + more)
    warmer = cured(law, warm + 10, float(alpha), 3 * more)
    assert (warmer.y[1, -1] > done - begun) == filled
    told = {o.words: o.fill for o in _by_a_factor(job, Drive(), now + more, now)}["mould 10 K warmer"]
    if not filled:
        assert told == float("inf")
        return
    takes = brentq(lambda t: warmer.sol(t)[1] - (done - begun), 1.0, float(warmer.t[-1]))
    assert told - now == pytest.approx(takes, rel=0.01)
    assert told - now > more * viscosity_at(job.resin, warm + 10) / viscosity_at(job.resin, warm)
    gel = flow_clock(job.resin, warm, mixed).gel
    late = {o.words: o.fill for o in _by_a_factor(job, Drive(), 1.01 * gel, 0.9 * gel)}["mould 10 K warmer"]
    assert late == float("inf")


def test_a_feed_opened_now_comes_to_what_a_forecast_of_it_does(shop):
    """Against a forecast of the job with its second feed opened then: an independent way to the same gain."""
    prior, _, _ = shop
    still = replace(refit_of_run(prior, rows_of(case("", 0.1, marks=0, second=None), prior, forecast_of(prior.job, 900.0))[0], 30.0, 1100.0),
                    scores=(0.0,) * len(prior.basis.parameters))  # fmt: skip
    told = {o.words: o.fill for o in outcomes_of(still, Drive(), frozenset({"F1"}), 60.0, "behind")}
    gain = told["F2 now"] - told["as it is"]
    real = forecast_of(prior.job, 60.0).fill_time - forecast_of(prior.job, OPENS).fill_time
    assert gain == pytest.approx(real, abs=0.05 * forecast_of(prior.job, OPENS).fill_time)


def forecast_of(job, opens):
    lines = tuple(x.replaced(opens=AtTime(time=opens)) if x.id == "F2" else x for x in job.lines)
    return forecast(job.replaced(lines=lines), Resolution(500, 1, 10, air=False))
