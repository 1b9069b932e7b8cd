"""Mix: the card of one batch, to be read at three metres, with what is weighed and when."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeyEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import QWidget

from bibulon.app.kit.paint import paint
from bibulon.app.session.session import Session
from bibulon.core.drawing.graphs.mixcard import draw_mix_card
from bibulon.core.drawing.kit.scene import Label
from bibulon.core.drawing.kit.tokens import DAY, Theme
from bibulon.core.resin.charge import Charge
from bibulon.core.run.schedule import Schedule

__all__ = ["MixPage"]


class MixPage(QWidget):
    """One batch at a time; left and right turn to the next."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session, self.theme = session, DAY
        self.plan: Charge | None = None
        self.schedule: Schedule | None = None
        self.batch = 0
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Mixing card")

    def show_charge(self, plan: Charge | None, schedule: Schedule | None) -> None:
        """Show a charge, with its times where there are any."""
        self.plan, self.schedule = plan, schedule
        self.batch = min(self.batch, len(plan.batches) - 1) if plan else 0
        self.update()

    def turn_to(self, batch: int) -> None:
        """Show another batch, from 0."""
        if self.plan is not None and 0 <= batch < len(self.plan.batches):
            self.batch = batch
            self.setAccessibleDescription(f"Batch {batch + 1} of {len(self.plan.batches)}")
            self.update()

    def set_theme(self, theme: Theme) -> None:
        """Choose the theme."""
        self.theme = theme
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), self.theme.ground)
        job, size = self.session.job, (float(self.width()), float(self.height()))
        if self.plan is None or job.resin is None:
            paint(
                painter,
                [
                    Label(
                        size[0] / 2,
                        size[1] / 2,
                        "Choose a resin at the right: it says how it is mixed.",
                        self.theme.soft,
                        14,
                    )
                ],
            )
        else:
            times = (
                self.schedule.batches[self.batch]
                if self.schedule and self.batch < len(self.schedule.batches)
                else None
            )
            paint(
                painter,
                draw_mix_card(job, self.plan, self.batch, times, size, self.theme, self.session.system),
            )
        painter.end()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        by = {Qt.Key.Key_Right: 1, Qt.Key.Key_Left: -1}.get(Qt.Key(event.key()), 0)
        if by:
            self.turn_to(self.batch + by)
        else:
            super().keyPressEvent(event)
