"""Are the trade's layouts judged right at the resolution that people use?  None false, none missing."""

from __future__ import annotations

import time

from tests.validation.test_layouts import ALL, judged

from bibulon.core.flow.forecast import COARSE, FINE


def main(quick: bool = False) -> None:
    """Judge every layout finely; print what is missing or false.

    Raises
    ------
    SystemExit : when anything is.
    """
    began, wrong = time.perf_counter(), 0
    for row in ALL[:: 100 if quick else 1]:
        missing, false = judged(row, COARSE if quick else FINE)
        if missing or false:
            wrong += 1
            print(f"{row.name}: missing {sorted(missing)}, false {sorted(false)}")
    print(f"layouts: {wrong} judged wrong of {len(ALL)}, {time.perf_counter() - began:.0f} s")
    if wrong:
        raise SystemExit(1)
