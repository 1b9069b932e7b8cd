"""Bag: film, pleats, tape, what is cut and laid out, and how it is drawn down."""

from __future__ import annotations

from bibulon.app.kit.tabs import Tabs
from bibulon.app.stations.base import RailRow, Station
from bibulon.core.model.job import Job
from bibulon.core.outlook.outlook import Outlook
from bibulon.core.units.units import show
from bibulon.core.units.words import tr

__all__ = ["BagStation"]


class BagStation(Station):
    """Four pages of one bag."""

    name = "Bag"
    side_share = 6

    def build(self) -> None:
        from bibulon.app.stations.bag.bag_page import BagPage
        from bibulon.app.stations.bag.cut_page import CutPage
        from bibulon.app.stations.bag.draw_page import DrawPage
        from bibulon.app.stations.bag.kit_page import KitPage
        from bibulon.app.stations.bag.laid import LaidBag

        session = self.session
        self.laid = LaidBag(session, session)  # with the session, so that it ends and is dropped with it
        self.page = BagPage(session, self.laid)
        self.cut, self.kit = CutPage(session, self.laid), KitPage(session, self.laid)
        self.draw = DrawPage(session, self.laid)
        self.side = self.page.side
        self.bench = self.tabs = Tabs(
            "Bag",
            [("Bag plan", self.page), ("Cut plan", self.cut), ("Kit", self.kit), ("Draw down", self.draw)],
        )
        self.tabs.shown.connect(lambda _: self._fill_page())
        self.follow()

    def stands(self, job: Job) -> bool:
        return job.process == "infusion"

    def fill(self) -> None:
        if not self.stands(self.session.job):
            return
        self.laid.want()
        self.page.show_bag()
        self._fill_page()

    def _fill_page(self) -> None:
        """Fill the page that is open; the others when they are."""
        page = self.tabs.current
        if page in (self.cut, self.kit, self.draw):
            page.fill()

    def row(self, job: Job, outlook: Outlook | None) -> RailRow:
        if job.process != "infusion":
            return RailRow("closed mould", "open")
        bag = outlook.evidence.bag if outlook and outlook.evidence else None
        if bag is None:
            return RailRow("no bag yet", "open")
        count = len(bag.pleats)
        tape = show(bag.tape.total, "distance", self.session.system, 1)
        return RailRow(tr("{0} · {1} pleat{2}", tape, count, "s" * (count != 1)), "settled")
