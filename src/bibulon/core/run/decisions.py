"""Decisions of a run as short questions with their choices and what comes of each, in figures where there are any."""

from __future__ import annotations

from msgspec import Struct

from bibulon.core.model.job import Job
from bibulon.core.units.units import System, clock, show, system_of
from bibulon.core.units.words import tr

__all__ = ["DECISIONS", "Choice", "Decision", "decision"]


class Choice(Struct, frozen=True):
    """One answer: what it says on its key, what to do then, and whether it is what most would do first."""

    words: str
    then: str


class Decision(Struct, frozen=True):
    """A question, what can be answered, and more to know before it is."""

    key: str
    title: str
    question: str
    choices: tuple[Choice, ...]
    more: str = ""


DECISIONS = {
    "bubbles": "Bubbles",
    "warm": tr("Bucket warms"),
    "behind": tr("Front behind"),
    "ahead": tr("One side ahead"),
    "dry": tr("Dry place"),
    "shut": tr("Shut the feed?"),
    "air": tr("Air in the feed"),
}


def decision(
    key: str, job: Job, system: System, *, now: float = 0.0, fill: tuple[float, float, float] | None = None,
    gel: float | None = None, left: float | None = None, thickness: tuple[tuple[float, float], ...] = (), more: str = "",
) -> Decision:  # fmt: skip
    """Return a decision with the figures of the moment.

    Parameters
    ----------
    now : moment of the run [s]; fill : when it is wet through (low, middle, high) [s]; gel : when it gels [s].
    left : resin in the bucket [kg]; thickness : (minutes from now, mean thickness at gel [m]) with the feed shut
    then; more : what else is to be known first: what the plies hold over, or what each choice comes to.

    Raises
    ------
    KeyError : for a key that is none of ``DECISIONS``.
    """
    rest = None if gel is None or gel > 1e7 else max(gel - now, 0.0)
    moment = _Moment(job, system, fill, rest, left, thickness)
    question, choices = _ASKED[key](moment)
    return Decision(key, DECISIONS[key], question, choices, more if key in _WITH_MORE else "")


class _Moment(Struct, frozen=True):
    """The figures that a question may tell: as ``decision`` is given them, ``rest`` the time until gel [s]."""

    job: Job
    system: System
    fill: tuple[float, float, float] | None
    rest: float | None
    left: float | None
    thickness: tuple[tuple[float, float], ...]


_Asked = tuple[str, tuple[Choice, ...]]


def _bubbles(m: _Moment) -> _Asked:
    vacuum = show(m.job.conditions.vacuum, "pressure", m.system)
    return tr("A steady stream from one place, or scattered all over?"), (
        Choice(tr("Steady, from one place"), tr("A hole: follow the stream back to where it begins, press tape there, patch the bag. The vacuum stays as it is.")),
        Choice("Scattered", tr("With a tight bag the resin boils at {}: let the vacuum go weaker by a fifth and look again.", vacuum)),
        Choice(tr("In the feed hose"), tr("Air in the feed: clamp the feed first, then look at bucket, hose end and fittings.")),
    )  # fmt: skip


def _warm(m: _Moment) -> _Asked:
    stock = tr(" {} are in it.", show(m.left, "mass", m.system)) if m.left is not None else ""
    return tr("Warmer than the hand, or smoking?{}", stock), (
        Choice("Hand-warm", tr("Pour it into a flat tray, use it first, mix the next batch smaller.")),
        Choice("Hot", tr("Feed clamped, hose lifted out, bucket outside on a metal tray, nobody over it. A fresh one in its place.")),
        Choice("Smokes", tr("Leave it, everybody out of the fumes, water on the outside of the tray if the sheet allows it.")),
    )  # fmt: skip


def _behind(m: _Moment) -> _Asked:
    tail = tr(" Wet through {0} to {1}.", clock(m.fill[0]), clock(m.fill[2])) if m.fill else ""
    gels = tr(" It gels in {}.", clock(m.rest)) if m.rest is not None else ""
    return tr("What has the most to give?{0}{1}", tail, gels), (
        Choice(tr("Vacuum is weaker than planned"), tr("Look for the leak first: the front goes with the drive.")),
        Choice(tr("The next feed is passed"), tr("Open it: a fresh feed gives more than anything else.")),
        Choice(tr("Resin is cold"), tr("Warm the shop or the mould, not the bucket: ten degrees about halve the viscosity.")),
        Choice(tr("None of these"), tr("A port through the bag ahead of the slow place: slit, tube wrapped in tape, resin or vacuum there.")),
    )  # fmt: skip


def _ahead(m: _Moment) -> _Asked:
    return tr("Which outlet does the fast side run to?"), (
        Choice(tr("Its own outlet"), tr("Throttle that outlet until the slow side has caught up, then open it again.")),
        Choice(tr("The common outlet"), tr("Throttle the feed of the fast side; the slow one keeps the whole bucket.")),
        Choice(tr("Along an edge"), tr("Press the film into the gap along that edge; resin that races locks air off behind it.")),
    )  # fmt: skip


def _dry(m: _Moment) -> _Asked:
    left_words = tr(" {} until gel.", clock(m.rest)) if m.rest is not None else ""
    return tr("How large is it, and does the vacuum still reach it?{}", left_words), (
        Choice(tr("A vacuum line is near"), tr("Leave the feed open and wait: it fills towards the vacuum.")),
        Choice(tr("Cut off from the vacuum"), tr("A port there: slit of 5 mm, tube wrapped in tape, vacuum on it; resin follows.")),
        Choice(tr("Small, near the end"), tr("Syringe of resin through the bag, tape over it. Gloves and eyes.")),
    )  # fmt: skip


def _shut(m: _Moment) -> _Asked:
    told = ", ".join(
        f"{'now' if minutes == 0 else f'in {minutes:.0f} min'} {show(t, 'thickness', m.system, 1 if system_of('thickness', m.system) == 'metric' else 3)}"
        for minutes, t in m.thickness
    )
    return tr("At gel, if shut: {}", told) if told else tr("Is all wet, also below?"), (
        Choice(tr("Shut it now"), tr("Clamp the feed, vacuum on. Too early leaves pits where resin is drawn away.")),
        Choice(tr("Two minutes more"), tr("The far end takes more; what is over goes to the catch pot.")),
        Choice(tr("Wait for the underside"), tr("Shut when the last place is wet through, not when it looks wet on top.")),
    )  # fmt: skip


def _air(m: _Moment) -> _Asked:
    return tr("Clamp the feed first. Where does the air come from?"), (
        Choice(tr("The bucket ran low"), tr("Pour, let the hose fill, tap the bubbles out, open again.")),
        Choice(tr("A fitting sucks"), tr("Tape or push the fitting home, look for bubbles in the hose, open again.")),
        Choice(tr("Resin foams in the bucket"), tr("Let it stand, or draw it down in a rated pot first.")),
    )  # fmt: skip


_ASKED = {
    "bubbles": _bubbles, "warm": _warm, "behind": _behind, "ahead": _ahead, "dry": _dry, "shut": _shut, "air": _air,
}  # fmt: skip
_WITH_MORE = frozenset({"behind", "ahead", "shut"})
