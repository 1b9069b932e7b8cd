"""Decisions of a run as short questions with their choices and what comes of each, in figures where there are any."""

from __future__ import annotations

from dataclasses import dataclass

from bibulon.core.model.job import Job
from bibulon.core.units.units import System, clock, show

__all__ = ["DECISIONS", "Choice", "Decision", "decision"]


@dataclass(frozen=True)
class Choice:
    """One answer: what it says on its key, what to do then, and whether it is what most would do first."""

    words: str
    then: str


@dataclass(frozen=True)
class Decision:
    """A question, what can be answered, and more to know before it is."""

    key: str
    title: str
    question: str
    choices: tuple[Choice, ...]
    more: str = ""


DECISIONS = {
    "bubbles": "Bubbles",
    "warm": "Bucket warms",
    "behind": "Front behind",
    "ahead": "One side ahead",
    "dry": "Dry place",
    "shut": "Shut the feed?",
    "air": "Air in the feed",
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
    title = DECISIONS[key]
    rest = None if gel is None or gel > 1e7 else max(gel - now, 0.0)
    match key:
        case "bubbles":
            vacuum = show(job.conditions.vacuum, "pressure", system)
            return Decision(key, title, "A steady stream from one place, or scattered all over?", (
                Choice("Steady, from one place", "A hole: follow the stream back to where it begins, press tape there, patch the bag. The vacuum stays as it is."),
                Choice("Scattered", f"With a tight bag the resin boils at {vacuum}: let the vacuum go weaker by a fifth and look again."),
                Choice("In the feed hose", "Air in the feed: clamp the feed first, then look at bucket, hose end and fittings."),
            ))  # fmt: skip
        case "warm":
            stock = f" {show(left, 'mass', system)} are in it." if left is not None else ""
            return Decision(key, title, f"Warmer than the hand, or smoking?{stock}", (
                Choice("Hand-warm", "Pour it into a flat tray, use it first, mix the next batch smaller."),
                Choice("Hot", "Feed clamped, hose lifted out, bucket outside on a metal tray, nobody over it. A fresh one in its place."),
                Choice("Smokes", "Leave it, everybody out of the fumes, water on the outside of the tray if the sheet allows it."),
            ))  # fmt: skip
        case "behind":
            tail = f" Wet through {clock(fill[0])} to {clock(fill[2])}." if fill else ""
            gels = f" It gels in {clock(rest)}." if rest is not None else ""
            return Decision(key, title, f"What has the most to give?{tail}{gels}", (
                Choice("Vacuum is weaker than planned", "Look for the leak first: the front goes with the drive."),
                Choice("The next feed is passed", "Open it: a fresh feed gives more than anything else."),
                Choice("Resin is cold", "Warm the shop or the mould, not the bucket: ten degrees about halve the viscosity."),
                Choice("None of these", "A port through the bag ahead of the slow place: slit, tube wrapped in tape, resin or vacuum there."),
            ), more)  # fmt: skip
        case "ahead":
            return Decision(key, title, "Which outlet does the fast side run to?", (
                Choice("Its own outlet", "Throttle that outlet until the slow side has caught up, then open it again."),
                Choice("The common outlet", "Throttle the feed of the fast side; the slow one keeps the whole bucket."),
                Choice("Along an edge", "Press the film into the gap along that edge; resin that races locks air off behind it."),
            ), more)  # fmt: skip
        case "dry":
            left_words = f" {clock(rest)} until gel." if rest is not None else ""
            return Decision(key, title, f"How large is it, and does the vacuum still reach it?{left_words}", (
                Choice("A vacuum line is near", "Leave the feed open and wait: it fills towards the vacuum."),
                Choice("Cut off from the vacuum", "A port there: slit of 5 mm, tube wrapped in tape, vacuum on it; resin follows."),
                Choice("Small, near the end", "Syringe of resin through the bag, tape over it. Gloves and eyes."),
            ))  # fmt: skip
        case "shut":
            told = ", ".join(
                f"{'now' if m == 0 else f'in {m:.0f} min'} {show(t, 'thickness', system, 1 if system == 'metric' else 3)}"
                for m, t in thickness
            )
            return Decision(key, title, f"At gel, if shut: {told}" if told else "Is all wet, also below?", (
                Choice("Shut it now", "Clamp the feed, vacuum on. Too early leaves pits where resin is drawn away."),
                Choice("Two minutes more", "The far end takes more; what is over goes to the catch pot."),
                Choice("Wait for the underside", "Shut when the last place is wet through, not when it looks wet on top."),
            ), more)  # fmt: skip
        case _:
            return Decision(key, title, "Clamp the feed first. Where does the air come from?", (
                Choice("The bucket ran low", "Pour, let the hose fill, tap the bubbles out, open again."),
                Choice("A fitting sucks", "Tape or push the fitting home, look for bubbles in the hose, open again."),
                Choice("Resin foams in the bucket", "Let it stand, or draw it down in a rated pot first."),
            ))  # fmt: skip
