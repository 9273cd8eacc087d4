"""The apps that this installation can connect to."""

from __future__ import annotations

from kelvix.connectors.contract import App
from kelvix.connectors.mail import Mail
from kelvix.settings import Settings


def apps(settings: Settings) -> dict[str, App]:
    """By code."""
    return {app.code: app for app in (Mail(settings.practice_address),)}
