"""Run benchmarks by name: python -m benchmarks [flow] [follow] [drawing] [validation] [coverage] [faults] [hands] [layouts] [looks] [machine] [nesting] [refit] [rehearsal] [stalls] [start] [memory] [slow] [--quick]."""

from __future__ import annotations

import subprocess
import sys
from collections.abc import Callable
from importlib import import_module


def slow(quick: bool = False) -> None:
    """Run the checks that are too long for bin/test; none when in a hurry."""
    if not quick:
        subprocess.run([sys.executable, "-m", "pytest", "-q", "-m", "slow", "tests"], check=True)


def all_faults(quick: bool = False) -> None:
    """Play every fault: kills, full disks, flipped bytes, nonsense for every reader."""
    from benchmarks import faults

    counts = {"kills": 4, "full-disk": 4, "refusals": 6, "flips": 20, "nonsense": 120} if quick else {}
    lost = [play for play in faults.PLAYS if faults.main([play, str(counts.get(play, 0))])]
    if lost:
        raise SystemExit(f"something was lost or raw in: {', '.join(lost)}")


OWN: dict[str, Callable[..., None]] = {"faults": all_faults, "slow": slow}
SUITES = (
    "flow", "follow", "drawing", "validation", "coverage", "faults", "hands", "layouts", "looks", "machine", "nesting", "refit", "rehearsal", "stalls",
    "start", "memory", "slow",
)  # fmt: skip


def suite(name: str) -> Callable[..., None]:
    """Return a suite, loaded only when it is asked for."""
    run: Callable[..., None] = OWN[name] if name in OWN else import_module(f"benchmarks.{name}").main
    return run


def main(words: list[str]) -> int:
    """Run the suites named, or all."""
    names = [w for w in words if not w.startswith("-")] or list(SUITES)
    for name in names:
        if name not in SUITES:
            print(f"there is no benchmark {name}: {', '.join(SUITES)}", file=sys.stderr)
            return 2
        suite(name)(quick="--quick" in words)
    return 0


if __name__ == "__main__":
    raise SystemExit(main(sys.argv[1:]))
