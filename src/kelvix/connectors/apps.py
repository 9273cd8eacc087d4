"""The apps that this installation can connect to: each folder here is one, and there is no other list of them."""

from __future__ import annotations

import importlib
import pkgutil
from collections.abc import Callable

from kelvix import connectors
from kelvix.connectors.contract import App
from kelvix.settings import Settings


def apps(settings: Settings) -> dict[str, App]:
    """By code, in the order of their names."""
    found: list[App] = []
    for module in pkgutil.iter_modules(connectors.__path__):
        if module.ispkg:
            make: Callable[[str], App] = importlib.import_module(f"{connectors.__name__}.{module.name}").CONNECTOR
            found.append(make(settings.practice_address))
    return {app.code: app for app in sorted(found, key=lambda app: app.name)}
