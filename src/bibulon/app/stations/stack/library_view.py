"""The library: materials of this job and of the shop, figure by figure, with where each comes from."""

from __future__ import annotations

from functools import cached_property
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QComboBox,
    QHBoxLayout,
    QLineEdit,
    QListWidgetItem,
    QPushButton,
    QSplitter,
    QVBoxLayout,
    QWidget,
)

from bibulon.app.kit import files
from bibulon.app.kit.fields import note
from bibulon.app.kit.pile import Pile
from bibulon.app.kit.rows import Rows
from bibulon.app.kit.table import Column, Table
from bibulon.app.session.session import Session
from bibulon.app.stations.stack.sheet_panel import SheetPanel
from bibulon.app.stations.stack.strip_panel import StripPanel
from bibulon.app.work.ask import Ask
from bibulon.core.drawing.kit.tokens import Theme
from bibulon.core.edit.edit import new_id, set_material
from bibulon.core.library.catalogue import library
from bibulon.core.library.properties import (
    CONFIDENCES,
    KINDS,
    PROPERTIES,
    Property,
    about,
    set_about,
    set_text,
    text_of,
)
from bibulon.core.model.materials import About, Material, Resin
from bibulon.core.units.units import System
from bibulon.core.units.words import tr
from bibulon.store.library import read_materials, write_materials
from bibulon.store.salvage import plainly

__all__ = ["LibraryView"]

COLUMNS = (
    Column("figure", 150), Column("value", 112, typed=True), Column("trust", 100, choices=CONFIDENCES),
    Column("source", typed=True),
)  # fmt: skip
FILES = "Libraries (*.json *.csv)"


