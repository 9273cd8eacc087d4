"""Changing the record that a line above holds."""

from __future__ import annotations

from typing import Any

from kelvix.core.collection import PermanentError
from kelvix.core.filling import Carried
from kelvix.core.lines.update import Update
from kelvix.engine.effects import items
from kelvix.engine.effects.records import At, Done, RecordEffect, held_record, update
from kelvix.store.database_server import Transaction


class UpdateEffect(RecordEffect[Update]):
    def has_something(self, line: Update, carried: Carried) -> bool:
        return carried.records[line.of].record is not None

    def change(self, t: Transaction, at: At, line: Update, answer: dict[str, Any] | None) -> Done:
        record = held_record(t, at, line.of)
        if record is None:
            raise PermanentError(f"the record of {at.database.name} that this line updates was deleted", "record")
        return update(t, at.workspace, at.database, record, at.cell, at.actor)

    def items(self, at: items.At, line: Update, answer: dict[str, Any] | None) -> items.Plan:
        return at.update([at.held(line.of)])


EFFECT = UpdateEffect()
