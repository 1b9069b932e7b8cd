"""What the shop's own runs say of its materials, beside the library, and taken into it by one press."""

from __future__ import annotations

from collections.abc import Iterator

from PySide6.QtWidgets import QPushButton, QScrollArea, QVBoxLayout, QWidget

from bibulon.app.kit.drawing_view import DrawingView
from bibulon.app.kit.fields import named, note
from bibulon.app.session.log import Log
from bibulon.app.session.session import Session
from bibulon.core.drawing.graphs.learned import ROW, draw_learned
from bibulon.core.drawing.kit.scene import Item
from bibulon.core.drawing.kit.tokens import Theme
from bibulon.core.model.materials import About, Fabric, FlowMesh, Material, PorousLayer
from bibulon.core.series.learn import Proposal, proposals

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
        self.view = DrawingView("Permeabilities of this shop beside the library's", self._items, 160)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setWidget(self.view)
        scroll.setAccessibleName("Proposals")
        layout.addWidget(scroll, 1)
        self.take = named(QPushButton("Take what two runs and more bear into the shop's library"), "act")
        self.take.clicked.connect(lambda _=False: self.take_all())
        layout.addWidget(self.take)

    def fill(self) -> None:
        """Follow the log."""
        kinds = (Fabric, PorousLayer, FlowMesh)
        known = {m.name: m.k1 for m in self.session.shelf.values() if isinstance(m, kinds)}
        self.found = proposals((r.learned for r in self.log.every if r.learned), known)
        borne = [p for p in self.found if p.runs >= LEAST_RUNS]
        self.take.setEnabled(bool(borne))
        self.words.setText(
            "Each run with three marks and more says how its cloth and mesh let resin through. Few runs stay near the library. Jobs that are there keep their own figures."
            if self.found
            else "Nothing learned yet: mark the front three times or more in a run, and stop its clock."
        )
        self.view.setMinimumHeight(int(ROW * max(len(self.found), 1) + 60))
        self.view.update()

    def _items(self, width: float, height: float, theme: Theme) -> Iterator[Item]:
        return draw_learned(self.found, width, theme)

    def take_all(self) -> None:
        """Put the shop's figures of the materials that two runs and more bear into its library."""
        own: dict[str, Material] = dict(self.session.own_materials)
        taken = []
        for p in self.found:
            for key, material in self.session.shelf.items():
                if (
                    p.runs < LEAST_RUNS
                    or material.name != p.material
                    or not isinstance(material, Fabric | PorousLayer | FlowMesh)
                ):
                    continue
                about = {
                    k: About(
                        source=f"this shop, {p.runs} runs", confidence="measured", low=getattr(material, k) * p.low, high=getattr(material, k) * p.high
                    )
                    for k in ("k1", "k2", "k3")
                }  # fmt: skip
                figures = {k: getattr(material, k) * p.middle for k in ("k1", "k2", "k3")}
                own[key] = material.replaced(**figures, about={**material.about, **about})
                taken.append(p.material)
        if taken and self.session.keep_materials(own):
            self.fill()
            self.session.said.emit(f"Taken into the shop's library: {', '.join(taken)}.", False)
        elif not taken:
            self.session.said.emit("None of these materials is in the library under its name.", True)

    def set_theme(self, theme: Theme) -> None:
        """Choose the theme."""
        self.view.set_theme(theme)
