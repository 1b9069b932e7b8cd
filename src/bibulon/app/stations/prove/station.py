"""Prove: is the bag tight enough for this part, and where does it leak if not."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from bibulon.app.kit.tabs import Tabs, paged, pages_of
from bibulon.app.stations.base import RailRow, Station
from bibulon.core.drawing.kit.tokens import Theme
from bibulon.core.leak.droptest import Verdict
from bibulon.core.leak.looks import Standing
from bibulon.core.model.job import Job
from bibulon.core.outlook.outlook import Outlook

if TYPE_CHECKING:
    from bibulon.app.stations.prove.before_page import BeforePage
    from bibulon.app.stations.prove.hunt_page import HuntPage
    from bibulon.app.stations.prove.pump_page import PumpPage
    from bibulon.app.stations.prove.readings_page import ReadingsPage
    from bibulon.app.stations.prove.test_page import TestPage

__all__ = ["ProveStation"]


class ProveStation(Station):
    """The test as it records, the hunt, the pump, what comes before resin, and the readings."""

    name = "Prove"
    takes = frozenset({".csv", ".txt", ".tsv"})
    side_share = 7

    def build(self) -> None:
        from bibulon.app.stations.prove.verdict_panel import VerdictPanel

        self.panel = self.side = VerdictPanel(self.session)
        self.bench = self.tabs = Tabs("Prove", pages_of(self))
        self.test.told.connect(self.panel.stand)
        self.tabs.shown.connect(lambda _: self._fill_page())
        self.follow()
        self.session.outlook_changed.connect(lambda _: self._on_outlook())

    @paged("Test")
    def test(self) -> TestPage:
        from bibulon.app.stations.prove.test_page import TestPage

        return TestPage(self.session)

    @paged("Hunt")
    def hunt(self) -> HuntPage:
        from bibulon.app.stations.prove.hunt_page import HuntPage

        return HuntPage(self.session)

    @paged("Pump")
    def pump(self) -> PumpPage:
        from bibulon.app.stations.prove.pump_page import PumpPage

        return PumpPage(self.session)

    @paged("Before resin")
    def before(self) -> BeforePage:
        from bibulon.app.stations.prove.before_page import BeforePage

        return BeforePage(self.session, self._proof)

    @paged("Readings")
    def readings(self) -> ReadingsPage:
        from bibulon.app.stations.prove.readings_page import ReadingsPage

        return ReadingsPage(self.session)

    def _proof(self) -> tuple[Verdict | None, Standing | None]:
        from bibulon.app.stations.prove.limits import evidence_now

        evidence = evidence_now(self.session)
        return (evidence.verdict if evidence else None), self.test.standing

    def _on_outlook(self) -> None:
        if not self.bench.isVisible():
            self._stale = True  # a fit of a long record waits until somebody looks
            return
        self.test.refit()
        self.panel.judge()
        if self.tabs.name == "Before resin":
            self.before.fill()

    def set_theme(self, theme: Theme) -> None:
        super().set_theme(theme)
        self.panel.set_theme(theme)

    def _fill_page(self) -> None:
        if self.tabs.name != "Test":  # which is filled whenever the station is
            self.fill_page()

    def row(self, job: Job, outlook: Outlook | None) -> RailRow:
        evidence = outlook.evidence if outlook else None
        if evidence is None or evidence.verdict is None or evidence.leak is None:
            return RailRow("not run", "open")
        state = {"pass": "settled", "fail": "blocked"}.get(evidence.verdict.outcome, "warned")
        return RailRow(f"{evidence.leak.leak * 10:.4f} mbar·L/s", state)  # type: ignore[arg-type]

    def fill(self) -> None:
        self.panel.fill()
        self.test.fill()
        self._fill_page()

    def take_file(self, path: Path) -> None:
        """Read a gauge's log."""
        self.tabs.go("Readings")
        self.readings.load_log(path)
