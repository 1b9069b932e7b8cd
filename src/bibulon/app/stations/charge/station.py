"""Charge: how much resin, where it goes, how it is mixed."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtWidgets import QComboBox, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from bibulon.app.kit.acts import Act
from bibulon.app.kit.appearance import named
from bibulon.app.kit.fields import AirEdit, FigureGrid, Form, UnitEdit, VacuumEdit, heading, note
from bibulon.app.kit.tabs import Tabs, paged, pages_of
from bibulon.app.stations.base import RailRow, Station
from bibulon.app.work.ask import Ask
from bibulon.core.edit.edit import change
from bibulon.core.edit.plumb import begin_batch, change_bucket, fill_bucket
from bibulon.core.geometry.outline import OutlineError
from bibulon.core.library.catalogue import resins
from bibulon.core.model.job import Job
from bibulon.core.outlook.outlook import Outlook
from bibulon.core.plans.reckon.quick import SLOW, quick, understood
from bibulon.core.plans.reckon.row import ReckonError
from bibulon.core.plans.reckon.rows import ROWS
from bibulon.core.resin.charge import Charge, ChargeError, charge
from bibulon.core.resin.clock import viscosity_at
from bibulon.core.resin.need import need_of
from bibulon.core.run.aging import safe_schedule
from bibulon.core.run.schedule import Schedule, draw_of
from bibulon.core.units.units import clock, show
from bibulon.core.units.words import tr

if TYPE_CHECKING:
    from bibulon.app.stations.charge.draw_page import ChargePage
    from bibulon.app.stations.charge.heat_page import HeatPage
    from bibulon.app.stations.charge.mix_page import MixPage
    from bibulon.app.stations.charge.reckon_page import ReckonPage
    from bibulon.app.stations.charge.store_page import StorePage
    from bibulon.app.stations.charge.warm_page import WarmPage

__all__ = ["ChargeStation"]


class ChargeStation(Station):
    """The curve that the part draws and the batches against it; resin, allowances, vessel and people at the side."""

    name = "Charge"

    def build(self) -> None:
        session = self.session
        self.plan: Charge | None = None
        self.bench = self.tabs = Tabs("Charge", pages_of(self))
        self.tabs.shown.connect(lambda _: self._fill_open())
        self._lay_side()
        self.scheduling = Ask(self.bench, lambda: session.job)
        self.scheduling.ready.connect(self._scheduled)
        self.scheduling.failed.connect(lambda error: session.said.emit(str(error), True))
        session.outlook_changed.connect(lambda _: self._look())
        self.follow()

    @paged("Draw and bucket")
    def page(self) -> ChargePage:
        from bibulon.app.stations.charge.draw_page import ChargePage

        page = ChargePage(self.session)
        page.view.moved.connect(self._begin_at)
        page.view.chose.connect(self._turn_to_chosen)
        return page

    @paged("Mix")
    def mix(self) -> MixPage:
        from bibulon.app.stations.charge.mix_page import MixPage

        mix = MixPage(self.session)
        mix.show_charge(self.plan, self.page.view.schedule if self.plan else None)
        mix.turn_to(self.page.view.chosen or 0)
        return mix

    @paged("Bucket heat")
    def heat(self) -> HeatPage:
        from bibulon.app.stations.charge.heat_page import HeatPage

        return HeatPage(self.session)

    @paged("Warm side")
    def warm(self) -> WarmPage:
        from bibulon.app.stations.charge.warm_page import WarmPage

        return WarmPage(self.session)

    @paged("Store")
    def store(self) -> StorePage:
        from bibulon.app.stations.charge.store_page import StorePage

        store = StorePage(self.session)
        store.show_charge(self.plan)
        return store

    @paged("Reckoner")
    def reckon(self) -> ReckonPage:
        from bibulon.app.stations.charge.reckon_page import ReckonPage

        return ReckonPage(self.session)

    def _turn_to_chosen(self) -> None:
        if self.tabs.has("Mix"):
            self.mix.turn_to(self.page.view.chosen or 0)

    def _lay_side(self) -> None:
        self.side = QWidget()
        side = QVBoxLayout(self.side)
        side.setContentsMargins(16, 12, 16, 8)
        self.figures = FigureGrid(("to mix", "batches", "short", "first mix", "part A", "part B"), 3)
        side.addWidget(self.figures)
        side.addWidget(heading("Resin"))
        form = Form()
        self.resin = QComboBox()
        self.resin.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.resin.setMinimumContentsLength(12)  # long names must not widen the panel
        self.resin.addItem(tr("choose a resin"), None)
        for key, resin in resins().items():
            self.resin.addItem(resin.name, key)
        self.resin.activated.connect(self._choose)
        form.add("Resin", self.resin)
        self._amounts(form)
        side.addWidget(form)
        row = QHBoxLayout()
        self.schedule_button = QPushButton(tr("Schedule the batches"))
        named(self.schedule_button, "act")
        self.schedule_button.clicked.connect(lambda _=False: self.schedule())
        row.addWidget(self.schedule_button)
        side.addLayout(row)
        side.addWidget(heading("Vessel and people"))
        side.addWidget(self._people())
        self.words = note()
        side.addWidget(self.words)
        side.addStretch()

    def _amounts(self, form: Form) -> None:
        session = self.session
        self.fields: dict[str, UnitEdit] = {}
        for name, quantity, low, high in (
            ("Temperature", "temperature", 253.0, 423.0), ("Mould", "temperature", 253.0, 473.0), ("Heel", "mass", 0.0, 1e4),
            ("Catch pot", "mass", 0.0, 1e4), ("Margin", "share", 0.0, 1.0), ("Vacuum", "pressure", 0.0, 1.1e5),
            ("Air today", "air", 0.0, 0.0), ("Bucket below", "distance", -5.0, 5.0), ("Mixed before opening", "time", 0.0, 86_400.0),
        ):  # fmt: skip
            field = (
                AirEdit(name)
                if quantity == "air"
                else VacuumEdit(name, self._air, high)
                if quantity == "pressure"
                else UnitEdit(quantity, name, low, high)
            )
            if name == "Mould":
                field.may_be_empty(tr("as the resin"))
                field.cleared.connect(lambda: self._set("Mould", None))
            if isinstance(field, VacuumEdit | AirEdit):
                field.understood.connect(lambda text: session.said.emit(text, False))
            if isinstance(field, AirEdit):
                field.committed.connect(self._set_air)
            else:
                field.committed.connect(lambda value, n=name: self._set(n, value))
            field.refused.connect(lambda text: session.said.emit(text, True))
            self.fields[name] = field
            form.add(name, field)

    def _people(self) -> Form:
        form = Form()
        self.own: dict[str, UnitEdit] = {}
        for key, name, quantity, low, high in (
            ("rest", tr("Rest or degas"), "time", 0.0, 36000.0), ("reserve", tr("Pour at"), "mass", 0.0, 100.0),
            ("scale_step", tr("Scale step"), "weighed", 1e-5, 1.0), ("width", "Vessel", "length", 0.05, 2.0),
        ):  # fmt: skip
            field = UnitEdit(quantity, name, low, high)
            field.committed.connect(
                lambda value, k=key, n=name: self._plan(tr("Change {}", n.lower()), **{k: value})
            )
            field.refused.connect(lambda text: self.session.said.emit(text, True))
            self.own[key] = field
            form.add(name, field)
        self.people = QComboBox()
        self.people.addItems([str(k) for k in range(1, 7)])
        self.people.setAccessibleName(tr("People who mix at one time"))
        self.people.activated.connect(lambda k: self._plan("Change hands", people=k + 1))
        form.add("People mixing", self.people)
        return form

    def _plan(self, name: str, **fields: object) -> None:
        if not self.session.edit(name, lambda j: change(j, charge=j.charge.replaced(**fields))):
            self.fill()

    def schedule(self) -> None:
        """Cut the charge into the fewest batches that nothing stands in the way of, each begun as late as may be.

        Heat counts: it is worked out off the interface thread.
        """
        job, outlook = self.session.job, self.session.outlook
        plan, forecast = self.page.plan, outlook.forecast if outlook else None
        if plan is None or forecast is None or job.resin is None:
            self.session.said.emit(
                tr("There is no forecast yet: the part's draw says when batches are needed."), True
            )
            return
        wanted = charge(job.replaced(buckets=())).total  # whatever its own buckets hold now
        self.scheduling.want(lambda: safe_schedule(job, draw_of(forecast), wanted))

    def _scheduled(self, answer: tuple[Schedule, bool]) -> None:
        made, sound = answer
        if self.session.job.buckets:
            cut = [(b.mass, b.start, b.pour) for b in made.batches]
            if not self.session.edit("Schedule batches", lambda job: fill_bucket(job, cut)):
                return
        else:
            self._plan("Schedule batches", count=len(made.batches), starts=None)
        if not sound:
            why = (
                made.troubles[0]
                if made.troubles
                else tr("a batch becomes too hot in this vessel before it is gone")
            )
            self.session.said.emit(tr("No plan keeps all terms: {}.", why), True)

    def _begin_at(self, batch: int, start: float) -> None:
        """Begin a batch at another moment; the others stay where they are."""
        made = self.page.view.schedule
        if made is not None and self.session.job.buckets:
            ready = start + made.terms.making
            if not self.session.edit("Move batch", lambda job: begin_batch(job, batch, start, ready)):
                self.page.show_charge()
        elif made is not None and self.page.slower == 1.0:
            starts = tuple(start if k == batch else b.start for k, b in enumerate(made.batches))
            self._plan("Move batch", starts=starts)
        else:
            self.page.show_charge()  # a slower front is looked at, not planned with

    def _set_air(self, air: float) -> None:
        if not self.session.set_air(air):
            self.fill()

    def _air(self) -> float:
        return self.session.job.conditions.atmosphere

    def row(self, job: Job, outlook: Outlook | None) -> RailRow:
        plan = outlook.evidence.charge if outlook and outlook.evidence else None
        if plan is None:
            return RailRow("no resin", "open")
        return RailRow(
            f"{show(plan.total, 'mass', self.session.system)} · {len(plan.batches)}",
            "settled",
        )

    def fill(self) -> None:
        job, s = self.session.job, self.session.system
        c = job.conditions
        for name, value in (
            ("Temperature", c.resin_temperature), ("Heel", job.heel), ("Catch pot", job.charge.catch_pot),
            ("Margin", job.charge.margin), ("Vacuum", c.vacuum), ("Air today", c.atmosphere), ("Bucket below", c.bucket_below),
            ("Mixed before opening", c.mixed_before_start),
        ):  # fmt: skip
            self.fields[name].set_value(value, s)
        if c.mould_temperature is None:
            self.fields["Mould"].show_empty()
        else:
            self.fields["Mould"].set_value(c.mould_temperature, s)
        names = [self.resin.itemText(i) for i in range(self.resin.count())]
        self.resin.setCurrentIndex(
            names.index(job.resin.name) if job.resin and job.resin.name in names else 0
        )
        for key, field in self.own.items():
            field.set_value(getattr(job.charge, key), s)
        self.people.setCurrentIndex(min(job.charge.people, 6) - 1)
        try:
            self._show(charge(job))
        except (ChargeError, OutlineError) as error:
            self.plan = None
            self.page.show_charge(str(error))
            self._show_made()
            self.words.setText(str(error))
        self._fill_open()
        self._say()

    def _show(self, plan: Charge) -> None:
        s = self.session.system
        self.plan = plan
        self.page.show_charge(plan)
        self._show_made()
        made = self.page.view.schedule
        self.figures.set("to mix", show(plan.total, "mass", s))
        self.figures.set("batches", str(len(plan.batches)))
        short = need_of(plan, self.session.job.charge.leftovers).short
        self.figures.set("short", f"{short * 100:.0f} in 100" if short >= 0.01 else tr("under 1 in 100"))
        first = made.batches[0].start if made else 0.0
        self.figures.set("first mix", f"−{clock(-first)}" if first < 0 else "—")
        self.figures.set("part A", show(plan.part_a, "mass", s))
        self.figures.set("part B", show(plan.part_b, "mass", s))

    def _show_made(self) -> None:
        """Show the charge, or that there is none, on the pages that somebody has opened."""
        if self.tabs.has("Mix"):
            self.mix.show_charge(self.plan, self.page.view.schedule if self.plan else None)
        if self.tabs.has("Store"):
            self.store.show_charge(self.plan)

    def asked(self, text: str) -> list[Act]:
        found = understood(text)
        if found is None:
            return []
        name, typed = found
        try:
            words = f"{name}: {ROWS[name].words}" if name in SLOW else quick(text).words  # type: ignore[union-attr]
        except ReckonError as error:
            words = str(error)
        return [Act("Reckoner", words, lambda: self.open_reckoner(name, typed))]

    def open_reckoner(self, row: str, typed: dict[str, str]) -> None:
        """Show a row of the reckoner with what was typed elsewhere."""
        self.tabs.go("Reckoner")
        self.reckon.open(row, typed)

    def _look(self) -> None:
        """Another forecast is there: the draw is another one."""
        if self.bench.isVisible():
            self.fill()
        else:
            self._stale = True

    def _fill_open(self) -> None:
        """Work out what takes a while for the page that is open: how the first batch heats itself, the warm side."""
        if self.page.plan is None:
            return
        if self.tabs.name in ("Bucket heat", "Warm side"):
            page = self.heat if self.tabs.name == "Bucket heat" else self.warm
            page.fill(self.page.plan.batches[0].mass)

    def _say(self) -> None:
        job, outlook = self.session.job, self.session.outlook
        if job.resin is None:
            return
        words = [tr("The batches are those of the diagram's buckets.")] if job.buckets else []
        words += [
            tr(
                "{} when just mixed.",
                show(
                    viscosity_at(job.resin, job.conditions.resin_temperature),
                    "viscosity",
                    self.session.system,
                ),
            )
        ]
        if outlook and outlook.forecast and outlook.forecast.clock.gel < 1e8:
            words.append(tr("Flow stops {} after the first feed opens.", clock(outlook.forecast.clock.gel)))
        words.append(
            tr(
                "No batch over {}: a bucket heats itself.",
                show(job.resin.largest_batch, "mass", self.session.system),
            )
        )
        self.words.setText(" ".join(words))

    def _choose(self) -> None:
        key = self.resin.currentData()
        if key:
            self.session.edit("Choose resin", lambda j: change(j, resin=resins()[key]))

    def _set(self, name: str, value: float | None) -> None:
        where = {
            "Temperature": ("conditions", "resin_temperature"), "Mould": ("conditions", "mould_temperature"),
            "Heel": ("charge", "heel"), "Catch pot": ("charge", "catch_pot"),
            "Margin": ("charge", "margin"), "Vacuum": ("conditions", "vacuum"),
            "Bucket below": ("conditions", "bucket_below"), "Mixed before opening": ("conditions", "mixed_before_start"),
        }[name]  # fmt: skip
        part, field = where

        def edit(job: Job) -> Job:
            if name == "Heel" and value is not None and len(job.buckets) == 1:
                return change_bucket(job, job.buckets[0].id, heel=value)
            old = getattr(job, part)
            return change(job, **{part: old.replaced(**{field: value})})

        if not self.session.edit(tr("Change {}", name.lower()), edit):
            self.fill()
