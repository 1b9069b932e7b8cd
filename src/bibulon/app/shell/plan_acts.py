"""Acts on the plan and its drawings: tools, zoom, folding the cut, saving and copying, the menu under the hand."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import Protocol

from PySide6.QtGui import QAction, QGuiApplication
from PySide6.QtWidgets import QMenu, QSplitter, QWidget

from bibulon.app.kit import files
from bibulon.app.kit.acts import Act
from bibulon.app.kit.export import KINDS, picture, writing
from bibulon.app.kit.tabs import Tabs
from bibulon.app.plan.cut_view import CutView
from bibulon.app.plan.selection_acts import ALIGNING, GROUP, add_point, join_hose, remove_point
from bibulon.app.plan.view import PlanView
from bibulon.app.session.session import Session
from bibulon.app.shell.clock_view import ClockView
from bibulon.app.stations.base import PlanBench, Station
from bibulon.app.stations.lines.station import LinesStation
from bibulon.core.drawing.graphs.diagram import draw_diagram
from bibulon.core.drawing.graphs.timeline import strip_for
from bibulon.core.drawing.kit.look import LAYERS
from bibulon.core.drawing.kit.scene import Item
from bibulon.core.drawing.kit.tokens import Theme
from bibulon.core.drawing.plan.fieldmap import FIELDS, RESIN
from bibulon.core.units.words import tr
from bibulon.store.exports.drawing_out import write_dxf

__all__ = ["PlanActs"]

MENU = ("Duplicate", "Mirror left to right", "Mirror top to bottom", "Turn a quarter left", "Turn 15° left")


class Host(Protocol):
    """What has plan, cut and clock: the window, for all that these acts know."""

    session: Session
    theme: Theme
    clock: ClockView
    current: int
    stations: list[Station]
    acts: list[Act]
    actions_by_title: dict[str, QAction]

    def station(self, name: str) -> Station:
        """Return a station by its name."""
        ...

    def go_to(self, name: str) -> None:
        """Go to a station by its name."""
        ...

    def say(self, text: str, alarm: bool) -> None:
        """Show a message."""
        ...


class PlanActs:
    """The acts of a window that have to do with its plan."""

    def __init__(self, window: Host) -> None:
        self.window = window

    @property
    def bench(self) -> PlanBench | None:
        """Return the plan's bench of the station that is open, if it has one."""
        bench: QWidget | None = self.window.stations[self.window.current].bench
        if isinstance(bench, Tabs):
            bench = bench.current
        if isinstance(bench, QSplitter):
            bench = bench.widget(0)
        return bench if isinstance(bench, PlanBench) else None

    @property
    def plan(self) -> PlanView | None:
        """Return the plan of the station that is open, if it has one."""
        return self.bench.plan if self.bench else None

    def acts(self) -> list[Act]:
        """Return the acts."""
        session = self.window.session
        view = session.view

        def here() -> bool:
            return self.plan is not None

        def on_plan(name: str) -> object:
            plan = self.plan
            return getattr(plan, name)() if plan else None

        acts = [
            Act("Plan", "Fit the part", lambda: on_plan("fit"), ("Ctrl+0",), here),
            Act("Plan", "Zoom to what is chosen", lambda: on_plan("fit_selection"), ("Ctrl+Shift+0",), here),
            Act("Plan", "Draw loose breather", self._draw_breather, (), self._bagged),
            Act(
                "Plan", "No loose breather", self._drop_breather, (), lambda: session.job.breather is not None
            ),
            Act("Plan", "Measure a distance", self._measure, ("Ctrl+M",), here),
            Act("Plan", "Snapping on or off", lambda: view.set_snaps(not view.snaps), ("Ctrl+G",)),
            Act(
                "Plan", "Values at the hand on or off", lambda: view.set_probes(not view.probes), ("Ctrl+I",)
            ),
            Act("Plan", "Choose all lines", self._choose_all, ("Ctrl+A",), here),
            Act(
                "Cut",
                "Fold the cut",
                lambda: self.bench.fold_cut() if self.bench else None,
                ("Ctrl+U",),
                here,
            ),
            Act("Cut", "Pressure along the cut", lambda: view.set_cut_pressure(not view.cut_pressure)),
        ]
        for key in (RESIN, *FIELDS):
            acts.append(Act("Plan", tr("Colour the plan by {}", key), partial(view.set_field, key), (), here))
        acts += [
            Act("Plan", tr("Show or hide: {}", title), self._switch(key)) for key, title in LAYERS.items()
        ]
        return [*acts, *self.drawings()]

    def _switch(self, layer: str) -> Callable[[], None]:
        view = self.window.session.view
        return lambda: view.show(layer, layer not in view.shown)

    def drawings(self) -> list[Act]:
        """Return the acts that save or copy a drawing."""
        names = ("plan", "cut", "clock", "diagram")
        save = [Act("Drawings", tr("Save {} as drawing…", n), lambda k=n: self.save(k)) for n in names]  # type: ignore[misc]
        return save + [Act("Drawings", tr("Copy {}", n), lambda k=n: self.copy(k)) for n in names]  # type: ignore[misc]

    def _measure(self) -> None:
        if self.plan:
            self.plan.begin_drawing("measure")

    def _bagged(self) -> bool:
        return self.window.session.job.process == "infusion"

    def _draw_breather(self) -> None:
        """Draw what lies loose under the bag, beyond the part, on the plan of Lines."""
        self.window.go_to("Lines")
        station = self.window.station("Lines")
        assert isinstance(station, LinesStation)
        station.tabs.go("Plan and cut")
        station.plan.begin_drawing("breather")

    def _drop_breather(self) -> None:
        self.window.session.edit("Take the breather off", lambda j: j.replaced(breather=None))

    def _choose_all(self) -> None:
        s = self.window.session
        s.set_selection(tuple(line.id for line in s.job.lines))

    # -- drawings as files

    def drawing(self, name: str) -> tuple[list[Item], tuple[float, float], str]:
        """Return the shapes, size [px] and ground of the plan, cut, clock or diagram as they are on screen."""
        window = self.window
        station = window.station("Lines")
        assert isinstance(station, LinesStation)
        lines = station.plan_bench
        bench = self.bench or lines
        if name == "clock":
            view = window.clock
            size = (float(max(view.width(), 900)), float(view.height()))
            outlook = window.session.outlook
            strip = strip_for(size[0], outlook.forecast if outlook else None)
            return view.items(strip, size[1]), size, view.theme.panel
        if name == "cut":
            cut: CutView = bench.cut or lines.cut  # type: ignore[assignment]
            size = (float(max(cut.width(), 600)), float(max(cut.height(), 160)))
            return cut.items(*size), size, cut.theme.ground
        if name == "diagram":
            theme, job = window.theme, window.session.job
            size = (900.0, 420.0)
            return list(draw_diagram(job, *size, theme, window.session.system)), size, theme.ground
        plan = bench.plan
        size = (float(plan.width()), float(plan.height()))
        return list(plan.items(plan.look(), *size)), size, plan.theme.ground

    def save(self, name: str, path: Path | None = None) -> None:
        """Save a drawing, asking where when no path is given."""
        if path is None:
            offered = f"{self.window.session.job.name} {name}"
            path = files.to_write(self.bench, tr("Save {}", name), offered, KINDS)
        if path is None:
            return
        session = self.window.session
        if name == "plan" and path.suffix.lower() == ".dxf":  # full size, arcs as arcs
            done = tr("The plan is saved full size as {}.", path.name)
            session.errands.begin(partial(write_dxf, session.job, path), done, str)
            return
        write = writing(*self.drawing(name), path, f"{session.job.name}, {name}")
        session.errands.begin(write, tr("The {0} is saved as {1}.", name, path.name), str)

    def copy(self, name: str) -> None:
        """Put a drawing on the clipboard as a picture."""
        items, size, ground = self.drawing(name)
        QGuiApplication.clipboard().setImage(picture(items, *size, ground))
        self.window.say(tr("The {} is on the clipboard.", name), False)

    # -- the menu under the hand

    def context_menu(self, menu: QMenu, place: tuple[float, float]) -> None:
        """Fill the menu that opens at a place of the plan [m]."""
        session, actions = self.window.session, self.window.actions_by_title
        if session.selection:
            for title in MENU:
                menu.addAction(actions[title])
            if len(session.selection) > 1:
                sides = menu.addMenu(tr("Align"))
                for act in self.window.acts:
                    if act.group == GROUP and act.title in ALIGNING.values():
                        sides.addAction(actions[act.title])
            if session.selected:
                menu.addSeparator()
                menu.addAction(tr("Add a point here")).triggered.connect(lambda: add_point(session, place))
                menu.addAction(tr("Remove the nearest point")).triggered.connect(
                    lambda: remove_point(session, place)
                )
                menu.addAction(tr("Join the hose here")).triggered.connect(lambda: join_hose(session, place))
            menu.addSeparator()
            menu.addAction(actions["Zoom to what is chosen"])
            menu.addAction(actions["Delete"])
        else:
            for title in ("Fit the part", "Measure a distance", "Snapping on or off", tr("Copy {}", "plan")):
                menu.addAction(actions[title])
