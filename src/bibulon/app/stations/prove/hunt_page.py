"""Hunt: where a leak is likely, what to try next, and what came of what was tried."""

from __future__ import annotations

from msgspec.structs import replace
from PySide6.QtCore import QPointF, QSize, Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter
from PySide6.QtWidgets import QHBoxLayout, QLineEdit, QPushButton, QVBoxLayout, QWidget

from bibulon.app.kit.drawn import Drawn
from bibulon.app.kit.fields import FigureGrid, Form, UnitEdit, heading, note, push
from bibulon.app.kit.paint import paint_told
from bibulon.app.session.session import Session
from bibulon.app.session.shop_record import leak_factors
from bibulon.app.stations.base import SidedPage, titled
from bibulon.app.work.ask import Ask
from bibulon.core.bag.bag import Bag, bag_of
from bibulon.core.drawing.kit.look import PlanLook
from bibulon.core.drawing.kit.scene import Label, View
from bibulon.core.drawing.kit.tokens import Theme
from bibulon.core.drawing.plan.huntplan import draw_hunt
from bibulon.core.leak.hunt import Clamp, Heard, Hunt, Place, best_clamp, hunted, places_of, zone_of
from bibulon.core.model.job import Job
from bibulon.core.run.hunting import clamp_entry, heard_entry, hunt_done, mended, mended_entry
from bibulon.core.units.units import show
from bibulon.core.units.words import tr

__all__ = ["HuntPage"]

NARROW = 0.6  # of the tape, over which a stretch is no help
SHOP_DB, LOUDER = 22.0, 8.0  # dB: what a quiet shop is, and how much more is a leak


class HuntView(Drawn):
    """The bag with its likely places; a click points at the place next to it, arrows walk from the likeliest down."""

    pointed = Signal(int)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.bag: Bag | None = None
        self.hunt: Hunt | None = None
        self.clamp: Clamp | None = None
        self.problem = ""
        self.at: int | None = None
        self.setMinimumHeight(240)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(tr("Where the leak may be"))

    def sizeHint(self) -> QSize:
        return QSize(640, 480)

    @property
    def view(self) -> View | None:
        """From the plan to px."""
        if self.bag is None:
            return None
        (x0, y0), (x1, y1) = self.bag.walk.ring.min(axis=0), self.bag.walk.ring.max(axis=0)
        return View.fit(
            (float(x0), float(y0), float(x1), float(y1)), float(self.width()), float(self.height()), 48
        )

    def draw(self, painter: QPainter) -> None:
        view, job = self.view, self.session.job
        if view is None or self.bag is None or self.hunt is None:
            words = self.problem or tr("Working out the bag …")
            paint_told(
                self, painter, [Label(self.width() / 2, self.height() / 2, words, self.theme.soft, 14)]
            )
        else:
            journal = self.session.journal
            look = PlanLook(view, self.theme, self.session.system)
            paint_told(
                self,
                painter,
                draw_hunt(job, self.bag, self.hunt, hunt_done(journal), mended(journal), self.clamp, look),
            )

    def mousePressEvent(self, event: QMouseEvent) -> None:
        view = self.view
        if view is None or self.hunt is None:
            return
        x, y = view.back(QPointF(event.position()).x(), QPointF(event.position()).y())
        places = self.hunt.places
        near = min(range(len(places)), key=lambda k: (places[k].x - x) ** 2 + (places[k].y - y) ** 2)
        self.pointed.emit(near)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        by = {Qt.Key.Key_Down: 1, Qt.Key.Key_Right: 1, Qt.Key.Key_Up: -1, Qt.Key.Key_Left: -1}.get(
            Qt.Key(event.key()), 0
        )
        if by and self.hunt is not None:
            share = self.hunt.share
            order = sorted(range(len(share)), key=lambda k: -share[k])
            now = order.index(self.at) if self.at in order else -by
            self.pointed.emit(order[max(0, min(now + by, len(order) - 1))])
        else:
            super().keyPressEvent(event)


