"""The plan on screen: zoom, pan, selection, handles and drawing by hand."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
from PySide6.QtCore import QPointF, Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPixmap, QResizeEvent, QWheelEvent
from PySide6.QtWidgets import QWidget
from shapely.geometry import LineString, Point

from bibulon.app.outlook import THROUGH
from bibulon.app.paint import paint
from bibulon.app.plan_handles import Handle, handles_of, moved
from bibulon.app.session import Session
from bibulon.core.drawing.plan import Mark, PlanLook, draw_base, draw_lines, draw_resin, scale_bar
from bibulon.core.drawing.scene import Area, Item, Label, Line, View
from bibulon.core.drawing.tokens import DAY, WEIGHT, Theme
from bibulon.core.geometry.outline import trace
from bibulon.core.units import show

__all__ = ["PlanView"]

NEAR = 90  # px within which handles of mesh and cut show themselves
REACH = 10  # px within which the hand takes hold of something


class PlanView(QWidget):
    """Shows the plan and lets what ``editable`` names be edited in place.

    ``editable``: any of "outline", "lines", "mesh", "cut".  ``begin_drawing`` collects points
    until Enter or a double click; ``drawn`` then gives the kind and the points [m].
    """

    drawn = Signal(str, object)
    clicked_at = Signal(float, float)

    def __init__(self, session: Session, editable: frozenset[str] = frozenset(), resin: bool = True) -> None:
        super().__init__()
        self.session, self.editable, self.with_resin = session, editable, resin
        self.theme: Theme = DAY
        self.layer = THROUGH
        self.marks: tuple[Mark, ...] = ()
        self.states: dict[str, str] = {}
        self.margin = 36.0
        self.view = View(300, 40, 400)
        self._fitted = False
        self._base: tuple[object, QPixmap] | None = None
        self._hold: Handle | None = None
        self._pan_from: QPointF | None = None
        self._drawing: str | None = None
        self._points: list[tuple[float, float]] = []
        self._hand: tuple[float, float] | None = None
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMinimumSize(240, 160)
        self.setAccessibleName("Plan from the bag side")
        self.setAccessibleDescription("Arrow keys pan, plus and minus zoom, F fits the part.")
        session.job_changed.connect(self._on_job)
        session.outlook_changed.connect(lambda _: self.update())
        session.moment_changed.connect(lambda _: self.update() if self.with_resin else None)
        session.selection_changed.connect(lambda _: self.update())
        session.system_changed.connect(lambda _: self.update())
        self._shown_outline: object = None

    # -- what is shown

    def set_theme(self, theme: Theme) -> None:
        """Choose the theme."""
        self.theme = theme
        self.update()

    def fit(self) -> None:
        """Show the whole part."""
        points = trace(self.session.job.part.outline)
        bounds = (*points.min(axis=0), *points.max(axis=0))
        self.view = View.fit(bounds, self.width(), self.height(), self.margin)
        self._fitted = True
        self.update()

    def _on_job(self, job: object) -> None:
        name = (self.session.path, self.session.undo_stack.count() == 0)
        if name != self._shown_outline and self.session.undo_stack.count() == 0:
            self._fitted = False
        self._shown_outline = name
        if not self._fitted and self.width() > 50:
            self.fit()
        self.update()

    def resizeEvent(self, event: QResizeEvent) -> None:
        self.fit()
        super().resizeEvent(event)

    def _look(self) -> PlanLook:
        s = self.session
        return PlanLook(self.view, self.theme, s.system, s.selected, s.moment, self.states)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        look, job = self._look(), self.session.job
        painter.drawPixmap(0, 0, self._base_pixmap(look))
        outlook = self.session.outlook
        if self.with_resin and outlook and outlook.forecast and outlook.job.part == job.part:
            contours = outlook.contours.get(self.layer) or outlook.contours[THROUGH]
            paint(painter, draw_resin(outlook.job, look, contours))
        paint(painter, draw_lines(job, look, self.marks))
        paint(painter, scale_bar(look, self.width(), self.height()))
        paint(painter, self._handle_items())
        paint(painter, self._drawing_items())
        if self.hasFocus():
            paint(
                painter,
                [Area([_box(1, 1, self.width() - 2, self.height() - 2)], None, self.theme.accent, 1.5)],
            )
        painter.end()

    def _base_pixmap(self, look: PlanLook) -> QPixmap:
        """Cloth and textures change seldom: they are drawn once a view."""
        job = self.session.job
        ratio = self.devicePixelRatioF()
        key = (job.part, job.stack, job.mesh, look.view, self.theme.name, self.width(), self.height(), ratio)
        if self._base is None or self._base[0] != key:
            image = QPixmap(int(self.width() * ratio), int(self.height() * ratio))
            image.setDevicePixelRatio(ratio)
            image.fill(self.theme.ground)
            painter = QPainter(image)
            paint(painter, draw_base(job, look))
            painter.end()
            self._base = (key, image)
        return self._base[1]

    def _handle_items(self) -> list[Item]:
        items: list[Item] = []
        hand = self.view.to(np.array([self._hand]))[0] if self._hand else None
        for handle in handles_of(self.session.job, self.editable, self.session.selected):
            x, y = self.view.to(np.array([handle.place]))[0]
            near = hand is not None and math.hypot(hand[0] - x, hand[1] - y) < NEAR
            if handle.kind in {"mesh", "cut"} and not near:
                continue
            held = self._hold is not None and self._hold.key == handle.key
            items.append(
                Area(
                    [_box(x - 4, y - 4, 8, 8)],
                    self.theme.alarm if held else self.theme.raised,
                    self.theme.ink,
                    WEIGHT["line"],
                )
            )
        if self._hold is not None and self._hand is not None:
            items.append(self._hand_label(self._hold.words(self.session.job)))
        return items

    def _drawing_items(self) -> list[Item]:
        if self._drawing is None:
            return []
        points = [*self._points, *([self._hand] if self._hand else [])]
        colour = self.theme.vacuum if self._drawing == "vacuum" else self.theme.feed
        items: list[Item] = []
        if len(points) > 1:
            items.append(Line([self.view.to(np.array(points))], colour, WEIGHT["heavy"], (6, 4)))
        for p in self._points:
            x, y = self.view.to(np.array([p]))[0]
            items.append(Area([_box(x - 3, y - 3, 6, 6)], colour))
        if self._hand:
            last = ""
            if self._points:
                last = (
                    f"{show(math.dist(self._points[-1], self._hand), 'length', self.session.system)} long · "
                )
            items.append(self._hand_label(last))
        hint = "Click points. Enter or a double click ends, Esc gives up."
        items.append(
            Label(self.width() / 2, 18, hint, self.theme.on_accent, 13, True, ground=self.theme.accent)
        )
        return items

    def _hand_label(self, words: str) -> Label:
        assert self._hand is not None
        x, y = self.view.to(np.array([self._hand]))[0]
        system = self.session.system
        text = f"{words}x {show(self._hand[0], 'length', system)}, y {show(self._hand[1], 'length', system)}"
        right = x > self.width() - 260
        return Label(
            x + (-16 if right else 16),
            y - 20,
            text,
            self.theme.ground,
            12,
            True,
            "r" if right else "l",
            self.theme.ink,
        )

    @property
    def hand(self) -> tuple[float, float] | None:
        """Return the place under the pointer [m], when it is over the plan."""
        return self._hand

    # -- drawing by hand

    def begin_drawing(self, kind: str) -> None:
        """Collect points for a thing of some kind."""
        self._drawing, self._points = kind, []
        self.setCursor(Qt.CursorShape.CrossCursor)
        self.setFocus()
        self.update()

    def end_drawing(self, take: bool) -> None:
        """Finish: hand the points over, or give up."""
        kind, points = self._drawing, self._points
        self._drawing, self._points = None, []
        self.unsetCursor()
        self.update()
        if take and kind and points:
            self.drawn.emit(kind, tuple(points))

    def _snap(self, position: QPointF) -> tuple[float, float]:
        """Return the place under the hand, on round millimetres."""
        x, y = self.view.back(position.x(), position.y())
        step = 0.005 if self.view.scale < 600 else 0.001
        return round(round(x / step) * step, 6), round(round(y / step) * step, 6)

    # -- the hand

    def mousePressEvent(self, event: QMouseEvent) -> None:
        position = event.position()
        if event.button() == Qt.MouseButton.MiddleButton:
            self._pan_from = position
            return
        if event.button() != Qt.MouseButton.LeftButton:
            return
        if self._drawing:
            self._points.append(self._snap(position))
            self.update()
            return
        self._hold = self._handle_at(position)
        if self._hold is None:
            line = self._line_at(position)
            if line is not None and "lines" in self.editable:
                self.session.select(line)
                self._hold = Handle("line", line, -1, self._snap(position))
            else:
                if "lines" in self.editable:
                    self.session.select(None)
                self._pan_from = position
                self.clicked_at.emit(*self.view.back(position.x(), position.y()))
        self.update()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        position = event.position()
        self._hand = self._snap(position)
        if self._hold is not None:
            to = self._hand
            self._drag(to)
        elif self._pan_from is not None:
            step = position - self._pan_from
            self.view = View(self.view.scale, self.view.dx + step.x(), self.view.dy + step.y())
            self._pan_from = position
        elif not self._drawing:
            near = self._handle_at(position) is not None or self._line_at(position) is not None
            self.setCursor(
                Qt.CursorShape.SizeAllCursor if near and self.editable else Qt.CursorShape.ArrowCursor
            )
        self.update()

    def _drag(self, to: tuple[float, float]) -> None:
        hold = self._hold
        assert hold is not None
        job = moved(self.session.job, hold, to)
        if job is not None:
            self.session.edit(hold.title(self.session.job), job, key=f"drag {hold.key}")
        self._hold = hold.at(to)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self._pan_from = None
        if self._hold is not None:
            self._hold = None
            self.session.end_gesture()
        self.update()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        if self._drawing:
            self.end_drawing(take=True)

    def wheelEvent(self, event: QWheelEvent) -> None:
        self.zoom(1.0015 ** event.angleDelta().y(), event.position())

    def zoom(self, factor: float, about: QPointF | None = None) -> None:
        """Zoom about a px, the middle when none is given."""
        about = about or QPointF(self.width() / 2, self.height() / 2)
        x, y = self.view.back(about.x(), about.y())
        scale = min(max(self.view.scale * factor, 5.0), 50_000.0)
        self.view = View(scale, about.x() - x * scale, about.y() + y * scale)
        self.update()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        steps = {
            Qt.Key.Key_Left: (40, 0),
            Qt.Key.Key_Right: (-40, 0),
            Qt.Key.Key_Up: (0, 40),
            Qt.Key.Key_Down: (0, -40),
        }
        key = event.key()
        if key in steps:
            dx, dy = steps[Qt.Key(key)]
            self.view = View(self.view.scale, self.view.dx + dx, self.view.dy + dy)
            self.update()
        elif key in (Qt.Key.Key_Plus, Qt.Key.Key_Equal):
            self.zoom(1.2)
        elif key == Qt.Key.Key_Minus:
            self.zoom(1 / 1.2)
        elif key == Qt.Key.Key_F:
            self.fit()
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self._drawing:
            self.end_drawing(take=True)
        elif key == Qt.Key.Key_Escape and self._drawing:
            self.end_drawing(take=False)
        elif key == Qt.Key.Key_Escape:
            self.session.select(None)
        else:
            super().keyPressEvent(event)

    def leaveEvent(self, event: object) -> None:
        self._hand = None
        self.update()

    def _handle_at(self, position: QPointF) -> Handle | None:
        best: tuple[float, Handle] | None = None
        for handle in handles_of(self.session.job, self.editable, self.session.selected):
            x, y = self.view.to(np.array([handle.place]))[0]
            distance = math.hypot(position.x() - x, position.y() - y)
            if distance <= REACH and (best is None or distance < best[0]):
                best = (distance, handle)
        return best[1] if best else None

    def _line_at(self, position: QPointF) -> str | None:
        here = Point(position.x(), position.y())
        for line in self.session.job.lines:
            px: Sequence[object] = self.view.to(np.array(line.path))  # type: ignore[assignment]
            shape = LineString(px) if len(line.path) > 1 else Point(px[0])
            if shape.distance(here) <= REACH:
                return line.id
        return None


def _box(x: float, y: float, width: float, height: float) -> np.ndarray:
    return np.array([[x, y], [x + width, y], [x + width, y + height], [x, y + height]])
