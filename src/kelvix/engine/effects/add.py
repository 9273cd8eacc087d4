"""Adding a record."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from kelvix.core import recognising
from kelvix.core.filling import Held
from kelvix.core.lines.add import Add
from kelvix.core.values import FieldId
from kelvix.engine.effects import items
from kelvix.engine.effects.records import At, Done, RecordEffect, add, number
from kelvix.store import finding, records
from kelvix.store.database_server import Transaction


class AddEffect(RecordEffect[Add]):
    def is_put_off(self, line: Add, by: Sequence[FieldId]) -> bool:
        return not by

    def change(self, t: Transaction, at: At, line: Add, answer: dict[str, Any] | None) -> Done:
        if at.by:
            return _add_unless_there(t, at, line)
        return add(t, at.workspace, at.database, at.cell.writes, at.actor)

    def items(self, at: items.At, line: Add, answer: dict[str, Any] | None) -> items.Plan:
        asked = recognising.question(line, at.run.recognises.get(line.id, ()), at.cell.results, at.database)
        return at.one_of_a_kind(asked, leave=True) if asked else at.create()


def _add_unless_there(t: Transaction, at: At, line: Add) -> Done:
    """Add a record, or leave the one that is there as it is. One at a time for each thing, as with records that are kept up
    to date."""
    asked = recognising.question(line, at.by, at.cell.results, at.database)
    if asked:
        finding.hold(t, at.workspace, asked)
    found = finding.find(t, at.database, asked, at.context.env.zone).record if asked else None
    record = records.get(t, at.database, number(found)) if found is not None else None
    if record is None:
        return add(t, at.workspace, at.database, at.cell.writes, at.actor)
    return Done("there", Held(at.database.id, True, record.id, record.values), 0)


EFFECT = AddEffect()
