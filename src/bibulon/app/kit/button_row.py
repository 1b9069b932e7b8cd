"""A row of buttons that goes on in the next line where a language of long words leaves no room."""

from __future__ import annotations

from itertools import accumulate

from PySide6.QtCore import QRect, QSize, Qt
from PySide6.QtWidgets import QLayout, QLayoutItem, QSizePolicy, QWidget

__all__ = ["ButtonRow"]

GAP = 6  # px
FINE = 8  # px to which lines are made alike


class _Flow(QLayout):
    """Lays its items from left to right at one height, all of a line stretched to fill it."""

    def __init__(self, owner: QWidget, gap: int) -> None:
        super().__init__(owner)
        self._items: list[QLayoutItem] = []
        self._gap = gap
        self.setContentsMargins(0, 0, 0, 0)

    def addItem(self, item: QLayoutItem) -> None:
        self._items.append(item)

    def count(self) -> int:
        return len(self._items)

    def itemAt(self, index: int) -> QLayoutItem | None:
        return self._items[index] if 0 <= index < len(self._items) else None

    def takeAt(self, index: int) -> QLayoutItem | None:
        return self._items.pop(index) if 0 <= index < len(self._items) else None

    def expandingDirections(self) -> Qt.Orientation:
        return Qt.Orientation.Horizontal

    def hasHeightForWidth(self) -> bool:
        return True

    def heightForWidth(self, width: int) -> int:
        lines = self._lines(width)
        return len(lines) * self._high() + max(len(lines) - 1, 0) * self._gap

    def sizeHint(self) -> QSize:
        shown = [i.sizeHint().width() for i in self._items if not i.isEmpty()]
        return QSize(sum(shown) + max(len(shown) - 1, 0) * self._gap, self._high())

    def minimumSize(self) -> QSize:
        return QSize(max((i.minimumSize().width() for i in self._items), default=0), self._high())

    def setGeometry(self, rect: QRect) -> None:
        super().setGeometry(rect)
        y, high = rect.y(), self._high()
        for line in self._lines(rect.width()):
            spare = rect.width() - sum(i.sizeHint().width() for i in line) - self._gap * (len(line) - 1)
            x = rect.x()
            for k, item in enumerate(line):
                # What is over goes to all alike, the last of it to the last, so that lines end flush.
                more = (
                    spare // len(line) if k < len(line) - 1 else spare - spare // len(line) * (len(line) - 1)
                )
                wide = item.sizeHint().width() + max(more, 0)
                item.setGeometry(QRect(x, y, min(wide, rect.width()), high))
                x += wide + self._gap
            y += high + self._gap

    def _high(self) -> int:
        return max((i.sizeHint().height() for i in self._items), default=0)

    def _lines(self, width: int) -> list[list[QLayoutItem]]:
        """Return the items line by line, in as few lines as hold them, and these as alike in length as they can be."""
        shown = [item for item in self._items if not item.isEmpty()]
        wide = [item.sizeHint().width() + self._gap for item in shown]
        counts = _filled(wide, width + self._gap)
        for narrow in range(width - FINE, 0, -FINE) if 1 < len(counts) < len(shown) else ():
            closer = _filled(wide, narrow + self._gap)
            if len(closer) > len(counts):
                break
            counts = closer
        ends = list(accumulate(counts))
        return [shown[end - count : end] for count, end in zip(counts, ends, strict=True)]


def _filled(wide: list[int], room: int) -> list[int]:
    """Return how many of some widths [px] each line takes, each filled before the next is begun."""
    counts: list[int] = []
    left = 0
    for one in wide:
        if one > left or not counts:
            counts.append(0)
            left = room
        counts[-1] += 1
        left -= one
    return counts


class ButtonRow(QWidget):
    """Buttons side by side, in as many lines as they need."""

    def __init__(self, *buttons: QWidget, gap: int = GAP) -> None:
        super().__init__()
        policy = QSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Preferred)
        policy.setHeightForWidth(True)
        self.setSizePolicy(policy)
        self._flow = _Flow(self, gap)
        for button in buttons:
            self.add(button)

    def add(self, button: QWidget) -> None:
        """Add one more."""
        self._flow.addWidget(button)

    def clear(self) -> None:
        """Take all away."""
        while (item := self._flow.takeAt(0)) is not None:
            if (button := item.widget()) is not None:
                button.hide()
                button.deleteLater()
