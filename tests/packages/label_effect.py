"""Printing a label for real: the printer takes lines of JSON, and tells by its key one that it has."""

from __future__ import annotations

import json
import os
from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from label import Printed, Printing, PrintLabel, carry_on

from kelvix.core import outcome
from kelvix.core.cells import Cell
from kelvix.core.filling import Carried
from kelvix.core.intents import Intent
from kelvix.core.walking import Place
from kelvix.engine.effects.effect import Effect
from kelvix.engine.outside import Outside
from kelvix.engine.remote_write import RemoteWrite

PRINTER = "LABEL_PRINTER"  # the environment variable that names the file


@dataclass(frozen=True)
class Print(RemoteWrite):
    payload: Mapping[str, Any]

    question = "It is not known whether a label was printed. Look into the tray: is it there?"

    def repeats(self) -> bool:
        return True

    def execute(self, intent: Intent) -> Any:
        tray = Path(os.environ[PRINTER])
        printed = [json.loads(line)["key"] for line in tray.read_text().splitlines()] if tray.exists() else []
        if intent.key not in printed:
            printed.append(intent.key)
            with tray.open("a") as out:
                out.write(json.dumps({"key": intent.key, **intent.payload}) + "\n")
        return self.arrived(intent, None) | {"number": printed.index(intent.key) + 1}

    def arrived(self, intent: Intent, by: str | None) -> Any:
        return Printed("printed", 0, f"{intent.payload['copies']} × {intent.payload['text']}").kept()

    def shown(self, intent: Intent) -> list[tuple[str, str]]:
        return [("Text", intent.payload["text"])]


class PrintLabelEffect(Effect[PrintLabel]):
    recalls = Printed

    def execute(self, run: Outside, line: PrintLabel, cell: Cell, carried: Carried, place: Place) -> tuple[Carried, str]:
        assert isinstance(cell.would, Printing)
        one = Print({"text": cell.would.text, "size": line.size, "copies": line.copies})
        made, end = run.write_outside(line, place, carried, one, lambda kept: outcome.read("printed", kept))
        return (carried, end) if end else self.as_recorded(run, line, outcome.read("printed", made), carried)

    def as_recorded(self, run: Outside, line: PrintLabel, done: Any, carried: Carried) -> tuple[Carried, str]:
        return carry_on(line, done.number, carried), ""


EFFECT = PrintLabelEffect()
