"""What a part costs in this mould against the same part infused, and from how many on the mould pays."""

from __future__ import annotations

from collections.abc import Iterator

from PySide6.QtWidgets import QVBoxLayout, QWidget

from bibulon.app.kit.drawing_view import DrawingView
from bibulon.app.kit.fields import heading, note
from bibulon.app.session.session import Session
from bibulon.app.session.shop_record import hours_of
from bibulon.app.work.ask import Ask
from bibulon.core.drawing.graphs.graphs import draw_routes
from bibulon.core.drawing.kit.scene import Item
from bibulon.core.drawing.kit.tokens import Theme
from bibulon.core.plans.routes import RouteCost, break_evens, compare
from bibulon.core.units.words import tr

__all__ = ["AgainstInfusion"]

OTHER = "infusion"


class AgainstInfusion(QWidget):
    """Words, and the cost a part over the quantity; rates are those of Part."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.costs: tuple[RouteCost, ...] = ()
        self.ask = Ask(self, lambda: session.number)
        self.ask.ready.connect(self._show)
        self.ask.failed.connect(self._fail)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(heading("Against infusion"))
        self.words = note("")
        layout.addWidget(self.words)
        self.graph = DrawingView("Cost a part against infusion", self._items, 170)
        layout.addWidget(self.graph)

    def fill(self) -> None:
        """Reckon it for the job as it is, with the shop's own hours where there are any."""
        job = self.session.job
        hours = {process: h for process, (h, _) in hours_of(self.session.settings).items()}
        self.ask.want(lambda: tuple(c for c in compare(job, hours) if c.route.name in (job.process, OTHER)))

    def _show(self, costs: tuple[RouteCost, ...]) -> None:
        self.costs = costs
        own = next((c for c in costs if c.route.name != OTHER), None)
        other = next((c for c in costs if c.route.name == OTHER), None)
        if own is None or other is None:
            self.words.setText("")
            return
        told = tr(
            "{0:.0f} a part by {1}, {2:.0f} by {3}, for {4}.",
            own.each,
            own.route.name,
            other.each,
            OTHER,
            own.quantity,
        )
        pays = next(iter(break_evens(costs)), None)
        told += (
            tr(" From {0} on {1} is cheaper.", pays[2], pays[1])
            if pays
            else tr(" More parts do not change which is cheaper.")
        )
        self.words.setText(tr("{} Rates and quantity stand on Part.", told))
        self.graph.setAccessibleDescription(tr(told))
        self.graph.update()

    def _fail(self, error: Exception) -> None:
        self.words.setText(tr("Not reckoned: {}.", error))

    def _items(self, width: float, height: float, theme: Theme) -> Iterator[Item]:
        return draw_routes(self.costs, width, height, theme)

    def set_theme(self, theme: Theme) -> None:
        """Choose the theme."""
        self.graph.set_theme(theme)
