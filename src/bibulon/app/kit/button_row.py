"""A row of buttons that goes on in the next line where a language of long words leaves no room."""

from __future__ import annotations

from PySide6.QtCore import QRect, QSize, Qt
from PySide6.QtWidgets import QLayout, QLayoutItem, QSizePolicy, QWidget

__all__ = ["ButtonRow"]

GAP = 6  # px


class _Flow(QLayout):
    """Lays its items from left to right at one height, all of a line stretched to fill it."""

    def __init__(self, owner: QWidget) -> None:
        super().__init__(owner)
        self._items: list[QLayoutItem] = []
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
        return len(lines) * self._high() + max(len(lines) - 1, 0) * GAP

    def sizeHint(self) -> QSize:
        shown = [i.sizeHint().width() for i in self._items if not i.isEmpty()]
        return QSize(sum(shown) + max(len(shown) - 1, 0) * GAP, self._high())

    def minimumSize(self) -> QSize:
        return QSize(max((i.minimumSize().width() for i in self._items), default=0), self._high())

    def setGeometry(self, rect: QRect) -> None:
        super().setGeometry(rect)
        y, high = rect.y(), self._high()
        for line in self._lines(rect.width()):
            spare = rect.width() - sum(i.sizeHint().width() for i in line) - GAP * (len(line) - 1)
            x = rect.x()
            for k, item in enumerate(line):
                # What is over goes to all alike, the last of it to the last, so that lines end flush.
                more = (
                    spare // len(line) if k < len(line) - 1 else spare - spare // len(line) * (len(line) - 1)
                )
                wide = item.sizeHint().width() + max(more, 0)
                item.setGeometry(QRect(x, y, min(wide, rect.width()), high))
                x += wide + GAP
            y += high + GAP

    def _high(self) -> int:
        return max((i.sizeHint().height() for i in self._items), default=0)

    def _lines(self, width: int) -> list[list[QLayoutItem]]:
        """Return the items line by line."""
        lines: list[list[QLayoutItem]] = []
        room = -1
        for item in self._items:
            if item.isEmpty():
                continue
            wide = item.sizeHint().width()
            if wide + GAP > room or not lines:
                lines.append([])
                room = width + GAP
            lines[-1].append(item)
            room -= wide + GAP
        return lines


class ButtonRow(QWidget):
    """Buttons side by side, in as many lines as they need."""

    def __init__(self, *buttons: QWidget) -> None:
        super().__init__()
        policy = QSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Preferred)
        policy.setHeightForWidth(True)
        self.setSizePolicy(policy)
        self._flow = _Flow(self)
        for button in buttons:
            self.add(button)

    def add(self, button: QWidget) -> None:
        """Add one more."""
        self._flow.addWidget(button)