class LibraryView(QWidget):
    """A list of materials, the figures of the one chosen, and what its kind can be found out by."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._theme: Theme | None = None
        self._panels: list[StripPanel | SheetPanel] = []
        self.reader = Ask(self, lambda: None)  # the library is the shop's, whatever job is open
        self.reader.ready.connect(self._on_read)
        self.reader.failed.connect(self._on_read_failure)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(16, 4, 16, 8)
        self.split = QSplitter(Qt.Orientation.Horizontal)
        self.split.addWidget(self._list_side())
        self.split.addWidget(self._figures_side())
        self.split.setStretchFactor(1, 1)
        self.split.setSizes([230, 500])
        self.split.setChildrenCollapsible(False)
        layout.addWidget(self.split)
        session.job_changed.connect(lambda _: self.fill() if self.isVisible() else None)
        session.system_changed.connect(lambda _: self._show())
        session.library_changed.connect(self.fill)
        self.fill()

    # -- building

    def _list_side(self) -> QWidget:
        side = QWidget()
        layout = QVBoxLayout(side)
        layout.setContentsMargins(0, 0, 8, 0)
        self.kind = QComboBox()
        self.kind.setAccessibleName(tr("Kind of material"))
        self.kind.addItem(tr("All kinds"), "")
        for key, name in KINDS.items():
            self.kind.addItem(tr(name), key)
        self.kind.activated.connect(lambda _: self.fill())
        layout.addWidget(self.kind)
        self.search = QLineEdit()
        self.search.setPlaceholderText(tr("Find a material"))
        self.search.setAccessibleName(tr("Find a material"))
        self.search.textChanged.connect(lambda _: self.fill())
        layout.addWidget(self.search)
        self.list = Rows()
        self.list.setAccessibleName(tr("Materials"))
        self.list.setUniformItemSizes(True)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.currentItemChanged.connect(lambda *_: self._show())
        layout.addWidget(self.list, 1)
        acts = iter((self.new, self.remove, self.load, self.save))
        for texts in (("New from this", "Remove"), ("Import…", "Export…")):
            row = QHBoxLayout()
            for text in texts:
                button, act = QPushButton(tr(text)), next(acts)
                button.clicked.connect(lambda _=False, act=act: act())
                row.addWidget(button)
            layout.addLayout(row)
        return side

    def _figures_side(self) -> QWidget:
        side = QWidget()
        layout = QVBoxLayout(side)
        layout.setContentsMargins(8, 0, 0, 0)
        row = QHBoxLayout()
        self.title = QLineEdit()
        self.title.setAccessibleName(tr("Name of the material"))
        self.title.editingFinished.connect(self._rename)
        row.addWidget(self.title, 1)
        self.take = QPushButton(tr("Bring into the job"))
        self.take.setToolTip(tr("Replace this job's own copy by the library's figures"))
        self.take.clicked.connect(self._bring)
        row.addWidget(self.take)
        self.keep = QPushButton(tr("Keep in the library"))
        self.keep.setToolTip(tr("Put this job's figures into the shop's library"))
        self.keep.clicked.connect(self._keep)
        row.addWidget(self.keep)
        layout.addLayout(row)
        self.words = note()
        layout.addWidget(self.words)
        self.table = Table(COLUMNS, "Figures of the material", ordered=True, together=self.session.together)
        self.table.typed.connect(self._typed)
        layout.addWidget(self.table, 3)
        self.more = Pile()
        self.more.addWidget(QWidget())
        layout.addWidget(self.more, 3)
        return side

    @cached_property
    def strip(self) -> StripPanel:
        """The panel of the strip test, from the first fabric on that is chosen."""
        panel = StripPanel(self.session)
        panel.kept.connect(self._keep_permeability)
        self._beside(panel)
        return panel

    @cached_property
    def sheet(self) -> SheetPanel:
        """The panel of the data sheet, from the first resin on that is chosen."""
        panel = SheetPanel(self.session)
        panel.fitted.connect(self._keep_resin)
        self._beside(panel)
        return panel

    def _beside(self, panel: StripPanel | SheetPanel) -> None:
        if self._theme is not None:
            panel.set_theme(self._theme)
        self._panels.append(panel)
        self.more.addWidget(panel)

    def set_theme(self, theme: Theme) -> None:
        """Choose the theme of the graphs."""
        self._theme = theme
        for panel in self._panels:
            panel.set_theme(theme)

    # -- which material

    @property
    def chosen(self) -> tuple[str, str] | None:
        """Return ("job" or "shop", id) of the material chosen."""
        item = self.list.currentItem()
        return item.data(Qt.ItemDataRole.UserRole) if item else None

    @property
    def material(self) -> Material | None:
        """Return the material chosen."""
        if self.chosen is None:
            return None
        where, key = self.chosen
        if where == "shop":
            return self.session.shelf.get(key)
        job = self.session.job
        return job.resin if key == "=resin" else job.materials.get(key)

    def choose(self, where: str, key: str) -> None:
        """Choose a material."""
        for k in range(self.list.count()):
            if self.list.item(k).data(Qt.ItemDataRole.UserRole) == (where, key):
                self.list.setCurrentRow(k)

    def fill(self) -> None:
        """List the job's materials, then the library's."""
        before, job = self.chosen, self.session.job
        own: dict[str, Material] = dict(job.materials)
        if job.resin is not None:
            own["=resin"] = job.resin
        groups = (("job", tr("In this job"), own), ("shop", "Library", self.session.shelf))
        self.list.blockSignals(True)
        self.list.clear()
        wanted, kind = self.search.text().casefold(), self.kind.currentData()
        for where, title, materials in groups:
            found = [
                (k, m) for k, m in materials.items() if wanted in m.name.casefold() and kind in {"", m.kind}
            ]
            if not found:
                continue
            head = QListWidgetItem(tr(title))
            head.setFlags(Qt.ItemFlag.NoItemFlags)
            bold = head.font()
            bold.setBold(True)
            head.setFont(bold)
            self.list.addItem(head)
            for key, material in found:
                mine = where == "shop" and key in self.session.own_materials
                item = QListWidgetItem(f"{material.name}{' · own' if mine else ''}")
                item.setToolTip(material.name)
                item.setData(Qt.ItemDataRole.UserRole, (where, key))
                self.list.addItem(item)
                if (where, key) == before:
                    self.list.setCurrentItem(item)
        if self.list.currentItem() is None and self.list.count() > 1:
            self.list.setCurrentRow(1)
        self.list.blockSignals(False)
        self._show()

    def _show(self) -> None:
        material = self.material
        self.title.setText(material.name if material else "")
        self.more.setCurrentIndex(0)
        if material is not None and self.chosen is not None:
            where, key = self.chosen
            self.words.setText(self._about_words(where, key, material))
            self.take.setVisible(where == "shop" and self._in_job(key, material))
            self.keep.setVisible(where == "job")
            s = self.session.system
            self.table.show_rows([_cells(material, prop, s) for prop in PROPERTIES[material.kind]])
            if material.kind == "fabric":
                self.strip.show_material(material)
                self.more.setCurrentWidget(self.strip)
            elif isinstance(material, Resin):
                self.sheet.show_resin(material)
                self.more.setCurrentWidget(self.sheet)
        else:
            self.table.show_rows(())

    def _in_job(self, key: str, material: Material) -> bool:
        job = self.session.job
        if isinstance(material, Resin):
            return job.resin is not None and job.resin != material
        return key in job.materials and job.materials[key] != material

    def _about_words(self, where: str, key: str, material: Material) -> str:
        kind = tr(KINDS[material.kind]).lower()
        if where == "job":
            return tr("{} · this job's own copy: what is changed here changes this job alone", kind)
        if key in self.session.own_materials:
            return tr("{0} · the shop's own{1}", kind, ", over a shipped one" if key in library() else "")
        return tr("{} · shipped, invented; a change makes it the shop's own", kind)

    # -- edits

    def _store(self, material: Material, name: str) -> bool:
        """Put a changed material back where it came from."""
        if self.chosen is None:
            return False
        where, key = self.chosen
        if where == "shop":
            return self.session.keep_materials({**self.session.own_materials, key: material})
        if isinstance(material, Resin):
            return self.session.edit(name, lambda j: j.replaced(resin=material))
        return self.session.edit(name, lambda j: set_material(j, key, material))

    def _typed(self, row: int, column: int, text: str) -> None:
        material = self.material
        if material is None:
            return
        prop = PROPERTIES[material.kind][row]
        try:
            if column == 1:
                changed = set_text(material, prop, text, self.session.system)
            else:
                field = "source" if column == 3 else "confidence"
                changed = set_about(material, prop, about(material, prop).replaced(**{field: text}))
        except ValueError as error:
            self.session.said.emit(plainly(error), True)
            return
        if changed != material:
            self._store(changed, tr("Change {0} of {1}", prop.label, material.name))

    def _rename(self) -> None:
        material, name = self.material, self.title.text().strip()
        if material is not None and name and name != material.name:
            self._store(material.replaced(name=name), tr("Rename {}", material.name))

    def _bring(self) -> None:
        if self.chosen is None or (material := self.material) is None:
            return
        key = self.chosen[1]
        name = tr("Bring {} into the job", material.name)
        if isinstance(material, Resin):
            self.session.edit(name, lambda j: j.replaced(resin=material))
        else:
            self.session.edit(name, lambda j: set_material(j, key, material))

    def _keep(self) -> None:
        if self.chosen is None or (material := self.material) is None:
            return
        key = self.chosen[1]
        if key == "=resin":
            key = next((k for k, m in self.session.shelf.items() if m.name == material.name), "resin-own")
        if self.session.keep_materials({**self.session.own_materials, key: material}):
            self.session.said.emit(tr("{} is in the library as this job has it.", material.name), False)

    def new(self) -> None:
        """Make a material of the shop's own from the one chosen."""
        material = self.material
        if material is None:
            return
        key = new_id(f"{material.kind}-own-", list(self.session.shelf))
        made = material.replaced(name=tr("{}, own", material.name))
        if self.session.keep_materials({**self.session.own_materials, key: made}):
            self.choose("shop", key)
            self.title.setFocus()
            self.title.selectAll()

    def remove(self) -> None:
        """Take the shop's own away; a shipped one comes back as it was."""
        if (
            self.chosen is None
            or self.chosen[0] != "shop"
            or self.chosen[1] not in self.session.own_materials
        ):
            self.session.said.emit(tr("Only the shop's own materials can be removed."), True)
            return
        rest = {k: m for k, m in self.session.own_materials.items() if self.chosen and k != self.chosen[1]}
        self.session.keep_materials(rest)

    def load(self, path: Path | None = None) -> None:
        """Add materials from a file."""
        if path is None:
            path = files.to_read(self, tr("Import materials"), FILES)
        if path is None:
            return
        told = path
        self.reader.want(lambda: (told.name, read_materials(told)))

    def _on_read(self, answer: tuple[str, dict[str, Material]]) -> None:
        name, found = answer
        if self.session.keep_materials({**self.session.own_materials, **found}):
            self.session.said.emit(tr("{0} materials imported from {1}.", len(found), name), False)

    def _on_read_failure(self, error: Exception) -> None:
        self.session.said.emit(tr("{} Nothing was imported.", error), True)

    def save(self, path: Path | None = None) -> None:
        """Write the library to a file."""
        if path is None:
            path = files.to_write(self, tr("Export materials"), tr("our materials"), FILES)
        if path is None:
            return
        try:
            write_materials(self.session.shelf, path)
        except (OSError, ValueError) as error:
            self.session.said.emit(tr("The library could not be saved: {}", error), True)
            return
        self.session.said.emit(tr("{0} materials are in {1}.", len(self.session.shelf), path.name), False)

    def _keep_permeability(self, k: float, told: About) -> None:
        """Take K1 from a strip test; the others keep their ratio to it."""
        material = self.material
        if material is None or material.kind != "fabric":
            return
        ratio = k / material.k1
        changed = material.replaced(k1=k, k2=material.k2 * ratio, k3=material.k3 * ratio)
        sources = dict(changed.about)
        sources["k1"] = told
        for name in ("k2", "k3"):
            sources[name] = About(source=tr("scaled with K1, {}", told.source), confidence="typical")
        if self._store(changed.replaced(about=sources), tr("Permeability of {}", material.name)):
            self.session.said.emit(
                tr("{0}: K1 {1:.2e} m²; K2 and K3 scaled with it.", material.name, k), False
            )

    def _keep_resin(self, resin: Resin) -> None:
        if self._store(resin, tr("Fit {}", resin.name)):
            self.session.said.emit(tr("{} follows its data sheet now.", resin.name), False)


def _cells(material: Material, prop: Property, s: System) -> tuple[str, ...]:
    """Return what the list says of a figure."""
    told = about(material, prop)
    return tr(prop.label), text_of(material, prop, s), told.confidence, told.source
