"""Mould: a closed mould from flange to injection, where a bag would stand for infusion."""

from __future__ import annotations

from bibulon.app.kit.tabs import Tabs
from bibulon.app.stations.base import RailRow, Station
from bibulon.core.model.job import Job
from bibulon.core.outlook.outlook import Outlook
from bibulon.core.units.words import tr

__all__ = ["MouldStation"]


class MouldStation(Station):
    """The pages of one mould."""

    name = "Mould"
    instead_of = "Bag"
    side_share = 6

    def build(self) -> None:
        from bibulon.app.stations.mould.channel_page import ChannelPage
        from bibulon.app.stations.mould.closing_page import ClosingPage
        from bibulon.app.stations.mould.cloth_page import ClothPage
        from bibulon.app.stations.mould.load_page import LoadPage
        from bibulon.app.stations.mould.machine_page import MachinePage
        from bibulon.app.stations.mould.port_page import PortPage
        from bibulon.app.stations.mould.seal_page import SealPage
        from bibulon.app.stations.mould.vent_page import VentPage

        session = self.session
        self.closing, self.channel = ClosingPage(session), ChannelPage(session)
        self.seals, self.cloth = SealPage(session), ClothPage(session)
        self.ports, self.vents = PortPage(session), VentPage(session)
        self.load, self.machine = LoadPage(session), MachinePage(session)
        self.bench = self.tabs = Tabs(
            "Mould",
            [
                ("Closing", self.closing), ("Seals", self.seals), ("Cloth", self.cloth), ("Channel", self.channel), ("Ports", self.ports),
                ("Vents", self.vents), ("Loading", self.load), ("Machine", self.machine),
            ],
        )  # fmt: skip
        self.tabs.shown.connect(lambda _: self._fill_page())
        session.outlook_changed.connect(lambda _: self._changed(None))
        self.follow()

    def stands(self, job: Job) -> bool:
        return job.process != "infusion"

    def fill(self) -> None:
        if self.stands(self.session.job):
            self._fill_page()

    def _fill_page(self) -> None:
        """Fill the page that is open; the others when they are."""
        page = self.tabs.current
        if page in (self.closing, self.seals, self.cloth, self.ports, self.vents, self.load, self.machine):
            page.fill()
        elif page is self.channel:
            self.channel.view.update()

    def row(self, job: Job, outlook: Outlook | None) -> RailRow:
        mould = outlook.evidence.mould if outlook and outlook.evidence else None
        if mould is None:
            return RailRow("not closed yet", "open")
        return RailRow(tr("margin {:.1f} kN", float(mould.closing.margin.min()) / 1000.0), "settled")
