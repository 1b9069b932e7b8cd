"""What is raised where a value cannot be: its faults, each with its place."""

from __future__ import annotations

__all__ = ["Fault", "Invalid"]


class Fault(ValueError):
    """One thing that is wrong with a value; ``place`` says where in it, as names of fields, numbers and keys."""

    def __init__(self, place: tuple[str | int, ...], text: str) -> None:
        super().__init__(text)
        self.place = place


class Invalid(ValueError):
    """A value that cannot be, with all that is wrong with it."""

    def __init__(self, faults: tuple[Fault, ...]) -> None:
        super().__init__(
            "; ".join(f"{'.'.join(map(str, f.place))}: {f}" if f.place else str(f) for f in faults)
        )
        self.faults = faults
