"""The plan as a picture on screen: view, zoom, and what of the job, the resin and the fields is painted."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Iterator

import numpy as np
from msgspec.structs import replace
from PySide6.QtCore import QEvent, QPointF, Qt
from PySide6.QtGui import QNativeGestureEvent, QPainter, QPaintEvent, QPicture, QPixmap, QWheelEvent
from PySide6.QtWidgets import QWidget

from bibulon.app.kit.paint import paint
from bibulon.app.kit.turns import first_seen
from bibulon.app.kit.whole import paint_whole
from bibulon.app.session.session import Session
from bibulon.core.drawing.kit.field import Contours
from bibulon.core.drawing.kit.look import Mark, PlanLook
from bibulon.core.drawing.kit.scene import Item, View, apart
from bibulon.core.drawing.kit.tokens import DAY, Theme
from bibulon.core.drawing.plan.fieldmap import RESIN, FieldMap, draw_field, legend
from bibulon.core.drawing.plan.plan import draw_base, draw_lines, draw_resin, laid_key
from bibulon.core.drawing.plan.signs import draw_grid, scale_bar
from bibulon.core.edit.arrange import bounds
from bibulon.core.geometry.outline import trace
from bibulon.core.geometry.snap import nice_grid
from bibulon.core.outlook.outlook import THROUGH, Outlook
from bibulon.core.units.units import clock, show
from bibulon.core.units.words import tr

__all__ = ["PlanCanvas"]


Extra = Callable[[PlanLook, float, float], Iterable[Item]]  # a station's own drawing, under the lines

SCALE = 68.0  # px at the foot in which words would lie on the scale
SMALL = 0.35  # of the room that a fitted part may shrink to before it is fitted anew


class PlanCanvas(QWidget):
    """Paints the plan of the session's job at its moment; what floats over it is a subclass's."""

    def __init__(self, session: Session, resin: bool = True) -> None:
        super().__init__()
        self.session, self.with_resin = session, resin
        self.theme: Theme = DAY
        self.layer = THROUGH
        self.marks: tuple[Mark, ...] = ()
        self.pointed: tuple[float, float] | None = None
        self.states: dict[str, str] = {}
        self.extra: Extra | None = None
        self.extra_key: Callable[[], object] = lambda: None  # what the extra drawing shows beside the job
        self._extra: tuple[object, QPixmap, list[Item], object] | None = None
        self.hidden: frozenset[str] = frozenset()
        self.margin = 36.0
        self.view = View(300, 40, 400)
        self._fitted: View | None = None  # as it was last fitted; another view is somebody's own
        self._base: tuple[object, QPixmap] | None = None
        self._top: tuple[object, QPixmap] | None = None
        self._last_view: View | None = None
        self._base_record: tuple[object, QPicture] | None = None
        self._top_record: tuple[object, QPicture] | None = None
        session.outlook_changed.connect(lambda _: self._ask())
        session.moment_changed.connect(lambda _: self._ask() if self.with_resin else None)
        session.system_changed.connect(lambda _: self.update())
        session.view.changed.connect(self._ask)
        session.moments.ready.connect(self.update)

    def set_theme(self, theme: Theme) -> None:
        """Choose the theme."""
        self.theme = theme
        self.update()

    def set_layer(self, name: str) -> None:
        """Choose the layer whose resin is shown."""
        self.layer = name
        self._ask()

    def fit(self) -> None:
        """Show the whole part."""
        self._fit_box(self._extent(), self.margin)
        self._fitted = self.view

    def _extent(self) -> tuple[float, float, float, float]:
        part = self.session.job.part
        points, beyond = trace(part.outline), part.flange if "flange" in self.session.view.shown else 0.0
        low, high = points.min(axis=0) - beyond, points.max(axis=0) + beyond
        return (*low, *high)

    def _shows_part(self) -> bool:
        """Whether the whole part is to be seen, and not small in a corner."""
        x0, y0, x1, y1 = self._extent()
        places = self.view.to(np.array([[x0, y0], [x1, y1]]))
        (left, top), (right, bottom) = places.min(axis=0), places.max(axis=0)
        wide, high = (right - left) / self.width(), (bottom - top) / self.height()
        return bool(
            left >= 0
            and top >= 0
            and right <= self.width()
            and bottom <= self.height()
            and max(wide, high) > SMALL
        )

    def fit_selection(self) -> None:
        """Show what is chosen, or all of it when nothing is."""
        found = bounds(self.session.job, self.session.selection)
        if found is None:
            self.fit()
        else:
            self._fit_box(found, 90)

    def _fit_box(self, found: tuple[float, float, float, float], margin: float) -> None:
        self.view = View.fit(found, self.width(), self.height(), margin)
        self.update()

    def _ask(self) -> None:
        """Ask for what the moment's fields are needed for, and paint."""
        view = self.session.view
        if self.isVisible() and self.with_resin and (view.field != RESIN or view.probes or view.cut_pressure):
            self.session.moments.want(self.session.outlook, self.session.moment, view.field, self.layer)
        self.update()

    def look(self) -> PlanLook:
        """Return how the plan is looked at now."""
        s = self.session
        shut: frozenset[str] = frozenset()
        if self.with_resin and s.outlook and s.outlook.forecast and not self.states:
            history = s.outlook.forecast.history
            shut = frozenset(x.id for x in s.job.lines if not history.is_open(x.id, s.moment))
        shown = s.view.shown if self.with_resin else s.view.shown - {"times"}
        shown = shown - self.hidden
        step = nice_grid(self.view.scale, s.system)
        return PlanLook(
            self.view, self.theme, s.system, frozenset(s.selection), s.moment, self.states, shut, shown, step
        )

    def _signs(self, look: PlanLook) -> tuple[Mark, ...]:
        """Return the marks given, pockets that have shut by now, and the last place."""
        outlook = self.session.outlook
        if not self.with_resin or outlook is None or outlook.forecast is None or self.states:
            return self.marks
        forecast, now = outlook.forecast, self.session.moment
        pockets = [
            Mark(
                p.place,
                "pocket",
                tr("shut {0} · {1}", clock(p.closed), show(p.area, "small area", self.session.system)),
                p.area,
            )
            for p in forecast.pockets[:12]
            if p.closed <= now
        ]
        x, y, when = forecast.last_wet
        low = look.view.to(np.array([(x, y)]))[0, 1] > self.height() - SCALE
        last = [Mark((x, y), "last", tr("last {}", clock(when)), up=bool(low))] if math.isfinite(when) else []
        return (*self.marks, *pockets, *last)

    def items(self, look: PlanLook, width: float, height: float) -> Iterator[Item]:
        """Yield the whole drawing: what the screen shows, for paper and files."""
        if "grid" in look.shown:
            yield from draw_grid(look, width, height)
        yield from draw_base(self.session.job, look)
        fluid, words = apart(self._fluid(look))
        yield from fluid
        yield from self._legend(look, width, height)
        if self.extra is not None:
            own, more = apart(self.extra(look, width, height))
            yield from own
            words += more
        yield from draw_lines(self.session.job, look, self._signs(look))
        yield from words
        yield from scale_bar(look, width, height)

    def _field(self) -> FieldMap | None:
        """Return the field that is chosen instead of the resin, once it is worked out."""
        picture, outlook = self.session.moments.picture, self.session.outlook
        field = picture.field if picture and picture.outlook is outlook else None
        return field if field and field.name == self.session.view.field != RESIN else None

    def _shown_outlook(self) -> Outlook | None:
        outlook = self.session.outlook
        good = self.with_resin and outlook and outlook.forecast and outlook.job.part == self.session.job.part
        return outlook if good else None

    def _fluid(self, look: PlanLook) -> Iterator[Item]:
        """Yield the resin, or the field that is chosen instead."""
        outlook = self._shown_outlook()
        if outlook is None:
            return
        field = self._field()
        if field is not None:
            yield from draw_field(outlook.job, look, field)
        else:
            planned = outlook.contours.get(self.layer) or outlook.contours[THROUGH]
            contours = self.own_contours() or planned
            yield from draw_resin(outlook.job, look, contours, self._signs(look))

    def own_contours(self) -> Contours | None:
        """Return arrivals that stand in place of the forecast's; None for the forecast's."""
        return None

    def _legend(self, look: PlanLook, width: float, height: float) -> Iterator[Item]:
        outlook, field = self._shown_outlook(), self._field()
        if outlook is not None and field is not None:
            yield from legend(outlook.job, look, field, width, height)

    def paintEvent(self, event: QPaintEvent) -> None:
        paint_whole(self, self._draw)

    def _draw(self, painter: QPainter) -> None:
        if first_seen(self):
            painter.fillRect(self.rect(), self.theme.ground)
            return
        look = self.look()
        moving, self._last_view = look.view != self._last_view, look.view
        if moving:  # a view that is panned is not worth a picture of its own
            painter.fillRect(self.rect(), self.theme.ground)
            self._paint_base(painter, look)
        else:
            painter.drawPixmap(0, 0, self._base_pixmap(look))
        # In a view that is only scaled, so that a pan finds paths and labels as they were.
        fluid, times = apart(self._fluid(replace(look, view=View(look.view.scale, 0.0, 0.0))))
        words: list[Item] = []
        _paint_at(painter, fluid, look.view)
        paint(painter, self._legend(look, self.width(), self.height()))
        if self.extra is not None:
            pixmap, words = self._extra_drawn(look, self.extra)
            painter.drawPixmap(0, 0, pixmap)
        if moving:
            self._paint_top(painter, look)
        else:
            painter.drawPixmap(0, 0, self._top_pixmap(look))
        _paint_at(painter, times, look.view)
        paint(painter, words)
        paint(painter, self._floating(look))

    def _floating(self, look: PlanLook) -> Iterator[Item]:
        """Yield what floats over the plan."""
        yield from ()

    def _base_key(self, look: PlanLook) -> tuple[object, ...]:
        job = self.session.job
        return job.part, laid_key(job), look.view.scale, look.shown, self.theme.name

    def _paint_base(self, painter: QPainter, look: PlanLook) -> None:
        """Paint grid, cloth and textures; they change seldom and are recorded once a scale."""
        key = self._base_key(look)
        if self._base_record is None or self._base_record[0] != key:
            flat = replace(look, view=View(look.view.scale, 0.0, 0.0))
            self._base_record = (key, _recorded(draw_base(self.session.job, flat)))
        if "grid" in look.shown:
            paint(painter, draw_grid(look, self.width(), self.height()))
        _replay(painter, self._base_record[1], look.view)

    def _base_pixmap(self, look: PlanLook) -> QPixmap:
        key = (self._base_key(look), look.view, look.grid, self._canvas_key())
        if self._base is None or self._base[0] != key:
            image = self._canvas(opaque=True)
            with QPainter(image) as painter:
                self._paint_base(painter, look)
            self._base = (key, image)
        return self._base[1]

    def _top_key(self, look: PlanLook) -> tuple[object, ...]:
        job = self.session.job
        return (
            job.part, job.lines, job.mesh, job.cut, laid_key(job), look.view.scale, look.shown, look.selected, look.shut,
            tuple(look.states.items()), look.system, self._signs(look), self.theme.name,
        )  # fmt: skip

    def _paint_top(self, painter: QPainter, look: PlanLook) -> None:
        """Paint lines, mesh and signs; they do not change while the clock is dragged, but for valves."""
        key = self._top_key(look)
        if self._top_record is None or self._top_record[0] != key:
            flat = replace(look, view=View(look.view.scale, 0.0, 0.0))
            self._top_record = (key, _recorded(draw_lines(self.session.job, flat, self._signs(look))))
        _replay(painter, self._top_record[1], look.view)
        paint(painter, scale_bar(look, self.width(), self.height()))

    def _top_pixmap(self, look: PlanLook) -> QPixmap:
        key = (self._top_key(look), look.view, self._canvas_key())
        if self._top is None or self._top[0] != key:
            image = self._canvas(opaque=False)
            with QPainter(image) as painter:
                self._paint_top(painter, look)
            self._top = (key, image)
        return self._top[1]

    def _extra_drawn(self, look: PlanLook, extra: Extra) -> tuple[QPixmap, list[Item]]:
        """Return a station's own shapes as a picture, and its words, which go over the lines."""
        key = (id(self.session.job), self.extra_key(), replace(look, time=None), self._canvas_key())
        if self._extra is None or self._extra[0] != key:
            shapes, words = apart(extra(look, float(self.width()), float(self.height())))
            image = self._canvas(opaque=False)
            with QPainter(image) as painter:
                paint(painter, shapes)
            self._extra = (key, image, words, self.session.job)
        return self._extra[1], self._extra[2]

    def _canvas_key(self) -> tuple[object, ...]:
        return self.theme.name, self.width(), self.height(), self.devicePixelRatioF()

    def _canvas(self, opaque: bool) -> QPixmap:
        ratio = self.devicePixelRatioF()
        image = QPixmap(max(int(self.width() * ratio), 1), max(int(self.height() * ratio), 1))
        image.setDevicePixelRatio(ratio)
        image.fill(self.theme.ground if opaque else Qt.GlobalColor.transparent)
        return image

    def wheelEvent(self, event: QWheelEvent) -> None:
        self.zoom(1.0015 ** event.angleDelta().y(), event.position())

    def event(self, event: QEvent) -> bool:
        """Pinches come as native gestures; all else as ever."""
        if (
            isinstance(event, QNativeGestureEvent)
            and event.gestureType() == Qt.NativeGestureType.ZoomNativeGesture
        ):
            self.zoom(1 + event.value(), event.position())
            return True
        return super().event(event)

    def zoom(self, factor: float, about: QPointF | None = None) -> None:
        """Zoom about a px, the middle when none is given."""
        about = about or QPointF(self.width() / 2, self.height() / 2)
        x, y = self.view.back(about.x(), about.y())
        scale = min(max(self.view.scale * factor, 5.0), 50_000.0)
        self.view = View(scale, about.x() - x * scale, about.y() + y * scale)
        self._view_moved()
        self.update()

    def point_at(self, place: tuple[float, float] | None) -> None:
        """Show a place that another drawing points at."""
        if place != self.pointed:
            self.pointed = place
            self.update()

    def _view_moved(self) -> None:
        """Called when zoom has moved what lies under the hand."""


def _recorded(items: Iterable[Item]) -> QPicture:
    """Return a drawing as painter's commands, to be replayed wherever the plan is panned to."""
    picture = QPicture()
    with QPainter(picture) as painter:
        paint(painter, items)
    return picture


def _paint_at(painter: QPainter, items: Iterable[Item], view: View) -> None:
    """Paint what was drawn in a view that is only scaled."""
    painter.save()
    painter.translate(view.dx, view.dy)
    paint(painter, items)
    painter.restore()


def _replay(painter: QPainter, picture: QPicture, view: View) -> None:
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.translate(view.dx, view.dy)
    painter.drawPicture(0, 0, picture)
    painter.restore()
