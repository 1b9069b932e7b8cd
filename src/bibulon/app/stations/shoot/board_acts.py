"""What can be done on the board: every act a row of the journal."""

from __future__ import annotations

import uuid
from functools import partial

from PySide6.QtCore import QTimer

from bibulon.app.stations.shoot.board_plan import BoardPlan
from bibulon.app.stations.shoot.board_valves import BoardValves
from bibulon.app.stations.shoot.board_words import bucket_now
from bibulon.app.stations.shoot.bucket_scale import BucketScale
from bibulon.app.stations.shoot.cards import Target
from bibulon.app.stations.shoot.choosing import Choosing
from bibulon.app.stations.shoot.holding import Holding
from bibulon.app.stations.shoot.refitting import Refitting
from bibulon.core.geometry.outline import OutlineError
from bibulon.core.plans.refit.today import Bucket
from bibulon.core.run.decisions import DECISIONS, Decision, decision
from bibulon.core.run.journal import Entry, RunState
from bibulon.core.run.landmarks import place_named
from bibulon.core.run.shot_gates import ShotGate, gate_entry, gates_left, shot_gates, waits_for
from bibulon.core.series.learn import learned_entry
from bibulon.core.units.figures import worded
from bibulon.core.units.units import UnitError, clock, parse, show
from bibulon.core.units.vacuum import read_vacuum
from bibulon.core.units.words import tr

__all__ = ["BoardActs"]

BACK = (0, 10, 30, 60)  # s by which the next mark's time is set back, one after another


