"""Which instrument is read: a simulated one, or a real one at a port or an address with the file that says how it reads."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtWidgets import QComboBox, QLineEdit

from bibulon.app.kit import files
from bibulon.app.kit.fields import Form, narrow
from bibulon.app.session.instruments import SIMULATED
from bibulon.core.units.words import tr
from bibulon.devices.kinds import INSTRUMENTS

__all__ = ["InstrumentPick"]


class InstrumentPick:
    """Two rows of a form.

    connect : told kind, where and file of what was chosen, returns why it cannot be read, or nothing;
    refused : told what is to be said then; the simulated one is read on.
    without : what the first choice is called, where it is no simulated instrument.
    """

    def __init__(
        self, form: Form, name: str, connect: Callable[[str, str, Path | None], str], refused: Callable[[str], object],
        *, without: str = "simulated",
    ) -> None:  # fmt: skip
        self._connect, self._refused, self._form = connect, refused, form
        self.source = narrow(QComboBox())
        self.source.setAccessibleName(tr(name))
        self.source.addItem(tr(without), SIMULATED)
        for key, kind in INSTRUMENTS.items():
            self.source.addItem(tr(kind.name), key)
        self.source.activated.connect(lambda _: self._chosen())
        form.add(name, self.source)
        self.where = QLineEdit()
        self.where.setAccessibleName(tr("Port or address of the {}", name.lower()))
        self.where.setPlaceholderText(tr("/dev/ttyUSB0:9600, or host:502"))
        form.add("At", self.where)
        form.show_row(self.where, False)

    def _chosen(self) -> None:
        kind = str(self.source.currentData())
        self._form.show_row(self.where, kind != SIMULATED)
        if kind == SIMULATED:
            self._connect(kind, "", None)
            return
        if not self.where.text().strip():
            self._refused(tr("Type where the instrument is, then choose it again."))
            self.where.setFocus()
            self.source.setCurrentIndex(0)
            return
        told = files.to_read(self._form, tr("How this instrument reads"), "Instrument files (*.json)")
        self.connect_to(kind, told)

    def connect_to(self, kind: str, file: Path | None) -> None:
        """Read a real instrument from now on; where that fails the simulated one stays."""
        problem = self._connect(kind, self.where.text().strip(), file)
        if problem:
            self._refused(problem)
            self.source.setCurrentIndex(0)
