"""Prove: is the bag tight enough for this part, and where does it leak if not."""

from __future__ import annotations

from pathlib import Path

from bibulon.app.kit.tabs import Tabs
from bibulon.app.stations.base import RailRow, Station
from bibulon.core.drawing.kit.tokens import Theme
from bibulon.core.leak.droptest import Verdict
from bibulon.core.leak.looks import Standing
from bibulon.core.model.job import Job
from bibulon.core.outlook.outlook import Outlook

__all__ = ["ProveStation"]


class ProveStation(Station):
    """The test as it records, the hunt, the pump, what comes before resin, and the readings."""

    name = "Prove"
    takes = frozenset({".csv", ".txt", ".tsv"})
    side_share = 7

    def build(self) -> None:
        from bibulon.app.stations.prove.before_page import BeforePage
        from bibulon.app.stations.prove.hunt_page import HuntPage
        from bibulon.app.stations.prove.pump_page import PumpPage
        from bibulon.app.stations.prove.readings_page import ReadingsPage
        from bibulon.app.stations.prove.test_page import TestPage
        from bibulon.app.stations.prove.verdict_panel import VerdictPanel

        session = self.session
        self.test = TestPage(session)
        self.hunt = HuntPage(session)
        self.pump = PumpPage(session)
        self.before = BeforePage(session, self._proof)
        self.readings = ReadingsPage(session)
        self.panel = self.side = VerdictPanel(session)
        self.test.told.connect(self.panel.stand)
        self.bench = self.tabs = Tabs(
            "Prove",
            [
                ("Test", self.test), ("Hunt", self.hunt), ("Pump", self.pump), ("Before resin", self.before),
                ("Readings", self.readings),
            ],
        )  # fmt: skip
        self.tabs.shown.connect(lambda _: self._fill_page())
        self.follow()
        session.outlook_changed.connect(lambda _: self._on_outlook())

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
        if self.before.isVisible():
            self.before.fill()

    def set_theme(self, theme: Theme) -> None:
        super().set_theme(theme)
        self.panel.set_theme(theme)

    def _fill_page(self) -> None:
        """Fill the page that is open; the others when they are."""
        page = self.tabs.current
        if page is self.hunt:
            self.hunt.fill()
        elif page is self.pump:
            self.pump.fill()
        elif page is self.before:
            self.before.fill()
        elif page is self.readings:
            self.readings.fill()

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
