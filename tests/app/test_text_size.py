"""Text follows the person: chosen in the window, or as the desktop has it; all grows together."""

from __future__ import annotations

import os
import subprocess
import sys

import pytest
from PySide6.QtCore import QSettings

from bibulon.app.kit import text_size


@pytest.mark.parametrize(
    ("points", "dots", "size"),
    [(9, 96, 100), (10, 96, 100), (11, 96, 100), (12.5, 96, 125), (10, 144, 150), (15, 96, 150), (20, 96, 200), (40, 96, 200)],
)  # fmt: skip
def test_the_desktop_s_font_is_followed_from_100_to_200(points, dots, size):
    assert text_size.scale_of_font(points * dots / 72) == size


def test_nonsense_in_the_settings_is_as_if_nothing_was_chosen(tmp_path):
    settings = QSettings(str(tmp_path / "s.ini"), QSettings.Format.IniFormat)
    for nonsense in ("", "large", "90", "1e9"):
        settings.setValue("text_size", nonsense)
        assert text_size.chosen(settings) is None


def test_larger_text_is_kept_for_the_next_start(petal):
    acts = {a.title: a for a in petal.acts}
    acts["Larger text"].run()
    acts["Larger text"].run()
    assert text_size.chosen(petal.session.settings) == 125
    assert "125 %" in petal.message.text()
    for _ in range(9):
        acts["Smaller text"].run()
    assert text_size.chosen(petal.session.settings) == 100


@pytest.mark.parametrize("size", [150])
def test_a_start_draws_at_the_size_chosen(size, tmp_path):
    config = tmp_path / "bibulon"
    config.mkdir()
    (config / "settings.ini").write_text(f"[General]\ntext_size={size}\n")
    script = (
        "from bibulon.app.start import application; a = application(); "
        "print(a.primaryScreen().devicePixelRatio(), a.primaryScreen().size().width())"
    )
    env = {k: v for k, v in os.environ.items() if k != "QT_SCALE_FACTOR"} | {"XDG_CONFIG_HOME": str(tmp_path)}
    done = subprocess.run([sys.executable, "-c", script], env=env, capture_output=True, text=True, check=True)
    ratio, wide = done.stdout.split()
    assert float(ratio) == size / 100
    assert int(wide) == round(800 / (size / 100))  # the offscreen screen is 800 wide
