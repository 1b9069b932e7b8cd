"""Ways to make the part, side by side, by the shop's rates."""

from __future__ import annotations

from collections.abc import Iterator

from PySide6.QtWidgets import QComboBox, QHBoxLayout, QVBoxLayout, QWidget

from bibulon.app.kit.drawing_view import DrawingView
from bibulon.app.kit.fields import UnitEdit, note
from bibulon.app.kit.table import Column, Table
from bibulon.app.session.session import Session
from bibulon.app.session.shop_record import hours_of
from bibulon.app.work.ask import Ask
from bibulon.core.drawing.graphs.graphs import draw_routes
from bibulon.core.drawing.kit.scene import Item
from bibulon.core.drawing.kit.tokens import Theme
from bibulon.core.edit.edit import change
from bibulon.core.plans.routes import RouteCost, break_evens, compare
from bibulon.core.units.words import tr

__all__ = ["RoutesView"]

HEADS = (
    Column("way", 120), Column("a part", 76, right=True), Column("hours", 66, right=True), Column("material", 80, right=True),
    Column("consumables", 96, right=True), Column("labour", 72, right=True), Column("tooling", 76, right=True), Column("faces"),
)  # fmt: skip
RATES = (
    ("quantity", tr("Parts wanted"), 1.0),
    ("labour", tr("An hour of labour"), 0.0),
    ("resin", tr("A kg of resin"), 0.0),
    ("cloth", tr("A kg of cloth"), 0.0),
    ("tube", tr("A metre of tube"), 0.0),
    ("hose", tr("A metre of hose"), 0.0),
    ("fitting", tr("A fitting"), 0.0),
)


TYPICAL = tr(
    "Hours, tooling and consumables of each way are typical figures that grow with the area; the stack's own prices and the rates"
    " above are the shop's."
)


class RoutesView(QWidget):
    """Rates above, the table, and the cost a part against the quantity."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.costs: tuple[RouteCost, ...] = ()
        self.later = Ask(self, lambda: session.number)
        self.later.ready.connect(self._show)
        self.later.failed.connect(self._on_failure)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(16, 8, 16, 8)
        row = QHBoxLayout()
        self.fields: dict[str, UnitEdit] = {}
        for name, label, low in RATES:
            column = QVBoxLayout()
            column.addWidget(note(label))
            field = UnitEdit("count" if name == "quantity" else "money", label, low, 1e6)
            field.committed.connect(lambda value, n=name: self._set(n, value))
            field.refused.connect(lambda text: session.said.emit(text, True))
            self.fields[name] = field
            column.addWidget(field)
            row.addLayout(column)
        column = QVBoxLayout()
        column.addWidget(note("Finished faces"))
        self.faces = QComboBox()
        self.faces.addItems(["1", "2"])
        self.faces.activated.connect(lambda _: self._set("faces", int(self.faces.currentText())))
        self.faces.setAccessibleName(tr("Finished faces"))
        column.addWidget(self.faces)
        row.addLayout(column)
        row.addStretch()
        layout.addLayout(row)
        self.table = Table(HEADS, "Ways to make the part")
        self.table.setFixedHeight(150)
        layout.addWidget(self.table)
        self.words = note("")
        layout.addWidget(self.words)
        self.graph = DrawingView("Cost a part against the quantity", self._items, 200)
        layout.addWidget(self.graph, 1)
        self.typical = note(TYPICAL)
        layout.addWidget(self.typical)

    def _on_failure(self, error: Exception) -> None:
        self.words.setText(str(error))

    def set_theme(self, theme: Theme) -> None:
        """Choose the theme of the graph."""
        self.graph.set_theme(theme)

    def fill(self) -> None:
        """Work the ways out again."""
        job = self.session.job
        for name, *_ in RATES:
            self.fields[name].set_value(float(getattr(job.rates, name)), self.session.system)
        self.faces.setCurrentText(str(job.rates.faces))
        self.fields["resin"].setEnabled(job.resin is None)
        own = hours_of(self.session.settings)
        hours = {process: h for process, (h, _) in own.items()}
        self.typical.setText(
            TYPICAL
            + "".join(
                tr(" {0}: {1:.1f} h, by {2} job{3} of this shop.", p.capitalize(), h, n, "s" * (n != 1))
                for p, (h, n) in own.items()
            )
        )
        self.later.want(lambda: compare(job, hours))

    def _show(self, costs: tuple[RouteCost, ...]) -> None:
        self.costs = costs
        self.table.show_rows(
            [
                (
                    tr(c.route.name), f"{c.each:.0f}", f"{c.hours:.1f}", f"{c.material:.0f}", f"{c.consumables:.0f}",
                    f"{c.labour:.0f}", f"{c.tooling:.0f}", f"{c.route.faces}{'' if c.fits else tr(', too few')}",
                )
                for c in costs
            ]
        )  # fmt: skip
        best = costs[0]
        told = [
            tr("For {0}, {1} is the cheapest, {2:.0f} a part.", best.quantity, best.route.name, best.each)
        ]
        told += [tr("From {0} on {1} beats {2}.", n, high, low) for low, high, n in break_evens(costs)[:3]]
        self.words.setText(" ".join(told))
        self.graph.update()

    def _items(self, width: float, height: float, theme: Theme) -> Iterator[Item]:
        return draw_routes(self.costs, width, height, theme)

    def _set(self, name: str, value: float) -> None:
        fields = {name: round(value) if name in {"quantity", "faces"} else value}
        self.session.edit("Change rates", lambda j: change(j, rates=j.rates.replaced(**fields)))
