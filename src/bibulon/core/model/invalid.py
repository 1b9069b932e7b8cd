"""What is raised where a value cannot be: its faults, each with its place."""

from __future__ import annotations

from collections.abc import Callable

__all__ = ["Fault", "Invalid"]


class Fault(ValueError):
    """One thing that is wrong with a value.

    place : where in it, as names of fields, numbers and keys.
    figures : of a limit that was missed, as the format keeps them (SI): they stand in the holes of ``text``.
    """

    def __init__(self, place: tuple[str | int, ...], text: str, *figures: float) -> None:
        self.place, self._text, self._figures = place, text, figures
        super().__init__(self.told("{:g}".format))

    def told(self, shown: Callable[[float], str]) -> str:
        """Return it in words, its figures as they are shown where somebody typed one."""
        return self._text.format(*map(shown, self._figures)) if self._figures else self._text


class Invalid(ValueError):
    """A value that cannot be, with all that is wrong with it."""

    def __init__(self, faults: tuple[Fault, ...]) -> None:
        super().__init__(
            "; ".join(f"{'.'.join(map(str, f.place))}: {f}" if f.place else str(f) for f in faults)
        )
        self.faults = faults
