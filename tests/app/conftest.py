"""A window with the demo job, its forecast done."""

from __future__ import annotations

import pytest


@pytest.fixture
def petal(window, qtbot, demo):
    with qtbot.waitSignal(window.session.forecaster.idle, timeout=60_000):
        window.session.new(demo)
    return window
