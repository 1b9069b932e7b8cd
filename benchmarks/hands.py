"""Hands that press, type, choose, drag, save and open whatever they meet, for as long as is asked: what no test thought of."""

from __future__ import annotations

import os
import subprocess
import sys

__all__ = ["main"]

HANDS, STEPS = 20, 600  # of each kind of job; what each of them does


def main(*, quick: bool = False) -> None:
    """Run some seeds of the test's hand, in a window each; a fault is told with what led to it."""
    env = {**os.environ, "HANDS": "2" if quick else str(HANDS), "HAND_STEPS": "60" if quick else str(STEPS)}
    words = [
        sys.executable,
        "-m",
        "pytest",
        "-q",
        "-n",
        "2",
        "--maxfail",
        "8",
        "-m",
        "slow or not slow",
        "tests/app/test_any_hand.py",
    ]
    subprocess.run(words, env=env, check=True)


if __name__ == "__main__":
    main(quick="--quick" in sys.argv)
