"""Chimes of a run: a call that is due, a batch near the end of its life, a gauge that rises; each once."""

from __future__ import annotations

from collections.abc import Sequence

from bibulon.app.kit.sound import Player, chime
from bibulon.app.session.session import Session

__all__ = ["Chimes", "mute", "muted"]

MUTED = "sound/muted"
NEAR_LIFE = 120.0  # s before the end of a batch's life
RISES = 500.0  # Pa that the bag's gauge may read more than at its deepest


def muted(session: Session) -> bool:
    """Whether nothing is sounded."""
    return session.settings.value(MUTED) == "yes"


def mute(session: Session, on: bool) -> None:
    """Sound nothing, or sound again."""
    session.settings.setValue(MUTED, "yes" if on else "no")


class Chimes:
    """Told what stands on the board, it sounds what is new; muted by choice, which is remembered."""

    def __init__(self, session: Session) -> None:
        self.session = session
        self.player = Player()
        self._told: set[str] = set()
        session.job_opened.connect(self._told.clear)
        session.closing.connect(self.player.close)

    def consider(
        self, run: str, due: Sequence[str], age: float | None, life: float | None, batches: int, gauge: Sequence[tuple[float, float]]
    ) -> list[str]:  # fmt: skip
        """Sound what is new of a run; return its names.

        Parameters
        ----------
        due : calls whose time has come; age, life : of the batch in the bucket [s], the so manieth; gauge : (time [s], Pa).
        """
        new = [f"{run} call {words}" for words in due]
        if age is not None and life is not None and age > life - NEAR_LIFE:
            new.append(f"{run} batch {batches}")
        if len(gauge) > 1 and gauge[-1][1] > min(p for _, p in gauge[:-1]) + RISES:
            new.append(f"{run} gauge {gauge[-1][0]:.0f}")
        new = [name for name in new if name not in self._told]
        self._told.update(new)
        kinds = [name.removeprefix(f"{run} ").split()[0] for name in new]
        if kinds and not muted(self.session):
            loudest = next(k for k in ("batch", "gauge", "call") if k in kinds)
            self.player.play(loudest, chime(loudest))
        return kinds
