"""The board's valves: feeds by their numbers, what the plan calls next at any other valve, and vacuum lines that are moved by judgement."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from functools import partial

from PySide6.QtWidgets import QWidget

from bibulon.app.session.session import Session
from bibulon.app.stations.shoot.cards import Target
from bibulon.core.model.job import FlowLine, Job
from bibulon.core.run.calls import Call
from bibulon.core.run.journal import RunState
from bibulon.core.run.valves import STAYS, ValveAct
from bibulon.core.units.words import tr

__all__ = ["BoardValves", "valve_states"]

TYPED = re.compile(r"(?P<name>.+?)(?:\s+(?P<share>\d{1,3})\s*%)?")


def valve_states(job: Job, state: RunState) -> dict[str, str]:
    """Return how each line's valve stands, by what was stamped: a vacuum is open until it was moved."""
    out = {}
    for line in job.lines:
        moved = [s for s in state.valves.get(line.id, ()) if s.kind not in ("set", STAYS)]
        stands = moved[-1].kind if moved else ("shut" if line.role == "feed" else "open")
        share = moved[-1].share if moved else None
        out[line.id] = f"{share * 100:.0f} %" if stands == "throttle" and share is not None else stands
    return out


class BoardValves(QWidget):
    """What is done at valves; what shows it is the board."""

    session: Session
    coming: Sequence[Call]  # as the board tells them

    def state(self) -> RunState:
        """Return what the journal's last run has come to."""
        raise NotImplementedError

    def prompt(self, words: str, take: Callable[[str], object]) -> None:
        """Ask for a line of text below the plan; nothing is laid over the map."""
        raise NotImplementedError

    def _stamp(self, kind: str, **data: object) -> None:
        raise NotImplementedError

    def valve_targets(self, state: RunState) -> list[Target]:
        """Return a target for each feed, and one for the next call at another valve, or to throttle one."""
        feeds = [x for x in self.session.job.lines if x.role == "feed"]
        targets = []
        for number, line in enumerate(feeds, 1):
            act = "shut" if line.id in state.open else "open"
            words = f"{line.label} {tr(act)}"
            key = str(number) if number < 10 else ""
            targets.append(Target(line.id, words, key, partial(self.toggle, line.id)))
        own = {x.id: x for x in feeds}
        for call in self.coming:  # one that was shut is called open again, unless nobody means to
            opens = call.act if call.act is not None and call.act.kind == "open" else None
            moved = state.valves.get(opens.line, ()) if opens is not None else ()
            if opens is not None and opens.line in own and moved and moved[-1].kind == "shut":
                line = own[opens.line]
                words = tr("{} stays shut", line.label)
                targets.append(Target("stays", words, "S", partial(self.leave_shut, line)))
                break
        for call in self.coming:
            act_ = call.act
            if act_ is not None and not (act_.line in own and act_.kind in ("open", "shut")):
                targets.append(Target("valve", act_.text, "V", partial(self.do, act_)))
                break
        return targets

    def toggle(self, line_id: str) -> None:
        """Open a feed, or shut it."""
        self._stamp("shut" if line_id in self.state().open else "open", line=line_id)

    def leave_shut(self, line: FlowLine) -> None:
        """Stamp that a feed that was shut by hand stays so: it is called no more."""
        self._stamp("turned", line=line.id, act=STAYS, text=tr("{} stays shut", line.label))

    def do(self, act: ValveAct) -> None:
        """Stamp that a call at a valve was done."""
        if act.kind in ("open", "shut"):
            self._stamp(act.kind, line=act.line)
        elif act.kind == "throttle":
            self._stamp("turned", line=act.line, act=act.kind, share=act.share, text=act.text)
        else:
            self._stamp("turned", line=act.line, act=act.kind, pressure=act.pressure, text=act.text)

    def valve_typed(self) -> None:
        """Note that a vacuum line was clamped, opened again or throttled."""
        self.prompt(
            tr("Which vacuum line was clamped or opened? V1, or throttled: V1 40 %"), self._valve_named
        )

    def _valve_named(self, text: str) -> None:
        vacuums = [x for x in self.session.job.lines if x.role == "vacuum"]
        found = TYPED.fullmatch(text.strip())
        name = found["name"].casefold() if found else ""
        line = next((x for x in vacuums if name in (x.label.casefold(), x.id.casefold())), None)
        share = int(found["share"]) / 100 if found and found["share"] else None
        if line is None:
            there = ", ".join(x.label for x in vacuums) or tr("none")
            self.session.said.emit(tr("There is no vacuum line “{0}”; there are: {1}.", text, there), True)
        elif share is not None and share > 1:
            self.session.said.emit(tr("A valve is at most open in full: 100 %."), True)
        elif share is not None and 0 < share < 1:
            words = tr("Throttle {0} to {1:.0f} %", line.label, share * 100)
            self._stamp("turned", line=line.id, act="throttle", share=share, text=words)
        else:
            shut = valve_states(self.session.job, self.state())[line.id] == "shut"
            wanted = shut if share is None else share == 1
            self._stamp("open" if wanted else "shut", line=line.id)
