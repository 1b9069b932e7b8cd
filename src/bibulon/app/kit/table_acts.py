"""What every table can do: its cells go to the clipboard as a spreadsheet takes them, and all of it into a CSV file."""

from __future__ import annotations

import csv
import io
from collections.abc import Callable, Sequence

from PySide6.QtCore import Qt
from PySide6.QtGui import QAction, QGuiApplication, QKeySequence
from PySide6.QtWidgets import QTableView

from bibulon.app.kit import files
from bibulon.app.work.errands import not_written
from bibulon.core.units.pasted import table_text
from bibulon.core.units.words import tr
from bibulon.store.durable import write_text

__all__ = ["add_act", "all_cells", "chosen_cells", "give_acts", "tell"]


def all_cells(view: QTableView) -> list[list[str]]:
    """Return the table as it is shown, its headings first, its rows in the order in which they are seen."""
    model = view.model()
    columns = [c for c in range(model.columnCount()) if not view.isColumnHidden(c)]
    heads = [str(model.headerData(c, Qt.Orientation.Horizontal) or "") for c in columns]
    rows = (r for r in range(model.rowCount()) if not view.isRowHidden(r))
    return [heads, *([_text(view, r, c) for c in columns] for r in rows)]


def chosen_cells(view: QTableView) -> list[list[str]]:
    """Return the cells chosen, in the smallest block that holds them; all of the table when none is chosen."""
    chosen = {(i.row(), i.column()) for i in view.selectedIndexes()}
    if not chosen:
        return all_cells(view)
    columns, rows = sorted({c for _, c in chosen}), sorted({r for r, _ in chosen})
    return [[_text(view, r, c) if (r, c) in chosen else "" for c in columns] for r in rows]


def _text(view: QTableView, row: int, column: int) -> str:
    return str(view.model().index(row, column).data() or "")


def _copy(cells: Sequence[Sequence[str]]) -> None:
    plain = [[" ".join(cell.split()) for cell in row] for row in cells]
    QGuiApplication.clipboard().setText(table_text(plain[0], plain[1:]) if plain else "")


def _save(view: QTableView) -> None:
    name = view.accessibleName() or tr("Table")
    target = files.to_write(view, tr("Save table"), name, "CSV (*.csv)")
    if target is None:
        return
    text = io.StringIO(newline="")
    csv.writer(text).writerows(all_cells(view))
    try:
        write_text(target, text.getvalue())
    except OSError as error:
        tell(view, not_written(target)(error), True)
    else:
        tell(view, tr("Written: {}", target), False)


def tell(view: QTableView, text: str, alarm: bool) -> None:
    """Tell it where the window tells everything."""
    say = getattr(view.window(), "say", None)
    if say is not None:
        say(text, alarm)


def add_act(view: QTableView, title: str, keys: QKeySequence, act: Callable[[], object]) -> None:
    """Let a table do something by keys and by its context menu."""
    action = QAction(tr(title), view)
    action.setShortcut(keys)
    action.setShortcutContext(Qt.ShortcutContext.WidgetShortcut)
    action.triggered.connect(lambda _=False: act())
    view.addAction(action)


def give_acts(view: QTableView, copying: Callable[[], None] | None = None) -> None:
    """Let a table copy, in a way of its own where it has one, and export, by keys and by its context menu."""
    copy = copying or (lambda: _copy(chosen_cells(view)))
    add_act(view, "Copy", QKeySequence(QKeySequence.StandardKey.Copy), copy)
    add_act(
        view, "Copy the table with its headings", QKeySequence("Ctrl+Shift+C"), lambda: _copy(all_cells(view))
    )
    add_act(view, "Save the table as CSV…", QKeySequence(), lambda: _save(view))
    view.setContextMenuPolicy(Qt.ContextMenuPolicy.ActionsContextMenu)
