"""What the shop's own runs say of its materials, beside the library, and taken into it by one press."""

from __future__ import annotations

from collections.abc import Iterator

from PySide6.QtWidgets import QPushButton, QVBoxLayout, QWidget

from bibulon.app.kit.appearance import Bare, named
from bibulon.app.kit.drawing_view import DrawingView
from bibulon.app.kit.fields import note, push
from bibulon.app.session.log import Log
from bibulon.app.session.session import Session
from bibulon.app.session.shop_record import keep_hours, keep_leak_factors, leak_factors
from bibulon.core.drawing.graphs.habits import KINDS, draw_habits, habits_height
from bibulon.core.drawing.graphs.learned import ROW, draw_learned
from bibulon.core.drawing.kit.scene import Item
from bibulon.core.drawing.kit.tokens import Theme
from bibulon.core.model.materials import About, Fabric, FlowMesh, Material, PorousLayer
from bibulon.core.series.habits import Leaks, Stage, hours_by_process, leaks_told, stages_told
from bibulon.core.series.learn import Proposal, proposals
from bibulon.core.series.settled import KINDS as FIGURES
from bibulon.core.series.settled import figure_of
from bibulon.core.series.settled import taken as by_factor
from bibulon.core.units.words import tr

__all__ = ["LearnedPage"]

LEAST_RUNS = 2  # from which on a figure of the shop may be taken


class LearnedPage(QWidget):
    """Factors on the library's permeabilities with their spread; what two runs and more bear can be taken."""

    def __init__(self, session: Session, log: Log) -> None:
        super().__init__()
        self.session, self.log = session, log
        self.found: tuple[Proposal, ...] = ()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(16, 8, 16, 8)
        self.words = note()
        layout.addWidget(self.words)
        self.stages: tuple[Stage, ...] = ()
        self.hours: dict[str, tuple[float, int]] = {}
        self.leaks: tuple[Leaks, ...] = ()
        self.view = DrawingView("What this shop's runs say, beside what is usual", self._items, 160)
        scroll = Bare()
        scroll.setWidgetResizable(True)
        scroll.setWidget(self.view)
        scroll.setAccessibleName(tr("Proposals"))
        layout.addWidget(scroll, 1)
        self.take = named(QPushButton(tr("Take what two runs and more bear into the shop's library")), "act")
        self.take.clicked.connect(lambda _=False: self.take_all())
        layout.addWidget(self.take)
        self.hunt = push("Let the hunt for leaks go by this shop's own places", self.take_leaks)
        layout.addWidget(self.hunt)
        self.costs = push("Reckon the ways to make a part with this shop's hours", self.take_hours)
        layout.addWidget(self.costs)

    def fill(self) -> None:
        """Follow the log."""
        kinds = (Fabric, PorousLayer, FlowMesh)
        known = {m.name: m.k1 for m in self.session.shelf.values() if isinstance(m, kinds)}
        found = list(proposals((r.learned for r in self.log.every if r.learned), known))
        for quantity, (_, spread, between) in FIGURES.items():
            own = {
                m.name: v for m in self.session.shelf.values() if (v := figure_of(m, quantity)) is not None
            }
            rows = [
                [(n, y, sd, ref) for q, n, y, sd, ref in r.settled if q == quantity] for r in self.log.every
            ]
            found += proposals((row for row in rows if row), own, quantity, spread, between)
        self.found = tuple(found)
        borne = [p for p in self.found if p.runs >= LEAST_RUNS]
        self.take.setEnabled(bool(borne))
        self.words.setText(
            tr(
                "Each run with three marks and more says how its cloth and mesh let resin through. Few runs stay near the library. Jobs that are there keep their own figures."
                if self.found
                else "No permeabilities are learned yet: mark the front three times or more in a run, and stop its clock."
            )
        )
        self.stages = stages_told(r.spans for r in self.log.every)
        self.hours = hours_by_process((r.process, r.spans) for r in self.log.every)
        self.costs.setEnabled(bool(self.hours))
        self.leaks = leaks_told([leak for r in self.log.every for leak in r.leaks])
        self.hunt.setEnabled(bool(self.leaks) or bool(leak_factors(self.session.settings)))
        taken = bool(leak_factors(self.session.settings)) and not self.leaks
        self.hunt.setText(
            tr(
                "Put the usual places back in the hunt"
                if taken
                else "Let the hunt for leaks go by this shop's own places"
            )
        )
        self.view.setMinimumHeight(int(self._first() + habits_height(self.stages, self.leaks)) + 20)
        self.view.update()

    def _items(self, width: float, height: float, theme: Theme) -> Iterator[Item]:
        yield from draw_learned(self.found, width, theme)
        yield from draw_habits(self.stages, self.leaks, width, self._first(), theme)

    def _first(self) -> float:
        return ROW * len(self.found) + 50 if self.found else 8.0

    def take_hours(self) -> None:
        """Reckon costs with the hours that this shop's jobs took, by process."""
        keep_hours(self.session.settings, self.hours)
        told = ", ".join(
            tr("{0} {1:.1f} h ({2} job{3})", process, hours, jobs, "s" * (jobs != 1))
            for process, (hours, jobs) in self.hours.items()
        )
        self.session.said.emit(tr("Part reckons its ways with: {}.", told), False)

    def take_leaks(self) -> None:
        """Weigh places in the hunt by this shop's own leaks; with none on record, as is usual."""
        factors = {x.kind: round(x.factor.middle, 3) for x in self.leaks}
        keep_leak_factors(self.session.settings, factors)
        told = ", ".join(f"{KINDS.get(k, k)} × {v:.2f}" for k, v in factors.items())
        self.session.said.emit(
            tr("The hunt weighs now: {}.", told) if told else tr("The hunt goes by the usual places."), False
        )
        self.fill()

    def take_all(self) -> None:
        """Put the shop's figures of the materials that two runs and more bear into its library."""
        own: dict[str, Material] = dict(self.session.own_materials)
        taken = []
        for p in self.found:
            for key, material in self.session.shelf.items():
                if p.runs >= LEAST_RUNS and material.name == p.material:
                    new = _with(own.get(key, material), p)
                    if new is not material:
                        own[key] = new
                        taken.append(f"{p.material} ({p.quantity})")
        if taken and self.session.keep_materials(own):
            self.fill()
            self.session.said.emit(tr("Taken into the shop's library: {}.", ", ".join(taken)), False)
        elif not taken:
            self.session.said.emit(tr("None of these materials is in the library under its name."), True)

    def set_theme(self, theme: Theme) -> None:
        """Choose the theme."""
        self.view.set_theme(theme)


def _with(material: Material, p: Proposal) -> Material:
    """Return a material with what the shop found of one of its figures, its source and range beside it."""
    if p.quantity != "permeability":
        new = by_factor(material, p.quantity, p.middle)
        name = {"packing": "vf_ref", "uptake": "surface_uptake"}[p.quantity]
        return (
            new
            if new == material
            else new.replaced(about={**material.about, name: _about(p, float(getattr(new, name)))})
        )
    if not isinstance(material, Fabric | PorousLayer | FlowMesh):
        return material
    keys = ("k1", "k2", "k3")
    about = {k: _about(p, getattr(material, k) * p.middle) for k in keys}
    return material.replaced(
        **{k: getattr(material, k) * p.middle for k in keys}, about={**material.about, **about}
    )


def _about(p: Proposal, value: float) -> About:
    low, high = value * p.low / p.middle, value * p.high / p.middle
    return About(source=tr("this shop, {} runs", p.runs), confidence="measured", low=low, high=high)
