"""The bag from above and its walk-round: one choice in both, pleats moved by hand and by keys."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter

from bibulon.app.kit.drawn import Drawn
from bibulon.app.kit.paint import paint
from bibulon.app.session.session import Session
from bibulon.app.stations.bag.laid import LaidBag
from bibulon.core.drawing.graphs.walkround import WalkStrip, draw_walk
from bibulon.core.drawing.kit.look import PlanLook
from bibulon.core.drawing.kit.scene import Item, Label, View
from bibulon.core.drawing.plan.bagplan import BagChoice, bag_view, draw_bag, nearest_pleat
from bibulon.core.units.units import show
from bibulon.core.units.words import tr

__all__ = ["BagPlanView", "Pins", "WalkView"]

LOOSE = 4  # px that the hand moves before it drags


class _PleatView(Drawn):
    """What both drawings do with keys and hand.

    Left and right choose the next pleat; with Ctrl they move it by 10 mm; plus and minus make it taller or lower;
    Delete takes it away.
    """

    def __init__(self, session: Session, laid: LaidBag, name: str) -> None:
        super().__init__()
        self.session, self.laid, self._name = session, laid, name
        self._from: float | None = None
        self._dragged: float | None = None
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        laid.changed.connect(self._seen)
        laid.chose.connect(self._seen)
        self._seen()

    def _seen(self) -> None:
        self.setAccessibleName(self._name)
        self.setAccessibleDescription(self.described())
        self.update()

    def described(self) -> str:
        """Return in words what the drawing shows."""
        bag, s = self.laid.bag, self.session.system
        if bag is None:
            return self.laid.problem or tr("The bag is being worked out.")
        words = [tr("{0} pleats on {1} of tape.", len(bag.pleats), show(bag.walk.length, "distance", s))]
        pleat = self.laid.chosen
        if pleat is not None:
            words.append(
                tr(
                    "Chosen: {0} at {1}, leaning {2}; {3}.",
                    show(pleat.size, "length", s),
                    show(pleat.at, "distance", s, 2),
                    pleat.lean,
                    pleat.why,
                )
            )
        words += [tr("The film is short on the {}.", x.side.name) for x in bag.sides if x.short > 0.0005]
        return " ".join(words)

    def items(self) -> list[Item]:
        """Return the drawing's shapes."""
        raise NotImplementedError

    def along(self, x: float, y: float) -> float:
        """Return how far along the walk a px is [m]."""
        raise NotImplementedError

    def draw(self, painter: QPainter) -> None:
        if self.laid.bag is None:
            told = self.laid.problem or tr("Working out the bag …")
            paint(painter, [Label(self.width() / 2, self.height() / 2, told, self.theme.soft, 14)])
        else:
            paint(painter, self.items())

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() != Qt.MouseButton.LeftButton or self.laid.bag is None:
            return
        self.setFocus(Qt.FocusReason.MouseFocusReason)
        pleat = self.pleat_at(event.position().x(), event.position().y())
        self.laid.choose(pleat)
        self._from = event.position().x() + event.position().y() if pleat else None

    def pleat_at(self, x: float, y: float) -> str:
        """Return the id of the pleat under the hand, or nothing."""
        raise NotImplementedError

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        x, y = event.position().x(), event.position().y()
        if self._from is None:
            self.setCursor(
                Qt.CursorShape.OpenHandCursor
                if self.laid.bag is not None and self.pleat_at(x, y)
                else Qt.CursorShape.ArrowCursor
            )
            return
        if self._dragged is None and abs(x + y - self._from) < LOOSE:
            return
        self.setCursor(Qt.CursorShape.ClosedHandCursor)
        self._dragged = self.along(x, y)
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        at, self._dragged, self._from = self._dragged, None, None
        self.unsetCursor()
        if at is not None:
            self.laid.change(tr("Move pleat"), at=at)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key, held = event.key(), bool(event.modifiers() & Qt.KeyboardModifier.ControlModifier)
        by = {Qt.Key.Key_Right: 1, Qt.Key.Key_Left: -1}.get(Qt.Key(key), 0)
        if by:
            (self.laid.move_by if held else self.laid.step)(by)
        elif key in (Qt.Key.Key_Plus, Qt.Key.Key_Equal):
            self.laid.grow_by(1)
        elif key == Qt.Key.Key_Minus:
            self.laid.grow_by(-1)
        elif key == Qt.Key.Key_Delete:
            self.laid.remove()
        elif key == Qt.Key.Key_Escape and self.laid.pleat:
            self.laid.choose("")
        else:
            super().keyPressEvent(event)


