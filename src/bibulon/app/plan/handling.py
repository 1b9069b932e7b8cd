"""What the hand on the plan holds, draws and snaps to, whether it is moved by mouse or by keys."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator

import numpy as np
from PySide6.QtCore import QPointF, Qt, Signal
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QMenu
from shapely.geometry import LineString, Point

from bibulon.app.plan.canvas import PlanCanvas
from bibulon.app.plan.handles import Handle, handles_of, moved, set_bow
from bibulon.app.plan.overlay import (
    box,
    draw_handles,
    draw_probe,
    draw_snap,
    drawing_items,
    hand_label,
    probe_rows,
)
from bibulon.app.plan.place_edit import PlaceEdit
from bibulon.app.session.session import Session
from bibulon.core.drawing.kit.look import PlanLook
from bibulon.core.drawing.kit.scene import Area, Item, Label, View
from bibulon.core.drawing.kit.tokens import WEIGHT
from bibulon.core.edit.arrange import bounds
from bibulon.core.geometry.outline import check
from bibulon.core.geometry.snap import Snap, Targets, nice_grid, snap, targets_of
from bibulon.core.model.job import Drawn, Job, Part
from bibulon.core.units.units import show
from bibulon.core.units.words import tr

__all__ = ["REACH", "PlanHandling"]

REACH = 10  # px within which the hand takes hold of something, or snaps to it


class PlanHandling(PlanCanvas):
    """The plan with handles, drawing and snapping; ``editable`` names what may be edited in place.

    ``editable``: any of "outline", "zones", "lines", "mesh", "cut".  ``begin_drawing`` collects points
    until Enter or a double click; ``drawn`` then gives the kind and the points [m].
    """

    drawn = Signal(str, object)
    clicked_at = Signal(float, float)
    hand_moved = Signal(object)  # (x, y) [m] or None

    def __init__(self, session: Session, editable: frozenset[str] = frozenset(), resin: bool = True) -> None:
        super().__init__(session, resin)
        self.editable = editable
        self.menu_acts: Callable[[QMenu, tuple[float, float]], None] | None = None
        self._typing = False  # whether the fields beside the hand are its own, not a handle's
        self._hold: Handle | None = None
        self._active: Handle | None = None
        self._pan_from: QPointF | None = None
        self._rubber: tuple[QPointF, QPointF] | None = None
        self._drawing: str | None = None
        self._points: list[tuple[float, float]] = []
        self._hand: tuple[float, float] | None = None
        self._hand_px = (0.0, 0.0)
        self._snapped: Snap | None = None
        self._targets: tuple[object, Targets] | None = None
        self.place_edit = PlaceEdit(self)
        self.place_edit.placed.connect(self._place)
        self.place_edit.refused.connect(lambda text: session.said.emit(text, True))
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMinimumSize(240, 160)
        self.setAccessibleName(tr("Plan from the bag side"))
        self.setAccessibleDescription(
            tr(
                "Arrow keys pan, plus and minus zoom, F fits the part, Shift F the selection, I shows values at the hand. "
                "Control with arrows moves the hand, by the grid; with Shift to the next place that it snaps to. "
                "Space presses there, C types its coordinates. N and P choose the next thing and the one before, "
                "H takes its next handle, with numbers beside it."
            )
        )
        session.job_changed.connect(self._on_job)
        session.selection_changed.connect(lambda _: self._drop_active())
        session.job_opened.connect(self._forget_view)
        self._part: Part | None = (
            None  # that was looked at last: an outline of thousands of corners takes 30 ms to trace
        )
        self._on_job(session.job)

    def _forget_view(self) -> None:
        self._fitted = None

    def _on_job(self, job: Job) -> None:
        # A view that somebody chose stays; one that was fitted follows a part that has left it, but not under the hand.
        if self.width() > 50 and self._hold is None:
            follows = job.part is not self._part and self.view == self._fitted and not self._shows_part()
            if self._fitted is None or follows:
                self.fit()
            self._part = job.part
        if self._active is not None and self._hold is None:
            again = next((h for h in self._handles() if h.key == self._active.key), None)
            self._set_active(again)
        self.update()

    def resizeEvent(self, event: QResizeEvent) -> None:
        if self._fitted in (None, self.view):
            self.fit()
        else:  # what was in the middle stays there
            grown = event.size() - event.oldSize()
            self.view = View(
                self.view.scale, self.view.dx + grown.width() / 2, self.view.dy + grown.height() / 2
            )
        super().resizeEvent(event)

    def _floating(self, look: PlanLook) -> Iterator[Item]:
        s, theme = self.session, self.theme
        size = (float(self.width()), float(self.height()))
        held = self._hold.key if self._hold else None
        active = self._active.key if self._active else None
        yield from draw_handles(self._handles(), self.view, theme, self._hand, held, active)
        if self._hold is not None and self._hand is not None:
            yield hand_label(self._hand, self._hold.words(s.job), self.view, theme, s.system, size[0])
        if self._drawing is not None:
            yield from drawing_items(
                self._drawing, self._points, self._hand, self.view, theme, s.system, size
            )
        if self._snapped is not None and (self._drawing or self._hold):
            yield from draw_snap(self._snapped, self.view, theme)
        if self._rubber is not None:
            a, b = self._rubber
            ring = box(min(a.x(), b.x()), min(a.y(), b.y()), abs(a.x() - b.x()), abs(a.y() - b.y()))
            yield Area([ring], theme.accent, None, opacity=0.12)
            yield Area([ring], None, theme.accent, WEIGHT["thin"], dash=(4, 3))
        if self.pointed is not None:
            x, y = look.view.to(np.array([self.pointed]))[0]
            turn = np.linspace(0, 2 * np.pi, 25)
            yield Area(
                [np.c_[x + 6 * np.cos(turn), y + 6 * np.sin(turn)]], theme.alarm, theme.ground, WEIGHT["line"]
            )
        if self._hand is not None and self._hold is None and not self._drawing:
            if s.view.probes and self.with_resin:
                rows = probe_rows(s, self._hand, self.layer)
                yield from draw_probe(rows, theme, self._hand_px, size)
            else:
                words = f"x {show(self._hand[0], 'length', s.system)}, y {show(self._hand[1], 'length', s.system)}"
                yield Label(12, size[1] - 14, words, theme.soft, 12, False, "l", theme.ground)
        if self.hasFocus():
            yield Area([box(1, 1, self.width() - 2, self.height() - 2)], None, theme.accent, 1.5)

    def _handles(self) -> list[Handle]:
        return list(handles_of(self.session.job, self.editable, self.session.selection))

    @property
    def hand(self) -> tuple[float, float] | None:
        """Return the place under the pointer [m], when it is over the plan."""
        return self._hand

    def _set_active(self, handle: Handle | None) -> None:
        self._active = handle
        if handle is None:
            self._typing = False
            self.place_edit.hide()
            return
        x, y = self.view.to(np.array([handle.place]))[0]
        single = handle.kind == "bow"
        values = (self.session.job.part.outline[handle.index].bow,) * 2 if single else handle.place
        self.place_edit.offer(values, single, self.session.system, (int(x), int(y)))

    def _view_moved(self) -> None:
        self._set_active(None)

    def _drop_active(self) -> None:
        self._set_active(None)
        self.update()

    def _place(self, x: float, y: float) -> None:
        handle = self._active
        if handle is None:
            if self._typing:
                self._typed((x, y))
            return
        if handle.kind == "bow":
            self.session.edit(handle.title(self.session.job), lambda j: set_bow(j, handle.index, x))
            return
        job = moved(self.session.job, handle, (x, y))
        if job is None:
            self.session.said.emit(tr("There the outline would cross itself: it stays where it was."), True)
        else:
            self.session.edit(handle.title(self.session.job), job)

    def begin_drawing(self, kind: str) -> None:
        """Collect points for a thing of some kind; "measure" only shows distances."""
        self._drawing, self._points = kind, []
        self._drop_active()
        self.setCursor(Qt.CursorShape.CrossCursor)
        self.setFocus()

    def end_drawing(self, take: bool) -> None:
        """Finish: hand the points over, or give up."""
        kind, points = self._drawing, self._points
        self._drawing, self._points = None, []
        self.unsetCursor()
        self.update()
        if take and kind and points and kind != "measure":
            self.drawn.emit(kind, tuple(points))

    def _snap(self, position: QPointF) -> tuple[float, float]:
        """Return the place that the hand means, and remember what it snapped to."""
        place = self.view.back(position.x(), position.y())
        self._snapped = None
        fine = max(nice_grid(self.view.scale, self.session.system, 2.0), 0.0005)
        if not self.session.view.snaps:
            return round(place[0], 6), round(place[1], 6)
        start = self._points[-1] if self._points else None
        busy = self._drawing is not None or self._hold is not None
        reach = REACH / self.view.scale if busy else 0.0
        found = snap(place, self._snap_targets(), reach, fine, start)
        self._snapped = found
        return round(found.place[0], 6), round(found.place[1], 6)

    def _snap_targets(self) -> Targets:
        """Return what can be snapped to: all but what is held."""
        job, hold = self.session.job, self._hold
        without = frozenset(hold.owner.split()) if hold else frozenset()
        if hold and hold.kind in {"outline", "bow", "mesh"}:
            without |= {"outline" if hold.kind != "mesh" else "mesh"}
        without |= {t.removeprefix("zone:") for t in without}
        key = (job.part, job.lines, job.mesh, without) if hold is None else (hold.key, without)
        if self._targets is None or self._targets[0] != key:
            self._targets = (key, targets_of(job, without))
        return self._targets[1]

    def _drag(self, to: tuple[float, float]) -> None:
        hold = self._hold
        assert hold is not None
        job = moved(self.session.job, hold, to)
        if job is not None:
            self.session.edit(hold.title(self.session.job), job, key=f"drag {hold.key}")
        self._hold = hold.at(to)

    def _choose_inside(self, a: QPointF, b: QPointF) -> None:
        """Choose all lines and drawn zones that lie inside a box of px."""
        (x0, y1), (x1, y0) = (
            self.view.back(min(a.x(), b.x()), min(a.y(), b.y())),
            self.view.back(max(a.x(), b.x()), max(a.y(), b.y())),
        )
        found = []
        for thing in self._things():
            around = bounds(self.session.job, [thing])
            if around and x0 <= around[0] and around[2] <= x1 and y0 <= around[1] and around[3] <= y1:
                found.append(thing)
        self.session.set_selection(tuple(found))

    def _things(self) -> list[str]:
        job = self.session.job
        lines = [x.id for x in job.lines] if "lines" in self.editable else []
        zones = [f"zone:{z.id}" for z in job.part.zones if isinstance(z.area, Drawn)]
        return lines + (zones if "zones" in self.editable else [])

    def _handle_at(self, position: QPointF) -> Handle | None:
        best: tuple[float, Handle] | None = None
        for handle in self._handles():
            x, y = self.view.to(np.array([handle.place]))[0]
            distance = math.hypot(position.x() - x, position.y() - y) + (
                2 if handle.kind in {"bow", "mesh", "cut", "hose"} else 0
            )
            if distance <= REACH and (best is None or distance < best[0]):
                best = (distance, handle)
        return best[1] if best else None

    def _thing_at(self, position: QPointF) -> str | None:
        """Return the line under the hand, or the drawn zone whose edge is."""
        here = Point(position.x(), position.y())
        for line in self.session.job.lines if "lines" in self.editable else ():
            px = self.view.to(np.array(line.path))
            shape = LineString(px) if len(line.path) > 1 else Point(px[0])
            if shape.distance(here) <= REACH:
                return line.id
        for zone in reversed(self.session.job.part.zones) if "zones" in self.editable else ():
            if isinstance(zone.area, Drawn):
                ring = check(zone.area.outline).exterior
                if LineString(self.view.to(np.array(ring.coords))).distance(here) <= REACH:
                    return f"zone:{zone.id}"
        return None

    def _typed(self, place: tuple[float, float]) -> None:
        """Put the hand where it was typed; while something is drawn, a point comes there."""
        self._hand = self.pointed = place
        x, y = self.view.to(np.array([place]))[0]
        self._hand_px = (float(x), float(y))
        if self._drawing:
            self._points.append(place)
        self.place_edit.hide()
        self._typing = False
        self.setFocus()
        self.hand_moved.emit(place)
        self.update()