class HuntPage(SidedPage):
    """The plan, and at the side what was heard, clamped and mended."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.places: tuple[Place, ...] = ()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        self.view = HuntView(session)
        self.view.pointed.connect(self.point)
        layout.addWidget(titled("Where the leak may be: the larger the likelier", None, self.view))
        self.ask = Ask(self, lambda: session.number)
        self.ask.ready.connect(self._show)
        self.ask.failed.connect(self._fail)
        self._lay_side()
        session.journal_changed.connect(lambda: self._think() if self.isVisible() else None)

    def _lay_side(self) -> None:
        s = self.session
        self.side = QWidget()
        side = QVBoxLayout(self.side)
        side.setContentsMargins(16, 12, 16, 8)
        self.figures = FigureGrid(("likeliest", "tried", "mended"), 3)
        side.addWidget(self.figures)
        self.told = note("")
        side.addWidget(self.told)
        form = Form()
        self.by = QLineEdit()
        self.by.setAccessibleName(tr("Who looks"))
        self.by.setPlaceholderText(tr("your name"))
        form.add("Looked by", self.by)
        side.addWidget(form)
        side.addWidget(heading("At the place pointed at"))
        row = QHBoxLayout()
        for text, hit in ((tr("It hisses"), True), (tr("Nothing there"), False)):
            button = QPushButton(tr(text))
            button.clicked.connect(lambda _=False, h=hit: self.listened(h))
            row.addWidget(button)
        side.addLayout(row)
        self.detector = push("Hold the detector there", self.swept)
        side.addWidget(self.detector)
        self.sweep = push("Sweep once all round", self.swept_round)
        side.addWidget(self.sweep)
        self.what = QLineEdit()
        self.what.setAccessibleName(tr("What mended it"))
        self.what.setPlaceholderText(tr("tape pressed, patch …"))
        self.mend = push("Mended here", self.mended_here)
        side.addWidget(self.what)
        side.addWidget(self.mend)
        side.addWidget(heading("Halve it by clamps"))
        self.proposed = note("")
        side.addWidget(self.proposed)
        form = Form()
        self.rate = UnitEdit("leak", "Leak measured behind the clamp", 0.0, 100.0)
        self.rate.committed.connect(self.clamped)
        self.rate.refused.connect(lambda text: s.said.emit(text, True))
        form.add("Leaks there", self.rate)
        side.addWidget(form)
        side.addWidget(note("Under vacuum a pot can burst inwards: rated pots, eyes covered."))
        side.addStretch()

    # -- shown

    def fill(self) -> None:
        """Follow the job: its bag says where it may leak."""
        job = self.session.job
        if job.process != "infusion":
            self._fail(
                ValueError(tr("A closed mould has no bag: look along its seals, by the check list on Mould."))
            )
            return
        shop = leak_factors(self.session.settings)
        self.ask.want(lambda: _laid(job, shop))

    def _show(self, answer: tuple[Bag, tuple[Place, ...]]) -> None:
        self.view.bag, self.places = answer
        self.view.problem = ""
        self._think()

    def _fail(self, error: Exception) -> None:
        self.view.bag, self.view.hunt, self.view.problem = None, None, str(error)
        self.told.setText(str(error))
        self.proposed.setText("")
        for name in self.figures.figures:
            self.figures.set(name, "—")
        self.view.update()

    @property
    def whole(self) -> tuple[float, float]:
        """The bag's leak by its drop test, and half its interval [Pa m³/s]; a usual one where there is none."""
        outlook = self.session.outlook
        leak = outlook.evidence.leak if outlook and outlook.evidence else None
        if leak is None or leak.leak <= 0:
            return 5e-3, 5e-4
        low, high = leak.leak_interval
        return leak.leak, max((high - low) / 2, 0.05 * leak.leak)

    def _think(self) -> None:
        """Work out what is likely now; some 150 places, at once."""
        bag = self.view.bag
        if bag is None or not self.places:
            return
        whole, half = self.whole
        done = hunt_done(self.session.journal)
        hunt = hunted(self.places, bag.walk.length, whole, done)
        self.view.hunt = hunt
        self.view.clamp = None if hunt.found else best_clamp(hunt, bag.walk.length, whole, half)
        if self.view.at is None or self.view.at >= len(self.places):
            self.view.at = hunt.next
        s = self.session.system
        place = hunt.places[hunt.next]
        self.figures.set("likeliest", f"{hunt.share[hunt.next] * 100:.0f} %")
        self.figures.set("tried", str(len(done)))
        self.figures.set("mended", str(len(mended(self.session.journal))))
        sure = tr("It is all but sure: ") if hunt.found else tr("Look here next: ")
        at = hunt.places[self.view.at]
        low, high = zone_of(hunt, bag.walk.length)
        along = bag.walk.length if low == high == 0.0 else (high - low) % bag.walk.length
        zone = (
            tr(
                " Four in five between {0} and {1} of the tape.",
                show(low, "distance", s),
                show(high, "distance", s),
            )
            if not hunt.found and along < NARROW * bag.walk.length
            else ""
        )
        self.told.setText(tr("{0}{1}.{2} Pointed at: {3}.", sure, place.name, zone, at.name))
        self.view.setAccessibleDescription(self.told.text())
        if self.view.clamp is not None:
            a, b = self.view.clamp.start, self.view.clamp.end
            self.proposed.setText(
                tr(
                    "Shut off the stretch of tape from {0} to {1} and measure what leaks in there: it "
                    "tells most.",
                    show(a, "distance", s),
                    show(b, "distance", s),
                )
            )
        else:
            self.proposed.setText(tr("No clamp tells more than looking there."))
        self.view.update()

    def point(self, place: int) -> None:
        """Point at a place."""
        self.view.at = place
        self._think()

    # -- done

    def listened(self, hit: bool) -> None:
        """Note that somebody listened at the place pointed at."""
        if self.view.at is not None and self.places:
            place = self.places[self.view.at]
            now = self.session.run_clock.wall()
            self.session.stamp(heard_entry(Heard(place.x, place.y, hit), self.by.text().strip() or "?", now))
            self._think()

    def swept(self) -> None:
        """Read the detector at the place pointed at, and note whether it is louder there than in the shop."""
        detector = self.session.instruments.detector
        if detector is None:
            self.session.said.emit(tr("There is no detector yet: pump a bag down on Test."), True)
            return
        if self.view.at is None or not self.places:
            return
        place = self.places[self.view.at]
        detector.write("x", place.x)
        detector.write("y", place.y)
        loud = detector.read().values["loudness"]
        entry = heard_entry(
            Heard(place.x, place.y, loud > SHOP_DB + LOUDER),
            self.by.text().strip() or "?",
            self.session.run_clock.wall(),
        )
        self.session.stamp(replace(entry, data={**entry.data, "db": loud, "text": tr("{:.0f} dB", loud)}))
        self.session.said.emit(tr("{0}: {1:.0f} dB.", place.name, loud), False)
        self._think()

    def swept_round(self) -> None:
        """Read the detector at every place in the order of the walk-round; what is loud is noted, the rest as one row."""
        detector = self.session.instruments.detector
        if detector is None:
            self.session.said.emit(tr("There is no detector yet: pump a bag down on Test."), True)
            return
        loud: list[tuple[float, Place]] = []
        for place in sorted(self.places, key=lambda p: p.along):
            detector.write("x", place.x)
            detector.write("y", place.y)
            level = detector.read().values["loudness"]
            if level > SHOP_DB + LOUDER:
                loud.append((level, place))
        by, now = self.by.text().strip() or "?", self.session.run_clock.wall()
        for level, place in sorted(loud, key=lambda row: -row[0])[:3]:
            entry = heard_entry(Heard(place.x, place.y, True), by, now)
            self.session.stamp(
                replace(entry, data={**entry.data, "db": level, "text": tr("{:.0f} dB", level)})
            )
        told = (
            tr("loudest at {}", max(loud, key=lambda row: row[0])[1].name)
            if loud
            else tr("nothing louder than the shop")
        )
        self.session.said.emit(tr("Swept {0} places: {1}.", len(self.places), told), False)
        self._think()

    def clamped(self, leak: float) -> None:
        """Note what leaks behind the clamp proposed."""
        clamp = self.view.clamp
        if clamp is not None:
            _, half = self.whole
            now = self.session.run_clock.wall()
            self.session.stamp(
                clamp_entry(Clamp(clamp.start, clamp.end, leak, half), self.by.text().strip() or "?", now)
            )
            self.rate.clear()
            self._think()

    def mended_here(self) -> None:
        """Note a leak found and mended at the place pointed at; the hunt begins anew."""
        if self.view.at is not None and self.places:
            place = self.places[self.view.at]
            now = self.session.run_clock.wall()
            what = self.what.text().strip() or place.name
            self.session.stamp(mended_entry(place.x, place.y, what, self.by.text().strip() or "?", now))
            if (bag := self.session.instruments.bag) is not None:
                bag.press(place.x, place.y)
            self.what.clear()
            self._think()

    def set_theme(self, theme: Theme) -> None:
        """Choose the theme."""
        self.view.set_theme(theme)


def _laid(job: Job, shop: dict[str, float]) -> tuple[Bag, tuple[Place, ...]]:
    bag = bag_of(job)
    return bag, places_of(job, bag, shop)
