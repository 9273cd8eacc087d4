"""Captures: lines that are typed, and addresses that take them from whoever knows the address, in their maker's name."""

from __future__ import annotations

import json
import secrets
from typing import Any

from kelvix.collections.write import Actor
from kelvix.core.not_found import NotFoundError
from kelvix.core.values import as_text
from kelvix.engine import capturing, importing_links
from kelvix.engine.capturing import NotKept, Reading, Sent
from kelvix.engine.engine import Engine
from kelvix.engine.importing_links import Brought
from kelvix.engine.subscriptions.requests import Refused
from kelvix.formats.article import Article
from kelvix.store import captures, people, records
from kelvix.store.captures import CaptureAddress
from kelvix.store.database_server import Transaction
from kelvix.store.records import Origin
from kelvix.store.usage import Full
from kelvix.workspace import Space, databases
from kelvix.workspace.once import once
from kelvix.workspace.people import Person
from kelvix.workspace.records import told

__all__ = ["CaptureAddress"]
A_MINUTE = 60  # captures that an address takes


def keep(engine: Engine, space: Space, person: Person, reading: Reading, key: str | None, body: str | None) -> dict[str, Any]:
    """Keep lines as records, all of them or none, once under a key: the first record as JSON, the records, the numbers under
    which each can be undone, and what was not understood. Raises NotKept."""

    def work(t: Transaction) -> dict[str, Any]:
        actor = Actor.of(person, Origin(person=person.name, capture=True))
        made = capturing.keep(t, engine, space, person.id, reading, actor)
        first = records.get(t, reading.database, made[0][0])
        assert first
        return {
            "database": reading.database.id,
            "name": reading.database.name,
            "record": told(first),
            "records": [record for record, _ in made],
            "changes": [seq for _, seq in made],
            "not_understood": [said for one in reading.lines for said in (*one.quick.wrong, *one.quick.unclear)][:20],
        }

    return once(space, f"{person.id} capture", key, body, work)


def bring_links(space: Space, database_id: int, content: bytes, person: Person) -> Brought:
    """Add a record for each link of a list that is not there yet. Raises NotFoundError, NotKept, Unreadable."""
    into = databases.get(space, database_id)
    return importing_links.bring(space, into, content, Actor.of(person, Origin(person.name, "a list of links", True)))


def addresses(engine: Engine, space: Space, person: Person) -> list[tuple[CaptureAddress, str]]:
    """Return a person's own addresses, each with the secret that it ends with."""
    return space.read(lambda t: captures.list_all(t, engine.vault, space.id, person.id))


def make_address(engine: Engine, space: Space, person: Person, name: str, database: int | None) -> None:
    token = secrets.token_hex(16)
    space.transact(lambda t: captures.make(t, engine.vault, space.id, person.id, name.strip(), database, token))


def remove_address(space: Space, person: Person, address_id: int) -> None:
    """Remove an address of a person. Raises NotFoundError."""
    if not space.transact(lambda t: captures.remove(t, space.id, person.id, address_id)):
        raise NotFoundError("address not found")


def is_known(engine: Engine, workspace_id: int, token: str) -> bool:
    """Say whether there is such an address."""
    try:
        space = engine.directory.open(workspace_id)
    except NotFoundError:
        return False
    return space.read(lambda t: captures.behind(t, space.id, token)) is not None


def knock(engine: Engine, workspace_id: int, token: str) -> tuple[Space, CaptureAddress]:
    """Find an address in use. Raises Refused for an address that there is not, and for too many."""
    nothing = Refused(
        404, "Not found. It may have been deleted or moved.", "It may have been removed. Copy it again from Captures."
    )
    try:
        space = engine.directory.open(workspace_id)
    except NotFoundError:
        raise nothing from None
    address = space.read(lambda t: captures.behind(t, space.id, token))
    if address is None:
        raise nothing
    if not space.transact(lambda t: captures.count(t, address, A_MINUTE)):
        raise Refused(429, f"More than {A_MINUTE} captures arrived within a minute.", "Send it again later.", after=60)
    return space, address


def keep_at(
    engine: Engine,
    space: Space,
    address: CaptureAddress,
    text: str,
    each: bool,
    key: str | None,
    page: Article | None = None,
    files: tuple[Sent, ...] = (),
    bound: bool = True,
    fields: dict[str, Any] | None = None,
    fields_only: bool = False,
) -> dict[str, Any]:
    """Keep lines that came to an address as records, the first with `fields` by their names, which may be all there is.
    `bound`: under the same key, another text is refused; else whatever comes is the same. Raises Refused."""
    person = people.by_id(engine.directory.home, address.person_id)
    if person is None or person.role not in people.MAY_WRITE:
        raise Refused(403, "The creator of this address can no longer add records.", "Create a new one.")
    try:
        reading = capturing.read(engine, space, person.id, text, address.database_id, each)
        if page:
            reading = capturing.with_posted_page(space, reading, page)
        if fields:
            reading = capturing.with_names(space, reading, fields, fields_only)
    except NotKept as why:
        raise Refused(422, str(why), why.advice) from None
    except NotFoundError:
        raise Refused(409, "The database of this address was deleted.", "Choose another one under Captures.") from None

    def work(t: Transaction) -> dict[str, Any]:
        actor = Actor.of(person, Origin(person=person.name, token=f"“{address.name}”", capture=True))
        whole = capturing.with_files(t, space, reading, files)
        made = capturing.keep(t, engine, space, person.id, whole, actor)
        return {
            "kept": len(made),
            "database": whole.database.name,
            "records": [_understood(engine, space, whole, n, record) for n, (record, _) in enumerate(made)],
        }

    sent = json.dumps([text, fields]) if fields else text
    try:
        answer = once(space, f"capture address {address.id}", key, sent if bound else None, work)
    except NotKept as why:
        raise Refused(422, str(why), why.advice) from None
    except Full as full:
        raise Refused(503, "There is not enough space for this.", f"{full}.", after=60) from None
    engine.dispatch.announce(space.id, "records")
    return answer


def _understood(engine: Engine, space: Space, reading: Reading, at: int, record: int) -> dict[str, Any]:
    """Return a record that was made of a line: its link, what was understood, and what was not."""
    database, quick = reading.database, reading.lines[at].quick
    return {
        "link": f"{engine.settings.address}/databases/{database.id}/{record}",
        "understood": {
            f.name: as_text(f.named(quick.values.get(f.id)), space.zone)
            for f in database.fields
            if quick.values.get(f.id) is not None
        },
        "not_understood": [*quick.wrong, *quick.unclear],
    }
