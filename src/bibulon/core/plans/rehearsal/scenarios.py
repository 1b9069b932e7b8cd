"""Eight shops to practise in, each with one idea, in rising order; the last one has all of them in it."""

from __future__ import annotations

from collections.abc import Callable

from msgspec import Struct

from bibulon.core.library.demo import demo_job
from bibulon.core.library.mould_demo import mould_demo_job
from bibulon.core.model.job import Job
from bibulon.core.model.lines import OnFront
from bibulon.core.units.words import tr

__all__ = ["SCENARIOS", "Scenario"]


class Scenario(Struct, frozen=True):
    """A job, what is wrong in its shop, and the idea that it is about."""

    name: str
    idea: str
    job: Callable[[], Job]
    faults: tuple[str, ...]


def _by_front() -> Job:
    """Return the petal with its second feed opened behind the front, as it had better be."""
    job = demo_job()
    lines = tuple(x.replaced(opens=OnFront(line="F2", delay=20.0)) if x.id == "F2" else x for x in job.lines)
    return job.replaced(lines=lines)


SCENARIOS: dict[str, Scenario] = {
    s.name: s
    for s in (
        Scenario(
            "reach-and-gel",
            tr("cold resin is thick: how far does it come before it gels?"),
            _by_front,
            ("cold",),
        ),
        Scenario(
            "lock-off", tr("a feed that opens before the front has passed it shuts air in"), demo_job, ()
        ),
        Scenario(
            "lead-and-break",
            tr("resin that runs along an edge comes round from behind"),
            _by_front,
            ("path",),
        ),
        Scenario("leak", tr("a bag that is not tight makes bubbles until gel"), _by_front, ("leak",)),
        Scenario("bucket-heat", tr("a bucket that is left too long is gone at once"), _by_front, ("hot",)),
        Scenario("late-call", tr("a feed that gives too little is seen by its front"), _by_front, ("kink",)),
        Scenario(
            "closing-force",
            tr("a flange that loses its vacuum lets the halves part"),
            mould_demo_job,
            ("flange",),
        ),
        Scenario(
            "the-day", tr("the day on which everything drifts"), _by_front, ("gauge", "leak", "cold", "hot")
        ),
    )
}
