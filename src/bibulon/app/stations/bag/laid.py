"""The bag that is shown, worked out off the interface thread, and what is chosen of it."""

from __future__ import annotations

from PySide6.QtCore import QObject, Signal

from bibulon.app.session.session import Session
from bibulon.app.work.ask import Ask
from bibulon.core.bag.bag import Bag, bag_of
from bibulon.core.bag.hand import change_pleat, remove_pleat
from bibulon.core.bag.pleats import Pleat
from bibulon.core.model.job import Job
from bibulon.core.units.words import tr

__all__ = ["LaidBag"]

STEP, GROW = 0.01, 0.005  # m that a key moves a pleat, or makes it taller


class LaidBag(QObject):
    """``changed`` tells that another bag is there, or none with a reason; ``chose`` that another pleat is chosen."""

    changed = Signal()
    chose = Signal()

    def __init__(self, parent: QObject, session: Session) -> None:
        super().__init__(parent)
        self.session = session
        self.bag: Bag | None = None
        self.job: Job | None = None  # that the bag is of
        self.problem = ""
        self.pleat = ""
        self._asked: Job | None = None
        self.ask = Ask(self, lambda: session.number, between=True)
        self.ask.ready.connect(self._show)
        self.ask.failed.connect(self._fail)

    def want(self) -> None:
        """Work out the bag of the job as it is now, unless it is there."""
        job = self.session.job
        if job is self.job or job is self._asked:
            return
        self._asked = job
        self.ask.want(lambda: (job, bag_of(job)))

    def _show(self, answer: tuple[Job, Bag]) -> None:
        self.job, self.bag = answer
        self.problem = ""
        if self.pleat and self.chosen is None:
            self.pleat = ""
        self.changed.emit()

    def _fail(self, error: Exception) -> None:
        self.bag, self.job, self.problem = None, None, str(error)
        self.changed.emit()

    @property
    def chosen(self) -> Pleat | None:
        """The chosen pleat."""
        pleats = self.bag.pleats if self.bag else ()
        return next((p for p in pleats if p.id == self.pleat), None)

    def choose(self, pleat: str) -> None:
        """Choose a pleat by its id, or none."""
        if pleat != self.pleat:
            self.pleat = pleat
            self.chose.emit()

    def step(self, by: int) -> None:
        """Choose the next pleat along the walk, or the one before."""
        pleats = self.bag.pleats if self.bag else ()
        if not pleats:
            return
        here = next((k for k, p in enumerate(pleats) if p.id == self.pleat), -1 if by > 0 else 0)
        self.choose(pleats[(here + by) % len(pleats)].id)

    def move_by(self, steps: int) -> None:
        """Move the chosen pleat along the walk by key."""
        pleat = self.chosen
        if pleat is not None:
            self.change(tr("Move pleat"), at=pleat.at + steps * STEP)

    def grow_by(self, steps: int) -> None:
        """Make the chosen pleat taller or lower by key."""
        pleat = self.chosen
        if pleat is not None:
            self.change(tr("Change pleat"), size=min(max(pleat.size + steps * GROW, GROW), 1.0))

    def change(self, name: str, **fields: object) -> bool:
        """Change the chosen pleat."""
        bag, pleat = self.bag, self.pleat
        if bag is None or self.chosen is None:
            return False
        return self.session.edit(name, lambda j: change_pleat(j, bag, pleat, **fields))

    def remove(self) -> None:
        """Take the chosen pleat away."""
        bag, pleat = self.bag, self.pleat
        if bag is not None and self.chosen is not None:
            self.session.edit("Take pleat away", lambda j: remove_pleat(j, bag, pleat))
