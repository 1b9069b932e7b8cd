"""A photo of the bag beside the plan: four landmarks on both, then strokes along what the pen marked, each with its time."""

from __future__ import annotations

import math
from collections.abc import Iterator
from pathlib import Path

import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from bibulon.app.kit.appearance import named
from bibulon.app.kit.fields import Form, UnitEdit, heading, note, push
from bibulon.app.kit.over import Over
from bibulon.app.kit.paint import paint
from bibulon.app.kit.photo import read_photo
from bibulon.app.kit.whole import paint_whole
from bibulon.app.session.session import Session
from bibulon.app.stations.shared.place_plan import PlacePlan
from bibulon.app.work.ask import Ask
from bibulon.core.drawing.kit.look import PlanLook, rings_of
from bibulon.core.drawing.kit.scene import Area, Item, Label, Line
from bibulon.core.drawing.kit.tokens import DAY, WEIGHT
from bibulon.core.geometry.outline import OutlineError
from bibulon.core.geometry.zones import regions
from bibulon.core.run.journal import Entry
from bibulon.core.run.photomarks import landmarks, places_of_stroke
from bibulon.core.units.units import clock
from bibulon.core.units.words import tr

__all__ = ["PhotoPanel"]

NEAR, FAR = 2.0, 20.0  # px of the screen that an arrow moves the cross
SIDE = 1600  # px of the longer side that are looked at
Place = tuple[float, float]


class _Photo(QWidget):
    """The photo with its landmarks and strokes; a click sets the next landmark, then a drag is a stroke.

    By keys: arrows move a cross, ten times as far with Shift; Enter sets a landmark or a corner of a stroke, and
    once more at the same place ends the stroke; Esc gives it up, Backspace takes the last back.
    """

    def __init__(self, panel: PhotoPanel) -> None:
        super().__init__()
        self.panel = panel
        self.image = QImage()
        self.drawn: list[Place] = []
        self.cross: Place | None = None
        self.setMinimumSize(QSize(420, 320))
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(tr("Photo of the bag"))
        self.setAccessibleDescription(
            tr(
                "Arrows move the cross, Shift moves it far. Enter sets a landmark or a corner of a stroke, twice ends "
                "the stroke. Backspace takes the last back."
            )
        )

    def field(self) -> QRectF:
        """Return where the photo stands in the widget."""
        if self.image.isNull():
            return QRectF(self.rect())
        by = min(self.width() / self.image.width(), self.height() / self.image.height())
        wide, high = self.image.width() * by, self.image.height() * by
        return QRectF((self.width() - wide) / 2, (self.height() - high) / 2, wide, high)

    def to_image(self, at: QPointF) -> Place:
        """Return px of the photo at a point of the widget."""
        field = self.field()
        by = self.image.width() / max(field.width(), 1e-9)
        return (at.x() - field.x()) * by, (at.y() - field.y()) * by

    def from_image(self, at: Place) -> QPointF:
        """Return the point of the widget at px of the photo."""
        field = self.field()
        by = field.width() / max(self.image.width(), 1)
        return QPointF(field.x() + at[0] * by, field.y() + at[1] * by)

    def paintEvent(self, event: QPaintEvent) -> None:
        paint_whole(self, self._draw)

    def _draw(self, painter: QPainter) -> None:
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.drawImage(self.field(), self.image)
        paint(painter, self._items())

    def _items(self) -> Iterator[Item]:
        for k, place in enumerate(self.panel.seen, 1):
            p = self.from_image(place)
            yield Label(p.x(), p.y(), str(k), DAY.on_accent, 13, True, ground=DAY.accent)
        for stroke, time in [*self.panel.strokes, (self.drawn, None)]:
            points = np.array([(q.x(), q.y()) for q in map(self.from_image, stroke)])
            if len(points) > 1:
                yield Line([points], DAY.alarm, WEIGHT["heavy"])
            if time is not None and len(points):
                x, y = points[-1]
                yield Label(float(x), float(y), clock(time), DAY.ink, 13, True, ground=DAY.ground)
        if self.cross is not None and self.hasFocus():
            p = self.from_image(self.cross)
            arms = [
                np.array([[p.x() - 14, p.y()], [p.x() + 14, p.y()]]),
                np.array([[p.x(), p.y() - 14], [p.x(), p.y() + 14]]),
            ]
            yield Line(arms, DAY.ground, WEIGHT["heavy"] + 2)
            yield Line(arms, DAY.accent, WEIGHT["heavy"])

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key = Qt.Key(event.key())
        by = {
            Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Up: (0, -1), Qt.Key.Key_Down: (0, 1),
        }.get(key)  # fmt: skip
        if self.image.isNull():
            super().keyPressEvent(event)
        elif by is not None:
            far = event.modifiers() & Qt.KeyboardModifier.ShiftModifier
            self._move_cross(by, FAR if far else NEAR)
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self._set_at_cross()
        elif key == Qt.Key.Key_Backspace:
            self.panel.back()
        elif key == Qt.Key.Key_Escape and self.drawn:
            self.drawn = []
            self.update()
        else:
            super().keyPressEvent(event)

    def _move_cross(self, by: tuple[int, int], far: float) -> None:
        """Move the cross by so many px of the widget, from the middle when it was not there yet."""
        wide, high = self.image.width(), self.image.height()
        x, y = self.cross or (wide / 2, high / 2)
        step = far * wide / max(self.field().width(), 1.0)
        self.cross = (
            min(max(x + step * by[0], 0.0), float(wide)),
            min(max(y + step * by[1], 0.0), float(high)),
        )
        self.update()

    def _set_at_cross(self) -> None:
        """Set the next landmark, or a corner of a stroke; at the last corner again the stroke is kept."""
        at = self.cross or (self.image.width() / 2, self.image.height() / 2)
        self.cross = at
        if len(self.panel.seen) < 4:
            self.panel.point(at)
        elif self.drawn and self.drawn[-1] == at:
            stroke, self.drawn = self.drawn, []
            self.panel.keep(stroke)
        else:
            self.drawn.append(at)
        self.update()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if len(self.panel.seen) < 4:
            self.panel.point(self.to_image(event.position()))
        else:
            self.drawn = [self.to_image(event.position())]
        self.update()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self.drawn:
            self.drawn.append(self.to_image(event.position()))
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        stroke, self.drawn = self.drawn, []
        if stroke:
            self.panel.keep(stroke)
        self.update()


