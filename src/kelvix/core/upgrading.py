"""Documents of earlier times, read as those of today. What was kept is never rewritten: a version stays what it was, and is
read anew each time."""

from __future__ import annotations

from typing import Any

OF_FIELDS = ("field", "fields", "filled", "by", "order", "listed")  # keys under which fields are named


def upgraded(document: Any) -> Any:
    """Return the same document, as JSON gives it, with what has changed since: fields were numbers, and are names now; when
    they were, a Find line's "mentions" found a text anywhere."""
    if isinstance(document, dict):
        if document.get("operator") == "mentions" and isinstance(document.get("field"), int):
            document = document | {"operator": "contains"}
        return {key: _named(value) if key in OF_FIELDS else upgraded(value) for key, value in document.items()}
    return [upgraded(one) for one in document] if isinstance(document, list) else document


def _named(value: Any) -> Any:
    if isinstance(value, int) and not isinstance(value, bool):
        return str(value)
    return [_named(one) for one in value] if isinstance(value, list) else upgraded(value)
