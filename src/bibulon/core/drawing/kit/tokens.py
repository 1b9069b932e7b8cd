"""The look: colours, sizes and weights of both themes.  Drawing code takes its pens from here alone."""

from __future__ import annotations

from msgspec import Struct
from msgspec.structs import replace

__all__ = [
    "DAY",
    "FAMILY",
    "LETTER",
    "NIGHT",
    "PAPER",
    "PITCH",
    "RAMP",
    "SIZE",
    "SPACE",
    "STARK",
    "THEMES",
    "WEIGHT",
    "Theme",
    "contrast",
    "mix",
]

FAMILY = "Bibulon Figures"
SPACE = 4  # px grid
LETTER = 6.6  # px of a bold small letter, in the mean: for what is drawn where no font can be asked
SIZE = {"small": 12.0, "body": 14.0, "head": 18.0, "huge": 64.0}
PITCH = {
    "weave": 9.0,
    "cells": 12.0,
    "net": 7.0,
    "ply": 5.0,
    "grooves": 14.0,
}  # px between strokes of a texture
RAMP = 7  # tones of a field's legend
WEIGHT = {"hair": 0.7, "thin": 1.0, "line": 1.6, "heavy": 2.4, "tube": 5.0}


class Theme(Struct, frozen=True):
    """Colours of one theme, as #rrggbb."""

    name: str
    ground: str
    panel: str
    raised: str
    edge: str
    ink: str
    soft: str
    accent: str
    on_accent: str
    feed: str
    on_feed: str
    vacuum: str
    on_vacuum: str
    cloth: str
    weave: str
    core: str
    tool: str
    resin_old: str
    resin_new: str
    on_resin: str
    front: str
    alarm: str
    alarm_ground: str
    field_low: str
    field_high: str

    def resin(self, age: float) -> str:
        """Return the tone of resin by age: 0 just arrived, 1 there from the start."""
        return mix(self.resin_new, self.resin_old, min(max(age, 0.0), 1.0))

    def tone(self, share: float) -> str:
        """Return the tone of a field's value: 0 lowest, 1 highest."""
        return mix(self.field_low, self.field_high, min(max(share, 0.0), 1.0))


DAY = Theme(
    name="day", ground="#fbf8f0", panel="#f3eee1", raised="#fffdf7", edge="#d3c9b4", ink="#1d2b3a", soft="#54606b",
    accent="#0f5f63", on_accent="#ffffff", feed="#0f5f63", on_feed="#ffffff", vacuum="#6a2a5d", on_vacuum="#ffffff",
    cloth="#f2ede0", weave="#ded5c1", core="#e9e2cf", tool="#3b4854",
    resin_old="#7a3f10", resin_new="#eccb94", on_resin="#1d1206", front="#3a1d06", alarm="#9c4600", alarm_ground="#f8e6d2",
    field_low="#e4ecec", field_high="#22506b",
)  # fmt: skip
NIGHT = Theme(
    name="night", ground="#12181c", panel="#1a2227", raised="#222c32", edge="#37434a", ink="#f3ede0", soft="#b3bab9",
    accent="#52b6bd", on_accent="#0d1417", feed="#52b6bd", on_feed="#0d1417", vacuum="#d48cc4", on_vacuum="#1a0f18",
    cloth="#20292f", weave="#303b42", core="#27323a", tool="#5d6b76",
    resin_old="#6b3a10", resin_new="#dfae68", on_resin="#1d1206", front="#fff4df", alarm="#f0a050", alarm_ground="#3a2a18",
    field_low="#233640", field_high="#a9d3e6",
)  # fmt: skip

STARK = Theme(
    name="stark", ground="#000000", panel="#000000", raised="#0c0c0c", edge="#6f6f6f", ink="#ffffff", soft="#e6e6e6",
    accent="#ffd83d", on_accent="#000000", feed="#58e6ff", on_feed="#000000", vacuum="#ff9df2", on_vacuum="#000000",
    cloth="#161616", weave="#5a5a5a", core="#2a2a2a", tool="#8a8a8a",
    resin_old="#b05a00", resin_new="#ffc878", on_resin="#000000", front="#ffffff", alarm="#ff9a3d", alarm_ground="#331c00",
    field_low="#262626", field_high="#cfeeff",
)  # fmt: skip
THEMES = {theme.name: theme for theme in (DAY, NIGHT, STARK)}

PAPER = replace(DAY, name="paper", ground="#ffffff", cloth="#f7f4ec", raised="#ffffff")


def _rgb(colour: str) -> tuple[float, float, float]:
    return tuple(int(colour[i : i + 2], 16) / 255 for i in (1, 3, 5))  # type: ignore[return-value]


def mix(first: str, second: str, share: float) -> str:
    """Return the colour ``share`` of the way from the first to the second."""
    parts = (round(255 * (a + (b - a) * share)) for a, b in zip(_rgb(first), _rgb(second), strict=True))
    return "#" + "".join(f"{p:02x}" for p in parts)


def contrast(first: str, second: str) -> float:
    """Return the contrast ratio of two colours, 1 to 21 (WCAG 2, relative luminance)."""

    def luminance(colour: str) -> float:
        linear = [c / 12.92 if c <= 0.04045 else ((c + 0.055) / 1.055) ** 2.4 for c in _rgb(colour)]
        return 0.2126 * linear[0] + 0.7152 * linear[1] + 0.0722 * linear[2]

    low, high = sorted((luminance(first), luminance(second)))
    return (high + 0.05) / (low + 0.05)
