"""Putting the record that a line above holds into the trash."""

from __future__ import annotations

from typing import Any

from kelvix.collections import write
from kelvix.core.filling import Carried, Held
from kelvix.core.lines.delete import Delete
from kelvix.engine.effects import items
from kelvix.engine.effects.records import At, Done, RecordEffect, held_record
from kelvix.store.database_server import Transaction


class DeleteEffect(RecordEffect[Delete]):
    def has_something(self, line: Delete, carried: Carried) -> bool:
        return carried.records[line.of].record is not None

    def change(self, t: Transaction, at: At, line: Delete, answer: dict[str, Any] | None) -> Done:
        record = held_record(t, at, line.of)
        if record is None:  # somebody else did it
            return Done("found_none", Held(at.database.id), 0)
        write.delete(t, at.workspace, at.database, record.id, at.actor)
        return Done("deleted", Held(at.database.id, True, record.id, record.values))

    def items(self, at: items.At, line: Delete, answer: dict[str, Any] | None) -> items.Plan:
        return at.delete(at.held(line.of))


EFFECT = DeleteEffect()
