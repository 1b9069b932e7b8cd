"""Entry fields that take any unit, and small building blocks of panels."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping

from PySide6.QtCore import QSettings, QSize, Qt, Signal
from PySide6.QtGui import QFocusEvent
from PySide6.QtWidgets import (
    QAbstractItemDelegate,
    QAbstractItemView,
    QComboBox,
    QFormLayout,
    QGridLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QSizePolicy,
    QSplitter,
    QVBoxLayout,
    QWidget,
)

from bibulon.app.kit.appearance import Bare, named
from bibulon.core.units.air import read_air
from bibulon.core.units.units import IN_HG, System, UnitError, parse, show
from bibulon.core.units.vacuum import read_vacuum, show_vacuum, vacuum_words
from bibulon.core.units.words import tr

__all__ = [
    "AirEdit",
    "Figure",
    "FigureGrid",
    "Form",
    "Scroller",
    "UnitEdit",
    "VacuumEdit",
    "commit_field",
    "heading",
    "narrow",
    "note",
    "offer",
    "offer_named",
    "pick",
    "push",
    "remember_sizes",
    "show_fields_in",
    "word_of",
]

AIR_TOLD = "A barometer's pressure in the shop, the shop's height above sea (“640 m”), or a weather report's figure with it (“1018 mbar at 640 m”)"


class UnitEdit(QLineEdit):
    """A figure with its unit.  Typed text that is no such figure stays, marked, with the reason."""

    committed = Signal(float)
    cleared = Signal()  # of one that may be empty
    refused = Signal(str)

    def __init__(self, quantity: str, name: str, low: float | None = None, high: float | None = None) -> None:
        super().__init__()
        self.quantity, self.low, self.high = quantity, low, high
        self.system: System = "metric"
        self._value = 0.0
        self._may_be_empty = False
        self.setAccessibleName(tr(name))
        self.setAlignment(Qt.AlignmentFlag.AlignRight)
        self.setMinimumWidth(84)
        self.editingFinished.connect(self._commit)

    def set_value(self, value: float, system: System) -> None:
        """Show an SI value."""
        self._value, self.system = value, system
        if not self.hasFocus() or not self.isModified():
            self._render()

    def set_system(self, system: System) -> None:
        """Show what it holds in other units; what somebody is typing stays."""
        if self.text().strip():
            self.set_value(self._value, system)
        self.system = system

    def may_be_empty(self, words: str) -> None:
        """Let it be left empty, which means what these words say."""
        self._may_be_empty = True
        self.setPlaceholderText(words)

    def show_empty(self) -> None:
        """Show that nothing is set."""
        if not self.hasFocus() or not self.isModified():
            self.clear()
            self.setModified(False)
            UnitEdit._mark(self, "")

    def value(self) -> float:
        """Return the last good value in SI."""
        return self._value

    def _read(self, text: str) -> float:
        return parse(text, self.quantity, self.system)

    def _written(self) -> str:
        return show(self._value, self.quantity, self.system)

    def _render(self) -> None:
        self.setText(self._written())
        self.setModified(False)
        self._mark("")

    def _commit(self) -> None:
        if not self.isModified():
            return
        if self._may_be_empty and not self.text().strip():
            self.setModified(False)
            UnitEdit._mark(self, "")
            self.cleared.emit()
            return
        try:
            value = self._read(self.text())
            if (self.low is not None and value < self.low) or (self.high is not None and value > self.high):
                raise UnitError(self._range())
        except UnitError as error:
            self._mark(str(error))
            self.refused.emit(str(error))
            return
        self._value = value
        self._render()
        self.committed.emit(value)

    def _range(self) -> str:
        low = "" if self.low is None else tr("at least {}", show(self.low, self.quantity, self.system))
        high = "" if self.high is None else tr("at most {}", show(self.high, self.quantity, self.system))
        return tr("{0} must be {1}", self.accessibleName(), " and ".join(x for x in (low, high) if x))

    def _mark(self, reason: str) -> None:
        self.setProperty("wrong", "true" if reason else "false")
        self.setToolTip(reason)
        self.update()

    def focusInEvent(self, event: QFocusEvent) -> None:
        super().focusInEvent(event)
        self.selectAll()


def show_fields_in(root: QWidget, system: System) -> None:
    """Show all fields below a widget in other units: pages have some of their own, that no job fills."""
    for field in root.findChildren(UnitEdit):
        field.set_system(system)


class _ToldEdit(UnitEdit):
    """A pressure that can be typed in several words: ``understood`` says at once how it was read."""

    understood = Signal(str)

    def __init__(self, name: str, high: float | None = None) -> None:
        super().__init__("pressure", name, 0.0, high)
        self.committed.connect(lambda value: self.understood.emit(self._told(value)))

    def _told(self, value: float) -> str:
        """Say how a value [Pa] was read."""
        raise NotImplementedError

    def _hint(self) -> str:
        """Return what a hand at rest on it is told."""
        raise NotImplementedError

    def _mark(self, reason: str) -> None:
        super()._mark(reason)
        self.setToolTip(reason or self._hint())


class VacuumEdit(_ToldEdit):
    """A vacuum: absolute, or below today's air, as it is typed."""

    def __init__(self, name: str, air: Callable[[], float], high: float | None = None) -> None:
        super().__init__(name, high)
        self.air = air

    def _told(self, value: float) -> str:
        return tr("Read as {}.", vacuum_words(value, self.air()))

    def _hint(self) -> str:
        return vacuum_words(self._value, self.air())

    def _read(self, text: str) -> float:
        return read_vacuum(text, self.air(), self.system)

    def _written(self) -> str:
        return show_vacuum(self._value, self.air(), self.system)


