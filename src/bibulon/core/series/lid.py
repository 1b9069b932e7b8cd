"""The record of one lid of the second demo, as a shop would have made it: loaded, shot by a machine, weighed, measured."""

from __future__ import annotations

import numpy as np

from bibulon.core.library.mould_demo import mould_demo_job
from bibulon.core.model.job import Job
from bibulon.core.run.journal import Entry
from bibulon.core.run.loading import load_entry, load_steps
from bibulon.core.run.shots import ShotRecorder
from bibulon.core.series.lessons import lesson_entry
from bibulon.core.series.record import weighed_entry
from bibulon.core.series.thickness import thickness_entry
from bibulon.core.units.figures import worded

__all__ = ["lid_record"]

BEGAN = 1_790_150_400.0  # Unix time of the shot
BY = "Ana"
FILL, SHOT, CAUGHT, PART = 405.0, 3.14, 0.29, 4.91  # s, kg
POINTS = ((0.2, 0.45, 4.2), (0.49, 0.2, 4.3), (0.49, 0.7, 4.3), (0.78, 0.45, 4.2))  # m, m, mm


def lid_record() -> tuple[Job, tuple[Entry, ...]]:
    """Return the demo job of a closed mould with the rows of its making."""
    job = mould_demo_job()
    rows = [
        load_entry(step, worded(step.words, "metric"), BY, BEGAN - 2400 + 120 * k)
        for k, step in enumerate(load_steps(job))
    ]
    machine = ShotRecorder.begun("lid")
    rows.append(machine.start("mixing machine 1", 1.0e-5, 1.0e5, SHOT, BEGAN))
    for t in np.arange(0.0, FILL + 1, 1.0):
        # By flow until the pressure is there, then by pressure: what is taken falls as the front runs in.
        share = float(1 - np.exp(-t / 160.0)) / float(1 - np.exp(-FILL / 160.0))
        pressure = 46_000.0 + min(t / 40.0, 1.0) * 54_000.0
        flow = SHOT / 1100.0 / 160.0 * float(np.exp(-t / 160.0)) / float(1 - np.exp(-FILL / 160.0))
        row = machine.take(float(t), pressure, flow, SHOT * share, BEGAN + t)
        rows += [row] if row is not None else []
    rows += machine.end(FILL + 1, "full", SHOT, BEGAN + FILL + 1)
    rows += [
        Entry("lid", 0.0, "start", {"began": BEGAN}, BEGAN),
        Entry("lid", 0.0, "open", {"line": "F1"}, BEGAN),
        Entry("lid", FILL, "wet", {}, BEGAN + FILL),
        Entry("lid", FILL + 30, "shut", {"line": "F1"}, BEGAN + FILL + 30),
        Entry("lid", 2700.0, "held", {"text": "gelled in the cup"}, BEGAN + 2700),
        Entry("lid", 2760.0, "stop", {}, BEGAN + 2760),
    ]
    after = BEGAN + 7200
    rows.append(
        weighed_entry(after, BY, part=PART, caught=CAUGHT, left=0.0, mixed=SHOT, scale=0.01, demould=5800.0)
    )
    for k, (x, y, thick) in enumerate(POINTS):
        rows.append(thickness_entry(f"lid-t{k}", x, y, thick / 1e3, f"{thick:.1f} mm", after + 60 + k))
    rows.append(
        lesson_entry(
            "Wipe the flange twice: one loop of mat under the inner seal cost the first shot its vacuum.",
            {},
            after + 120,
        )
    )
    # Each with a name of its own, so that the file is the same whenever it is written.
    return job, tuple(
        Entry(e.run, e.clock, e.kind, e.data, e.written_at, f"lid-{k}") for k, e in enumerate(rows)
    )