class PhotoPanel(Over):
    """Photo, plan, the time of the next stroke, and what is taken; ``taken`` tells how many marks became rows."""

    taken = Signal(int)

    def __init__(self, parent: QWidget, session: Session) -> None:
        super().__init__(parent, 1080)
        self.session = session
        self.name = ""
        self.seen: list[Place] = []
        self.plan_places: list[Place] = []
        self.strokes: list[tuple[list[Place], float]] = []
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 14, 20, 14)
        layout.addWidget(heading("Marks from a photo"))
        self.told = note()
        layout.addWidget(self.told)
        across = QHBoxLayout()
        self.photo = _Photo(self)
        across.addWidget(self.photo, 3)
        self.plan = PlacePlan(
            session,
            "Landmarks on the plan",
            "Click moves the landmark that is asked for; an arrow moves it to the next corner or end that way.",
            self._on_plan,
            self._asked_for,
        )
        self.plan.pointed.connect(self._move)
        across.addWidget(self.plan, 2)
        layout.addLayout(across, 1)
        row = QHBoxLayout()
        form = Form()
        self.time = UnitEdit("time", "Time of the next stroke", 0.0, 1e6)
        self.time.set_value(0.0, session.system)
        self.time.refused.connect(lambda text: session.said.emit(text, True))
        form.add("Time of the next stroke", self.time)
        row.addWidget(form)
        self.undo = push("Take the last back", self.back)
        row.addWidget(self.undo)
        row.addStretch()
        self.take = named(QPushButton(tr("Take the marks")), "act")
        self.take.clicked.connect(lambda _=False: self.take_all())
        row.addWidget(self.take)
        layout.addLayout(row)

        self.reads = Ask(self, lambda: session.number)
        self.reads.ready.connect(self._show)
        self.reads.failed.connect(lambda error: session.said.emit(str(error), True))

    def tall(self) -> int:
        return 620

    def show_photo(self, path: Path) -> None:
        """Show a photo once it is read; a file that is none is told, and nothing opens."""
        self.reads.want(lambda: (path.name, read_photo(path, SIDE)))

    def _show(self, read: tuple[str, QImage]) -> None:
        try:
            self.plan_places = list(landmarks(self.session.job))
        except OutlineError as error:
            self.session.said.emit(str(error), True)
            return
        self.name, self.photo.image = read
        self.seen, self.strokes = [], []
        self.time.set_value(round(self.session.elapsed()), self.session.system)
        self._tell()
        self.open()

    # -- what is done

    def point(self, at: Place) -> None:
        """Set the next landmark on the photo [px]."""
        self.seen.append(at)
        if len(self.seen) == 4:
            try:
                places_of_stroke(self.session.job, [at], self.seen, self.plan_places)
            except ValueError as error:
                if "off the part" not in str(error):  # a landmark lies on the rim
                    self.seen = []
                    self.session.said.emit(tr("{}. Set the four again.", str(error).capitalize()), True)
        self._tell()

    def _move(self, x: float, y: float) -> None:
        """Move the landmark that is asked for to another corner, or end of a line, of the plan."""
        now = self._asked_for()
        if now is None:
            return
        ring = [(float(a), float(b)) for a, b in regions(self.session.job.part).whole.exterior.coords[:-1]]
        ends = [p for line in self.session.job.lines for p in (line.path[0], line.path[-1])]
        nearest = min([*ring, *ends], key=lambda p: math.dist(p, (x, y)))
        if math.dist(nearest, now) < 1e-9:  # an arrow, which steps less far than corners lie apart
            nearest = _next_that_way([*ring, *ends], now, (x - now[0], y - now[1]))
        self.plan_places[len(self.seen)] = nearest
        self._tell()

    def _asked_for(self) -> Place | None:
        return self.plan_places[len(self.seen)] if len(self.seen) < 4 else None

    def keep(self, stroke: list[Place]) -> None:
        """Keep a stroke with the time that stands in the field."""
        try:
            places_of_stroke(self.session.job, stroke, self.seen, self.plan_places)
        except ValueError as error:
            self.session.said.emit(f"{str(error).capitalize()}.", True)
            return
        self.strokes.append((stroke, self.time.value()))
        self._tell()

    def back(self) -> None:
        """Take the last stroke back, or the last landmark."""
        if self.strokes:
            self.strokes.pop()
        elif self.seen:
            self.seen.pop()
        self._tell()

    def take_all(self) -> None:
        """Stamp all strokes as marks of the run, each at its time."""
        session, state = self.session, self.session.run_state()
        if not state.running:
            session.said.emit(tr("Start the clock first: marks belong to a run."), True)
            return
        now, wall = session.elapsed(), session.run_clock.wall()
        late = next((t for _, t in self.strokes if t > now), None)
        if late is not None:
            session.said.emit(tr("{} has not come yet.", clock(late)), True)
            return
        count = 0
        for stroke, time in self.strokes:
            for x, y in places_of_stroke(session.job, stroke, self.seen, self.plan_places):
                data = {"x": round(x, 4), "y": round(y, 4), "seen": time, "text": self.name}
                if not session.stamp(Entry(state.run, now, "front", data, wall)):
                    return
                count += 1
        self.put_away()
        session.said.emit(tr("{0} marks taken from {1}.", count, self.name), False)
        self.taken.emit(count)

    # -- what is shown

    def _tell(self) -> None:
        k = len(self.seen)
        self.take.setEnabled(bool(self.strokes))
        self.undo.setEnabled(bool(self.strokes or self.seen))
        if k < 4:
            words = tr(
                "Click landmark {} on the photo: the plan shows it. Another corner or end of a line "
                "serves: click it on the plan first.",
                k + 1,
            )
        else:
            words = tr(
                "Draw along each line of the pen, its time typed before. {} so far.", len(self.strokes)
            )
        self.told.setText(words)
        self.photo.update()
        self.plan.update()

    def _on_plan(self, look: PlanLook) -> Iterator[Item]:
        job, t = self.session.job, look.theme
        yield Area(rings_of(regions(job.part).whole, look.view), t.cloth, t.ink, WEIGHT["line"])
        for line in job.lines:
            if len(line.path) > 1:
                yield Line(
                    [look.view.to(np.array(line.path))],
                    t.feed if line.role == "feed" else t.vacuum,
                    WEIGHT["line"],
                )
        for k, place in enumerate(self.plan_places, 1):
            ((x, y),) = look.view.to(np.array([place]))
            asked = k == len(self.seen) + 1
            yield Label(
                x,
                y,
                str(k),
                t.on_accent if asked else t.ink,
                14,
                True,
                ground=t.accent if asked else t.raised,
            )
        for stroke, _ in self.strokes:
            for x, y in look.view.to(np.array(places_of_stroke(job, stroke, self.seen, self.plan_places))):
                yield Area([np.array([[x - 4, y], [x, y - 4], [x + 4, y], [x, y + 4]])], t.alarm)


def _next_that_way(places: list[Place], now: Place, way: Place) -> Place:
    """Return the nearest of some places that lies more along a direction than across it; where one is when none does."""

    def along(p: Place) -> float:
        return (p[0] - now[0]) * way[0] + (p[1] - now[1]) * way[1]

    reach = math.hypot(*way)
    ahead = [p for p in places if along(p) > 0.7 * reach * max(math.dist(p, now), 1e-9)]
    return min(ahead, key=lambda p: math.dist(p, now), default=now)