Pins = tuple[tuple[str, tuple[float, float], bool], ...]


class BagPlanView(_PleatView):
    """The bag from above.  ``pinned`` tells a place of the plan [m], while ``pinning``."""

    pinned = Signal(float, float)

    def __init__(
        self, session: Session, laid: LaidBag, pins: Callable[[], Pins] = tuple, film: bool = True
    ) -> None:
        self.pins, self.pinning, self.film = pins, False, film
        super().__init__(session, laid, tr("Bag from above"))
        self.setMinimumHeight(170)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if self.pinning and self.laid.bag is not None and event.button() == Qt.MouseButton.LeftButton:
            self.pinned.emit(*self.view.back(event.position().x(), event.position().y()))
            return
        super().mousePressEvent(event)

    @property
    def view(self) -> View:
        """The way from the plan to px."""
        assert self.laid.bag is not None
        return bag_view(self.laid.bag, float(self.width()), float(self.height()), self.film)

    def items(self) -> list[Item]:
        bag, job = self.laid.bag, self.laid.job
        assert bag is not None
        assert job is not None
        look = PlanLook(self.view, self.theme, self.session.system, shown=frozenset({"core", "flange"}))
        out = list(draw_bag(job, bag, look, BagChoice(self.laid.pleat, bridges=self.pins(), film=self.film)))
        if self._dragged is not None:
            x, y = self.view.to([bag.walk.place(self._dragged)])[0]  # type: ignore[arg-type]
            out.append(
                Label(
                    float(x),
                    float(y),
                    show(self._dragged, "distance", self.session.system, 2),
                    self.theme.ink,
                    12.5,
                    True,
                    ground=self.theme.raised,
                    outline=self.theme.edge,
                )
            )
        return out

    def along(self, x: float, y: float) -> float:
        assert self.laid.bag is not None
        return self.laid.bag.walk.along(*self.view.back(x, y))

    def pleat_at(self, x: float, y: float) -> str:
        assert self.laid.bag is not None
        found = nearest_pleat(self.laid.bag, self.view, x, y)
        return found.id if found else ""


class WalkView(_PleatView):
    """The tape unrolled."""

    def __init__(self, session: Session, laid: LaidBag) -> None:
        super().__init__(session, laid, tr("Walk-round: the tape unrolled"))
        self.setMinimumHeight(190)

    @property
    def strip(self) -> WalkStrip:
        """Where the strip lies."""
        assert self.laid.bag is not None
        return WalkStrip(self.laid.bag, float(self.width()), float(self.height()))

    def items(self) -> list[Item]:
        strip = self.strip
        out = list(draw_walk(strip, self.theme, self.session.system, self.laid.pleat))
        if self._dragged is not None:
            words = show(self._dragged, "distance", self.session.system, 2)
            out.append(
                Label(
                    strip.x(self._dragged),
                    strip.base - 12,
                    words,
                    self.theme.ink,
                    12.5,
                    True,
                    ground=self.theme.raised,
                    outline=self.theme.edge,
                )
            )
        return out

    def along(self, x: float, y: float) -> float:
        return self.strip.at(x)

    def pleat_at(self, x: float, y: float) -> str:
        found = self.strip.pleat_at(x)
        return found.id if found else ""
