"""Writes the API's description to web/openapi.json, from which the front end's types are made."""

from __future__ import annotations

import json

from kelvix.api.app import build
from kelvix.engine.engine import make
from kelvix.settings import TOP, Server, Settings
from kelvix.store.secrets import new_key


def document() -> str:
    nowhere = Server("127.0.0.1", 1, "", "")
    app = build(make(Settings("", {"home": nowhere}, new_key(), nowhere)))
    return json.dumps(app.openapi(), indent=1, sort_keys=True) + "\n"


def main() -> None:
    (TOP / "web/openapi.json").write_text(document())
