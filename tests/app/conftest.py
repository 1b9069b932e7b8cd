"""A window with the demo job, its forecast done."""

from __future__ import annotations

import pytest

from bibulon.app.stations.shoot import board_acts, refitting
from bibulon.core.flow.fill.filling import Cancelled
from bibulon.core.flow.forecast import Resolution
from bibulon.core.plans import variants


@pytest.fixture
def petal(window, qtbot, demo):
    with qtbot.waitSignal(window.session.forecaster.idle, timeout=60_000):
        window.session.new(demo)
    return window


@pytest.fixture(autouse=True)
def _all_is_drawn(request, caplog):
    """No control fails to be drawn, but where a test is about that."""
    yield
    failed = [
        r for r in caplog.get_records("call") if r.name in {"bibulon.app.kit.look", "bibulon.app.kit.whole"}
    ]
    assert not failed or "error_in_drawing" in request.node.name


@pytest.fixture(autouse=True)
def _quick_variants(monkeypatch):
    """Variants are compared on a mesh as coarse as the window's own."""
    monkeypatch.setattr(variants, "FINE", Resolution(250, 1, 5))


@pytest.fixture(autouse=True)
def _quick_board(request, monkeypatch):
    """Boards neither ask for the gates nor work out ensembles, but in tests that are about them."""
    if "gates" not in request.keywords:
        monkeypatch.setattr(board_acts, "waits_for", lambda gates, journal: "")

    def none(*_, **__):
        raise Cancelled

    monkeypatch.setattr(refitting, "prior_of", none)
