"""Sounds: their files, where a hiss comes from, a player that is there or is not, and when the board chimes."""

from __future__ import annotations

import io
import wave

import numpy as np
import pytest
from tests.app.hand import choose

from bibulon.app.kit import sound
from bibulon.app.kit.sound import CHIMES, Player, chime, hiss
from bibulon.app.stations.shoot.chimes import Chimes, mute, muted
from bibulon.core.plans.rehearsal.crews import Noticed
from bibulon.core.plans.rehearsal.faults import draw_shop
from bibulon.core.plans.rehearsal.followed import heard, look
from bibulon.core.plans.rehearsal.scenarios import SCENARIOS
from bibulon.core.plans.rehearsal.shop import Shop


def channels(data):
    with wave.open(io.BytesIO(data)) as file:
        assert (file.getnchannels(), file.getsampwidth()) == (2, 2)
        frames = np.frombuffer(file.readframes(file.getnframes()), dtype="<i2").reshape(-1, 2) / 32_767
        return frames, file.getframerate()


@pytest.mark.parametrize("kind", CHIMES)
def test_a_chime_strikes_its_first_note_and_dies_away(kind):
    frames, rate = channels(chime(kind))
    assert 0.3 < np.abs(frames).max() <= 0.51
    first = frames[: int(0.15 * rate), 0]
    peak = np.fft.rfftfreq(len(first), 1 / rate)[np.abs(np.fft.rfft(first)).argmax()]
    assert peak == pytest.approx(CHIMES[kind][0], rel=0.03)
    assert np.abs(frames[-rate // 10 :]).max() < 0.05


@pytest.mark.parametrize("pan", [-1.0, -0.4, 0.0, 0.7, 1.0])
def test_a_hiss_comes_from_where_it_is_as_loud_wherever(pan):
    frames, _ = channels(hiss(pan, 0.8))
    left, right = np.sqrt((frames**2).mean(axis=0))
    angle = (pan + 1) * np.pi / 4
    assert right * np.cos(angle) == pytest.approx(left * np.sin(angle), abs=1e-3)
    whole, _ = channels(hiss(0.0, 0.8))
    assert np.hypot(left, right) == pytest.approx(np.sqrt((whole**2).mean(axis=0).sum()), rel=0.02)
    quiet, _ = channels(hiss(pan, 0.2))
    assert np.abs(quiet).max() < np.abs(frames).max() / 2


class Desk:
    """A desk with a player that writes down what it was asked to play."""

    def __init__(self, monkeypatch, there="aplay"):
        self.played = []
        monkeypatch.setattr(sound.shutil, "which", lambda name: f"/usr/bin/{name}" if name == there else None)
        monkeypatch.setattr(sound.subprocess, "Popen", self._begin)

    def _begin(self, words, **_):
        self.played.append(words[-1].rsplit("/", 1)[-1])

        class Done:
            def poll(self):
                return 0

            def wait(self, timeout=None):
                return 0

        return Done()


def test_a_desk_without_a_player_is_silent_and_says_why(monkeypatch):
    Desk(monkeypatch, there="none")
    player = Player()
    assert "No player" in player.silent
    assert not player.play("x", b"")
    player.close()


def test_the_board_chimes_once_for_each_thing_and_is_muted(window, monkeypatch):
    desk = Desk(monkeypatch)
    chimes = Chimes(window.session)
    told = chimes.consider("r", [], 10.0, 1800.0, 0, [])
    assert (told, desk.played) == ([], [])
    assert chimes.consider("r", ["Open F2"], 20.0, 1800.0, 0, []) == ["call"]
    assert chimes.consider("r", ["Open F2"], 21.0, 1800.0, 0, []) == []
    assert chimes.consider("r", ["Open F2"], 1690.0, 1800.0, 0, []) == ["batch"]
    gauge = [(0.0, 2000.0), (60.0, 2400.0)]
    assert chimes.consider("r", ["Open F2"], 1691.0, 1800.0, 0, gauge) == []
    gauge = [*gauge, (120.0, 2600.0)]
    assert chimes.consider("r", ["Open F2"], 1692.0, 1800.0, 0, gauge) == ["gauge"]
    assert desk.played == ["call.wav", "batch.wav", "gauge.wav"]
    mute(window.session, True)
    assert chimes.consider("r", ["Open F2", "Shut F1"], 1693.0, 1800.0, 0, gauge) == ["call"]
    assert len(desk.played) == 3
    chimes.player.close()
    next(a for a in window.acts if a.title.startswith("Chimes")).run()
    assert not muted(window.session)
    assert "sounds its chimes" in window.message.text()


def test_a_leak_is_heard_until_it_is_mended():
    job = SCENARIOS["leak"].job()
    shop = Shop(job, draw_shop(job, 3, ("leak",)))
    pan = heard(shop)
    assert pan is not None
    noticed = Noticed()
    told = look(shop, noticed, "listen")
    assert "a hiss from the" in told
    assert "leak" in noticed.when
    assert heard(shop) is None
    assert look(shop, noticed, "listen").endswith("it is quiet.")
    whole = Shop(job, draw_shop(job, 3, ()))
    assert heard(whole) is None


def test_listening_in_a_rehearsal_plays_the_hiss(window, qtbot, monkeypatch):
    desk = Desk(monkeypatch)
    bar = window.practice
    bar.player = Player()
    with qtbot.waitSignal(window.rehearsal.making.rested, timeout=60_000):
        window.rehearsal.begin(SCENARIOS["leak"].job(), 3, ("leak",))
    choose(bar.looks, "Listen along the bag")
    bar.do.click()
    assert "a hiss from the" in window.message.text()
    assert desk.played == ["hiss.wav"]