class AirEdit(_ToldEdit):
    """Today's air, as a barometer, a height or a weather report gives it."""

    def __init__(self, name: str) -> None:
        super().__init__(name)
        self.setToolTip(self._hint())

    def _told(self, value: float) -> str:
        return tr(
            "Read as {0:.0f} mbar: no gauge goes deeper than {1:.1f} kPa or {2:.1f} inHg below that.",
            *(value / 100, value / 1e3, value / IN_HG),
        )

    def _hint(self) -> str:
        return tr(AIR_TOLD)

    def _read(self, text: str) -> float:
        return read_air(text, self.system)


class Scroller(Bare):
    """A panel that keeps its own height while there is room, and scrolls when there is not."""

    def __init__(self, body: QWidget) -> None:
        super().__init__()
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.setWidget(body)
        self.setAccessibleName(tr("Side panel"))

    def sizeHint(self) -> QSize:
        """Return what the panel itself wants."""
        body = self.widget()
        return body.sizeHint() if body is not None else super().sizeHint()

    def minimumSizeHint(self) -> QSize:
        """Return a height that leaves room for the findings in the smallest window."""
        return QSize(0, min(self.sizeHint().height(), 240))


class Figure(QWidget):
    """A figure that matters, with its name above it."""

    def __init__(self, name: str) -> None:
        super().__init__()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        self.name = named(QLabel(tr(name)), "soft")
        self.name.setWordWrap(True)
        self.text = named(QLabel("—"), "figure")
        self.text.setAccessibleName(tr(name))
        layout.addWidget(self.name)
        layout.addWidget(self.text)
        layout.addStretch()

    def set(self, text: str, name: str | None = None) -> None:
        """Show a value, under another name when one is given."""
        self.text.setText(tr(text))
        if name:
            self.name.setText(tr(name))
            self.text.setAccessibleName(tr(name))


