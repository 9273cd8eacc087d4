"""What could fill the fields of a line: told from samples, and from what other workflows of the workspace fill them with."""

from __future__ import annotations

from collections.abc import Sequence

from kelvix.core import rehearsal
from kelvix.core.filling import Carried, is_filled
from kelvix.core.suggestions import Suggestion, suggest
from kelvix.core.values import FieldId
from kelvix.core.workflow import Adds, Part, Workflow, filling_of
from kelvix.engine.engine import Engine
from kelvix.workspace import Space, samples, workflows

MAX_SAMPLES = 10


def suggestions(
    engine: Engine, space: Space, workflow_id: int, document: Workflow, line_id: str
) -> tuple[Carried, Sequence[Suggestion]]:
    """Return what a line can use, and a proposal for each field that it adds and that is not filled yet, where there is one."""
    line = document.line(line_id)
    context = engine.context(space, document, "rehearses")
    database = context.databases.get(line.database or 0) if isinstance(line, Adds) else None
    if not isinstance(line, Adds) or database is None:
        return Carried({}, {}), ()
    kept = samples.list_all(space, workflow_id, document.when)[:MAX_SAMPLES]
    seen = [rehearsal.carried_to(document, line.id, s.item["values"], context) for s in kept]
    carried = seen[0] if seen else rehearsal.carried_to(document, line.id, {}, context)
    found = suggest(database, carried.fields, seen, context.env, _history(space, workflow_id, database.id))
    can = {f.id for f in database.fields if f.can_write}
    return carried, [s for s in found if s.field in can and not is_filled(filling_of(line, s.field))]


def _history(space: Space, workflow_id: int, database: int) -> dict[FieldId, dict[str, int]]:
    """How often other workflows of the workspace fill each field of a database with each value of their source."""
    found: dict[FieldId, dict[str, int]] = {}
    for other in workflows.list_all(space):
        if other.id == workflow_id:
            continue
        for line in other.draft.lines:
            if isinstance(line, Adds) and line.database == database:
                for filled in line.fillings:
                    (part, *more) = filled.filling or (Part(text=""),)
                    if part.ref is not None and not more and part.ref.line == other.draft.when.id:
                        counts = found.setdefault(filled.field, {})
                        counts[part.ref.value] = counts.get(part.ref.value, 0) + 1
    return found
