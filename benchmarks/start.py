"""What a start costs: processor time until the window with the demo is painted, against that of a bare Qt window."""

from __future__ import annotations

import os
import resource
import subprocess
import sys

__all__ = ["spent"]

BARE = """
from PySide6.QtWidgets import QApplication, QWidget
app = QApplication([])
window = QWidget()
window.show()
app.processEvents()
"""
DEMO = """
import gc
gc.disable()
from bibulon.app import start
app = start.application()
window = start.make_window(*start._scratch())
window._may_leave = lambda: True
window.show()
window.session.new(start.demo_job())
window.session.forecaster.close()
app.processEvents()
from bibulon.app.kit.turns import paint_waiting
paint_waiting()  # the plan, whose turn comes right after the window about it
import os
os._exit(0)
"""
VERSION = "import sys; sys.argv = ['bibulon', '--version']; import bibulon.__main__"


def spent(words: str) -> float:
    """Return the processor time of a process that runs a program [s], and of what it starts."""
    env = {**os.environ, "QT_QPA_PLATFORM": "offscreen"}
    env.pop("PYTHONDONTWRITEBYTECODE", None)
    before = resource.getrusage(resource.RUSAGE_CHILDREN)
    subprocess.run([sys.executable, "-c", words], env=env, check=True, capture_output=True)
    after = resource.getrusage(resource.RUSAGE_CHILDREN)
    return after.ru_utime + after.ru_stime - before.ru_utime - before.ru_stime


def main(*, quick: bool = False) -> None:
    """Print the middle of some starts, and how many times a bare window they take."""
    times = 1 if quick else 5
    told = {}
    for name, words in (("bare window", BARE), ("--version", VERSION), ("window with the demo", DEMO)):
        told[name] = sorted(spent(words) for _ in range(times))[times // 2]
        print(
            f"{name:<22}{told[name]:6.2f} s   {told[name] / told['bare window']:5.1f} times a bare window",
            flush=True,
        )


if __name__ == "__main__":
    main(quick="--quick" in sys.argv)
