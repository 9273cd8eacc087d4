"""The apps that this installation can connect to: each folder here is one, and more come from other Python packages, by entry
points. There is no other list of them."""

from __future__ import annotations

import importlib
import pkgutil
from collections.abc import Callable
from importlib.metadata import entry_points

from kelvix import connectors
from kelvix.connectors.contract import App

GROUP = "kelvix.apps"


def apps(practice_address: str) -> dict[str, App]:
    """Return the apps by code, in the order of their names. What makes one is given the address of the practice apps."""
    folders = [m.name for m in pkgutil.iter_modules(connectors.__path__) if m.ispkg]
    makers: list[Callable[[str], App]] = [
        importlib.import_module(f"{connectors.__name__}.{name}").CONNECTOR for name in folders
    ]
    makers += [point.load() for point in entry_points(group=GROUP)]
    found = [make(practice_address) for make in makers]
    return {app.code: app for app in sorted(found, key=lambda app: app.name)}
