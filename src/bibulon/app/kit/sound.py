"""Sounds made by reckoning, and the desk's own player for them: chimes of a board, and the hiss of air through a hole."""

from __future__ import annotations

import io
import math
import shutil
import subprocess
import tempfile
import wave
from pathlib import Path

import numpy as np
import numpy.typing as npt

__all__ = ["CHIMES", "PLAYERS", "Player", "chime", "hiss"]

Floats = npt.NDArray[np.float64]
RATE = 22_050  # a second
LOUD = 0.5  # of full scale
CHIMES = {  # notes [Hz], each a fifth of a second after the one before
    "call": (660.0, 880.0),
    "batch": (880.0, 660.0, 880.0, 660.0),
    "gauge": (440.0, 440.0),
}
PLAYERS = (("pw-play",), ("paplay",), ("aplay", "-q"))


def _wav(left: Floats, right: Floats) -> bytes:
    """Return two channels, from −1 to 1, as a WAV file of 16 bits."""
    both = np.clip(np.column_stack([left, right]), -1, 1)
    out = io.BytesIO()
    with wave.open(out, "wb") as file:
        file.setnchannels(2)
        file.setsampwidth(2)
        file.setframerate(RATE)
        file.writeframes((both * 32_767).astype("<i2").tobytes())
    return out.getvalue()


def chime(kind: str) -> bytes:
    """Return a chime of ``CHIMES`` as WAV: struck notes that die away.

    Raises
    ------
    KeyError : when there is none of that name.
    """
    notes = CHIMES[kind]
    t = np.arange(int(RATE * (0.2 * len(notes) + 0.6))) / RATE
    sound = np.zeros(len(t))
    for k, note in enumerate(notes):
        since = t - 0.2 * k
        struck = np.where(since >= 0, np.exp(-np.maximum(since, 0) / 0.18), 0.0)
        sound += struck * (np.sin(2 * math.pi * note * since) + 0.3 * np.sin(4 * math.pi * note * since))
    sound *= LOUD / np.abs(sound).max()
    return _wav(sound, sound)


def hiss(pan: float, loud: float, seconds: float = 1.5, seed: int = 1) -> bytes:
    """Return the hiss of a leak as WAV.

    Parameters
    ----------
    pan : where it is, from −1 at the left to 1 at the right, panned at constant power.
    loud : from 0 to 1.
    """
    rng = np.random.default_rng(seed)
    noise = np.diff(rng.standard_normal(int(RATE * seconds) + 2), 2)  # what air whistles is high
    noise *= LOUD * min(max(loud, 0.0), 1.0) / (3 * float(noise.std()))
    angle = (min(max(pan, -1.0), 1.0) + 1) * math.pi / 4
    return _wav(noise * math.cos(angle), noise * math.sin(angle))


class Player:
    """Plays WAV by what the desk has; ``silent`` says why nothing is heard, or nothing."""

    def __init__(self) -> None:
        self.command = next((c for c in PLAYERS if shutil.which(c[0])), None)
        self.silent = (
            "" if self.command else f"No player of sounds was found: {', '.join(c[0] for c in PLAYERS)}."
        )
        self._folder: tempfile.TemporaryDirectory[str] | None = None
        self._running: subprocess.Popen[bytes] | None = None

    def play(self, name: str, sound: bytes) -> bool:
        """Play a sound under a name, unless one still plays; whether it was begun."""
        if self.command is None or (self._running is not None and self._running.poll() is None):
            return False
        if self._folder is None:
            self._folder = tempfile.TemporaryDirectory(prefix="bibulon-sound-")
        path = Path(self._folder.name) / f"{name}.wav"
        try:
            path.write_bytes(sound)
            self._running = subprocess.Popen(
                [*self.command, str(path)], stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, stdin=subprocess.DEVNULL
            )  # fmt: skip
        except OSError as error:
            self.silent = f"The sound could not be played: {error.strerror or error}."
            return False
        return True

    def close(self) -> None:
        """End what plays, and remove what was written."""
        if self._running is not None:
            if self._running.poll() is None:
                self._running.terminate()
            self._running.wait(timeout=5)
            self._running = None
        if self._folder is not None:
            self._folder.cleanup()
            self._folder = None
