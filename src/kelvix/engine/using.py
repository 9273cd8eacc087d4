"""What would break if something were deleted: the workflows that run and use it, and the capture addresses that keep in it.

A workflow uses what its check misses: it is checked with what is there, and once more without the thing in question."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Literal

from kelvix.core.checking import check
from kelvix.core.context import Context
from kelvix.core.schema import Database
from kelvix.core.values import FieldId
from kelvix.engine.engine import Engine
from kelvix.store import captures, workflows
from kelvix.store.directory import Space


@dataclass(frozen=True)
class Use:
    """`id` is that of the workflow, or of the capture address."""

    kind: Literal["workflow", "address"]
    id: int
    name: str


def of_database(engine: Engine, space: Space, database_id: int) -> list[Use]:
    """Return what uses a database."""
    addresses = space.read(lambda t: captures.keeping_in(t, space.id, database_id))
    found = _workflows(engine, space, lambda context: _without_databases(context, _left_without(context, database_id)))
    return [*found, *(Use("address", a.id, a.name) for a in addresses)]


def _left_without(context: Context, database_id: int) -> dict[int, Database | None]:
    """Return what is left when a database goes: fields of others that refer to it go too."""
    left: dict[int, Database | None] = {
        d.id: replace(d, fields=kept)
        for d in context.databases.values()
        if len(kept := tuple(f for f in d.fields if f.refers_to != database_id)) < len(d.fields)
    }
    return left | {database_id: None}


def of_field(engine: Engine, space: Space, database: Database, field_id: FieldId) -> list[Use]:
    """Return what uses a field of a database."""
    left = replace(database, fields=tuple(f for f in database.fields if f.id != field_id))
    return _workflows(engine, space, lambda context: _without_databases(context, {database.id: left}))


def of_workflow(engine: Engine, space: Space, workflow_id: int) -> list[Use]:
    """Return what runs a workflow by a line of its own."""
    return _workflows(
        engine, space, lambda context: replace(context, others={k: v for k, v in context.others.items() if k != workflow_id})
    )


def _without_databases(context: Context, instead: dict[int, Database | None]) -> Context:
    left = {k: d for k, d in (dict(context.databases) | instead).items() if d is not None}
    return replace(context, databases=left)


def _workflows(engine: Engine, space: Space, without: Callable[[Context], Context]) -> list[Use]:
    """Return the workflows that are on or paused and whose check finds something without the thing that it does not find with
    it."""

    found: list[Use] = []
    for kept in space.read(lambda t: workflows.list_all(t, space.id)):
        if kept.state == "off":
            continue
        document = kept.running or kept.draft
        context = engine.context(space, document)
        anyway = check(document, context)
        if any(f not in anyway for f in check(document, without(context))):
            found.append(Use("workflow", kept.id, kept.name))
    return found
