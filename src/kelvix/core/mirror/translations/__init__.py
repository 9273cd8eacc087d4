"""Translations between matched fields: one module each, found by its place."""

from __future__ import annotations

import importlib
import pkgutil

from kelvix.core.mirror.translations.translation import Around, Options, Translation
from kelvix.core.schema import Field

__all__ = ["TRANSLATIONS", "Around", "Options", "Translation", "fitting"]


def _found() -> dict[str, Translation]:
    modules = [importlib.import_module(f"{__name__}.{m.name}") for m in pkgutil.iter_modules(__path__)]
    return {m.TRANSLATION.code: m.TRANSLATION for m in modules if hasattr(m, "TRANSLATION")}


TRANSLATIONS = _found()


def fitting(left: Field, right: Field) -> list[tuple[float, Translation]]:
    """Return the translations that go between two fields, the best first, with how well they do."""
    found = [(fit, one) for one in TRANSLATIONS.values() if (fit := one.fits(left, right)) is not None]
    return sorted(found, key=lambda pair: (-pair[0], pair[1].code))