class FigureGrid(QWidget):
    """Figures, two a row unless told otherwise; more than two are written smaller."""

    def __init__(self, names: tuple[str, ...], columns: int = 2) -> None:
        super().__init__()
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 4, 0, 4)
        grid.setVerticalSpacing(6)
        grid.setHorizontalSpacing(8)
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Preferred)
        self.figures = {name: Figure(name) for name in names}
        for k, figure in enumerate(self.figures.values()):
            if columns > 2:
                named(figure.text, "figure3")
            grid.addWidget(figure, k // columns, k % columns)

    def set(self, name: str, text: str) -> None:
        """Show a value by its name."""
        self.figures[name].set(text)


class Form(QWidget):
    """Rows of a name and a field."""

    def __init__(self) -> None:
        super().__init__()
        self._layout = QFormLayout(self)
        self._layout.setContentsMargins(0, 0, 0, 0)
        self._layout.setVerticalSpacing(6)
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Maximum)
        self._layout.setLabelAlignment(Qt.AlignmentFlag.AlignLeft)

    def add(self, name: str, field: QWidget) -> None:
        """Add a row."""
        label = QLabel(tr(name))
        label.setBuddy(field)
        if not field.accessibleName():
            field.setAccessibleName(tr(name))
        self._layout.addRow(label, field)

    def show_row(self, field: QWidget, on: bool) -> None:
        """Show a row, its name too, or hide it."""
        self._layout.setRowVisible(field, on)


def narrow(box: QComboBox) -> QComboBox:
    """Let a box be narrower than its longest choice."""
    box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
    box.setMinimumContentsLength(7)
    return box


def offer(box: QComboBox, words: Iterable[str]) -> None:
    """Offer words to choose from: told in the reader's language, known to the program as they are."""
    for word in words:
        box.addItem(tr(word), word)


def offer_named(box: QComboBox, names: Mapping[str, str]) -> None:
    """Offer what has these names, by key, where that has changed; what is chosen stays as long as it is there."""
    if [(box.itemData(k), box.itemText(k)) for k in range(box.count())] == list(names.items()):
        return
    chosen = box.currentData()
    box.clear()
    for key, name in names.items():
        box.addItem(name, key)
    if (at := box.findData(chosen)) >= 0:
        box.setCurrentIndex(at)


def word_of(box: QComboBox) -> str:
    """Return the word chosen, as the program knows it; nothing when none is."""
    return str(box.currentData() or "")


def pick(box: QComboBox, word: str) -> None:
    """Choose one of the words offered; another leaves it as it is."""
    if (at := box.findData(word)) >= 0:
        box.setCurrentIndex(at)


def heading(text: str) -> QLabel:
    """Return a heading of a panel."""
    return named(QLabel(tr(text)), "head")


def push(text: str, act: Callable[[], object], *, name: str = "", tip: str = "") -> QPushButton:
    """Return a button that does something; ``name`` is what it is called where its text alone says too little."""
    button = QPushButton(tr(text))
    button.clicked.connect(lambda _=False: act())
    if name:
        button.setAccessibleName(tr(name))
    if tip:
        button.setToolTip(tr(tip))
    return button


def note(text: str = "") -> QLabel:
    """Return a soft line of text that wraps."""
    label = named(QLabel(tr(text)), "soft")
    label.setWordWrap(True)
    return label


def remember_sizes(split: QSplitter, settings: QSettings, key: str) -> None:
    """Give a splitter the sizes that a person left it with, and keep those that it is given."""
    stored = settings.value(key)
    if stored is not None:
        split.restoreState(stored)
    split.splitterMoved.connect(lambda *_: settings.setValue(key, split.saveState()))


def commit_field(owner: QWidget) -> None:
    """Let the field that has the focus hand on what was typed, before anything is asked or saved."""
    field = owner.focusWidget()
    if not isinstance(field, QLineEdit):
        return
    viewport = field.parentWidget()
    table = viewport.parentWidget() if viewport is not None else None
    if isinstance(table, QAbstractItemView):
        table.commitData(field)
        table.closeEditor(field, QAbstractItemDelegate.EndEditHint.NoHint)
    elif field.isModified():
        field.editingFinished.emit()
