"""The practice apps, each a folder with its pages: what stands here is found, and there is no other list of them."""

from __future__ import annotations

import importlib
import pkgutil

from kelvix.practice.framework import PracticeApp
from kelvix.practice.push import Pusher
from kelvix.practice.store import Store
from kelvix.settings import Settings


def kinds() -> list[type[PracticeApp]]:
    """In the order of their names."""
    modules = [importlib.import_module(f"{__name__}.{module.name}") for module in pkgutil.iter_modules(__path__)]
    there = [kind for module in modules for kind in vars(module).values() if isinstance(kind, type)]
    of_apps = [kind for kind in there if issubclass(kind, PracticeApp) and kind.__module__.startswith(f"{__name__}.")]
    return sorted(of_apps, key=lambda kind: kind.name)


def make_all(store: Store, pusher: Pusher, settings: Settings) -> dict[str, PracticeApp]:
    """By code."""
    return {kind.code: kind(store, pusher, settings) for kind in kinds()}
