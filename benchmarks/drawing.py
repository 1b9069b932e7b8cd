"""How long a frame of the plan takes: the clock dragged, the plan panned, on a large forecast, in the real window."""

from __future__ import annotations

import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np

from bibulon.core.flow.forecast import Resolution
from bibulon.core.library.demo import demo_job

FRAMES = 60


def main(*, quick: bool = False) -> None:
    """Print milliseconds a frame: the median, and that of one in twenty."""
    from PySide6.QtCore import QSettings

    from bibulon.app.session import forecaster
    from bibulon.app.start import application, make_window, settle
    from bibulon.app.stations.lines.station import LinesStation
    from bibulon.core.drawing.kit.scene import View

    forecaster.FINE_ON_SCREEN = Resolution(500 if quick else 7500, 1, 12 if quick else 24)
    app = application()
    folder = Path(tempfile.mkdtemp(prefix="bibulon-"))
    window = make_window(QSettings(str(folder / "s.ini"), QSettings.Format.IniFormat), folder)
    window.show()
    window.session.new(demo_job())
    settle(window)
    window.go(2)
    forecast = window.session.outlook.forecast if window.session.outlook else None
    assert forecast is not None
    lines = window.station("Lines")
    assert isinstance(lines, LinesStation)
    plan, cut = lines.plan_bench.plan, lines.plan_bench.cut
    assert cut is not None
    window.session.view.set_probes(False)
    print(f"plan of {plan.width()} x {plan.height()} px, forecast of {forecast.model.network.size} unknowns")

    def measure(name: str, act: Callable[[int], object]) -> None:
        took = []
        for k in range(12 if quick else FRAMES):
            act(k)
            start = time.perf_counter()
            plan.repaint()
            took.append(time.perf_counter() - start)
        app.processEvents()
        ms = np.array(took[5:]) * 1e3
        print(f"{name:<28}{np.median(ms):6.1f} ms a frame, one in twenty over {np.quantile(ms, 0.95):.1f} ms")

    window.session.moment_changed.disconnect()
    end = forecast.end

    def drag(k: int) -> None:
        window.session.moment = end * (k + 1) / FRAMES

    measure("clock dragged", drag)
    base = plan.view

    def pan(k: int) -> None:
        plan.view = View(base.scale, base.dx + 2 * k, base.dy)

    measure("plan panned", pan)
    plan.view = base
    measure("nothing changed", lambda _: None)
    took = []
    for k in range(12 if quick else FRAMES):
        window.session.moment = end * (k + 1) / FRAMES
        start = time.perf_counter()
        cut.repaint()
        took.append(time.perf_counter() - start)
    print(f"{'cut, clock dragged':<28}{np.median(np.array(took)) * 1e3:6.1f} ms a frame")
    window.session.undo_stack.setClean()
    window.close()
