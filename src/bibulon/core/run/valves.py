"""What valves are to do in a shot, by the plan: what the calling sheet says before, and what the board calls until it was done."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from msgspec import Struct

from bibulon.core.flow.build.orders import turns_of
from bibulon.core.flow.forecast import Forecast
from bibulon.core.lines.words import moment_words
from bibulon.core.model.job import FlowLine, Job, Opening, ValveTurn
from bibulon.core.run.journal import Stamped
from bibulon.core.units.figures import worded
from bibulon.core.units.units import System, clock, show
from bibulon.core.units.words import tr

__all__ = ["STAYS", "ValveAct", "end_words", "left_to_do", "valve_acts"]


STAYS = "stays"  # said of a feed that was shut by hand: it is not opened again
EARLY = 120.0  # s before its time from which on a feed that is shut is pinched, not shut for good


class ValveAct(Struct, frozen=True):
    """A line is opened, shut, throttled or set to a pressure at a moment [s], as ``rule`` has it.

    kind : "open", "shut", "throttle" or "set"; text : what is called; sign : by what its moment is known; share : how far
    it is then open; pressure : what it is set to [Pa absolute].
    """

    time: float
    line: str
    kind: str
    text: str
    sign: str
    rule: Opening
    share: float | None = None
    pressure: float | None = None


def valve_acts(job: Job, forecast: Forecast, line: FlowLine, system: System) -> tuple[ValveAct, ...]:
    """Return what a line does in the forecast, in order; a vacuum that is on from the beginning is not told."""
    labels = {x.id: x.label for x in job.lines}
    rules = dict(turns_of(line, job.conditions))
    out: list[ValveAct] = []
    for moment, turn in forecast.history.turned:
        if turn.target != line.id or turn not in rules:
            continue
        rule = rules[turn]
        sign = worded(moment_words(rule.when, line.id, labels), system)
        for kind, text in _said(line, rule, system):
            if kind != "open" or line.role == "feed" or moment > 0:
                out.append(ValveAct(moment, line.id, kind, text, sign, rule.when, rule.share, rule.pressure))
    return tuple(sorted(out, key=lambda a: a.time))


def _said(line: FlowLine, turn: ValveTurn, system: System) -> Iterator[tuple[str, str]]:
    if turn.share is not None:
        if turn.share >= 1:
            yield "open", tr("Open {}", line.label)
        elif turn.share <= 0:
            yield "shut", tr("Shut {}", line.label) if line.role == "feed" else tr("Clamp {}", line.label)
        else:
            yield "throttle", tr("Throttle {0} to {1:.0f} %", line.label, turn.share * 100)
    if turn.pressure is not None:
        yield "set", tr("Set {0} to {1}", line.label, show(turn.pressure, "pressure", system))


def end_words(job: Job, system: System) -> tuple[str, str]:
    """Return what is done at the valves once all is wet, and what is held from then on until gel."""
    if job.process == "infusion":
        return tr("Shut the feeds, hold the vacuum"), tr("Hold the vacuum until gel")
    below = show(job.conditions.atmosphere - job.closed.holding, "pressure", system)
    return (
        tr("Clamp the inlet, cavity to {} below air", below),
        tr("Cavity {} below air, flange as it is, until gel", below),
    )


def left_to_do(
    acts: Sequence[ValveAct], done: Sequence[Stamped], line: FlowLine
) -> list[tuple[ValveAct, str]]:
    """Return a line's acts that were not stamped yet, each with a word on why it is still called where the plan alone does not tell.

    What was stamped stands for the next act of its kind, and for all before that.  A feed that is open again after it was
    shut for good is to be shut, and one that stands shut though it should be open, pinched while a bucket is changed, is to
    be opened, until it is said that it stays shut; whoever moves a vacuum's valve otherwise than planned has a reason for it.
    """
    if done and done[-1].kind == STAYS:
        return [(act, "") for act in acts if act.kind not in ("open", "shut") and act.time > done[-1].time]
    at = 0
    for stamped in done:
        later = next((k for k in range(at, len(acts)) if acts[k].kind == stamped.kind), None)
        pinched = line.role == "feed" and stamped.kind == "shut"
        if later is not None and not (pinched and stamped.time < acts[later].time - EARLY):
            at = later + 1
    left = [(act, "") for act in acts[at:]]
    moved = [s for s in done if s.kind in ("open", "shut") and line.role == "feed"]
    stands = moved[-1] if moved else None
    planned = next((act for act in reversed(acts[:at]) if act.kind in ("open", "shut")), None)
    if stands is not None and planned is not None and stands.kind != planned.kind:
        opened = stands.kind == "open"
        when = clock(stands.time)
        why = tr("opened at {} by hand", when) if opened else tr("shut at {} by hand", when)
        left.insert(0, (planned, why))
    return left
