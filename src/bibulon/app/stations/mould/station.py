"""Mould: a closed mould from flange to injection, where a bag would stand for infusion."""

from __future__ import annotations

from typing import TYPE_CHECKING

from bibulon.app.kit.tabs import Tabs, paged, pages_of
from bibulon.app.stations.base import RailRow, Station
from bibulon.core.model.job import Job
from bibulon.core.outlook.outlook import Outlook
from bibulon.core.units.units import show
from bibulon.core.units.words import tr

if TYPE_CHECKING:
    from bibulon.app.stations.mould.channel_page import ChannelPage
    from bibulon.app.stations.mould.closing_page import ClosingPage
    from bibulon.app.stations.mould.cloth_page import ClothPage
    from bibulon.app.stations.mould.load_page import LoadPage
    from bibulon.app.stations.mould.machine_page import MachinePage
    from bibulon.app.stations.mould.port_page import PortPage
    from bibulon.app.stations.mould.seal_page import SealPage
    from bibulon.app.stations.mould.vent_page import VentPage

__all__ = ["MouldStation"]


class MouldStation(Station):
    """The pages of one mould."""

    name = "Mould"
    instead_of = "Bag"
    side_share = 6

    def build(self) -> None:
        self.bench = self.tabs = Tabs("Mould", pages_of(self))
        self.tabs.shown.connect(lambda _: self.fill_page())
        self.session.outlook_changed.connect(lambda _: self._changed(None))
        self.follow()

    @paged("Closing")
    def closing(self) -> ClosingPage:
        from bibulon.app.stations.mould.closing_page import ClosingPage

        return ClosingPage(self.session)

    @paged("Seals")
    def seals(self) -> SealPage:
        from bibulon.app.stations.mould.seal_page import SealPage

        return SealPage(self.session)

    @paged("Cloth")
    def cloth(self) -> ClothPage:
        from bibulon.app.stations.mould.cloth_page import ClothPage

        return ClothPage(self.session)

    @paged("Channel")
    def channel(self) -> ChannelPage:
        from bibulon.app.stations.mould.channel_page import ChannelPage

        return ChannelPage(self.session)

    @paged("Ports")
    def ports(self) -> PortPage:
        from bibulon.app.stations.mould.port_page import PortPage

        return PortPage(self.session)

    @paged("Vents")
    def vents(self) -> VentPage:
        from bibulon.app.stations.mould.vent_page import VentPage

        return VentPage(self.session)

    @paged("Loading")
    def load(self) -> LoadPage:
        from bibulon.app.stations.mould.load_page import LoadPage

        return LoadPage(self.session)

    @paged("Machine")
    def machine(self) -> MachinePage:
        from bibulon.app.stations.mould.machine_page import MachinePage

        return MachinePage(self.session)

    def stands(self, job: Job) -> bool:
        return job.process != "infusion"

    def fill(self) -> None:
        if self.stands(self.session.job):
            self.fill_page()

    def row(self, job: Job, outlook: Outlook | None) -> RailRow:
        mould = outlook.evidence.mould if outlook and outlook.evidence else None
        if mould is None:
            return RailRow("not closed yet", "open")
        return RailRow(
            tr("margin {}", show(float(mould.closing.margin.min()), "force", self.session.system)), "settled"
        )
