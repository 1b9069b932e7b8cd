"""Cut plan: all that is cut for the job as it lies on rolls and sheets, and templates of it."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter
from PySide6.QtWidgets import (
    QCheckBox,
    QHBoxLayout,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from bibulon.app.kit import files
from bibulon.app.kit.appearance import Bare
from bibulon.app.kit.drawn import Drawn
from bibulon.app.kit.fields import note
from bibulon.app.kit.paint import paint
from bibulon.app.kit.run_bar import RunBar
from bibulon.app.session.session import Session
from bibulon.app.stations.bag.laid import LaidBag
from bibulon.app.work.ask import Ask, Progress, Stopped
from bibulon.core.bag.bag import Bag, bag_of
from bibulon.core.bag.cutplan import CutPlan, cut_plan, mirrored
from bibulon.core.drawing.graphs.rolls import (
    RollLook,
    draw_rolls,
    piece_at,
    roll_span,
    roll_words,
    rolls_height,
)
from bibulon.core.drawing.kit.tokens import Theme
from bibulon.core.model.job import Job
from bibulon.core.units.units import show
from bibulon.core.units.words import tr
from bibulon.store.exports.templates import write_templates
from bibulon.store.nests import KeptNests

__all__ = ["CutPage"]

LEAST_SAVED = 5e-3  # m² of the rolls that are worth a word


class _Rolls(Drawn):
    """The drawing, as tall as it needs; a piece is chosen by a click or by arrows, and let go by Esc.

    ``shown`` tells the top and height of the roll whose piece was chosen by key, to be scrolled to.
    """

    shown = Signal(float, float)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.plan = CutPlan(())
        self.chosen = ""
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(tr("Pieces on rolls and sheets"))

    def show_plan(self, plan: CutPlan) -> None:
        """Show a plan."""
        self.plan = plan
        self._tell()
        self.fit()

    def choose(self, key: str) -> None:
        """Choose a piece, or none."""
        self.chosen = key
        self._tell()
        self.update()

    def _tell(self) -> None:
        words = [f"{r.name}: {roll_words(r, self.session.system)}" for r in self.plan.rolls]
        piece = next((p.piece for r in self.plan.rolls for p in r.placed if p.piece.key == self.chosen), None)
        if piece is not None:
            words.insert(0, tr("chosen: {}", piece.label))
        self.setAccessibleDescription("; ".join(words))

    def fit(self) -> None:
        """Take the height that the drawing needs at this width."""
        self.setFixedHeight(int(rolls_height(self.plan, self.look)) + 8)
        self.update()

    @property
    def look(self) -> RollLook:
        """How it is drawn."""
        return RollLook(float(max(self.width(), 300)), self.theme, self.session.system, self.chosen)

    def draw(self, painter: QPainter) -> None:
        paint(painter, draw_rolls(self.plan, self.look))

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.choose(piece_at(self.plan, self.look, event.position().x(), event.position().y()))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key = Qt.Key(event.key())
        forward = key in (Qt.Key.Key_Right, Qt.Key.Key_Down)
        keys = list(dict.fromkeys(p.piece.key for r in self.plan.rolls for p in r.placed))
        if keys and (forward or key in (Qt.Key.Key_Left, Qt.Key.Key_Up)):
            first = 0 if forward else len(keys) - 1
            at = keys.index(self.chosen) + (1 if forward else -1) if self.chosen in keys else first
            self.choose(keys[at % len(keys)])
            span = roll_span(self.plan, self.look, self.chosen)
            if span is not None:
                self.shown.emit(*span)
        elif key == Qt.Key.Key_Escape and self.chosen:
            self.choose("")
        else:
            super().keyPressEvent(event)


class CutPage(QWidget):
    """Shelves at once, nesting when asked for."""

    def __init__(self, session: Session, laid: LaidBag) -> None:
        super().__init__()
        self.session, self.laid = session, laid
        self._of: Job | None = None
        self._before: tuple[Job | None, float] = (None, 0.0)
        self.words = note("")
        layout = QVBoxLayout(self)
        layout.setContentsMargins(16, 4, 16, 8)
        row = QHBoxLayout()
        self.bar = RunBar(
            "Nest closer", "Nesting", "Stop nesting", self, lambda: (session.number, session.job)
        )
        self.bar.ready.connect(self._nested)
        self.bar.failed.connect(lambda e: self.words.setText(str(e)))
        row.addWidget(self.bar.start)
        row.addWidget(self.bar.progress)
        row.addWidget(self.bar.halt)
        row.addStretch()
        self.mirror = QCheckBox(tr("of the mirror part"))
        row.addWidget(self.mirror)
        self.save_button = QPushButton(tr("Templates at full size…"))
        self.save_button.setToolTip(tr("DXF or SVG for a cutter, PDF on sheets of paper to tape together"))
        self.save_button.clicked.connect(lambda _=False: self.save())
        row.addWidget(self.save_button)
        layout.addLayout(row)
        layout.addWidget(self.words)
        self.rolls = _Rolls(session)
        self.scroller = Bare()
        self.scroller.setWidgetResizable(True)
        self.scroller.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.scroller.setWidget(self.rolls)
        self.scroller.setAccessibleName(tr("Cut plan"))
        self.rolls.shown.connect(self._show_roll)
        layout.addWidget(self.scroller, 1)
        self.quick = Ask(self, lambda: session.number)
        self.quick.ready.connect(self._show)
        self.quick.failed.connect(lambda e: self.words.setText(str(e)))
        self.bar.start.clicked.connect(lambda _=False: self.nest())

    def fill(self) -> None:
        """Lay the job's pieces on shelves, unless that or better is shown."""
        job = self.session.job
        if job is self._of:
            return
        self._of = job
        self.quick.want(lambda: (job, cut_plan(job, _bag(job), nest=False, nests=KeptNests())))

    def nest(self) -> None:
        """Look for a shorter plan than the one that is shown, however it was found."""
        job = self.session.job
        self._before = (job, self.rolls.plan.pulled)

        def work(progress: Progress, stopped: Stopped) -> tuple[Job, CutPlan]:
            return job, cut_plan(
                job, _bag(job), nests=KeptNests(), again=True, progress=progress, stopped=stopped
            )

        self.bar.begin(work, max(len(self.rolls.plan.rolls), 1))

    def _nested(self, answer: tuple[Job, CutPlan]) -> None:
        job, before = self._before
        self._show(answer)
        if not before or answer[0] is not job or job is not self.session.job:
            return
        saved = before - answer[1].pulled
        told = tr("No shorter way to lay the pieces was found.")
        if saved > LEAST_SAVED:
            told = tr("{} less of the rolls is pulled.", show(saved, "area", self.session.system, 2))
        self.session.said.emit(told, False)

    def _show(self, answer: tuple[Job, CutPlan]) -> None:
        job, plan = answer
        if job is not self.session.job:
            return
        self.rolls.show_plan(plan)
        count = sum(len(r.placed) for r in plan.rolls)
        if not count:
            self.words.setText(tr("There is nothing to cut yet: lay plies in Stack."))
            return
        waste = 1 - sum(r.used for r in plan.rolls) / plan.pulled if plan.pulled else 0.0
        self.words.setText(
            tr(
                "{0} pieces in the order in which they come off; in all {1:.0f} % is thrown away. "
                "The warp runs along the roll; shapes are the plan's, drawn out by the root of the "
                "draw factor.",
                count,
                waste * 100,
            )
        )

    def _show_roll(self, top: float, height: float) -> None:
        half = round(height / 2)
        self.scroller.ensureVisible(0, round(top) + half, 0, half)

    def save(self, path: Path | None = None) -> None:
        """Write templates, of the chosen piece or of all, asking where when no path is given."""
        pieces = [p.piece for r in self.rolls.plan.rolls for p in r.placed]
        chosen = [p for p in pieces if p.key == self.rolls.chosen]
        if path is None:
            name = tr("{} templates", self.session.job.name)
            path = files.to_write(self, tr("Save templates"), name, "PDF (*.pdf);;DXF (*.dxf);;SVG (*.svg)")
        if path is None:
            return
        wanted, turned, name = chosen or pieces, self.mirror.isChecked(), self.session.job.name
        what = tr("piece {}", chosen[0].label) if chosen else tr("{} pieces", len(pieces))
        self.session.errands.begin(
            lambda: write_templates(mirrored(wanted) if turned else wanted, path, name),
            tr("{0} saved at full size as {1}.", what, path.name),
            lambda error: tr("The templates could not be saved: {}", error),
        )

    def resizeEvent(self, event: object) -> None:
        self.rolls.fit()

    def set_theme(self, theme: Theme) -> None:
        """Choose the theme."""
        self.rolls.set_theme(theme)


def _bag(job: Job) -> Bag | None:
    return bag_of(job) if job.process == "infusion" else None
