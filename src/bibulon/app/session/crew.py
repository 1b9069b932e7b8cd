"""Who works out many forecasts: this machine, or the shop's other ones, as this person has set it."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QSettings

if TYPE_CHECKING:
    from bibulon.core.plans.work import Workers

__all__ = ["crew", "set_cluster"]

OWN = 2  # processes of this machine


def crew(settings: QSettings) -> Workers:
    """Return the cluster that is set, or processes of this machine."""
    address = str(settings.value("cluster", "")).strip()
    if not address:
        return OWN
    from bibulon.devices.cluster import Cluster  # with what it takes to run other processes

    return Cluster(address)


def set_cluster(settings: QSettings, address: str) -> None:
    """Work on the machines of a scheduler from now on; on this one when the address is empty."""
    settings.setValue("cluster", address.strip())
