"""What a station is: a bench in the middle, a side panel, and what its row on the rail says."""

from __future__ import annotations

from pathlib import Path
from typing import Literal

from msgspec import Struct
from msgspec.structs import replace
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QLabel, QSplitter, QVBoxLayout, QWidget

from bibulon.app.kit.acts import Act
from bibulon.app.kit.appearance import named
from bibulon.app.kit.fields import remember_sizes
from bibulon.app.kit.tabs import Tabs
from bibulon.app.plan.cut_view import CutView
from bibulon.app.plan.tools import CutTools, PlanTools
from bibulon.app.plan.view import PlanView
from bibulon.app.session.session import Session
from bibulon.core.drawing.kit.tokens import Theme
from bibulon.core.findings.judge import is_accepted
from bibulon.core.model.job import Job
from bibulon.core.outlook.outlook import Outlook
from bibulon.core.units.words import tr

__all__ = ["PlanBench", "RailRow", "SidedPage", "Station", "titled"]

State = Literal["settled", "open", "warned", "blocked"]


class SidedPage(QWidget):
    """A page of a station that brings a side panel of its own."""

    side: QWidget


class RailRow(Struct, frozen=True):
    """The one figure that matters, how the station stands, and small figures below, a line each."""

    figure: str
    state: State
    more: tuple[str, ...] = ()


class Station:
    """A station.  ``full`` ones take the whole window but the rail; ``clock`` ones show the strip of time.

    ``marked`` ones show the places of findings on their plans.
    """

    name = ""
    full = False
    clock = False
    marked = False
    takes: frozenset[str] = frozenset()  # endings of files that may be dropped on it
    instead_of = ""  # the station whose place on the rail it takes in jobs for which it stands
    side_share = 0  # tenths of the height that the side panel takes from the findings

    bench: QWidget  # from ``build`` on

    def __init__(self, session: Session) -> None:
        self.session = session
        self.side: QWidget | None = None
        self.built = False
        self._stale = False

    def build(self) -> None:
        """Make the bench, and the side panel if there is one: called once, before the station is first shown."""
        raise NotImplementedError

    def follow(self) -> None:
        """Fill on entering, and again when job or units change: at once when seen, else on entering."""
        self.session.job_changed.connect(self._changed)
        self.session.system_changed.connect(self._changed)
        self._stale = True

    def _changed(self, _: object) -> None:
        self._stale = not self.bench.isVisible()
        if not self._stale:
            self.fill()

    def fill(self) -> None:
        """Show the job."""

    def fill_page(self) -> None:
        """Let the page that is open show the job; the others when they are."""
        fill = getattr(self.bench.current, "fill", None) if isinstance(self.bench, Tabs) else None
        if fill is not None:
            fill()

    def take_file(self, path: Path) -> None:
        """Read a file with one of the endings that it takes."""

    def stands(self, job: Job) -> bool:
        """Whether a job is worked on here at all."""
        return True

    def asked(self, text: str) -> list[Act]:
        """Return acts for words typed into the palette that are no act's name; most stations know none."""
        return []

    def row(self, job: Job, outlook: Outlook | None) -> RailRow:
        """Return the station's figure, and whether it is settled or open by itself."""
        raise NotImplementedError

    def standing(self, job: Job, outlook: Outlook | None) -> RailRow:
        """Return what the rail says: the station's own row, worse when a finding of it weighs more."""
        row = self.row(job, outlook)
        mine = [f for f in outlook.findings if f.station == self.name] if outlook else []
        if any(f.weight == "blocking" for f in mine):
            return replace(row, state="blocked")
        if row.state != "blocked" and any(f.weight == "warning" and not is_accepted(job, f) for f in mine):
            return replace(row, state="warned")
        return row

    def sides(self) -> list[QWidget]:
        """Return all side panels: the station's, and those that pages bring."""
        pages = self.bench.pages if isinstance(self.bench, Tabs) else []
        own = [self.side] if self.side is not None else []
        return own + [p.side for p in pages if isinstance(p, SidedPage)]

    def current_side(self) -> QWidget | None:
        """Return the side panel of the page that is open."""
        page = self.bench.current if isinstance(self.bench, Tabs) else None
        return page.side if isinstance(page, SidedPage) else self.side

    def set_theme(self, theme: Theme) -> None:
        """Pass a theme on to drawings."""
        if isinstance(self.bench, PlanBench | Tabs):
            self.bench.set_theme(theme)

    def entered(self) -> None:
        """Called when the station is shown."""
        if self._stale:
            self._stale = False
            self.fill()


def titled(left: str | QLabel, right: QLabel | None, body: QWidget, tools: QWidget | None = None) -> QWidget:
    """Return a body with a line of titles, and tools, above it."""
    box = QWidget()
    layout = QVBoxLayout(box)
    layout.setContentsMargins(0, 0, 0, 0)
    layout.setSpacing(0)
    line = QHBoxLayout()
    line.setContentsMargins(16, 4, 8, 2)
    line.addWidget(named(QLabel(tr(left)), "soft") if isinstance(left, str) else left)
    line.addStretch()
    line.addSpacing(12)
    if right is not None:
        right.setMinimumWidth(1)  # what is too long ends where it must, and pushes nothing aside
        line.addWidget(right)
    if tools is not None:
        line.addSpacing(8)
        line.addWidget(tools)
    layout.addLayout(line)
    layout.addWidget(body, 1)
    return box


class PlanBench(QWidget):
    """The plan with its tools, and the cut below it; the border between them can be dragged."""

    def __init__(self, session: Session, editable: frozenset[str], cut: bool, resin: bool = True) -> None:
        super().__init__()
        self.session = session
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        self.plan = PlanView(session, editable, resin)
        self.right = named(QLabel(""), "soft")
        self.right.setMinimumWidth(1)
        self.tools = PlanTools(session, resin)
        self.seen = named(QLabel(""), "soft")
        upper = titled(self.seen, self.right, self.plan, self.tools)
        session.job_changed.connect(self._seen_from)
        self._seen_from(session.job)
        self.cut: CutView | None = None
        if not cut:
            layout.addWidget(upper)
            return
        self.cut = CutView(session)
        self.cut.pointed.connect(self.plan.point_at)
        self.split = QSplitter(Qt.Orientation.Vertical)
        self.split.setChildrenCollapsible(True)
        self.split.addWidget(upper)
        self.split.addWidget(titled("Cut A–A", None, self.cut, CutTools(session, self.plan)))
        self.split.setCollapsible(0, False)
        self.split.setStretchFactor(0, 7)
        self.split.setStretchFactor(1, 3)
        self.split.setSizes([440, 190])
        remember_sizes(self.split, session.settings, "view/bench")
        layout.addWidget(self.split)

    def _seen_from(self, job: Job) -> None:
        """Say from where the plan is seen: a closed mould has no bag."""
        side = (
            tr("Plan · from the bag side") if job.process == "infusion" else tr("Plan · from the upper half")
        )
        if side != self.seen.text():
            self.seen.setText(side)

    def fold_cut(self) -> None:
        """Fold the cut away, or bring it back."""
        if self.cut is None:
            return
        upper, lower = self.split.sizes()
        self.split.setSizes([upper + lower, 0] if lower else [int(0.7 * upper), int(0.3 * upper)])
        self.session.settings.setValue("view/bench", self.split.saveState())

    def set_theme(self, theme: Theme) -> None:
        """Choose the theme of plan, cut and tools."""
        self.plan.set_theme(theme)
        if self.cut is not None:
            self.cut.set_theme(theme)
        self.tools.set_theme(theme)
