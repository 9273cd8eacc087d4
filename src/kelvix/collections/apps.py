"""Places of apps as databases: lines find and change items in them in the same way as records in databases of ours.

Every item has, beside the fields that its app gives it, what any app knows of its own: its link, its place, and when it was
created and changed."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import UTC, datetime
from typing import Any

from kelvix.connectors.contract import OWN_DATA, App
from kelvix.core import query as conditions
from kelvix.core.cells import Answer
from kelvix.core.collection import Collection, Item, PermanentError, Place, readable
from kelvix.core.feel import Env
from kelvix.core.fields import TYPES
from kelvix.core.finding import MAX_COUNTED, MAX_TAKEN, Question
from kelvix.core.query import Query
from kelvix.core.schema import LINK, Database, Field, Outside
from kelvix.core.values import FieldId, NewChoice, RecordId, Value, fold

PAGE = 100  # items that are asked for at once


def as_database(source: Collection, app: App, place: Place, connection: int) -> Database:
    """Return a place as a database, its title field first; its number is given when it is kept. Asks the app."""
    schema = source.schema()
    title = next((f for f in schema.fields if f.id == schema.title), None)
    rest = tuple(f for f in schema.fields if f is not title)
    fields = (*((title,) if title else ()), *rest)
    known = {f.id for f in fields}
    outside = Outside(
        connection,
        place.id,
        app.code,
        app.name,
        app.container_word,
        app.item_word,
        app.items_word,
        place.link,
        place.path,
        frozenset(source.capabilities.writes),
        source.operations(),
        source.capabilities.makes,
        schema.identity == "matched",
        source.why_not,
        app.containers_word,
    )
    return Database(0, place.full_name, (*fields, *(f for f in OWN_DATA if f.id not in known)), outside)


def values_of(item: Item, database: Database) -> dict[FieldId, Value]:
    """Return an item's values by the fields of its place; what can’t be read is left out, as if it were empty. A choice that
    came since the place was read last, where these may grow, is a new one."""
    own: dict[FieldId, Value] = {
        LINK: item.link or None,
        "place": item.place_name or None,
        "created": item.created,
        "changed": item.changed,
    }
    found = {**own, **readable(item.values)}
    return {f.id: _with_new_choices(found[f.id], f) for f in database.fields if f.id in found}


def _with_new_choices(value: Value, field: Field) -> Value:
    if not field.grows or value is None:
        return value
    if isinstance(value, tuple):
        return tuple(one if field.choice_name(one) else NewChoice(one) for one in value)
    return value if field.choice_name(value) else NewChoice(str(value))


def told(item: Item, database: Database) -> dict[FieldId, Value]:
    """Return an item's values by the names of their choices, as lines carry them. A choice that came since the place was read
    last is called by its identity."""
    found = values_of(item, database)
    return {f.id: _named(found[f.id], f) for f in database.fields if f.id in found}


def _named(value: Value, field: Field) -> Value:
    if not TYPES[field.type].has_choices or value is None:
        return value
    if isinstance(value, tuple):
        return tuple(field.choice_name(one) or str(one) for one in value)
    return field.choice_name(value) or str(value)


def knows(database: Database, item: Item) -> bool:
    """Say whether all choices that an item has are known of its place; where choices may grow, they need not be."""
    found = values_of(item, database)
    for f in database.fields:
        value = found.get(f.id)
        if TYPES[f.type].has_choices and not f.grows and value is not None:
            several = value if isinstance(value, tuple) else (value,)
            if any(f.choice_name(one) is None for one in several):
                return False
    return True


def get(source: Collection, database: Database, id: str) -> Answer:
    """Return one item of an app as an answer; that it is not there is one too. Raises TransientError, PermanentError."""
    item = source.get((id,)).get(id)
    if item is not None and not source.has(item):  # it is of another place of the account
        item = None
    now = datetime.now(UTC)
    return Answer(1, item.id, values_of(item, database), now) if item else Answer(0, None, {}, now)


def places(shared: Sequence[Place]) -> Answer:
    """Return the places that are shared as an answer."""
    told = tuple((p.id, {"name": p.full_name, "link": p.link or None}) for p in shared)
    return Answer(len(told), None, {}, datetime.now(UTC), told)


def find(source: Collection, database: Database, question: Question, env: Env) -> Answer:
    """Return what an app answers to a question. Raises TransientError, and PermanentError where the place holds more than can
    be gone through, so that nobody knows what else there is."""
    schema = source.schema()
    known = {f.id for f in schema.fields}
    narrows = all(c.field in known for c in question.compared)
    taken: list[tuple[RecordId, dict[FieldId, Value]]] = []
    after: str | None = None
    most = MAX_TAKEN if question.take == "all" else MAX_COUNTED
    while True:
        page = source.query(Query(question.where if narrows else None, limit=PAGE, after=after))
        for item in page.items:
            values = values_of(item, database)
            if narrows or conditions.holds(question.where, database.fields, values, env):
                taken.append((item.id, values))
        if page.after is None or len(taken) > most:
            if page.after is None and not page.exhaustive:
                raise PermanentError(f"{database.name} holds more {database.records_word} than can be searched", "run")
            break
        after = page.after
    return _answer(taken, question, database, env)


def _answer(taken: list[tuple[RecordId, dict[FieldId, Value]]], question: Question, database: Database, env: Env) -> Answer:
    """`taken`: the newest first."""
    now = datetime.now(UTC)
    if not taken:
        return Answer(0, None, {}, now)
    if question.take == "all":
        if len(taken) > MAX_TAKEN:
            return Answer(len(taken), None, {}, now)
        taken = taken[::-1]
        by = database.field(question.order) if question.order is not None else None
        if by is not None:
            taken.sort(key=lambda one: _rank(one[1].get(by.id), by), reverse=question.descending)
        return Answer(len(taken), taken[0][0], taken[0][1], now, tuple(taken))
    id, values = taken[-1] if question.take == "oldest" else taken[0]
    return Answer(min(len(taken), MAX_COUNTED + 1), id, values, now)


def _rank(value: Value, field: Field) -> tuple[bool, Any]:
    """Return what values are sorted by, as a database of ours sorts them: empty ones first, texts whatever their case."""
    kept = None if value is None else TYPES[field.type].to_columns(value)[""]
    return kept is not None, fold(kept) if isinstance(kept, str) else kept
