"""Channel: which bore feeds evenly and wastes little, by forecasts of one bore after another."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter
from PySide6.QtWidgets import QVBoxLayout, QWidget

from bibulon.app.kit.drawn import Drawn
from bibulon.app.kit.fields import FigureGrid, note
from bibulon.app.kit.paint import paint_told
from bibulon.app.kit.run_bar import gathered
from bibulon.app.session.session import Session
from bibulon.app.stations.mould.trials import TrialsPage
from bibulon.app.work.ask import Progress, Stopped
from bibulon.core.drawing.graphs.bores import bore_at, draw_bores
from bibulon.core.drawing.kit.scene import Label
from bibulon.core.drawing.kit.tokens import Theme
from bibulon.core.flow.forecast import flow_key
from bibulon.core.model.job import Job
from bibulon.core.plans.bores import BORES, BoreRow, best_bore, bore_rows, with_bore
from bibulon.core.units.units import clock, show
from bibulon.core.units.words import tr

__all__ = ["ChannelPage"]


class BoreView(Drawn):
    """Three graphs over the bore; a click or left and right pick one."""

    picked = Signal(float)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.rows: list[BoreRow] = []
        self.pick: BoreRow | None = None
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(tr("Filling time, evenness and waste by the channel's bore"))

    def sizeHint(self) -> QSize:
        return QSize(640, 480)

    def draw(self, painter: QPainter) -> None:
        size = float(self.width()), float(self.height())
        if len(self.rows) < 2:
            words = tr("Once the plan has a forecast it is tried with one bore after another.")
            paint_told(self, painter, [Label(size[0] / 2, size[1] / 2, words, self.theme.soft, 14)])
        else:
            now = next((x.bore for x in self.session.job.lines if x.role == "feed" and len(x.path) > 1), 0.0)
            ahead = self.session.job.rules.channel_ahead
            paint_told(
                self,
                painter,
                draw_bores(self.rows, now, self.pick, ahead, size, self.theme, self.session.system),
            )

    def choose(self, row: BoreRow) -> None:
        """Pick a bore."""
        self.pick = row
        s = self.session.system
        self.setAccessibleDescription(
            tr(
                "{0}: full after {1}, {2} wasted",
                show(row.bore, "length", s),
                clock(row.fill_time),
                show(row.waste, "mass", s),
            )
        )
        self.picked.emit(row.bore)
        self.update()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if len(self.rows) > 1:
            self.choose(bore_at(self.rows, event.position().x(), float(self.width()), self.session.system))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        by = {Qt.Key.Key_Right: 1, Qt.Key.Key_Left: -1}.get(Qt.Key(event.key()), 0)
        if by and self.rows:
            at = self.rows.index(self.pick) if self.pick in self.rows else 0
            self.choose(self.rows[max(0, min(at + by, len(self.rows) - 1))])
        else:
            super().keyPressEvent(event)


class ChannelPage(TrialsPage):
    """The graphs, the run behind them, and taking the pick."""

    def __init__(self, session: Session) -> None:
        super().__init__(session, "Try bores", "Bores tried", "Stop trying bores", tr("Take this bore"))
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 8)
        layout.addLayout(self.bar.row(self.take))
        self.view = BoreView(session)
        self.view.picked.connect(lambda _: self._tell())
        layout.addWidget(self.view, 1)
        self.side = QWidget()
        side = QVBoxLayout(self.side)
        side.setContentsMargins(16, 12, 16, 8)
        self.figures = FigureGrid(("bore", "all full", "channel round", "uneven", "wasted"))
        side.addWidget(self.figures)
        self.words = note(
            "Dashed: when the channel is to be full round, by the shop's rule. What stays uneven with any bore is the part's own "
            "shape: move inlet or vent."
        )
        side.addWidget(self.words)
        side.addStretch()

    def fill(self) -> None:
        super().fill()
        self.view.update()

    def key(self, job: Job) -> object:
        """All bores are tried: which of them the channel has now makes no difference."""
        return flow_key(with_bore(job, BORES[0]))

    def nothing_to_try(self) -> str:
        if any(x.role == "feed" and len(x.path) > 1 for x in self.session.job.lines):
            return ""
        return tr("There is no channel: draw a feed line round the cavity on Lines.")

    def trials(self) -> tuple[Callable[[Progress, Stopped], list[BoreRow]], int]:
        job, bores = self.session.job, len(BORES)
        return lambda progress, stopped: gathered(bore_rows(job), bores, progress, stopped), bores

    def forget(self) -> None:
        self.view.rows, self.view.pick = [], None
        self.take.setEnabled(False)
        for name in self.figures.figures:
            self.figures.set(name, "—")

    def show_rows(self, rows: list[BoreRow]) -> None:
        self.view.rows = rows
        if len(rows) > 1:
            self.view.choose(best_bore(rows, self.session.job.rules.channel_ahead) or rows[-1])
        self.take.setEnabled(len(rows) > 1)

    def _tell(self) -> None:
        row, s = self.view.pick, self.session.system
        if row is not None:
            for name, text in (
                ("bore", show(row.bore, "length", s)), ("all full", clock(row.fill_time)), ("channel round", clock(row.channel_full)),
                ("uneven", f"{row.uneven * 100:.0f} %"), ("wasted", show(row.waste, "mass", s)),
            ):  # fmt: skip
                self.figures.set(name, text)

    def take_pick(self) -> None:
        """Give the channel the bore that is picked."""
        row = self.view.pick
        if row is not None:
            self.session.edit("Change channel bore", lambda j: with_bore(j, row.bore))

    def set_theme(self, theme: Theme) -> None:
        """Choose the theme."""
        self.view.set_theme(theme)
