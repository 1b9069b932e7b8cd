"""The sets of rules that this shop keeps, and the one that new jobs begin with."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path

from PySide6.QtCore import QSettings

from bibulon.core.edit.edit import change
from bibulon.core.model.job import Job
from bibulon.core.model.rules import RuleSet
from bibulon.core.units.words import tr
from bibulon.store.durable import named
from bibulon.store.library import LibraryError
from bibulon.store.rulesets import drop_set, keep_set, read_sets, take_sets

__all__ = ["FIRST", "RuleSets"]

FIRST = "rules/first"


class RuleSets:
    """The file beside the shop's library; ``problem`` says what is wrong with it, if anything."""

    def __init__(self, settings: QSettings) -> None:
        self._settings = settings
        self.path = Path(settings.fileName()).parent / "rules.json"
        self.problem = ""

    def all(self) -> dict[str, RuleSet]:
        """Return the sets as they are on disk now."""
        self.problem = ""
        try:
            return read_sets(self.path)
        except LibraryError as error:
            self.problem = tr(
                "The shop's sets of rules cannot be read: {} The file is untouched; the next set that is kept puts it aside.",
                error,
            )
            return {}

    def keep(self, rules: RuleSet) -> str:
        """Keep a set under its name; return what to tell beside.

        Raises
        ------
        LibraryError, OSError : when it could not be stored; what was there is as it was.
        """
        _, aside = keep_set(self.path, rules)
        return tr("The damaged file is kept as {}.", named(aside)) if aside else ""

    def take(self, sets: Mapping[str, RuleSet]) -> dict[str, str]:
        """Keep sets from elsewhere; return the name that each has here: its own, unless another set has it.

        ``problem`` tells of a damaged file that was put aside for them.

        Raises
        ------
        LibraryError, OSError : when they could not be stored; what was there is as it was.
        """
        self.problem = ""
        if not sets:
            return {}
        names, aside = take_sets(self.path, sets)
        if aside is not None:
            self.problem = tr("The damaged file is kept as {}.", named(aside))
        return names

    def drop(self, name: str) -> None:
        """Take a set out.

        Raises
        ------
        LibraryError, OSError : when that could not be stored.
        """
        drop_set(self.path, name)
        if self.first == name:
            self.first = ""

    @property
    def first(self) -> str:
        """Return the name of the set that new jobs begin with; empty for the usual one."""
        return str(self._settings.value(FIRST, ""))

    @first.setter
    def first(self, name: str) -> None:
        self._settings.setValue(FIRST, name)

    def begun(self, job: Job) -> Job:
        """Return a new job under the rules that this shop begins with; as it is, with a ``problem``, where they are not to be had."""
        self.problem = ""
        if not self.first:
            return job
        rules = self.all().get(self.first)
        if rules is None:
            gone = tr(
                "“{}”, which new jobs begin with, is kept no more: this one begins with the rules as shipped.",
                self.first,
            )
            self.problem = self.problem or gone
            return job
        return change(job, rules=rules)
