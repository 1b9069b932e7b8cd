"""Before resin: what must be proven or looked at before any is mixed, gate by gate, and what of it is on record."""

from __future__ import annotations

from collections.abc import Sequence

from msgspec import Struct

from bibulon.core.leak.droptest import Verdict
from bibulon.core.leak.looks import Standing
from bibulon.core.model.job import Job
from bibulon.core.run.journal import Entry, rows_of
from bibulon.core.run.layup import Laid, noted
from bibulon.core.units.figures import figure
from bibulon.core.units.units import clock
from bibulon.core.units.words import tr

__all__ = [
    "BEFORE",
    "ProofStep",
    "mixing_waits",
    "overridden",
    "proof_entry",
    "proof_steps",
    "proven_steps",
    "stale",
]

BEFORE = "before-resin"  # the run under which the rows stand
TOUCHES = {"mended", "drawn", "undrawn", "bridge", "clamped"}  # kinds of rows after which a bag is another


class ProofStep(Struct, frozen=True):
    """A thing to look at, or a gate.  ``needs`` says why it may not simply be ticked: it wants a name and a reason."""

    key: str
    stage: str
    words: str
    gate: bool = False
    needs: str = ""


def stale(job: Job, journal: Sequence[Entry], now: float) -> str:
    """Return why the leak test counts no more, or nothing: older than the rules let it hold, or the bag touched since.

    ``now`` is Unix time; a test that was typed in, whose time nobody knows, is not judged.
    """
    at = job.test.recorded_at
    if at is None:
        return ""
    if now - at > job.rules.test_lasts:
        return tr(
            "The leak test is {0} old; it holds good for {1}.", clock(now - at), clock(job.rules.test_lasts)
        )
    touched = [e for e in rows_of(journal, *TOUCHES) if e.written_at > at]
    if touched:
        return tr("The bag was touched {} after its leak test.", clock(max(touched[-1].written_at - at, 0.0)))
    return ""


def proof_steps(job: Job, verdict: Verdict | None, standing: Standing | None, old: str) -> list[ProofStep]:
    """Return the list of a job; the leak's gate says what stands against it."""
    spare = tr("Spare pump, or a reservoir with its valve, stands ready and is tried")
    need = max((p.volume for p in job.pots), default=0.0)
    pot = tr(
        "Catch pot empty, rated for full vacuum, not of glass{}",
        f", {figure(need, 'volume', 1)}" if need else "",
    )
    lines = ", ".join(x.label for x in job.lines if x.role == "feed") or tr("all feeds")
    sealed = "Bag" if job.process == "infusion" else "Mould"
    return [
        ProofStep("oil", "Pump", tr("Oil clear and at its mark; hours run are under its service")),
        ProofStep(
            "floor",
            "Pump",
            tr("Alone, it ends under {} and holds it 10 min warm", figure(1000.0, "pressure")),
        ),
        ProofStep("spare", "Pump", spare),
        ProofStep("pump-gate", "Pump", tr("The pump may run for hours"), True),
        ProofStep("zero", "Gauge", tr("Gauge compared with a second one, or with today's air when open")),
        ProofStep("place", "Gauge", tr("Gauge sits on the flange far from the pump")),
        ProofStep("pot", "Lines", pot),
        ProofStep("clamps", "Lines", tr("A clamp on every hose, and a spare one within reach")),
        ProofStep("shut", "Lines", tr("{} shut, ends plugged", lines)),
        ProofStep("leak", sealed, tr("The leak test is passed"), True, _against(verdict, standing, old)),
        ProofStep("mix", sealed, tr("Resin may be mixed"), True),
    ]


def _against(verdict: Verdict | None, standing: Standing | None, old: str) -> str:
    if old:
        return old
    if verdict is None:
        return tr("There is no leak test yet.")
    if verdict.outcome != "pass":
        return verdict.reason
    if standing is not None and standing.outcome == "leaks":
        return tr("The school passes it, but the leak is more than this part can bear until it gels.")
    return ""


def proven_steps(journal: Sequence[Entry]) -> dict[str, Laid]:
    """Return what is ticked, by the step's key."""
    return noted(journal, "proven", "unproven", "step")


def overridden(journal: Sequence[Entry]) -> dict[str, str]:
    """Return the reasons with which gates were opened though something stood against them, by key."""
    out = {}
    for e in rows_of(journal, "proven", "unproven"):
        if e.kind == "proven" and e.data.get("reason"):
            out[str(e.data.get("step", ""))] = str(e.data["reason"])
        elif e.kind == "unproven":
            out.pop(str(e.data.get("step", "")), None)
    return out


def proof_entry(
    step: ProofStep, words: str, by: str, now: float, done: bool = True, reason: str = ""
) -> Entry:
    """Return the row that notes a step done, or takes the note back; ``reason`` where it stood against something."""
    data = {"step": step.key, "text": words, "by": by}
    if reason:
        data["reason"] = reason
    return Entry(BEFORE, 0.0, "proven" if done else "unproven", data, now)


def mixing_waits(journal: Sequence[Entry]) -> bool:
    """Whether the last gate before mixing is still shut."""
    return "mix" not in proven_steps(journal)
