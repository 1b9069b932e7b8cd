"""The acts that begin a rehearsal: of the open job, or of a shop that ships."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Protocol

from bibulon.app.kit.acts import Act
from bibulon.app.session.rehearsal import Rehearsal
from bibulon.app.session.session import Session
from bibulon.core.flow.build.builder import BuildError
from bibulon.core.geometry.outline import OutlineError
from bibulon.core.model.job import Job
from bibulon.core.plans.rehearsal.scenarios import SCENARIOS, Scenario
from bibulon.core.units.words import tr

__all__ = ["rehearsal_acts"]


class Host(Protocol):
    """What begins rehearsals: the window, for all that these acts know."""

    session: Session
    rehearsal: Rehearsal

    def may_begin(self) -> bool:
        """Ask about what is unsaved."""
        ...

    def go_to(self, name: str) -> None:
        """Go to a station."""
        ...


def rehearsal_acts(window: Host) -> list[Act]:
    """Return the acts: the open job with faults by chance, and the eight shops that ship."""

    def begin(job: Callable[[], Job], faults: tuple[str, ...] | None) -> None:
        if not window.may_begin():
            return
        seed = int(window.session.run_clock.wall()) % 100_000
        try:
            window.rehearsal.begin(job(), seed, faults)
        except (BuildError, OutlineError, ValueError) as error:
            window.session.said.emit(str(error), True)
            return
        window.go_to("Shoot")

    def shop(scenario: Scenario) -> Act:
        title = tr("Rehearse {0}: {1}", scenario.name.replace("-", " "), scenario.idea)
        return Act("Rehearsal", title, partial(begin, scenario.job, scenario.faults))

    return [
        Act(
            "Rehearsal",
            "Rehearse this job, with faults by chance",
            lambda: begin(lambda: window.session.job, None),
        ),
        *(shop(s) for s in SCENARIOS.values()),
    ]
