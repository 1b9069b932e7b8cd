"""Shoot: the hour for which all the rest exists."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from bibulon.app.kit import files
from bibulon.app.kit.acts import Act
from bibulon.app.kit.turns import wait_again
from bibulon.app.stations.base import RailRow, Station
from bibulon.core.drawing.kit.tokens import Theme
from bibulon.core.model.job import Job
from bibulon.core.outlook.outlook import Outlook
from bibulon.core.run.journal import Entry
from bibulon.core.units.units import clock
from bibulon.core.units.words import tr
from bibulon.store.imports.gaugelog import LogError
from bibulon.store.imports.marklog import read_marks

if TYPE_CHECKING:
    from bibulon.app.stations.shoot.photo_panel import PhotoPanel

__all__ = ["ShootStation"]


class ShootStation(Station):
    """The board."""

    name = "Shoot"
    full = True
    takes = frozenset({".csv"}) | set(files.PICTURES)
    clock = True

    def build(self) -> None:
        from bibulon.app.stations.shoot.board import ShootBoard

        session = self.session
        self.board = ShootBoard(session)
        self.bench = self.board
        self.photo: PhotoPanel | None = None

    def set_theme(self, theme: Theme) -> None:
        """The board stays dark."""

    def entered(self) -> None:
        if not self.board.state().run:
            self.session.set_moment(0.0)  # before the start the board shows the start
        self.board.refitting.want()
        self.board.refitting.update()
        wait_again(self.board.plan)
        self.board.refresh()
        self.board.setFocus()

    def take_file(self, path: Path) -> None:
        """Take marks out of a CSV, each as a row of the run at the time that it tells; a photo is laid beside the plan."""
        if path.suffix.lower() in files.PICTURES:
            self.show_photo(path)
            return
        try:
            marks = read_marks(path)
        except LogError as error:
            self.session.said.emit(str(error), True)
            return
        state = self.session.run_state()
        if not state.running:
            self.session.said.emit(tr("Start the clock first: marks belong to a run."), True)
            return
        now = self.board.elapsed()
        late = next((m for m in marks if m.time > now), None)
        if late is not None:
            self.session.said.emit(
                tr("{0}, {1}: {2} has not come yet.", path.name, late.uid, clock(late.time)), True
            )
            return
        wall = self.session.run_clock.wall()
        for m in marks:
            data = {"x": round(m.x, 4), "y": round(m.y, 4), "seen": m.time, "text": path.name}
            if not self.session.stamp(Entry(state.run, now, m.kind, data, wall)):
                return
        self.session.said.emit(tr("{} marks taken.", len(marks)), False)

    def show_photo(self, path: Path) -> None:
        """Lay a photo of the bag beside the plan, to take marks from."""
        if self.photo is None:
            from bibulon.app.stations.shoot.photo_panel import PhotoPanel

            self.photo = PhotoPanel(self.board.window(), self.session)
        self.photo.show_photo(path)

    def ask_photo(self) -> None:
        """Ask which photo."""
        kinds = " ".join(f"*{ending}" for ending in files.PICTURES)
        path = files.to_read(self.board, tr("Photo of the bag"), tr("Pictures ({})", kinds))
        if path is not None:
            self.show_photo(path)

    def asked(self, text: str) -> list[Act]:
        """Offer a photo for words that ask for one."""
        wanted = "photo" in text.lower() or "picture" in text.lower()
        return [Act("Shoot", "Marks from a photo…", self.ask_photo)] if wanted and self.built else []

    def row(self, job: Job, outlook: Outlook | None) -> RailRow:
        state = self.session.run_state()
        if not state.run:
            return RailRow("not begun", "open")
        return RailRow(clock(self.session.elapsed()), "warned" if state.running else "settled")
