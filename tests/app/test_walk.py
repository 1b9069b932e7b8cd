"""Every page of every station: nothing cut off, all of it reached by keyboard, every drawing described."""

from __future__ import annotations

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import (
    QAbstractButton,
    QAbstractItemView,
    QAbstractSpinBox,
    QApplication,
    QComboBox,
    QLineEdit,
    QWidget,
)
from tests.app.walk import alike, cut_off, deaf, metric, pages, unspoken

from bibulon.core.drawing.kit.tokens import DAY, NIGHT


@pytest.mark.parametrize(
    ("size", "system", "theme"),
    [
        pytest.param((1180, 720), "metric", DAY, id="the least window"),
        pytest.param((1280, 800), "us", NIGHT, id="usual, by night, in US units"),
        pytest.param((1280, 720), "us", DAY, id="150 per cent of 1920 by 1080", marks=pytest.mark.slow),
    ],
)
def test_no_text_is_cut_off(petal, size, system, theme):
    petal.session.set_system(system)
    petal.set_theme(theme)
    petal.resize(*size)
    wrong, silent = {}, {}
    for name in pages(petal):
        if found := cut_off(petal):
            wrong[name] = found
        if theme is NIGHT and (found := unspoken(petal) + alike(petal)):
            silent[name] = found
    assert wrong == {}
    assert silent == {}  # every drawing is told to who does not see it, every control by a name of its own
    assert petal.width() == size[0]  # the window itself did not grow to fit
    assert petal.height() == size[1]


def test_units_change_on_the_page_that_is_open(petal):
    """Findings, calls, variants, sliders and fields of a page's own stayed as they were until the job changed."""
    left = {}
    for name in pages(petal):
        petal.session.set_system("us")
        if found := metric(petal):
            left[name] = found
        petal.session.set_system("metric")
    assert left == {}


def test_no_text_is_cut_off_while_resin_runs(petal, qtbot):
    petal.resize(1180, 720)
    names = [s.name for s in petal.stations]
    petal.go(names.index("Shoot"))
    board = petal.stations[names.index("Shoot")].board
    for key in ("start", "front"):
        if key in board.buttons:
            qtbot.mouseClick(board.buttons[key], Qt.MouseButton.LeftButton)
            for _ in range(3):  # words that wrap are laid out in a second round
                QApplication.processEvents()
            assert cut_off(petal) == []


CONTROLS = (QAbstractButton, QLineEdit, QComboBox, QAbstractItemView)


def reachable(window) -> set[QWidget]:
    """Everything that Tab comes to from where the focus is, once round."""
    found: set[QWidget] = set()
    for _ in range(400):
        QTest.keyClick(QApplication.focusWidget() or window, Qt.Key.Key_Tab)
        now = QApplication.focusWidget()
        if now is None or now in found:
            break
        found.add(now)
    return found


def wanted(window) -> set[QWidget]:
    """Controls that can be seen and used, but for cells of tables and what belongs to another control."""
    return {
        w
        for w in window.findChildren(QWidget)
        if isinstance(w, CONTROLS)
        and w.isVisible()
        and w.isEnabled()
        and w.focusPolicy() & Qt.FocusPolicy.TabFocus
        and not isinstance(w.parentWidget(), (QComboBox, QAbstractSpinBox))
        and not any(isinstance(p, QAbstractItemView) for p in parents(w))
    }


def parents(widget):
    while (widget := widget.parentWidget()) is not None:
        yield widget


def test_tab_comes_to_every_control_of_every_page_and_drawings_hear_keys(petal):
    petal.activateWindow()
    missed, mute = {}, {}
    for name in pages(petal):
        petal.setFocus()
        reached = reachable(petal)
        never = (
            wanted(petal) - reached - {p for w in reached for p in parents(w)}
        )  # a table's box stands for it
        # Of a group of tabs or of targets only one is a stop; arrows go on from there.
        never = {w for w in never if not (isinstance(w, QAbstractButton) and w.group() is not None)}
        if never:
            missed[name] = sorted(
                f"{type(w).__name__} {w.accessibleName() or getattr(w, 'text', str)()}" for w in never
            )
        if found := deaf(petal):  # it presses arrows: after all else on the page
            mute[name] = found
    assert missed == {}
    # Without steps of an oven, or jobs on record, there is nothing to point at, for the mouse neither.
    assert not petal.session.job.cure.steps
    mute.pop("Cure, Post-cure")
    mute.pop("Logbook, Series")
    assert mute == {}
