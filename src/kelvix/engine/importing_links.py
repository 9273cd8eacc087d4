"""Bringing the links of a feed, an OPML or a bookmark file into a database: each address once, however often a file comes."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import UTC, datetime
from functools import partial

from kelvix.collections import write
from kelvix.collections.write import Actor
from kelvix.core import page_fields
from kelvix.core.feel import Env
from kelvix.core.fields import TYPES, coerce
from kelvix.core.finding import Question
from kelvix.core.query import Comparison
from kelvix.core.schema import Database, Field
from kelvix.core.values import FieldId, Unfit, Value
from kelvix.engine.capturing import NotKept
from kelvix.formats import article
from kelvix.formats.lists_of_links import Link
from kelvix.readers import contents
from kelvix.store import finding
from kelvix.store.database_server import Transaction
from kelvix.store.directory import Space

BATCH_SIZE = 50  # links in one transaction


@dataclass(frozen=True)
class Brought:
    """How many were added, and how many were in the database already."""

    added: int
    there: int


def bring(space: Space, database: Database, content: bytes, actor: Actor) -> Brought:
    """Bring links. Raises NotKept; what was added before it stays, and is known again. Raises lists_of_links.Unreadable."""
    field = next((f for f in database.fields if TYPES[f.type].is_address), None)
    if field is None:
        raise NotKept(f"{database.name} has no field for links.", "Add one, of the type link, then bring them in.")
    found = {article.without_tracking(link.address): link for link in reversed(contents.links(content, as_text=True))}
    if not found:
        raise NotKept("This file has no web links.", "Choose a feed, an OPML or a bookmark file with links.")
    links = list(reversed(found.items()))
    env = space.env(datetime.now(UTC))
    finding.prepare(space.server, database, (field.id,))
    added = 0
    for begin in range(0, len(links), BATCH_SIZE):
        some = [
            (address, values_of(space, database, field, address, link, env))
            for address, link in links[begin : begin + BATCH_SIZE]
        ]
        added += space.transact(partial(_add, space=space, database=database, field=field, some=some, actor=actor))
    return Brought(added, len(links) - added)


def values_of(space: Space, database: Database, field: Field, address: str, link: Link, env: Env) -> dict[FieldId, Value]:
    """Return a link as a record's values. Raises NotKept where a field must be filled that no link fills."""
    about: dict[str, Value] = {
        "title": link.title or None,
        "author": link.author or None,
        "published": link.at,
        "tags": ", ".join(link.tags) or None,
        "text": link.text or None,
    }
    title = database.fields[0]
    try:
        values: dict[FieldId, Value] = {field.id: coerce(address, "link", space.zone)}
        values |= page_fields.fill(database, about, values, address, env)
        values.setdefault(title.id, coerce(link.title or address, title.type, space.zone))
    except Unfit as unfit:
        raise NotKept(f"“{link.title or address}” does not fit: {unfit}.", "Choose a database for articles.") from None
    missing = [f.name for f in database.fields if f.required and values.get(f.id) is None]
    if missing:
        raise NotKept(f"A record of {database.name} also needs {', '.join(missing)}.", "Choose another database for them.")
    return values


def _add(
    t: Transaction, space: Space, database: Database, field: Field, some: list[tuple[str, dict[FieldId, Value]]], actor: Actor
) -> int:
    added = 0
    for address, values in some:
        asked = Question(database.id, "all", (Comparison(field.id, "is", address),), "oldest")
        finding.hold(t, space.id, asked)  # nobody else brings it meanwhile
        if not finding.find_all(t, database, asked, space.zone):
            write.add(t, space.id, database, values, actor)
            added += 1
    return added
