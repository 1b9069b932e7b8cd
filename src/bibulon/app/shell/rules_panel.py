"""The shop's rules: every limit as a card with what it keeps from going wrong, to be set here; sets of them kept for other jobs."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QCheckBox, QComboBox, QHBoxLayout, QLabel, QLineEdit, QVBoxLayout, QWidget

from bibulon.app.kit.appearance import Bare, named
from bibulon.app.kit.button_row import ButtonRow
from bibulon.app.kit.fields import UnitEdit, heading, note, offer, offer_named, pick, push, word_of
from bibulon.app.kit.mishap_picture import MishapPicture
from bibulon.app.kit.over import Over
from bibulon.app.session.session import Session
from bibulon.core.drawing.kit.tokens import Theme
from bibulon.core.edit.edit import change
from bibulon.core.edit.limits import (
    LIMITS,
    Limit,
    LimitError,
    changed_in,
    limits_of,
    named_as,
    with_limit,
)
from bibulon.core.model.job import Job
from bibulon.core.model.rules import RuleSet
from bibulon.core.units.units import show
from bibulon.core.units.words import tr
from bibulon.store.library import LibraryError

__all__ = ["RulesPanel"]

CHANGED = "not as shipped"
MOST = 14  # cards that are shown at once
SMALL = 0.62  # of a drawing's size


class _Card(QWidget):
    """One limit: drawing, words, and the field it is set in."""

    def __init__(self, limit: Limit, session: Session, theme: Callable[[], Theme]) -> None:
        super().__init__()
        self.limit, self.session = limit, session
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 2, 0, 2)
        row.setSpacing(16)
        row.addWidget(MishapPicture(limit.drawing, theme, SMALL))
        words = QVBoxLayout()
        words.setSpacing(2)
        title = named(QLabel(limit.title), "strong")
        title.setWordWrap(True)
        words.addWidget(title)
        words.addWidget(note(limit.why))
        words.addStretch()
        row.addLayout(words, 1)
        side = QVBoxLayout()
        side.setSpacing(4)
        self.field = UnitEdit(limit.quantity, limit.title)
        self.field.setFixedWidth(128)
        self.field.committed.connect(self._set)
        self.field.refused.connect(lambda text: session.said.emit(text, True))
        side.addWidget(self.field, 0, Qt.AlignmentFlag.AlignRight)
        self.shipped = named(QLabel(""), "soft")
        side.addWidget(self.shipped, 0, Qt.AlignmentFlag.AlignRight)
        self.back = push("As shipped", self._put_back, name=tr("As shipped: {}", limit.title))
        side.addWidget(self.back, 0, Qt.AlignmentFlag.AlignRight)
        side.addStretch()
        row.addLayout(side)
        self.show_limit()

    def show_limit(self) -> None:
        """Show the limit as the job has it."""
        value, plain = (getattr(r, self.limit.field) for r in (self.session.job.rules, RuleSet()))
        system = self.session.system
        self.field.set_value(value, system)
        self.back.setVisible(value != plain)
        self.shipped.setVisible(value != plain)
        self.shipped.setText(tr("shipped as {}", show(plain, self.limit.quantity, system)))

    def _set(self, value: float) -> None:
        limit, session = self.limit, self.session
        session.edit(
            tr("Rule: {}", limit.title), lambda job: with_limit(job, limit.field, value, session.system)
        )
        self.show_limit()  # as the job has it: what was refused goes

    def _put_back(self) -> None:
        self._set(getattr(RuleSet(), self.limit.field))


class RulesPanel(Over):
    """The limits of one station, or those that words name; and the shop's own sets."""

    def __init__(
        self, parent: QWidget, session: Session, place: Callable[[], str], theme: Callable[[], Theme]
    ) -> None:
        super().__init__(parent, 860)
        self.session, self._place_of, self._theme_of = session, place, theme
        self._asked: tuple[Limit, ...] = ()  # those of one finding
        self.cards: list[_Card] = []
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 16, 12, 12)
        layout.addLayout(self._head())
        self.area = Bare()
        self.area.setWidgetResizable(True)
        self.area.setAccessibleName(tr("Shop rules"))
        layout.addWidget(self.area, 1)
        layout.addLayout(self._sets())
        layout.addWidget(
            note("A limit is this shop's habit. The data sheet, local rules and a practised hand come first.")
        )
        session.job_changed.connect(lambda _: self._follow())
        session.system_changed.connect(lambda _: self._follow())

    def _head(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.addWidget(heading("Shop rules"))
        self.station = QComboBox()
        self.station.setAccessibleName(tr("Station of the rules"))
        offer(self.station, [*dict.fromkeys(x.station for x in LIMITS.values()), CHANGED])
        self.station.currentTextChanged.connect(lambda _: self._choose_station())
        row.addWidget(self.station)
        self.search = QLineEdit()
        self.search.setPlaceholderText(tr("Search in all"))
        self.search.setAccessibleName(tr("Search the rules"))
        self.search.textChanged.connect(lambda _: self.fill())
        row.addWidget(self.search, 1)
        return row

    def _sets(self) -> QVBoxLayout:
        down = QVBoxLayout()
        row = QHBoxLayout()
        row.addWidget(QLabel(tr("These are called")))
        self.name = QLineEdit()
        self.name.setAccessibleName(tr("Name of this set of rules"))
        self.name.editingFinished.connect(self._rename)
        row.addWidget(self.name, 1)
        row.addWidget(
            push(
                "Keep for other jobs",
                self._keep,
                tip="Puts this set beside the shop's library, under its name",
            )
        )
        down.addLayout(row)
        row = QHBoxLayout()
        self.sets = QComboBox()
        self.sets.setAccessibleName(tr("Sets of this shop"))
        self.sets.activated.connect(lambda _: self._show_first())
        row.addWidget(self.sets, 1)
        self.first = QCheckBox(tr("new jobs begin with it"))
        self.first.clicked.connect(self._begin_with)
        row.addWidget(self.first)
        self.drop = push("Forget it", self._drop)
        row.addWidget(
            ButtonRow(
                push("Take it for this job", self._take), self.drop
            )
        )  # fmt: skip
        down.addLayout(row)
        return down

    def tall(self) -> int:
        return 660

    def open(self) -> None:
        self.open_for("")

    def open_for(self, rule: str) -> None:
        """Open at the limits that a rule of the findings asks, or at those of the station that is open."""
        self._asked = limits_of(rule) if rule else ()
        blocked = self.search.blockSignals(True)
        self.search.clear()
        self.search.blockSignals(blocked)
        blocked = self.station.blockSignals(True)
        pick(self.station, self._asked[0].station if self._asked else self._place_of())
        self.station.blockSignals(blocked)
        self.fill()
        self._show_sets()
        super().open()
        (self.cards[0].field if self._asked and self.cards else self.search).setFocus()

    def shown(self) -> list[Limit]:
        """Return the limits that station and words leave."""
        words = self.search.text().lower().split()
        if words:
            told = {x.field: f"{x.title} {x.why} {tr(x.station)}".lower() for x in LIMITS.values()}
            return [x for x in LIMITS.values() if all(w in told[x.field] for w in words)]
        if self._asked:
            return list(self._asked)
        if word_of(self.station) == CHANGED:
            return list(changed_in(self.session.job.rules))
        return [x for x in LIMITS.values() if x.station == word_of(self.station)]

    def fill(self) -> None:
        """Show the cards."""
        body = QWidget()
        column = QVBoxLayout(body)
        column.setContentsMargins(0, 4, 8, 4)
        column.setSpacing(6)
        limits = self.shown()
        self.cards = [_Card(limit, self.session, self._theme_of) for limit in limits[:MOST]]
        for card in self.cards:
            column.addWidget(card)
        if len(limits) > MOST:
            column.addWidget(note(tr("{} more: type a word of theirs.", len(limits) - MOST)))
        if not limits:
            everything = word_of(self.station) == CHANGED and not self.search.text().strip()
            column.addWidget(
                note(
                    "All rules are as they are shipped."
                    if everything
                    else "Nothing holds all of these words."
                )
            )
        column.addStretch()
        self.area.setWidget(body)

    def _choose_station(self) -> None:
        self._asked = ()
        self.fill()

    def _follow(self) -> None:
        """Show an edit that came from here or from elsewhere."""
        if not self.isVisible():
            return
        for card in self.cards:
            card.show_limit()
        if not self.name.hasFocus():
            self.name.setText(self.session.job.rules.name)

    # -- sets

    def _show_sets(self) -> None:
        self.name.setText(self.session.job.rules.name)
        kept = self.session.rule_sets.all()
        if self.session.rule_sets.problem:
            self.session.said.emit(self.session.rule_sets.problem, True)
        offer_named(self.sets, {"": tr("the rules as shipped"), **{name: name for name in sorted(kept)}})
        self._show_first()

    def _chosen(self) -> str:
        return str(self.sets.currentData() or "")

    def _show_first(self) -> None:
        self.first.setChecked(self._chosen() == self.session.rule_sets.first)
        self.drop.setEnabled(bool(self._chosen()))

    def _rename(self) -> None:
        if not self.name.isModified():
            return
        self.name.setModified(False)
        text = self.name.text()

        def renamed(job: Job) -> Job:
            return change(job, rules=named_as(job.rules, text))

        self.session.edit(tr("Name the rules"), renamed)
        self.name.setText(self.session.job.rules.name)

    def _keep(self) -> None:
        rules = self.session.job.rules
        try:
            rules = named_as(rules, rules.name)
            beside = self.session.rule_sets.keep(rules)
        except (LibraryError, LimitError, OSError) as error:
            self.session.said.emit(tr("The rules could not be kept: {}", error), True)
            return
        self._show_sets()
        self.sets.setCurrentIndex(max(self.sets.findData(rules.name), 0))
        self._show_first()
        self.session.said.emit(
            " ".join(x for x in (tr("Kept as “{}”.", rules.name), beside) if x), bool(beside)
        )

    def _take(self) -> None:
        name = self._chosen()
        rules = self.session.rule_sets.all().get(name) if name else RuleSet()
        if rules is None:
            self.session.said.emit(tr("“{}” is kept no more.", name), True)
            self._show_sets()
            return
        self.session.edit(tr("Take rules: {}", rules.name), lambda job: change(job, rules=rules))
        self.fill()
        self._follow()

    def _drop(self) -> None:
        name = self._chosen()
        try:
            self.session.rule_sets.drop(name)
        except (LibraryError, OSError) as error:
            self.session.said.emit(tr("The rules could not be forgotten: {}", error), True)
            return
        self._show_sets()
        self.session.said.emit(tr("“{}” is forgotten here; jobs that have it keep it.", name), False)

    def _begin_with(self, on: bool) -> None:
        self.session.rule_sets.first = self._chosen() if on else ""
        self._show_first()
