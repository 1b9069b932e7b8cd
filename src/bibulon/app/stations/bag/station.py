"""Bag: film, pleats, tape, what is cut and laid out, and how it is drawn down."""

from __future__ import annotations

from typing import TYPE_CHECKING

from bibulon.app.kit.tabs import Tabs, paged, pages_of
from bibulon.app.stations.base import RailRow, Station
from bibulon.core.model.job import Job
from bibulon.core.outlook.outlook import Outlook
from bibulon.core.units.units import show
from bibulon.core.units.words import tr

if TYPE_CHECKING:
    from bibulon.app.stations.bag.cut_page import CutPage
    from bibulon.app.stations.bag.draw_page import DrawPage
    from bibulon.app.stations.bag.kit_page import KitPage

__all__ = ["BagStation"]


class BagStation(Station):
    """Four pages of one bag."""

    name = "Bag"
    side_share = 6

    def build(self) -> None:
        from bibulon.app.stations.bag.bag_page import BagPage
        from bibulon.app.stations.bag.laid import LaidBag

        session = self.session
        self.laid = LaidBag(session, session)  # with the session, so that it ends and is dropped with it
        self.page = BagPage(session, self.laid)
        self.side = self.page.side
        self.bench = self.tabs = Tabs("Bag", [("Bag plan", self.page), *pages_of(self)])
        self.tabs.shown.connect(lambda _: self.fill_page())
        self.follow()

    @paged("Cut plan")
    def cut(self) -> CutPage:
        from bibulon.app.stations.bag.cut_page import CutPage

        return CutPage(self.session, self.laid)

    @paged("Kit")
    def kit(self) -> KitPage:
        from bibulon.app.stations.bag.kit_page import KitPage

        return KitPage(self.session, self.laid)

    @paged("Draw down")
    def draw(self) -> DrawPage:
        from bibulon.app.stations.bag.draw_page import DrawPage

        return DrawPage(self.session, self.laid)

    def stands(self, job: Job) -> bool:
        return job.process == "infusion"

    def fill(self) -> None:
        if not self.stands(self.session.job):
            return
        self.laid.want()
        self.page.show_bag()
        self.fill_page()

    def row(self, job: Job, outlook: Outlook | None) -> RailRow:
        if job.process != "infusion":
            return RailRow("closed mould", "open")
        bag = outlook.evidence.bag if outlook and outlook.evidence else None
        if bag is None:
            return RailRow("no bag yet", "open")
        count = len(bag.pleats)
        tape = show(bag.tape.total, "distance", self.session.system, 1)
        return RailRow(tr("{0} · {1} pleat{2}", tape, count, "s" * (count != 1)), "settled")
