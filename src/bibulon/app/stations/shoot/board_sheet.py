"""How the board of a shoot is dressed."""

from __future__ import annotations

from bibulon.core.drawing.kit.tokens import Theme

__all__ = ["ROOMY", "board_sheet"]

ROOMY = 620  # px of height from which the board is drawn at full size


def board_sheet(t: Theme, tight: bool) -> str:
    """Return the board's style sheet; ``tight`` where the window is low."""
    clock, big, text, small = (56, 24, 17, 13) if tight else (72, 32, 20, 15)
    return f"""
    #board {{ background: {t.ground}; }}
    #board QLabel {{ color: {t.ink}; background: transparent; }}
    #hugeclock {{ font-size: {clock}px; font-weight: 700; }}
    #told {{ font-size: 20px; color: {t.soft}; padding-left: 16px; }}
    #card {{ background: {t.raised}; border-radius: 8px; }}
    #loud {{ background: {t.resin_new}; border-radius: 8px; }}
    #loud QLabel {{ color: {t.on_resin}; }}
    #cardtitle {{ font-size: 13px; font-weight: 600; color: {t.soft}; }}
    #cardbig {{ font-size: {big}px; font-weight: 700; }}
    #cardtext {{ font-size: {text}px; font-weight: 600; }}
    #cardsmall {{ font-size: {small}px; color: {t.soft}; }}
    #boardline {{ background: {t.raised}; color: {t.ink}; border: 2px solid {t.accent}; border-radius: 6px; font-size: 18px; padding: 6px; }}
    #boardact, #loudact {{ background: {t.raised}; color: {t.ink}; border: 2px solid {t.edge}; border-radius: 8px;
        font-size: {16 if tight else 18}px; font-weight: 600; min-height: {42 if tight else 64}px; padding: 4px 10px; }}
    #loudact {{ background: {t.resin_new}; color: {t.on_resin}; border-color: {t.resin_new}; }}
    #boardact:focus, #loudact:focus {{ border: 3px solid {t.accent}; }}
    """
