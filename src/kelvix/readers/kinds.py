"""What a reader child reads, by name: the function that does it, and how long it may take."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import cache
from typing import Any, get_type_hints

from pydantic import ConfigDict, TypeAdapter

BYTES = ConfigDict(ser_json_bytes="base64", val_json_bytes="base64")


@dataclass(frozen=True)
class Kind:
    """`module` and `function` name what reads an open file, `seconds` is the time after which its child is killed. The child
    itself breaks off a little earlier, so that what was read until then is kept where the format allows it."""

    module: str
    function: str
    seconds: float

    def load(self) -> Callable[..., Any]:
        """Import the function; formats are heavy, so each child imports what it is asked for."""
        from importlib import import_module

        found: Callable[..., Any] = getattr(import_module(self.module), self.function)
        return found


KINDS = {
    "formula": Kind("kelvix.core.feel.heavy", "execute", 5.0),
    "article": Kind("kelvix.formats.article", "read_file", 15.0),
    "links": Kind("kelvix.formats.lists_of_links", "read_file", 30.0),
    "message": Kind("kelvix.formats.rfc5322", "read_file", 10.0),
    "message_parts": Kind("kelvix.formats.rfc5322", "parts_of_file", 20.0),
    "pdf": Kind("kelvix.formats.pdf", "read", 20.0),
    "picture": Kind("kelvix.formats.picture", "read", 5.0),
    "workbook": Kind("kelvix.formats.workbook", "read", 30.0),
    "workbook_edit": Kind("kelvix.formats.workbook", "edit", 30.0),
}


@cache
def adapter(kind: str) -> TypeAdapter[Any]:
    """Return what turns a result into JSON and back, by the function's own return type."""
    result = get_type_hints(KINDS[kind].load())["return"]
    config = None if hasattr(result, "__dataclass_fields__") else BYTES
    return TypeAdapter(result, config=config)