class BoardActs(BoardValves):
    """The acts; what shows them is the board."""

    refitting: Refitting
    holding: Holding
    choosing: Choosing
    scale: BucketScale
    plan: BoardPlan
    asked: Decision | None
    back: int
    _warned: bool
    _stopping: QTimer

    def _rebuild(self) -> None:
        """Bring the targets up to now."""
        raise NotImplementedError

    # -- state

    def state(self) -> RunState:
        """Return what the journal's last run has come to."""
        return self.session.run_state()

    def elapsed(self) -> float:
        """Return seconds since the first feed was opened."""
        return self.session.elapsed()

    def _stamp(self, kind: str, **data: object) -> None:
        state = self.state()
        if not state.running:
            self.session.said.emit(tr("Start the clock first."), True)
            return
        self.session.stamp(Entry(state.run, self.elapsed(), kind, dict(data), self.session.run_clock.wall()))

    def _on_rows(self) -> None:
        self.refitting.update()
        self._rebuild()

    # -- acts

    def start(self) -> None:
        """Open the first feeds and start the clock; asked twice where the gates before resin are still shut."""
        session = self.session
        waits = waits_for(self.gates(), session.journal) if session.job.process == "infusion" else ""
        if waits and not self._warned:
            self._warned = True
            session.said.emit(tr("{} Once more starts nevertheless.", waits), True)
            return
        self._start()

    def gates(self) -> tuple[ShotGate, ...]:
        """Return what must stand ready before the first feed opens."""
        outlook = self.session.outlook
        return shot_gates(self.session.job, outlook.evidence.charge if outlook and outlook.evidence else None)

    def before(self) -> list[Target]:
        """Return the targets before the start: what still has to stand ready, and the start."""
        text = tr("Start the clock: first feed opens") if not self.state().run else tr("Start a new run")
        start = Target("start", text, "Return", self.start, loud=True)
        if self.session.job.process != "infusion":
            return [start]
        gates = self.gates()
        left = gates_left(gates, self.session.journal)
        shut = [(k, g) for k, g in enumerate(gates, 1) if g in left]
        return [*(Target(f"gate{k}", g.name, str(k), partial(self.gate, g)) for k, g in shut), start]

    def gate(self, gate: ShotGate) -> None:
        """Note that a gate is through."""
        words = worded(gate.words, self.session.system)
        self.session.stamp(gate_entry(gate, words, self.session.person, self.session.run_clock.wall()))
        self.session.said.emit(f"{gate.name}: {words}.", False)

    def _start(self) -> None:
        now, run = self.session.run_clock.wall(), uuid.uuid4().hex[:8]
        if self.session.stamp(Entry(run, 0.0, "start", self.session.run_clock.began(), now)):
            self.session.said.emit(tr("The clock runs."), False)
            for line in self.session.job.lines:
                if line.role == "feed" and getattr(line.opens, "time", None) == 0:
                    self.session.stamp(Entry(run, 0.0, "open", {"line": line.id}, now))

    def _mark(self, kind: str, x: float, y: float) -> None:
        if not self.state().running:
            return
        data: dict[str, object] = {"x": round(x, 4), "y": round(y, 4)}
        if self.back:
            data["seen"] = round(max(self.elapsed() - self.back, 0.0), 1)
        self._stamp(kind, **data)

    def mark_front(self, x: float, y: float) -> None:
        """Stamp that the front has reached a place [m], now or as far back as is set."""
        self._mark("front", x, y)
        self._set_back(0)

    def mark_dry(self, x: float, y: float) -> None:
        """Stamp that a place [m] is still dry."""
        self._mark("dry", x, y)
        self._set_back(0)

    def mark_stroke(self, places: list[tuple[float, float]]) -> None:
        """Stamp the front along a stroke [m]."""
        for x, y in places:
            self._mark("front", x, y)
        self._set_back(0)

    def dry_at_hand(self) -> None:
        """Stamp that the place under the pointer is still dry."""
        hand = self.plan.hand
        if hand is None:
            self.session.said.emit(
                tr("Point at the dry place on the plan, then press D; or click it with the other button."),
                True,
            )
        else:
            self.mark_dry(*hand)

    def _set_back(self, seconds: int) -> None:
        self.back = seconds
        self._rebuild()

    def next_back(self) -> None:
        """Set the next mark's time back by the next step."""
        self._set_back(BACK[(BACK.index(self.back) + 1) % len(BACK)])

    def withdraw(self, which: int = -1) -> None:
        """Withdraw a mark: the last one, or that which the others do not bear out.  Its row stays."""
        marks = self.state().marks
        if not marks:
            self.session.said.emit(tr("There is no mark to withdraw."), True)
            return
        mark = marks[which]
        self._stamp("withdrawn", mark=mark.uid, x=mark.x, y=mark.y, text=tr("mark of {}", clock(mark.time)))

    def withdraw_odd(self) -> None:
        """Withdraw the mark that the others do not bear out."""
        refit = self.refitting.refit
        if refit is None or not refit.contradictions:
            return
        odd = refit.marks[refit.contradictions[0].mark]
        self.withdraw(next((k for k, m in enumerate(self.state().marks) if m.uid == odd.uid), -1))

    def place_typed(self) -> None:
        """Mark a place that is named: a line, a metre of the walk-round, a square of the grid, which shows meanwhile, or x, y in mm."""
        self.prompt(tr("Front at: a line, 3.5 m, 4C, or x, y in mm"), self._place_named)
        self.plan.show_grid(self.state().running)

    def _place_named(self, text: str) -> None:
        try:
            self.mark_front(*place_named(self.session.job, text))
        except (ValueError, OutlineError) as error:
            told = str(error)
            self.session.said.emit(f"{told[:1].upper()}{told[1:]}.", True)

    def gauge_typed(self) -> None:
        """Note what the gauge on the bag reads."""
        self.prompt(tr("What does the gauge on the bag read?"), self._gauge_read)

    def _gauge_read(self, text: str) -> None:
        try:
            value = read_vacuum(text, self.session.job.conditions.atmosphere, self.session.system)
        except UnitError as error:
            self.session.said.emit(str(error), True)
            return
        self._stamp("gauge", pressure=value, text=show(value, "pressure", self.session.system))

    def warmth_typed(self) -> None:
        """Note how warm the resin in the feed is: it thins or thickens what is to come."""
        self.prompt(tr("How warm is the resin in the feed?"), self._warmth_read)

    def _warmth_read(self, text: str) -> None:
        try:
            warm = parse(text, "temperature", self.session.system)
        except UnitError as error:
            self.session.said.emit(str(error), True)
            return
        if not 253 <= warm <= 373:
            self.session.said.emit(
                tr(
                    "{} is no temperature of a resin that is shot.",
                    show(warm, "temperature", self.session.system),
                ),
                True,
            )
            return
        self._stamp("resin", temperature=warm, text=show(warm, "temperature", self.session.system, 1))

    def weight_typed(self) -> None:
        """Note what is left in the bucket, as the scale reads it, or as somebody types it."""
        if self.state().running and self.scale.stamp_now():
            self.session.said.emit(self.scale.told, False)
            self._on_rows()
            return
        self.prompt(tr("How much is left in the bucket?"), self._weighed)

    def _weighed(self, text: str) -> None:
        bucket = self._bucket()
        if bucket is None:
            return
        try:
            left = parse(text, "mass", self.session.system)
        except UnitError as error:
            self.session.said.emit(str(error), True)
            return
        self._stamp(
            "weight",
            left=left,
            drawn=max(bucket.mixed - left, 0.0),
            text=show(left, "mass", self.session.system),
        )

    def explain(self, words: str) -> None:
        """Take an explanation of marks that disagree."""
        self._stamp("explained", text=words, taken=True)

    def ask(self, key: str) -> None:
        """Show a decision; a second time puts it away."""
        if self.asked is not None and self.asked.key == key:
            self.asked = None
        else:
            if key == "shut":
                self.holding.want(self.elapsed())
            self.choosing.want(key, self.refitting.refit)
            self.asked = self.asked_of(key)
        self._rebuild()

    def asked_of(self, key: str) -> Decision:
        """Return a decision with the figures of the moment."""
        refit, bucket = self.refitting.refit, self._bucket()
        return decision(
            key, self.session.job, self.session.system, now=self.elapsed(),
            fill=(refit.fill.low, refit.fill.middle, refit.fill.high) if refit else None,
            gel=refit.gel if refit else None, left=bucket.left if bucket else None,
            thickness=self.holding.thickness(), more=self.holding.shut_words() if key == "shut" else self.choosing.words(key),
        )  # fmt: skip

    def next_question(self) -> None:
        """Show the next of the decisions that can come up."""
        keys = list(DECISIONS)
        at = keys.index(self.asked.key) if self.asked else -1
        if at == len(keys) - 1:
            self.asked = None
            self._rebuild()
        else:
            self.asked = None
            self.ask(keys[at + 1])

    def answer(self, number: int) -> None:
        """Answer the decision that is shown: it is stamped with what is to be done."""
        if self.asked is None:
            return
        chosen = self.asked.choices[number]
        title, self.asked = self.asked.title, None
        self._stamp("decision", text=f"{title}: {chosen.words}")
        self.session.said.emit(chosen.then, False)
        self._rebuild()

    def bubbles(self) -> None:
        """Stamp bubbles."""
        self._stamp("bubbles")

    def mark_at_hand(self) -> None:
        """Stamp the front where the pointer is."""
        hand = self.plan.hand
        if hand is None:
            self.session.said.emit(
                tr("Point at the front on the plan, then press Space; or click there."), True
            )
        else:
            self.mark_front(*hand)

    def _clock_set(self, by: float) -> None:
        """Tell and record that the machine's clock was set: the run's own time goes on as it was."""
        how = f"{clock(abs(by))} {'forward' if by > 0 else 'back'}"
        self._stamp("clock", by=round(by, 1), text=tr("the machine's clock was set {}", how))
        self.session.said.emit(
            tr(
                "The machine's clock was set {}. The run's own time goes on as it was; this is on "
                "the record.",
                how,
            ),
            True,
        )

    def note(self) -> None:
        """Write a note."""
        self.prompt(tr("What did you see?"), lambda text: self._stamp("note", text=text))

    def _leave(self) -> None:
        self.asked = None
        self._rebuild()

    def _broken(self, why: str) -> None:
        self._stamp("held", text=why, broken=True)
        self._stop()

    def _stop(self) -> None:
        """End the run; what its marks taught of the materials is a row of its own."""
        refit = self.refitting.refit
        if refit is not None:
            told = [(k.name, k.low, k.middle, k.high) for k in refit.parameters]
            row = learned_entry(self.session.job, told, len(refit.marks), self.session.run_clock.wall())
            if row is not None:
                self.session.stamp(row)
        self._stamp("stop")

    def _gel(self) -> float:
        """Return when the resin in the part gels [s]."""
        outlook = self.session.outlook
        forecast = outlook.forecast if outlook else None
        return forecast.clock.gel if forecast is not None else float("inf")

    def stop(self) -> None:
        """Stop the clock, asked twice: a run that is stopped is over.  Before gel the hold wants a name and a reason."""
        if self._stopping.isActive():
            self._stopping.stop()
            gel = self._gel()
            if self.state().wet_at is not None and self.elapsed() < gel < 1e8:
                self.prompt(tr("It gels at {}. Who breaks the hold now, and why?", clock(gel)), self._broken)
            else:
                self._stop()
        else:
            self._stopping.start()
            self._rebuild()
            self.session.said.emit(
                tr("Once more within five seconds stops the clock of this run for good."), False
            )

    def _bucket(self) -> Bucket | None:
        return bucket_now(self.session, self.refitting.refit)
