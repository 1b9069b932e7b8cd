"""The ways to the shop's rules: the act, the words in the top bar, and what a finding is judged by."""

from __future__ import annotations

from typing import TYPE_CHECKING, Protocol

from PySide6.QtWidgets import QWidget

from bibulon.app.kit.acts import Act
from bibulon.app.session.session import Session
from bibulon.app.shell.findings_panel import FindingsPanel
from bibulon.app.stations.base import Station
from bibulon.core.drawing.kit.tokens import Theme

if TYPE_CHECKING:
    from bibulon.app.shell.rules_panel import RulesPanel

__all__ = ["Host", "RulesDoor"]


class Host(Protocol):
    """The window, for all that this knows."""

    session: Session
    theme: Theme
    findings: FindingsPanel
    stations: list[Station]
    current: int


class RulesDoor:
    """Makes the panel when somebody first asks for it."""

    def __init__(self, window: Host) -> None:
        self._window = window
        self._panel: RulesPanel | None = None
        window.findings.rule_wanted.connect(lambda rule: self.panel().open_for(rule))

    def panel(self) -> RulesPanel:
        """Return the panel."""
        if self._panel is None:
            from bibulon.app.shell.rules_panel import RulesPanel

            window = self._window
            assert isinstance(window, QWidget)
            self._panel = RulesPanel(
                window, window.session, lambda: window.stations[window.current].name, lambda: window.theme
            )
        return self._panel

    def act(self) -> Act:
        """Return the act that opens it."""
        return Act("Job", "Shop rules…", lambda: self.panel().open(), ("Ctrl+Shift+L",))
