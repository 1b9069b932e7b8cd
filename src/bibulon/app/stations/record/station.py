"""Record: the job card as it will print, with the journal and notes."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from msgspec.structs import replace
from PySide6.QtWidgets import (
    QComboBox,
    QHBoxLayout,
    QLineEdit,
    QPlainTextEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from bibulon.app.kit import files
from bibulon.app.kit.appearance import Bare, named
from bibulon.app.kit.fields import Form, UnitEdit, heading, note, offer, push, word_of
from bibulon.app.kit.page_view import PageView
from bibulon.app.kit.printing import preview
from bibulon.app.kit.table import Column, Table
from bibulon.app.kit.tabs import Tabs, paged, pages_of
from bibulon.app.stations.base import RailRow, Station, titled
from bibulon.app.work.ask import Ask
from bibulon.app.work.errands import not_written
from bibulon.core.drawing.kit.pages import PAGE, Page
from bibulon.core.drawing.sheets.card import card_pages, journal_rows
from bibulon.core.edit.edit import change
from bibulon.core.findings.base import Evidence
from bibulon.core.geometry.outline import OutlineError
from bibulon.core.model.job import Job
from bibulon.core.outlook.outlook import THROUGH, Outlook
from bibulon.core.run.journal import number, rows_of
from bibulon.core.series.record import outcome_of, weighed_entry
from bibulon.core.series.service import SERVICED, serviced_entry
from bibulon.core.units.units import show
from bibulon.core.units.words import tr
from bibulon.store.exports.bundle import write_bundle
from bibulon.store.exports.pdf import write_pages

if TYPE_CHECKING:
    from bibulon.app.stations.record.pins_page import PinsPage
    from bibulon.app.stations.record.thickness_page import ThicknessPage

__all__ = ["RecordStation"]


class RecordStation(Station):
    """What is kept of the job."""

    name = "Record"
    side_share = 7

    def build(self) -> None:
        session = self.session
        self.preview = PageView(tr("Job card preview"))
        self.laying = Ask(self.preview, lambda: session.number)
        self.laying.ready.connect(self.preview.set_pages)
        self.laying.failed.connect(
            lambda error: session.said.emit(tr("The card could not be laid: {}", error), True)
        )
        self.scroll = Bare()
        self.scroll.setWidget(self.preview)
        self.scroll.setWidgetResizable(False)
        self.scroll.setAccessibleName(tr("Job card"))
        self.bench = self.tabs = Tabs(
            "Record",
            [
                *pages_of(self),
                ("Card and weighing", titled("Job card, as it prints", None, self.scroll)),
            ],
        )
        self.tabs.shown.connect(lambda _: self._fill())
        self._lay_side()
        self._shown = False
        for signal in (session.job_changed, session.outlook_changed, session.system_changed):
            signal.connect(lambda _: self._fill())
        session.journal_changed.connect(self._fill)

    @paged("Plan and pins")
    def pins(self) -> PinsPage:
        from bibulon.app.stations.record.pins_page import PinsPage

        return PinsPage(self.session)

    @paged("Thickness")
    def thickness(self) -> ThicknessPage:
        from bibulon.app.stations.record.thickness_page import ThicknessPage

        return ThicknessPage(self.session)

    def _lay_side(self) -> None:
        self.side = QWidget()
        side = QVBoxLayout(self.side)
        side.setContentsMargins(16, 12, 16, 8)
        self._lay_outputs(side)
        side.addWidget(self._named())
        side.addWidget(heading("Weighed after demould"))
        side.addWidget(self._weighing())
        side.addLayout(self._servicing())
        self.came = note("")
        side.addWidget(self.came)
        side.addWidget(heading("What happened"))
        heads = (Column("time", 56), Column("what", 110), Column("where"))
        self.journal = Table(heads, "Journal of the run")
        self.listing = Ask(self.journal, lambda: self.session.number)
        self.listing.ready.connect(self.journal.show_rows)
        side.addWidget(self.journal, 2)
        side.addWidget(heading("Notes"))
        self.notes = QPlainTextEdit()
        self.notes.setAccessibleName(tr("Notes"))
        self.notes.setTabChangesFocus(True)
        self.notes.setMaximumHeight(110)
        self.notes.textChanged.connect(self._note)
        side.addWidget(self.notes)
        side.addWidget(note("Marks are stored as they are made and are never rewritten."))

    def _lay_outputs(self, side: QVBoxLayout) -> None:
        """Lay what writes the card: as PDF, on paper, or with all of it in a folder."""
        session = self.session
        self.save = named(QPushButton(tr("Save job card as PDF…")), "act")
        self.save.clicked.connect(self._save)
        self.printed = QPushButton(tr("Print the job card…"))
        self.printed.clicked.connect(
            lambda _=False: preview(self.bench, [p.items for p in self.pages()], PAGE, session.job.name)
        )
        self.bundle = push("Save all of it in a folder…", self._ask_bundle)
        for button in (self.save, self.printed, self.bundle):
            side.addWidget(button)

    def _named(self) -> Form:
        form = Form()
        self.fields: dict[str, QLineEdit] = {}
        for name, field in (("Job", "name"), ("Mould", "mould")):
            edit = QLineEdit()
            edit.editingFinished.connect(lambda f=field: self._rename(f))
            self.fields[field] = edit
            form.add(name, edit)
        return form

    def _servicing(self) -> QHBoxLayout:
        self.serviced = QComboBox()
        self.serviced.setAccessibleName(tr("What was serviced after this part"))
        offer(self.serviced, SERVICED)
        self.service = push("Serviced after it", self._service)
        row = QHBoxLayout()
        row.addWidget(self.serviced, 1)
        row.addWidget(self.service)
        return row

    def _weighing(self) -> Form:
        form = Form()
        self.masses: dict[str, UnitEdit] = {}
        for key, words in (
            ("part", "Part"),
            ("caught", tr("In the catch pot")),
            ("left", tr("Left beyond the heel")),
            ("mixed", "Mixed"),
        ):
            field = UnitEdit("mass", words, 0.0, 1e4)
            field.committed.connect(lambda value, k=key: self._weighed(k, value))
            field.refused.connect(lambda text: self.session.said.emit(text, True))
            if key == "left":
                field.setToolTip(
                    tr("What buckets and cups held at the end, less the heel that was planned to stay.")
                )
            self.masses[key] = field
            form.add(words, field)
        return form

    def _weighed(self, key: str, value: float) -> None:
        """Note one weighing as a row: what was noted before stays on record."""
        now = self.session.run_clock.wall()
        text = f"{self.masses[key].accessibleName().lower()} {show(value, 'mass', self.session.system)}"
        entry = weighed_entry(now, "", **{key: value})
        self.session.stamp(replace(entry, data={**entry.data, "text": text}))

    def _service(self) -> None:
        """Note that something was serviced before the next part."""
        what = word_of(self.serviced)
        if self.session.stamp(serviced_entry(what, "", self.session.run_clock.wall())):
            self.session.said.emit(tr("Noted: {} serviced after this part.", what), False)

    def _tell(self) -> None:
        """Say what the weighings come to."""
        s = self.session.system
        try:
            came = outcome_of(self.session.job, self.session.journal)
        except (ValueError, OutlineError) as error:
            self.came.setText(str(error))
            return
        words = [came.problem] if came.problem else []
        if came.share is not None:
            vf = came.share.vf
            plan = tr(", planned {:.1f} %", came.planned_vf * 100) if came.planned_vf else ""
            words.append(
                tr(
                    "Fibre by volume {0:.1f} % ({1:.1f} to {2:.1f}){3}.",
                    vf.middle * 100,
                    vf.low * 100,
                    vf.high * 100,
                    plan,
                )
            )
        if came.balance is not None:
            b = came.balance
            words.append(
                tr("The resin's balance closes.")
                if b.closes
                else tr(
                    "Of {0} mixed {1} are not accounted for.",
                    show(b.mixed, "mass", s),
                    show(b.gap, "mass", s),
                )
            )
        self.came.setText(" ".join(words))

    def entered(self) -> None:
        self._shown = True
        self._fill()

    def row(self, job: Job, outlook: Outlook | None) -> RailRow:
        state = self.session.run_state()
        if not state.run:
            return RailRow("nothing to keep yet", "open")
        return RailRow(
            tr("{} rows", len(self.session.journal)), "settled" if state.stopped_at is not None else "open"
        )

    def _fill(self) -> None:
        if not self.bench.isVisible():
            return  # filled when it is entered: a stamp must not wait for a page that nobody sees
        if self.tabs.name != "Card and weighing":
            self.fill_page()
            return
        job = self.session.job
        for key, edit_mass in self.masses.items():
            found = [
                v for e in rows_of(self.session.journal, "weighed") if (v := number(e.data, key)) is not None
            ]
            if not edit_mass.hasFocus():
                edit_mass.set_value(found[-1] if found else 0.0, self.session.system)
        self._tell()
        for field, edit in self.fields.items():
            if not edit.hasFocus():
                edit.setText(getattr(job, field))
        if not self.notes.hasFocus() and self.notes.toPlainText() != job.notes:
            self.notes.blockSignals(True)
            self.notes.setPlainText(job.notes)
            self.notes.blockSignals(False)
        rows, system = self.session.journal, self.session.system
        self.listing.want(lambda: journal_rows(rows, job, system))  # ten thousand rows take a while to word
        if self._shown and self.bench.isVisible():
            self.laying.want(self._card())

    def pages(self) -> list[Page]:
        """Return the pages of the card as things stand."""
        return self._card()()

    def _card(self) -> Callable[[], list[Page]]:
        """Return what lays the card as things stand: a page for every sixty rows, which a worker may as well lay."""
        session, outlook = self.session, self.session.outlook
        if outlook is None or outlook.evidence is None:
            bare = Evidence(session.job)
            return partial(card_pages, session.job, bare, (), session.journal, session.system)
        return partial(
            card_pages, outlook.job, outlook.evidence, outlook.findings, session.journal, session.system, outlook.contours.get(THROUGH),
        )  # fmt: skip

    def _rename(self, field: str) -> None:
        text = self.fields[field].text().strip()
        if text != getattr(self.session.job, field) and (text or field != "name"):
            self.session.edit(tr("Change {}", field), lambda j: change(j, **{field: text}))

    def _note(self) -> None:
        text = self.notes.toPlainText()
        self.session.edit("Write notes", lambda j: change(j, notes=text), key="notes")

    def _save(self) -> None:
        path = files.to_write(self.bench, tr("Save job card"), self.session.job.name, "PDF (*.pdf)")
        if path is not None:
            self.write(path)

    def _ask_bundle(self) -> None:
        folder = files.folder(self.bench, tr("Folder for the record"))
        if folder is not None:
            self.write_bundle(folder / files.name_of(tr("{} record", self.session.job.name)))

    def write_bundle(self, folder: Path) -> None:
        """Write card, journal, record, job and photos into a folder, off the interface thread."""
        job, rows, system = self.session.job, self.session.journal, self.session.system
        self.session.errands.begin(
            partial(write_bundle, job, rows, folder, system),
            lambda names: tr("{0} written to {1}.", ", ".join(names), folder.name),
            lambda error: tr("It could not be written: {}", error),
        )

    def write(self, path: Path) -> None:
        """Write the card."""
        card, name = self._card(), self.session.job.name
        self.session.errands.begin(
            lambda: write_pages([p.items for p in card()], PAGE, path, name),
            tr("Job card saved as {}.", path.name),
            not_written(path),
        )
