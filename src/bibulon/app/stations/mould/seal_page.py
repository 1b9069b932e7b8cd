"""Seals: which profile seals the gap of this flange all round, and what is blown up in it."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from bibulon.app.kit.drawing_view import DrawingView
from bibulon.app.kit.fields import FigureGrid, Form, UnitEdit, VacuumEdit, heading, note, push
from bibulon.app.session.session import Session
from bibulon.app.stations.base import SidedPage
from bibulon.core.drawing.graphs.seals import draw_seals, gap_words, seal_at, seals_over
from bibulon.core.drawing.kit.scene import Item
from bibulon.core.drawing.kit.tokens import Theme
from bibulon.core.geometry.outline import OutlineError
from bibulon.core.library.seals import PROFILES
from bibulon.core.model.job import Job
from bibulon.core.model.mould import Seal
from bibulon.core.mould.closing import seal_push
from bibulon.core.mould.flange import flange_of
from bibulon.core.units.units import System, show
from bibulon.core.units.words import tr

__all__ = ["SealPage"]

CAUTION = (
    "A seal or bladder that is blown up bursts like a tyre: no more than its maker's pressure, a relief valve, nobody over it, "
    "and air off before the halves part."
)


class SealView(DrawingView):
    """The profiles; a click, or left and right, pick one."""

    picked = Signal(object)

    def __init__(self, page: SealPage) -> None:
        super().__init__(tr("Seal profiles and this flange's gap"), page.items, 260)
        self.page = page
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.picked.emit(seal_at(self.page.profiles, event.position().x(), float(self.width())))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        by = {Qt.Key.Key_Right: 1, Qt.Key.Key_Left: -1}.get(Qt.Key(event.key()), 0)
        if not by:
            super().keyPressEvent(event)
            return
        profiles = self.page.profiles
        at = profiles.index(self.page.pick)
        self.picked.emit(profiles[max(0, min(at + by, len(profiles) - 1))])


class SealPage(SidedPage):
    """The profiles; at the side the one that is picked, the flange's gap, and what is blown up."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.pick: Seal = session.job.closed.inner
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        self.view = SealView(self)
        self.view.picked.connect(self.choose)
        layout.addWidget(self.view)
        self._lay_side()

    @property
    def profiles(self) -> tuple[Seal, ...]:
        """The library's profiles, and those of the job that are none of them."""
        own = [
            s
            for s in (self.session.job.closed.inner, self.session.job.closed.outer)
            if _plain(s) not in PROFILES
        ]
        return (*PROFILES, *dict.fromkeys(own))

    def _lay_side(self) -> None:
        s = self.session
        self.side = QWidget()
        side = QVBoxLayout(self.side)
        side.setContentsMargins(16, 12, 16, 8)
        self.figures = FigureGrid(("profile", "seals from", "this gap", "pushes apart"))
        side.addWidget(self.figures)
        row = QHBoxLayout()
        self.inside, self.outside = QPushButton(tr("Take it inside")), QPushButton(tr("Outside"))
        self.inside.setToolTip(tr("Round the cavity: it keeps resin in and air out"))
        self.outside.setToolTip(tr("Round the flange's chamber: it keeps the vacuum that closes the mould"))
        self.inside.clicked.connect(lambda _=False: self._take("inner", tr("Change inner seal")))
        self.outside.clicked.connect(lambda _=False: self._take("outer", tr("Change outer seal")))
        row.addWidget(self.inside)
        row.addWidget(self.outside)
        side.addLayout(row)
        side.addWidget(heading("Gap at the seal"))
        form = Form()
        self.gap = UnitEdit("thickness", "Gap at the inner seal", 0.0, 0.2)
        self.spread = UnitEdit("thickness", "By how much the gap is off, either way", 0.0, 0.05)
        for field, key, name in (
            (self.gap, "seal_gap", tr("gap at the seal")),
            (self.spread, "gap_spread", tr("spread of the gap")),
        ):
            field.committed.connect(
                lambda value, k=key, n=name: self._closed(tr("Change {}", n), **{k: value})
            )
            field.refused.connect(lambda text: s.said.emit(text, True))
        form.add("Gap", self.gap)
        form.add("Off by ±", self.spread)
        side.addWidget(form)
        side.addWidget(heading("Blown up"))
        form = Form()
        self.inflation = self._pressure(tr("Inner seal blown to"), self._inflate)
        self.bladder = self._pressure(tr("Bladder blown to"), self._blow)
        form.add("Inner seal", self.inflation)
        form.add("Bladder", self.bladder)
        side.addWidget(form)
        self.no_bladder = push("No bladder", lambda: self._blow(None))
        side.addWidget(self.no_bladder)
        side.addWidget(
            note(
                "A bladder presses the plies of a hollow part outwards: it opens the halves from the start, whatever the resin does."
            )
        )
        side.addWidget(note(CAUTION))
        side.addStretch()

    def _pressure(self, name: str, then: Callable[[float], None]) -> VacuumEdit:
        s = self.session
        field = VacuumEdit(name, lambda: s.job.conditions.atmosphere, 1.1e6)
        field.understood.connect(lambda text: s.said.emit(text, False))
        field.refused.connect(lambda text: s.said.emit(text, True))
        field.committed.connect(then)
        return field

    def items(self, width: float, height: float, theme: Theme) -> list[Item]:
        """Return the drawing's shapes."""
        closed = self.session.job.closed
        return list(
            draw_seals(
                self.profiles, closed.inner.name, closed.outer.name, self.pick.name, (closed.seal_gap, closed.gap_spread),
                (width, height), theme, self.session.system,
            )
        )  # fmt: skip

    def choose(self, seal: Seal) -> None:
        """Pick a profile."""
        self.pick = seal
        self.fill()

    def fill(self) -> None:
        """Show job and pick."""
        job, s = self.session.job, self.session.system
        closed = job.closed
        if self.pick.name not in {p.name for p in self.profiles}:
            self.pick = closed.inner
        pick = next(p for p in self.profiles if p.name == self.pick.name)
        self.pick = pick
        fits = seals_over(pick, closed.seal_gap, closed.gap_spread)
        for name, text in (
            ("profile", pick.name),
            ("seals from", gap_words(pick, s)),
            ("this gap", "sealed" if fits else tr("not sealed")),
            ("pushes apart", _push(job, pick, s)),
        ):  # fmt: skip
            self.figures.set(name, text)
        self.inside.setEnabled(pick.name != closed.inner.name)
        self.outside.setEnabled(pick.name != closed.outer.name and pick.kind != "inflatable")
        self.gap.set_value(closed.seal_gap, s)
        self.spread.set_value(closed.gap_spread, s)
        self.inflation.setEnabled(closed.inner.kind == "inflatable")
        self.inflation.set_value(closed.inner.inflation, s)
        if closed.bladder is None:
            self.bladder.clear()
            self.bladder.setPlaceholderText(tr("none"))
        else:
            self.bladder.set_value(closed.bladder, s)
        self.no_bladder.setEnabled(closed.bladder is not None)
        self.view.setAccessibleDescription(
            tr(
                "{0}: seals from {1}; this flange's gap {2} sealed all round. Left and right walk "
                "over the profiles.",
                pick.name,
                gap_words(pick, s),
                "is" if fits else "is not",
            )
        )
        self.view.update()

    def _take(self, key: str, name: str) -> None:
        kept = self.session.job.closed.inner.inflation
        self._closed(name, **{key: self.pick.replaced(inflation=kept)})

    def _inflate(self, value: float) -> None:
        inner = self.session.job.closed.inner
        self._closed(tr("Blow up inner seal"), inner=inner.replaced(inflation=value))

    def _blow(self, value: float | None) -> None:
        self._closed(tr("Change bladder"), bladder=value)

    def _closed(self, name: str, **fields: object) -> None:
        if not self.session.edit(name, lambda j: j.replaced(closed=j.closed.replaced(**fields))):
            self.fill()

    def set_theme(self, theme: Theme) -> None:
        """Choose the theme."""
        self.view.set_theme(theme)


def _push(job: Job, seal: Seal, system: System) -> str:
    """Return in words what a profile pushes apart with as the inner seal, blown to what the job says."""
    as_inner = job.replaced(
        closed=job.closed.replaced(inner=seal.replaced(inflation=job.closed.inner.inflation))
    )
    try:
        return show(seal_push(as_inner, flange_of(as_inner)), "force", system)
    except OutlineError:  # told in Part
        return "—"


def _plain(seal: Seal) -> Seal:
    """Return a seal as the library has it: what it is blown to is the job's."""
    return seal.replaced(inflation=Seal().inflation)
